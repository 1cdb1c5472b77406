"""Where in time two versions of one file differ, once the later one's start and level are taken out."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from deep_tally.intake.sound import SoundReader
from deep_tally.model.rounds import Difference, SampleChanges

_WINDOW_S = 0.1
_BLOCK_WINDOWS = 16
_JOINED_S = 0.35
"""Stretches with no more than that between them are one."""
_LEVEL_ONLY = 1e-6
"""Of the energy: where one gain leaves less than that (60 dB), the level alone was changed."""
_LEVEL_LEAST_DB = 0.05
_LEAST_RMS = 1e-4
"""-80 dBFS: under that lies what another dither or another conversion leaves."""
_LEAST_SHARE = 1e-6
_MOST = 200

Array = NDArray[np.float64]


def sample_changes(before: SoundReader, after: SoundReader, *, later_frames: int = 0) -> SampleChanges | None:
    """Compare two versions window by window; None where rates or channels are others.

    Parameters
    ----------
    before, after : SoundReader
    later_frames : int
        How much later the same sound lies in `after`; negative: earlier.

    Raises
    ------
    UnreadableSound, NotCheckedHere
    """
    one, two = before.format, after.format
    if (one.rate_hz, one.channels) != (two.rate_hz, two.channels) or not one.frames or not two.frames:
        return None
    window = round(_WINDOW_S * two.rate_hz)
    energies = _energies(before, after, window, later_frames)
    own, other, both = energies.T
    gain = float(both.sum() / own.sum()) if own.sum() > 0 else 1.0
    left = other - 2 * gain * both + gain**2 * own
    is_level = left.sum() < _LEVEL_ONLY * other.sum() and gain > 0 and abs(_db(gain**2)) >= _LEVEL_LEAST_DB
    if not is_level:
        gain, left = 1.0, other - 2 * both + own
    # What rounding leaves of a difference of energies is no sound.
    left = np.maximum(left, 0.0)
    differs = (left > window * two.channels * _LEAST_RMS**2) & (left > _LEAST_SHARE * np.maximum(own, other))
    spans = _spans(differs, left, np.maximum(own, other), window / two.rate_hz)
    return SampleChanges(level_db=_db(gain**2), differences=spans[:_MOST])


def _db(power: float) -> float:
    return round(10 * math.log10(max(power, 1e-30)), 2)


def _energies(before: SoundReader, after: SoundReader, window: int, later: int) -> Array:
    """Of each window on the time axis of `after`: energy before, after, and of both together [shape=(windows, 3)]."""
    total = max(after.format.frames, before.format.frames + later)
    block = window * _BLOCK_WINDOWS
    found = []
    for start in range(0, total, block):
        one, two = _read(before, start - later, block), _read(after, start, block)
        products = np.stack([one * one, two * two, one * two]).sum(axis=2)
        found.append(products.reshape(3, _BLOCK_WINDOWS, window).sum(axis=2).T)
    return np.concatenate(found)[: -(-total // window)]


def _read(reader: SoundReader, start: int, frames: int) -> Array:
    """Zeros where the file is not, and for what is no number."""
    out = np.zeros((frames, reader.format.channels))
    first, stop = max(0, start), min(reader.format.frames, start + frames)
    if stop > first:
        samples = reader.read(first, stop - first).samples
        out[first - start : first - start + len(samples)] = np.nan_to_num(samples, posinf=0.0, neginf=0.0)
    return out


def _spans(differs: NDArray[np.bool_], left: Array, level: Array, window_s: float) -> tuple[Difference, ...]:
    spans: list[tuple[int, int]] = []
    for at in np.flatnonzero(differs).tolist():
        if spans and (at - spans[-1][1]) * window_s <= _JOINED_S:
            spans[-1] = spans[-1][0], at + 1
        else:
            spans.append((at, at + 1))
    return tuple(
        Difference(
            start_s=round(first * window_s, 3),
            stop_s=round(stop * window_s, 3),
            db=_db(float(left[first:stop].sum()) / max(float(level[first:stop].sum()), 1e-30)),
        )
        for first, stop in spans
    )
