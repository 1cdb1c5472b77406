"""How many bits are in use? From the codes of a fixed-point file, from the grid of a float one, from the gaps
between the values of one that was given a gain."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.decibels import amplitude_db
from deep_tally.model.measures import ValueGrid

_GRIDS = (16, 20, 24)
_SOURCES = (8, 16, 20)
_STEP_24 = 2.0**-23
_GAP_LEAST = 4.0
_CERTAIN = 30.0
"""Chance would give so wide a gap once in e^30 files."""


def bits_in_use(bits_set: int) -> int:
    """Bits in use by the OR of all codes, shifted up to 32 bits: trailing zeros are not. 0 for silence."""
    return 33 - (bits_set & -bits_set).bit_length() if bits_set else 0


class GridMeter:
    """Whether every value of a float file lies on the grid of 16, 20 or 24 bits."""

    def __init__(self) -> None:
        self._grids = list(_GRIDS)
        self._silent = True

    def feed(self, samples: NDArray[np.float64]) -> None:
        """Take in float64 samples, full scale 1.0."""
        while self._grids:
            steps = samples * 2.0 ** (self._grids[0] - 1)
            self._silent = self._silent and not steps.any()
            if np.array_equal(steps, np.rint(steps)):
                return
            del self._grids[0]

    def bits(self) -> int:
        """16, 20 or 24 when all values lie on that grid, 32 otherwise; 0 for silence."""
        if self._silent:
            return 0
        return self._grids[0] if self._grids else 32


def value_grid(excerpts: list[NDArray[np.float64]]) -> ValueGrid | None:
    """The grid that the values of loud stretches lie on when a constant gain has moved it off that of its bits.

    Values that were rounded to 16 bits and then multiplied keep their distance: no two of them come closer than one
    scaled step. With n values spread over a range R, chance leaves no gap under g once in exp(n^2 g / R) files. A fade
    or added dither fills the gaps: then there is nothing to show.

    Parameters
    ----------
    excerpts : list of float64 [shape=(frames, channels)]
    """
    for channel in range(excerpts[0].shape[1] if excerpts else 0):
        # Nearly all files show in one excerpt already that they have no such grid.
        if np.diff(np.unique(excerpts[0][:, channel])).min(initial=np.inf) < _GAP_LEAST * _STEP_24:
            continue
        values = np.unique(np.concatenate([excerpt[:, channel] for excerpt in excerpts]))
        if len(values) < 2:
            continue
        gaps = np.diff(values) / _STEP_24
        smallest = float(gaps.min())
        spread = float(values[-1] - values[0]) / _STEP_24
        if smallest < _GAP_LEAST or len(values) ** 2 * smallest / spread < _CERTAIN:
            continue
        # Rounding to 24 bits makes single gaps a step too small or too large: their mean is the true one.
        gap = float(gaps[gaps < 1.5 * smallest].mean()) * _STEP_24
        # The deepest source that a gain of 1 or less makes this of; a deeper one where the values reach further.
        bits = max(b for b in _SOURCES if b == _SOURCES[0] or gap <= 1.01 * 2.0 ** (1 - b))
        reached = float(np.abs(values[[0, -1]]).max()) / gap
        bits = max(bits, next((b for b in _SOURCES if reached <= 1.01 * 2.0 ** (b - 1)), _SOURCES[-1]))
        return ValueGrid(step=gap, bits=bits, gain_db=amplitude_db(gap * 2.0 ** (bits - 1)))
    return None
