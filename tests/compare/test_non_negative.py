"""Non-negative least squares beside SciPy's, which works on the rows and not on their products."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import nnls

from deep_tally.compare.non_negative import non_negative_weights


@given(st.integers(0, 2**32 - 1), st.integers(1, 24), st.booleans(), st.booleans())
def test_the_weights_are_those_of_the_library(seed: int, columns: int, is_alike: bool, is_reached: bool) -> None:
    random = np.random.default_rng(seed)
    matrix = random.standard_normal((2 * columns + 5, columns)) + 2.0 * is_alike
    target = random.standard_normal(len(matrix))
    if is_reached:
        target = matrix @ np.maximum(0.0, random.standard_normal(columns))
    wanted, _ = nnls(matrix, target)
    weights = non_negative_weights(matrix.T @ matrix, matrix.T @ target)
    assert weights.min() >= 0
    np.testing.assert_allclose(weights, wanted, atol=1e-9)


def test_a_column_that_came_first_and_is_not_needed_goes_again() -> None:
    # The sum of two columns fits best at first; with both of them it has nothing left to do.
    one, other = np.array([1.0, 0.0, 0.2]), np.array([0.0, 1.0, -0.2])
    matrix = np.stack([one + other + [0.0, 0.0, 0.3], one, other], axis=1)
    target = 2 * one + 3 * other
    weights = non_negative_weights(matrix.T @ matrix, matrix.T @ target)
    assert weights == pytest.approx([0.0, 2.0, 3.0])


def test_nothing_that_helps_weighs_nothing() -> None:
    assert non_negative_weights(np.eye(2), np.array([-1.0, 0.0])).tolist() == [0.0, 0.0]
    assert non_negative_weights(np.empty((0, 0)), np.empty(0)).tolist() == []
