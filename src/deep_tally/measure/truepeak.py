"""True peak: the highest value between the samples.

References
----------
ITU-R BS.1770-5, Annex 2: 4-times oversampling with the 48-tap, 4-phase interpolator of its table. The
table has no phase that passes samples through, so the larger of interpolated and sample peak counts.
Above 48 kHz the same table is used.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.work.compiled import compiled

_PHASE_0 = (
    0.0017089843750,
    0.0109863281250,
    -0.0196533203125,
    0.0332031250000,
    -0.0594482421875,
    0.1373291015625,
    0.9721679687500,
    -0.1022949218750,
    0.0476074218750,
    -0.0266113281250,
    0.0148925781250,
    -0.0083007812500,
)
_PHASE_1 = (
    -0.0291748046875,
    0.0292968750000,
    -0.0517578125000,
    0.0891113281250,
    -0.1665039062500,
    0.4650878906250,
    0.7797851562500,
    -0.2003173828125,
    0.1015625000000,
    -0.0582275390625,
    0.0330810546875,
    -0.0189208984375,
)
PHASES = np.array([_PHASE_0, _PHASE_1, _PHASE_1[::-1], _PHASE_0[::-1]])
"""BS.1770 Annex 2, [shape=(4 phases, 12 taps)]."""

_TAPS = PHASES.shape[1]
_GREATEST_GAIN = float(np.abs(PHASES).sum(axis=1).max())  # 2.0228: no phase can exceed it times the peak
_GREATEST_NORM = float(np.sqrt((PHASES * PHASES).sum(axis=1)).max())
_GREATEST_SUM = float(np.abs(PHASES.sum(axis=1)).max())
_CELL, _AT_ONCE, _PART = 16, 16, 5
_PART_READS = _TAPS - 1 + _PART
"""The samples that a part of a cell depends on: sixteen, so that nothing is left over when several go at once."""


class TruePeakMeter:
    """True peak of a stream of blocks, exactly, while interpolating only where it can matter.

    Blocks are cut into cells of 16 samples. A cell's output depends on it and the 11 samples before
    it, so it cannot exceed the table's greatest phase gain times the peak of both; a cell whose bound is
    under the best so far is left out.
    """

    def __init__(self, channels: int) -> None:
        self._before = np.zeros((channels, _TAPS - 1))
        self._best = 0.0

    def feed(self, samples: NDArray[np.float64], highest: NDArray[np.float64]) -> None:
        """Take in float64 [shape=(frames, channels), Fortran order] and each channel's greatest absolute value."""
        for channel in range(samples.shape[1]):
            before = float(np.abs(self._before[channel]).max())
            if _GREATEST_GAIN * max(before, highest[channel]) > self._best:
                self._look(samples[:, channel], channel)
            else:
                self._keep(samples[:, channel], channel)

    def peak(self) -> float:
        """The greatest absolute value of samples and interpolation; the end of the file runs out into silence."""
        self.feed(np.zeros((_TAPS, len(self._before)), order="F"), np.zeros(len(self._before)))
        return self._best

    def _look(self, signal: NDArray[np.float64], channel: int) -> None:
        before = self._before[channel]
        whole = len(signal) // _CELL * _CELL
        # The first cells need the samples before the block, the last one may not be whole: both from a copy.
        first = np.concatenate([before, signal[:_CELL], np.zeros(_CELL)])
        self._best = _highest_of(first, min(len(signal), _CELL), self._best)
        if whole > _CELL:
            lead = _CELL - (_TAPS - 1)
            self._best = _highest_of(signal[lead:], whole - _CELL, self._best)
        if len(signal) > max(whole, _CELL):
            last = np.concatenate([signal[whole - (_TAPS - 1) :], np.zeros(_CELL)])
            self._best = _highest_of(last, len(signal) - whole, self._best)
        self._keep(signal, channel)

    def _keep(self, signal: NDArray[np.float64], channel: int) -> None:
        if len(signal) < _TAPS:
            signal = np.concatenate([self._before[channel], signal])
        self._before[channel] = signal[-(_TAPS - 1) :]


def _highest_of(extended: NDArray[np.float64], frames: int, best: float) -> float:
    bounds, between = np.empty(-(-frames // _CELL)), np.empty(_CELL)
    return _highest(extended, frames, PHASES, _GREATEST_GAIN, best, bounds, between)


def _finer_bound(extended: NDArray[np.float64], start: int) -> float:
    """What no phase can exceed in the cell at `start`.

    Taps times samples is their mean times the sum of the taps, and the rest by Cauchy and Schwarz.
    """
    bound = 0.0
    for part in range(0, _CELL, _PART):
        begin = start + min(part, _CELL - _PART)
        piece = extended[begin : begin + _PART_READS]
        total = energy = 0.0
        for i in range(_PART_READS):
            total += piece[i]
            energy += piece[i] * piece[i]
        mean = total / _PART_READS
        rest = max(0.0, energy - total * mean)
        bound = max(bound, _GREATEST_SUM * abs(mean) + _GREATEST_NORM * np.sqrt(rest))
    return bound


@compiled("f8", "f8[::1]", "i8", "f8[:, ::1]", "f8", "f8", "f8[::1]", "f8[::1]", finite=True, helpers=(_finer_bound,))
def _highest(
    extended: NDArray[np.float64],
    frames: int,
    phases: NDArray[np.float64],
    greatest_gain: float,
    best: float,
    bounds: NDArray[np.float64],
    between: NDArray[np.float64],
) -> float:
    """The larger of `best` and the greatest absolute value, between and on the samples, of a signal.

    `extended` has the 11 samples before the signal and its `frames`, up to a whole number of cells. `bounds` and
    `between` are to work with: a number for every cell, and those of one cell.
    """
    lead = phases.shape[1] - 1
    cells = (frames + _CELL - 1) // _CELL
    before = 0.0
    for i in range(lead):
        before = max(before, abs(extended[i]))
    loudest = 0
    # Loops over slices of constant length are what the compiler can do several samples at a time.
    for first in range(0, cells, _AT_ONCE):
        stop = min(first + _AT_ONCE, cells)
        peak = 0.0
        stretch = extended[lead + first * _CELL : lead + stop * _CELL]
        for i in range(len(stretch)):
            peak = max(peak, abs(stretch[i]))
        if greatest_gain * max(peak, before) <= best:
            # Most of a file is too soft to matter, and that is seen many cells at once.
            for cell in range(first, stop):
                bounds[cell] = 0.0
            before = peak
            continue
        for cell in range(first, stop):
            peak = 0.0
            piece = extended[lead + cell * _CELL : lead + (cell + 1) * _CELL]
            for i in range(_CELL):
                peak = max(peak, abs(piece[i]))
            best = max(best, peak)
            bounds[cell] = greatest_gain * max(peak, before)
            before = peak
            if bounds[cell] > bounds[loudest]:
                loudest = cell
    # The loudest first: what it gives rules out most of the others.
    for turn in range(cells + 1):
        cell = loudest if turn == 0 else turn - 1
        if bounds[cell] <= best:
            continue
        start = cell * _CELL
        count = min(frames - start, _CELL)
        if _finer_bound(extended, start) * (1 + 1e-9) <= best:
            continue
        for phase in range(phases.shape[0]):
            between[:] = 0.0
            for tap in range(lead + 1):
                weight = phases[phase, tap]
                piece = extended[start + lead - tap : start + lead - tap + _CELL]
                for i in range(_CELL):
                    between[i] += weight * piece[i]
            for i in range(count):
                best = max(best, abs(between[i]))
    return best
