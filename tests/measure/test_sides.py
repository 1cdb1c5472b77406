"""How the two sides relate."""

from __future__ import annotations

import math

import numpy as np
import pytest

from deep_tally.model.measures import Sides
from sounds import RATE, measured

A, B = np.random.default_rng(1).standard_normal((2, RATE)) * 0.1


def sides(left: np.ndarray, right: np.ndarray) -> Sides:
    found = measured(np.stack([left, right], axis=1)).sides
    assert found is not None
    return found


def test_equal_sides() -> None:
    s = sides(A, A)
    assert (s.correlation, s.greatest_difference, s.mono_loss_db) == (1.0, 0.0, pytest.approx(0.0, abs=1e-9))
    assert s.side_to_mid_db == -math.inf


def test_opposed_sides() -> None:
    s = sides(A, -A)
    assert (s.correlation, s.greatest_sum, s.mono_loss_db) == (-1.0, 0.0, -math.inf)
    assert s.side_to_mid_db == math.inf


def test_unrelated_sides_lose_3_db_in_mono() -> None:
    s = sides(A, B)
    assert s.correlation == pytest.approx(0, abs=0.02)
    assert s.mono_loss_db == pytest.approx(-3.01, abs=0.1)
    assert s.side_to_mid_db == pytest.approx(0, abs=0.2)


def test_correlation_and_gain_are_numpys() -> None:
    right = 0.3 * A + 0.05 * B
    s = sides(A, right)
    # Both signals have no mean to speak of, so Pearson's coefficient is the same.
    assert s.correlation == pytest.approx(np.corrcoef(A, right)[0, 1], abs=1e-4)
    assert s.gain_right_over_left == pytest.approx(np.polyfit(A, right, 1)[0], abs=1e-4)


def test_a_scaled_copy_leaves_no_residual() -> None:
    s = sides(A, 0.5 * A)
    assert s.gain_right_over_left == pytest.approx(0.5)
    assert s.residual_db is not None
    assert s.residual_db < -100


def test_a_silent_side_has_no_correlation() -> None:
    s = sides(A, np.zeros(RATE))
    assert s.correlation is None
    assert s.gain_right_over_left == 0.0


def test_one_channel_and_three_have_no_sides() -> None:
    assert measured(A).sides is None
    assert measured(np.stack([A, A, A], axis=1)).sides is None
