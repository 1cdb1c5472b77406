"""Compiled functions of the tests' own."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.work.compiled import compiled
from deep_tally.work.lanes import LANES, gathered, greater, greatest, loaded, magnitude, spread, store


def _twice(x: float) -> float:
    return 2.0 * x


@compiled("f8", "f8[::1]", helpers=(_twice,))
def doubled_sum(x: NDArray[np.float64]) -> float:
    """Twice the sum."""
    total = 0.0
    for i in range(len(x)):
        total += _twice(x[i])
    return total


@compiled("i8*2", "f4[:]", "i8", "f8[:, ::1]")
def strided(x: NDArray[np.float32], factor: int, out: NDArray[np.float64]) -> tuple[int, int]:
    """Fill the first column of `out` with multiples of `x`; returns both lengths."""
    for i in range(len(x)):
        out[i, 0] = x[i] * factor
    return len(x), out.shape[1]


@compiled("i4", "unaligned i4[:]")
def largest(codes: NDArray[np.int32]) -> int:
    """The largest of some codes."""
    most = np.int32(0)
    for i in range(len(codes)):
        most = np.int32(max(most, codes[i]))
    return int(most)


@compiled("f8*2", "f8[::1]", "i8", finite=True)
def extremes_of(x: NDArray[np.float64], count: int) -> tuple[float, float]:
    """The greatest and the least of the first `count`, of one sample at least."""
    high = low = x[0]
    for i in range(min(max(count, 1), len(x))):
        high, low = max(high, x[i]), min(low, x[i])
    return high, low


@compiled("f8", "f8[::1]", "i8[::1]", "i8", "f8", "f8[::1]")
def in_lanes(
    values: NDArray[np.float64], starts: NDArray[np.int64], index: int, factor: float, out: NDArray[np.float64]
) -> float:
    """Everything that can be done eight at once; writes two rows from the second number of `out` on."""
    picked, row = gathered(values, starts, index), loaded(values, index)
    store(out, 1, greater(magnitude(picked), row))
    store(out, 1 + LANES, spread(factor) * picked - row + picked)
    return greatest(row)
