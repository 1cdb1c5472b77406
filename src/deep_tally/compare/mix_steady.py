"""Do the files lie in a mix under faders that stand still, whatever else is in it?

What nobody sent leaves the gains of the others as they are: in every band, in every eighth of the song, in its soft
moments and its loud ones. Part by part equalising, rides, compression, and effects that nobody sent do not.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_frames import MixFrames
from deep_tally.compare.mix_gains import IN_T, Gains, Products, Spectra, fit, products

_BANDS_HZ = (200.0, 800.0, 3000.0)
_SECTIONS, _LEVELS = 8, 4
_OFF_DB, _OFF_ERRORS = 0.75, 4.0
_BANDS_OFF, _SECTIONS_OFF, _LEVELS_OFF = 0.015, 0.02, 0.01
"""Shares of what the files give to the mix whose gain is another one. Beside a missing part 0 to 0.014, 0 to 0.011 and
0; at effects and rides one of them was 0.024 and more (measured: docs/mix-match.md)."""
_FILES_LEAST, _FILES_SHARE = 4, 2 / 3

Array = NDArray[np.float64]


def is_steady(frames: MixFrames, gains: Gains, weights: Spectra | None = None) -> bool:
    """Whether nearly all gains are the same in parts of the mix as they are in the whole.

    Parameters
    ----------
    frames : MixFrames
    gains : Gains
        Of the whole.
    weights : complex64, optional
        What a bus does (see `products`).
    """
    in_it = np.abs(gains.certainty) >= IN_T
    if in_it.sum() < max(_FILES_LEAST, _FILES_SHARE * len(in_it)):
        return False
    known = products(frames, weights)
    moments = np.arange(len(known.of_mix))
    by_level = np.argsort(known.of_mix.sum(axis=1), kind="stable")
    return (
        _off(gains, in_it, (_of(known, p) for p in np.array_split(by_level, _LEVELS))) <= _LEVELS_OFF
        and _off(gains, in_it, (_of(known, p) for p in np.array_split(moments, _SECTIONS))) <= _SECTIONS_OFF
        and _off(gains, in_it, _bands(frames, weights)) <= _BANDS_OFF
    )


def _bands(frames: MixFrames, weights: Spectra | None) -> Iterator[Products]:
    edges = [0, *np.searchsorted(frames.hz, _BANDS_HZ).tolist(), len(frames.hz)]
    for low, high in pairwise(edges):
        band = replace(
            frames,
            mix=frames.mix[:, :, low:high],
            files=frames.files[:, :, low:high],
            hz=frames.hz[low:high],
            weights=frames.weights[low:high],
        )
        yield products(band, weights[..., low:high] if weights is not None else None)


def _of(known: Products, moments: NDArray[np.int64]) -> Products:
    return Products(known.among[moments], known.with_mix[moments], known.of_mix[moments])


def _off(gains: Gains, in_it: NDArray[np.bool_], parts: Iterator[Products]) -> float:
    """The share of what the files in a mix give whose gain is surely another one in the part where they give it."""
    given = off = 0.0
    for part in parts:
        here = fit(part)
        energy = np.where(in_it, gains.gains**2 * np.einsum("msff->sf", part.among), 0.0)
        with np.errstate(divide="ignore", invalid="ignore"):
            moved_db = np.abs(20 * np.log10(np.abs(here.gains / gains.gains)))
            is_off = (moved_db > _OFF_DB) & (np.abs(here.gains - gains.gains) > _OFF_ERRORS * here.errors)
        given += float(energy.sum())
        off += float(energy[is_off & np.isfinite(here.errors)].sum())
    return off / given if given else 1.0
