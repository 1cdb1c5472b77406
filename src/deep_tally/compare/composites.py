"""Which files hold others, processed as a mix or a group processes them?

How well the others explain a file says little: a compressed mix of which parts are missing is explained worse than a
group. What counts is who is inside: how sure each file's gain is, from the spectra of the sampled moments. Limits lie
in gaps of tables measured on songs of synthesis and recordings (docs/measures.md).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.non_negative import non_negative_weights
from deep_tally.compare.sampled import SPAN, Sampled, shares_between
from deep_tally.measure.decibels import amplitude_db, power_db
from deep_tally.model.comparison import MixOf, SumOf

_BANDS = (1, 3, 8, 20, 50, 120, 186)
"""Bins of the spectrum of SPAN frames at which bands begin; about 94 Hz to 17 kHz at 48 kHz."""
_UNDER_LOUDEST = 1e-4  # of a band's energy at its loudest place: 40 dB
_PLACES_LEAST = 8
_RIDGE = 1e-9
_CERTAIN_T = 8.0
_MATES = 0.5
"""Squared correlation from which two files may be copies: neither is looked for inside the other at first."""
_MARKED_FIT, _MARKED_PART = 0.2, 0.003
_COLUMNS_MOST = 64
_FILES_MOST = 120
"""In larger sets, every so many files are looked for: the share of those that are inside is the same."""
MIX_SHARE, _MIX_LEAST, _MIX_FIT = 0.7, 3, 0.25
_GROUP_LEAST, _GROUP_FIT, _GROUP_PLAIN_FIT = 2, 0.5, 0.7
_COPY = 0.8
_FLOOR_DB = -150.0


@dataclass(frozen=True, slots=True)
class _Fit:
    """What others give of one file.

    `explained` is the share of the file that they give together, the median over bands; `certainty` of each file is
    its gain over the error of that gain, `part` the share of the energy that it gives.
    """

    explained: float
    certainty: Mapping[int, float]
    part: Mapping[int, float]
    files: int

    def members(self, least: float = 0.0) -> list[int]:
        """The files that are certainly inside, and give at least this share of the energy."""
        return sorted(f for f, t in self.certainty.items() if t > _CERTAIN_T and self.part[f] > least)


def find_composites(
    sampled: Sampled, gram: NDArray[np.float64], *, alive: Callable[[], None] = lambda: None
) -> tuple[list[MixOf], list[SumOf]]:
    """The mixes among the files, and the groups that are no exact sums.

    Parameters
    ----------
    sampled : Sampled
    gram : float64 [shape=(columns, columns)]
        Products of its columns.
    alive : callable
        Called for every file that is looked at.
    """
    shares = shares_between(sampled, gram)
    sounding = [f for f in range(len(sampled.paths)) if len(c := sampled.of(f)) and gram[c, c].sum() > 0]
    mates = {f: {g for g in sounding if g == f or shares[f, g] > _MATES} for f in sounding}
    spectra = _Spectra(sampled)
    found = _composites(sampled, gram, spectra, sounding, mates, alive)
    # What is a mix or a group itself explains the others away.
    single = [f for f in sounding if f not in found]
    mixes, groups = [], []
    for file in sorted(found):
        alive()
        fit = spectra.fit(file, _some(single))
        members = fit.members()
        if len(members) >= max(_MIX_LEAST, MIX_SHARE * fit.files) and fit.explained > _MIX_FIT:
            mixes.append(MixOf(path=sampled.paths[file], members=_named(sampled, members), files=fit.files))
        elif fit.explained > _GROUP_FIT and len(inside := fit.members(_MARKED_PART)) >= _GROUP_LEAST:
            groups += _as_group(sampled, gram, file, inside)
    return _with_copies(mixes, sampled, shares), groups


def _composites(
    sampled: Sampled,
    gram: NDArray[np.float64],
    spectra: _Spectra,
    sounding: Sequence[int],
    mates: Mapping[int, set[int]],
    alive: Callable[[], None],
) -> set[int]:
    """The files that several others give a good part of: mixes, groups, and what comes near them.

    A copy explains all of a file, and a loud member most of it: they are tried without their mates first, then with
    those of them that are no composites.
    """
    found: dict[int, _Fit] = {}
    for file in sounding:
        alive()
        strangers = [f for f in sounding if f not in mates[file]]
        if _is_marked(sampled, gram, file, strangers) and _is_composite(fit := spectra.fit(file, _some(strangers))):
            found[file] = fit
    certain = set(found)
    for file in sounding:
        alive()
        others = [f for f in sounding if f != file and f not in certain]
        if file in certain or not mates[file] & set(others) or not _is_marked(sampled, gram, file, others):
            continue
        if _is_composite(fit := spectra.fit(file, _some(others))):
            found[file] = fit
    # A member and its mix explain each other: the member is one that is no composite without the mix.
    for file, fit in list(found.items()):
        above = {o for o in fit.members() if o in found and _weight(found[o]) > _weight(fit)}
        above = {o for o in above if file in found[o].members()}
        if above and not _is_composite(spectra.fit(file, _some([f for f in sounding if f not in above | {file}]))):
            del found[file]
    return set(found)


def _is_composite(fit: _Fit) -> bool:
    return len(fit.members()) >= _GROUP_LEAST and fit.explained > _MIX_FIT


def _weight(fit: _Fit) -> tuple[int, float]:
    return len(fit.members()), fit.explained


def _some(files: Sequence[int]) -> Sequence[int]:
    return files[:: -(-len(files) // _FILES_MOST)] if files else files


def _named(sampled: Sampled, files: Sequence[int]) -> tuple[str, ...]:
    return tuple(sampled.paths[file] for file in files)


def _with_copies(mixes: list[MixOf], sampled: Sampled, shares: NDArray[np.float64]) -> list[MixOf]:
    """Each mix that is like another one as its copy: the original is the one whose peaks are least held down."""
    number = {path: file for file, path in enumerate(sampled.paths)}
    originals: list[str] = []
    copies: dict[str, str] = {}
    for mix in sorted(mixes, key=lambda m: -round(_crest_db(sampled, number[m.path]))):
        first = next((o for o in originals if shares[number[o], number[mix.path]] > _COPY), None)
        if first is None:
            originals.append(mix.path)
        else:
            copies[mix.path] = first
    return [replace(mix, copy_of=copies.get(mix.path)) for mix in mixes]


def _crest_db(sampled: Sampled, file: int) -> float:
    columns = sampled.columns[:, sampled.of(file)]
    mean = float(np.square(columns, dtype=np.float64).mean())
    return amplitude_db(float(np.abs(columns).max())) - power_db(mean) if mean else 0.0


def _plain(
    sampled: Sampled, gram: NDArray[np.float64], column: int, others: Sequence[int]
) -> tuple[float, dict[int, float]]:
    """What others give of one channel, all bands at once: the share of its energy, and their gains."""
    columns = np.flatnonzero(np.isin(sampled.owners, list(others)) & (np.diag(gram) > 0))
    norms = np.sqrt(np.diag(gram)[columns])
    products = gram[columns, column] / norms
    best = np.argsort(-products, kind="stable")[:_COLUMNS_MOST]
    columns, norms, products = columns[best], norms[best], products[best]
    if not len(columns) or gram[column, column] <= 0:
        return 0.0, {}
    among = gram[np.ix_(columns, columns)] / np.outer(norms, norms)
    weights = non_negative_weights(among + _RIDGE * np.eye(len(columns)), products)
    energy = gram[column, column]
    given = (2 * weights @ products - weights @ among @ weights) / energy
    gains: dict[int, float] = {}
    for owner, weight, norm in zip(sampled.owners[columns], weights, norms, strict=True):
        if weight**2 > _MARKED_PART * energy:
            gains[int(owner)] = max(gains.get(int(owner), 0.0), float(weight / norm))
    return float(given), gains


def _is_marked(sampled: Sampled, gram: NDArray[np.float64], file: int, others: Sequence[int]) -> bool:
    """Whether a closer look is worth its time: two files or more give a fifth of this one, in any channel."""
    energy = np.diag(gram)
    for column in sampled.of(file):
        # With weights that are not negative, columns that do not cancel give no more than their correlations squared.
        alike = np.maximum(gram[column], 0.0) ** 2 / np.maximum(energy * energy[column], 1e-300)
        if alike[sampled.owners != file].sum() < _MARKED_FIT / 2:
            continue
        given, gains = _plain(sampled, gram, int(column), others)
        if given > _MARKED_FIT and len(gains) >= _GROUP_LEAST:
            return True
    return False


def _as_group(sampled: Sampled, gram: NDArray[np.float64], file: int, members: Sequence[int]) -> list[SumOf]:
    """The file as a processed sum of its members; none where they give too little of its energy (aligned bleed)."""
    columns = sampled.of(file)
    energy = gram[columns, columns]
    plain = [_plain(sampled, gram, int(column), members) for column in columns]
    given = float(sum(g * e for (g, _), e in zip(plain, energy, strict=True)) / energy.sum())
    if given <= _GROUP_PLAIN_FIT:
        return []
    gains = {m: max((g.get(m, 0.0) for _, g in plain), default=0.0) for m in members}
    parts = tuple((sampled.paths[m], amplitude_db(gain)) for m, gain in gains.items() if gain > 0)
    if len(parts) < _GROUP_LEAST:
        return []
    residual_db = max(_FLOOR_DB, power_db(max(0.0, 1 - given)))
    return [SumOf(path=sampled.paths[file], parts=parts, residual_db=residual_db, is_exact=False)]


class _Spectra:
    """The spectra of the sampled moments, each column's computed once."""

    def __init__(self, sampled: Sampled) -> None:
        self._sampled = sampled
        self._window = np.hanning(SPAN).astype(np.float32)
        self._known: dict[int, NDArray[np.complex64]] = {}

    def _of(self, column: int) -> NDArray[np.complex64]:
        """[shape=(places, bins)]."""
        if column not in self._known:
            moments = self._sampled.columns[:, column].reshape(-1, SPAN) * self._window
            self._known[column] = np.fft.rfft(moments, axis=1)[:, : _BANDS[-1]].astype(np.complex64)
        return self._known[column]

    def fit(self, file: int, others: Sequence[int]) -> _Fit:
        """Non-negative least squares of one file on others, band by band and side by side."""
        columns = np.flatnonzero(np.isin(self._sampled.owners, list(others)))
        owners = self._sampled.owners[columns]
        explained: list[float] = []
        certainty: dict[int, float] = {}
        part: dict[int, float] = {}
        if not len(columns):
            return _Fit(0.0, certainty, part, 0)
        spectra = np.stack([self._of(int(c)) for c in columns], axis=2)
        for side in self._sampled.of(file):
            whole = self._of(int(side))
            for low, high in pairwise(_BANDS):
                fitted = _fit_band(whole[:, low:high], spectra[:, low:high])
                if fitted is None:
                    continue
                explained.append(fitted.explained)
                for column, t, share in zip(fitted.used, fitted.certainty, fitted.part, strict=True):
                    owner = int(owners[column])
                    certainty[owner] = max(certainty.get(owner, 0.0), float(t))
                    part[owner] = max(part.get(owner, 0.0), float(share))
        return _Fit(float(np.median(explained)) if explained else 0.0, certainty, part, len(others))


@dataclass(frozen=True, slots=True)
class _BandFit:
    explained: float
    used: NDArray[np.intp]
    certainty: NDArray[np.float64]
    part: NDArray[np.float64]


def _fit_band(target: NDArray[np.complex64], others: NDArray[np.complex64]) -> _BandFit | None:
    """One band of one side on all columns; None where it hardly sounds.

    Parameters
    ----------
    target : complex64 [shape=(places, bins)]
    others : complex64 [shape=(places, bins, columns)]
    """
    energy = (target.real**2 + target.imag**2).sum(axis=1).astype(np.float64)
    loud = energy > _UNDER_LOUDEST * energy.max(initial=0.0)
    if loud.sum() < _PLACES_LEAST:
        return None
    # A place counts by the root of its energy: a compressor's loud moments would else be all that counts.
    weight = (energy[loud] ** -0.25).astype(np.float32)
    y, x = target[loud] * weight[:, None], others[loud] * weight[:, None, None]
    places, bins, columns = x.shape
    rows = np.concatenate([x.real, x.imag], axis=1).reshape(-1, columns)
    wanted = np.concatenate([y.real, y.imag], axis=1).reshape(-1)
    norms = np.sqrt((rows.astype(np.float64) ** 2).sum(axis=0))
    rows = rows / np.where(norms > 0, norms, 1.0).astype(np.float32)
    among = (rows.T @ rows).astype(np.float64) + _RIDGE * np.eye(columns)
    weights = non_negative_weights(among, (rows.T @ wanted).astype(np.float64))
    used = np.flatnonzero(weights > 0)
    total = float((wanted.astype(np.float64) ** 2).sum())
    if not len(used):
        return _BandFit(0.0, used, np.empty(0), np.empty(0))
    left = wanted - rows[:, used] @ weights[used].astype(np.float32)
    # Errors of the gains, clustered by place (Liang and Zeger, Biometrika 73, 1986): moments of one place are alike.
    scores = (rows[:, used] * left[:, None]).reshape(places, 2 * bins, len(used)).sum(axis=1).astype(np.float64)
    spread = scores @ np.linalg.inv(among[np.ix_(used, used)])
    errors = np.sqrt((spread**2).sum(axis=0)) + 1e-12
    return _BandFit(
        explained=1 - float((left.astype(np.float64) ** 2).sum()) / total,
        used=used,
        certainty=weights[used] / errors,
        part=weights[used] ** 2 / total,
    )
