"""Eight numbers at once, for kernels whose loops the compiler cannot take several at a time by itself.

A recursive filter waits for its own output; eight stretches of sound can be filtered side by side, though. Kernels
write that with the functions here and with +, - and *. Uncompiled they work on NumPy arrays of eight; compiled each is
one instruction of a processor that has registers of that width, and two or four of one that has not (lanes_compiled).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

LANES = 8


def spread(value: float) -> NDArray[np.float64]:
    """The same number in every lane."""
    return np.full(LANES, value)


def gathered(values: NDArray[np.float64], starts: NDArray[np.int64], index: int) -> NDArray[np.float64]:
    """In each lane the number that lies `index` after its own start; values and starts are contiguous."""
    return values[starts + index]


def loaded(values: NDArray[np.float64], index: int) -> NDArray[np.float64]:
    """The eight numbers of a contiguous array from `index` on."""
    return values[index : index + LANES].copy()


def store(values: NDArray[np.float64], index: int, lanes: NDArray[np.float64]) -> None:
    """Write the lanes into a contiguous array from `index` on."""
    values[index : index + LANES] = lanes


def greater(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
    """In each lane the greater of two numbers; all are finite, as those of `greatest` are."""
    return np.maximum(a, b)


def magnitude(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """In each lane the number without its sign."""
    return np.abs(values)


def greatest(values: NDArray[np.float64]) -> float:
    """The greatest number of all lanes."""
    return float(values.max())
