"""`max` and `min` inside kernels of finite samples give what Python's give."""

from __future__ import annotations

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from work import kernels_to_compile as kernels

FINITE = st.floats(min_value=-1e6, max_value=1e6)


@settings(deadline=None)  # it is compiled first
@given(st.lists(FINITE, min_size=1, max_size=70))
def test_the_greatest_and_least_of_samples_are_those_of_numpy(values: list[float]) -> None:
    x = np.array(values)
    assert kernels.extremes_of(x, len(x)) == (x.max(), x.min())


def test_whole_numbers_stay_whole() -> None:
    x = np.array([1.0, 2.0, 3.0, 4.0])
    assert kernels.extremes_of(x, 2) == (2.0, 1.0)
    assert kernels.extremes_of(x, -3) == (1.0, 1.0)  # at least one
    assert kernels.extremes_of(x, 99) == (4.0, 1.0)  # at most all
