"""Does the spectrum mirror itself about half a lower sample rate? Converters with a gentle filter leave an image there.

Its fine structure is that of the content below, in reverse: the spectrum of a sampled signal repeats itself (any
textbook on sampling). Limits: measured, see docs/measures.md.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.model.measures import SpectralEdge

USUAL_RATES_HZ = (22_050, 24_000, 32_000, 44_100, 48_000, 88_200, 96_000)
_FROM_HZ, _TO_HZ, _LEAST_HZ = 100.0, 3000.0, 1500.0
_FINE_BINS = 25
_LOOKS_LEAST = 3
_BELOW_DB, _ABOVE_DB, _UNDER_GREATEST_DB = -125.0, -145.0, 40.0
_ALIKE, _ALIKE_BEYOND_OTHERS = 0.55, 0.2
_OTHERS_HZ, _BESIDE_HZ = (150.0, 1300.0), 1000.0
"""A row of harmonics mirrors itself about places half its distance apart: about none of these may anything else."""

Levels = NDArray[np.float64]


def find_mirror(levels: Levels, rate_hz: int) -> SpectralEdge | None:
    """The edge at half a lower rate that the spectrum mirrors itself about; None where it does not.

    Parameters
    ----------
    levels : float64 [shape=(looks, bins)]
        Decibels, of looks from 0 Hz to half the rate.
    rate_hz : int
    """
    if len(levels) < _LOOKS_LEAST:
        return None
    bin_hz = rate_hz / 2 / (levels.shape[1] - 1)
    fine = _fine(levels)
    found = []
    for rate in (r for r in USUAL_RATES_HZ if r < rate_hz and (rate_hz - r) / 2 > _LEAST_HZ + _FROM_HZ):
        below, above = _sides(rate / 2, rate_hz, bin_hz)
        under, over = levels[:, below].mean(axis=1), levels[:, above].mean(axis=1)
        seen = (under > _BELOW_DB) & (over > _ABOVE_DB) & (under > under.max() - _UNDER_GREATEST_DB)
        if int(seen.sum()) < _LOOKS_LEAST:
            continue
        alike = _alike(fine[seen], rate / 2, rate_hz, bin_hz)
        if alike > _ALIKE:
            first, last = (round(hz / bin_hz) for hz in _OTHERS_HZ)
            away = np.arange(first, last, 0.5) * bin_hz
            others = [rate / 2 + off for off in (*away, *-away)]
            beside = [_alike(fine[seen], hz, rate_hz, bin_hz) for hz in others if hz + _BESIDE_HZ < rate_hz / 2]
            if max(beside) < alike - _ALIKE_BEYOND_OTHERS:
                drop_db = float(np.median(under[seen] - over[seen]))
                found.append((alike, SpectralEdge(edge_hz=rate / 2, drop_db=drop_db, kind="mirrored")))
    return max(found, key=lambda f: f[0])[1] if found else None


def _fine(levels: Levels) -> Levels:
    """What is left of each look without its course over 25 bins."""
    half = _FINE_BINS // 2
    padded = np.pad(levels, [(0, 0), (half + 1, half)], mode="edge")
    sums = np.cumsum(padded, axis=1)
    return levels - (sums[:, _FINE_BINS:] - sums[:, :-_FINE_BINS]) / _FINE_BINS


def _sides(mirror_hz: float, rate_hz: int, bin_hz: float) -> tuple[NDArray[np.int_], NDArray[np.int_]]:
    """Bins below a mirror, and their images above it, in the same order."""
    reach = min(_TO_HZ, rate_hz / 2 - mirror_hz - _FROM_HZ)
    away = np.arange(np.ceil(_FROM_HZ / bin_hz), np.floor(reach / bin_hz)).astype(int)
    both = round(2 * mirror_hz / bin_hz)
    below = both // 2 - away
    return below, both - below


def _alike(fine: Levels, mirror_hz: float, rate_hz: int, bin_hz: float) -> float:
    """The median over looks of how the fine structures on both sides correlate."""
    below, above = _sides(mirror_hz, rate_hz, bin_hz)
    a, b = fine[:, below], fine[:, above]
    a, b = a - a.mean(axis=1, keepdims=True), b - b.mean(axis=1, keepdims=True)
    energies = (a * a).sum(axis=1) * (b * b).sum(axis=1)
    return float(np.median((a * b).sum(axis=1) / np.sqrt(np.maximum(energies, 1e-12))))
