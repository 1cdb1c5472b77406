"""True peak: the highest value between the samples.

References
----------
ITU-R BS.1770-5, Annex 2: 4-times oversampling with the 48-tap, 4-phase interpolator of its table. The
table has no phase that passes samples through, so the larger of interpolated and sample peak counts.
Above 48 kHz the same table is used.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.windows import Windows
from deep_tally.work.compiled import compiled
from deep_tally.work.lanes import LANES, greater, greatest, loaded, magnitude, spread, store

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
_OVER_SINGLE_PRECISION = 1 + 1e-6  # windows keep their extremes in single precision, which may round them down
_CELL, _AT_ONCE = 2 * LANES, 16


class _Peaks(NamedTuple):
    """The greatest absolute value of each window of so many frames; `begun` frames of the first lie before a signal."""

    values: NDArray[np.float64]
    frames: int
    begun: int

    def after(self, frames: int) -> _Peaks:
        """The same for the signal from a later frame on."""
        return self._replace(begun=self.begun + frames)


class TruePeakMeter:
    """True peak of a stream of blocks, exactly, while interpolating only where it can matter.

    Blocks are cut into cells of 16 samples. A cell's output depends on it and the 11 samples before
    it, so it cannot exceed the table's greatest phase gain times the peak of both; a cell whose bound is
    under the best so far is left out.
    """

    def __init__(self, channels: int) -> None:
        self._before = np.zeros((channels, _TAPS - 1))
        self._best = 0.0

    def feed(
        self, samples: NDArray[np.float64], highest: NDArray[np.float64], windows: Windows, begun: int = 0
    ) -> None:
        """Take in the next block.

        Parameters
        ----------
        samples : float64 [shape=(frames, channels), Fortran order]
        highest : float64 [shape=(channels,)]
            Each channel's greatest absolute value in the block.
        windows : Windows
            Those that the block completes.
        begun : int
            How many frames of the first of them came before the block.
        """
        for channel in range(samples.shape[1]):
            before = float(np.abs(self._before[channel]).max())
            if _GREATEST_GAIN * max(before, highest[channel]) > self._best:
                peaks = np.empty(len(windows) + 1)
                np.maximum(windows.high[:, channel], -windows.low[:, channel], out=peaks[:-1])
                peaks[:-1] *= _OVER_SINGLE_PRECISION
                peaks[-1] = highest[channel]  # of the window that is not complete
                self._look(samples[:, channel], channel, _Peaks(peaks, windows.frames, begun))
            else:
                self._keep(samples[:, channel], channel)

    def peak(self) -> float:
        """The greatest absolute value of samples and interpolation; the end of the file runs out into silence."""
        channels = len(self._before)
        nothing = np.empty((0, channels), np.float32)
        windows = Windows(frames=_TAPS, low=nothing, high=nothing, energy=nothing)
        self.feed(np.zeros((_TAPS, channels), order="F"), np.zeros(channels), windows)
        return self._best

    def _look(self, signal: NDArray[np.float64], channel: int, peaks: _Peaks) -> None:
        before = self._before[channel]
        whole = len(signal) // _CELL * _CELL
        # The first cells need the samples before the block, the last one may not be whole: both from a copy.
        first = np.concatenate([before, signal[:_CELL], np.zeros(_CELL)])
        self._best = _highest_of(first, min(len(signal), _CELL), self._best, peaks)
        if whole > _CELL:
            lead = _CELL - (_TAPS - 1)
            self._best = _highest_of(signal[lead:], whole - _CELL, self._best, peaks.after(_CELL))
        if len(signal) > max(whole, _CELL):
            last = np.concatenate([signal[whole - (_TAPS - 1) :], np.zeros(_CELL)])
            self._best = _highest_of(last, len(signal) - whole, self._best, peaks.after(whole))
        self._keep(signal, channel)

    def _keep(self, signal: NDArray[np.float64], channel: int) -> None:
        if len(signal) < _TAPS:
            signal = np.concatenate([self._before[channel], signal])
        self._before[channel] = signal[-(_TAPS - 1) :]


def true_peak_of(extended: NDArray[np.float64], frames: int) -> float:
    """The true peak of `frames` samples; 11 that come before them lie in front, at least 15 behind, all contiguous."""
    highest = float(np.abs(extended).max())
    return _highest_of(extended, frames, 0.0, _Peaks(np.array([highest]), len(extended), 0))


def _highest_of(extended: NDArray[np.float64], frames: int, best: float, peaks: _Peaks) -> float:
    bounds, between = np.empty(-(-frames // _CELL)), np.empty(_CELL)
    return _highest(
        extended, frames, PHASES, _GREATEST_GAIN, best, peaks.values, peaks.frames, peaks.begun, bounds, between
    )


def _peak(early: NDArray[np.float64], late: NDArray[np.float64]) -> float:
    """The greatest absolute value of a cell, in two rows of eight."""
    return greatest(greater(magnitude(early), magnitude(late)))


def _between(
    extended: NDArray[np.float64], start: int, count: int, phases: NDArray[np.float64], room: NDArray[np.float64]
) -> float:
    """The greatest absolute value between `count` samples of a cell; `room` is to work with."""
    best = 0.0
    taps = phases.shape[1]
    for phase in range(phases.shape[0]):
        early, late = spread(0.0), spread(0.0)
        for tap in range(taps):
            weight = spread(phases[phase, tap])
            at = start + taps - 1 - tap
            early = early + weight * loaded(extended, at)
            late = late + weight * loaded(extended, at + LANES)
        if count == _CELL:
            best = max(best, _peak(early, late))
            continue
        store(room, 0, early)
        store(room, LANES, late)
        for i in range(count):
            best = max(best, abs(room[i]))
    return best


@compiled(
    "f8",
    *("f8[::1]", "i8", "f8[:, ::1]", "f8", "f8", "f8[::1]", "i8", "i8", "f8[::1]", "f8[::1]"),
    finite=True,
    helpers=(_peak, _between),
)
def _highest(
    extended: NDArray[np.float64],
    frames: int,
    phases: NDArray[np.float64],
    greatest_gain: float,
    best: float,
    window_peaks: NDArray[np.float64],
    window_frames: int,
    begun: int,
    bounds: NDArray[np.float64],
    between: NDArray[np.float64],
) -> float:
    """The larger of `best` and the greatest absolute value, between and on the samples, of a signal.

    `extended` has the 11 samples before the signal and its `frames`, up to a whole number of cells. `window_peaks` are
    those of windows that begin `begun` frames before the signal; the last covers all that is left. `bounds` and
    `between` are to work with: a number for every cell, and those of one cell.
    """
    lead = phases.shape[1] - 1
    cells = (frames + _CELL - 1) // _CELL
    before = 0.0
    for i in range(lead):
        before = max(before, abs(extended[i]))
    loudest = 0
    for first in range(0, cells, _AT_ONCE):
        stop = min(first + _AT_ONCE, cells)
        peak = 0.0
        last_window = min((stop * _CELL - 1 + begun) // window_frames, len(window_peaks) - 1)
        for window in range(min((first * _CELL + begun) // window_frames, last_window), last_window + 1):
            peak = max(peak, window_peaks[window])
        if greatest_gain * max(peak, before) <= best:
            # Most of a file is too soft to matter, and its windows show that without a look at the samples.
            for cell in range(first, stop):
                bounds[cell] = 0.0
            before = peak
            continue
        for cell in range(first, stop):
            at = lead + cell * _CELL
            peak = _peak(loaded(extended, at), loaded(extended, at + LANES))
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
        best = max(best, _between(extended, start, min(frames - start, _CELL), phases, between))
    return best
