"""How loud a sum can get at most, from overviews alone: the fixed amount it is turned down by before it plays."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deep_tally.model.measures import Measures

_GRID_S = 0.08
"""Steps in which peaks are added: finer ones are a little tighter, and take the window that asks four times as long."""
_ROUNDED = 1 + 2.0**-10
"""Overviews are float16: a level may have been rounded down by half of this."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Addend:
    """A file of a sum: its measures and rate, where it starts, and the gain it plays with."""

    measures: Measures
    rate_hz: int
    start_s: float
    gain_db: float = 0.0
    is_converted: bool = False


def sum_bound_dbfs(addends: Iterable[Addend]) -> float:
    """The sample peak that no sum of these files can exceed, on either side; -inf for silence.

    In steps of 80 ms the highest samples of all files are added as if they met. Between its samples a file may peak
    higher, which a conversion of rates brings to light: a converted file counts with its true peak.
    """
    listed = [a for a in addends if a.measures.overview]
    if not listed:
        return -math.inf
    start_s = min(a.start_s for a in listed)
    stop_s = max(a.start_s + a.measures.frames / a.rate_hz for a in listed)
    total = np.zeros(math.ceil((stop_s - start_s) / _GRID_S) + 1)
    for addend in listed:
        _add(total, addend, start_s)
    highest = float(total.max())
    return 20 * math.log10(highest * _ROUNDED) if highest > 0 else -math.inf


def _add(total: NDArray[np.float64], addend: Addend, start_s: float) -> None:
    levels = addend.measures.overview
    fitting = [level for level in levels if level.bin_frames <= _GRID_S * addend.rate_hz]
    level = fitting[-1] if fitting else levels[0]
    channels = [values[:, c].astype(np.float64) for values in (level.low, level.high) for c in range(values.shape[1])]
    peaks = np.maximum.reduce([np.abs(channel) for channel in channels])
    gain = 10 ** (addend.gain_db / 20)
    if addend.is_converted:
        gain *= 10 ** (max(0.0, addend.measures.true_peak_dbtp - addend.measures.sample_peak_dbfs) / 20)
    peaks *= gain
    begins = addend.start_s - start_s + np.arange(len(peaks)) * level.bin_frames / addend.rate_hz
    first = np.floor(begins / _GRID_S).astype(np.intp)
    last = np.floor((begins + level.bin_frames / addend.rate_hz) / _GRID_S).astype(np.intp)
    highest = np.zeros(len(total))
    for step in range(int((last - first).max()) + 1):
        _raise_to(highest, np.minimum(first + step, np.minimum(last, len(total) - 1)), peaks)
    total += highest


def _raise_to(highest: NDArray[np.float64], at: NDArray[np.intp], peaks: NDArray[np.float64]) -> None:
    """Raise cells to the peaks that fall on them; `at` rises, so that neighbours are taken together."""
    begins = np.flatnonzero(np.diff(at, prepend=at[0] - 1))
    cells = at[begins]
    highest[cells] = np.maximum(highest[cells], np.maximum.reduceat(peaks, begins))


def attenuation_db(bound_dbfs: float) -> float:
    """By how much a sum is turned down so that it cannot go over: tenths of a dB, 0 where it cannot anyway."""
    return max(0.0, math.ceil(bound_dbfs * 10 - 1e-9) / 10) if math.isfinite(bound_dbfs) else 0.0
