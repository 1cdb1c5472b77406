"""How many bits are in use? From the codes of a fixed-point file, from the grid of a float one."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_GRIDS = (16, 24)


def bits_in_use(bits_set: int) -> int:
    """Bits in use by the OR of all codes, shifted up to 32 bits: trailing zeros are not. 0 for silence."""
    return 33 - (bits_set & -bits_set).bit_length() if bits_set else 0


class GridMeter:
    """Whether every value of a float file lies on the grid of 16 or 24 bits."""

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
        """16 or 24 when all values lie on that grid, 32 otherwise; 0 for silence."""
        if self._silent:
            return 0
        return self._grids[0] if self._grids else 32
