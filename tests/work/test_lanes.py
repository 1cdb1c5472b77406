"""Eight numbers at once: compiled they are what NumPy gives."""

from __future__ import annotations

import numpy as np

from deep_tally.work.compiled import Kernel
from work import kernels_to_compile as kernels

VALUES = np.random.default_rng(3).standard_normal(40)
STARTS = np.array([0, 30, 3, 3, 17, 9, 21, 12])


def test_compiled_they_give_what_numpy_gives() -> None:
    kernel = kernels.in_lanes
    assert isinstance(kernel, Kernel)
    out, plain = np.zeros(24), np.zeros(24)
    greatest = kernel(VALUES, STARTS, 5, 0.5, out)
    assert greatest == kernel.function(VALUES, STARTS, 5, 0.5, plain)
    np.testing.assert_allclose(out, plain, rtol=1e-15)  # a multiply-add rounds once, not twice


def test_each_does_what_it_says() -> None:
    out = np.zeros(24)
    greatest = kernels.in_lanes(VALUES, STARTS, 5, 0.5, out)
    picked, row = VALUES[STARTS + 5], VALUES[5:13]
    np.testing.assert_array_equal(out[1:9], np.maximum(np.abs(picked), row))
    np.testing.assert_allclose(out[9:17], 0.5 * picked - row + picked, rtol=1e-14, atol=1e-15)
    assert greatest == row.max()
    assert not out[[0, *range(17, 24)]].any()
