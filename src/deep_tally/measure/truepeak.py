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

from deep_tally.measure.bins import Remainder

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
_CELL = 32
_FIRST_CELLS = 16


def _interpolator() -> NDArray[np.float64]:
    """All four phases for one cell as a matrix: [shape=(cell + 11 samples before it, 4 * cell outputs)]."""
    matrix = np.zeros((_CELL + _TAPS - 1, len(PHASES) * _CELL))
    for sample in range(_CELL):
        matrix[sample : sample + _TAPS, sample * len(PHASES) : (sample + 1) * len(PHASES)] = PHASES[:, ::-1].T
    return matrix


class TruePeakMeter:
    """True peak of a stream of blocks, exactly, while interpolating only where it can matter.

    The signal is cut into cells of 32 samples. A cell's output depends on it and the 11 samples before
    it, so it cannot exceed the table's greatest phase gain times the peak of both; a cell whose bound is
    under the best so far is left out.
    """

    def __init__(self, channels: int) -> None:
        self._remainder = Remainder(_CELL, channels)
        self._before = np.zeros((_TAPS - 1, channels), order="F")
        self._peak_before = np.zeros(channels)
        self._best = 0.0
        self._matrix = _interpolator()

    def feed(self, samples: NDArray[np.float64]) -> None:
        """Take in float64 [shape=(frames, channels), Fortran order]."""
        whole = self._remainder.feed(samples)
        if not len(whole):
            return
        for channel in range(whole.shape[1]):
            self._look(whole[:, channel], channel)
        self._before = whole[-(_TAPS - 1) :].copy(order="F")

    def peak(self) -> float:
        """The greatest absolute value of samples and interpolation; the end of the file runs out into silence."""
        rest = self._remainder.rest()
        padded = np.zeros((-(-(len(rest) + _TAPS) // _CELL) * _CELL, rest.shape[1]), order="F")
        padded[: len(rest)] = rest
        for channel in range(padded.shape[1]):
            self._look(padded[:, channel], channel)
        return self._best

    def _look(self, signal: NDArray[np.float64], channel: int) -> None:
        peaks = np.abs(signal).reshape(-1, _CELL).max(axis=1)
        self._best = max(self._best, float(peaks.max()))
        bounds = _GREATEST_GAIN * np.maximum(
            peaks, np.concatenate([self._peak_before[channel : channel + 1], peaks[:-1]])
        )
        self._peak_before[channel] = peaks[-1]
        hopeful = np.flatnonzero(bounds > self._best)
        if not len(hopeful):
            return
        extended = np.concatenate([self._before[:, channel], signal])
        if len(hopeful) > _FIRST_CELLS:
            hopeful = hopeful[np.argsort(bounds[hopeful])[::-1]]
            self._interpolate(extended, hopeful[:_FIRST_CELLS])
            hopeful = hopeful[_FIRST_CELLS:]
            hopeful = hopeful[bounds[hopeful] > self._best]
        if len(hopeful):
            self._interpolate(extended, hopeful)

    def _interpolate(self, extended: NDArray[np.float64], cells: NDArray[np.intp]) -> None:
        rows = np.lib.stride_tricks.sliding_window_view(extended, _CELL + _TAPS - 1)[cells * _CELL]
        between = rows @ self._matrix
        self._best = max(self._best, float(between.max()), -float(between.min()))
