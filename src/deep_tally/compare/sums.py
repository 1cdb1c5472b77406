"""Sums: is a file the sum of others, a group beside its own parts or the mix itself?

Non-negative least squares over the sampled moments, side by side. Without that bound a kick would be "the group less
the snare"; with it only the louder file can be the sum.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.non_negative import non_negative_weights
from deep_tally.compare.sampled import Sampled
from deep_tally.measure.decibels import amplitude_db, power_db
from deep_tally.model.comparison import SumOf

_LEFT_DB = -60.0
_PART_LEAST = 1e-3
"""Of the sum's energy: a weight that gives less is no part."""
_RIDGE = 1e-13


def find_sums(sampled: Sampled, gram: NDArray[np.float64], *, leave_out: frozenset[str]) -> list[SumOf]:
    """All files that are sums of two or more others.

    Parameters
    ----------
    sampled : Sampled
    gram : float64 [shape=(columns, columns)]
        Products of its columns.
    leave_out : frozenset of str
        Files that are twins of others: with both, every sum could be stated in two ways.
    """
    energy = np.diag(gram)
    kept = np.flatnonzero((energy > 0) & [sampled.paths[o] not in leave_out for o in sampled.owners])
    if len(kept) < 3:
        return []
    norms = np.sqrt(energy[kept])
    unit = gram[np.ix_(kept, kept)] / np.outer(norms, norms)
    # What each column has that all the others together cannot give: one inverse gives it for all of them.
    own = 1 / np.diag(np.linalg.inv(unit + _RIDGE * np.eye(len(kept))))
    owners = sampled.owners[kept]
    found = []
    for file in np.unique(owners):
        mine = np.flatnonzero(owners == file)
        if (own[mine] < 10 ** (_LEFT_DB / 10)).all():
            total = _as_sum(unit, norms, owners, mine, sampled)
            if total is not None:
                found.append(total)
    return found


def _as_sum(
    unit: NDArray[np.float64],
    norms: NDArray[np.float64],
    owners: NDArray[np.int_],
    mine: NDArray[np.int_],
    sampled: Sampled,
) -> SumOf | None:
    others = np.flatnonzero(owners != owners[mine[0]])
    among = unit[np.ix_(others, others)]
    gains: dict[int, float] = {}
    worst = 0.0
    for column in mine:
        products = unit[others, column]
        weights = non_negative_weights(among + _RIDGE * np.eye(len(others)), products)
        left = 1 - 2 * float(weights @ products) + float(weights @ among @ weights)
        worst = max(worst, left)
        for other, weight in zip(others[weights**2 > _PART_LEAST], weights[weights**2 > _PART_LEAST], strict=True):
            gain = float(weight * norms[column] / norms[other])
            gains[int(owners[other])] = max(gains.get(int(owners[other]), 0.0), gain)
    if worst >= 10 ** (_LEFT_DB / 10) or len(gains) < 2:
        return None
    parts = tuple((sampled.paths[file], amplitude_db(gain)) for file, gain in sorted(gains.items()))
    return SumOf(path=sampled.paths[owners[mine[0]]], parts=parts, residual_db=max(-150.0, power_db(max(0.0, worst))))
