"""Groups: files that are the sum of others."""

from __future__ import annotations

import math

import numpy as np
import pytest

from compare.columns import apart, noise, sampled
from deep_tally.compare.sums import find_sums


@pytest.mark.parametrize(("left_db", "found"), [(-60.2, True), (-59.8, False)])
def test_a_sum_leaves_a_thousandth(left_db: float, found: bool) -> None:
    a, b, c, rest = apart(4)
    total = 0.6 * a + 0.8 * b
    sums = find_sums(*sampled(a, b, c, total + 10 ** (left_db / 20) * rest), leave_out=frozenset())
    assert bool(sums) is found
    if found:
        assert dict(sums[0].parts) == {
            "0 P.wav": pytest.approx(-4.437, abs=1e-3),
            "1 P.wav": pytest.approx(-1.938, abs=1e-3),
        }
        assert sums[0].residual_db == pytest.approx(left_db, abs=0.01)


@pytest.mark.parametrize(("share", "parts"), [(1.1e-3, 3), (0.9e-3, 2)])
def test_a_part_gives_a_thousandth_of_the_energy(share: float, parts: int) -> None:
    # Nothing is left of it all the same: 0.9e-3 of energy are -30 dB, so that the sum would not be one without it.
    a, b, c, d = apart(4)
    total = math.sqrt(0.6) * a + math.sqrt(0.4 - share) * b + math.sqrt(share) * c
    (found,) = find_sums(*sampled(a, b, c, d, total), leave_out=frozenset())
    assert len(found.parts) == parts


def test_no_part_is_taken_away_from_a_sum_and_no_copy_is_one() -> None:
    a, b, c = apart(3)
    # A file less another is no sum, though it is made of both.
    found = find_sums(*sampled(a, b, a - 0.5 * b, c), leave_out=frozenset())
    assert [(s.path, [p for p, _ in s.parts]) for s in found] == [("0 P.wav", ["1 P.wav", "2 P.wav"])]
    assert find_sums(*sampled(a, b, 0.5 * a), leave_out=frozenset()) == []
    assert find_sums(*sampled(a, b, a + b), leave_out=frozenset({"1 P.wav"})) == []
    assert find_sums(*sampled(a, b), leave_out=frozenset()) == []


def test_a_stereo_sum_is_one_on_both_sides_and_tells_the_louder_gain() -> None:
    a, b, c = apart(3)
    group = np.hstack([0.5 * a + 0.4 * b, 0.25 * a + 0.6 * b])
    (found,) = find_sums(*sampled(a, b, c, group), leave_out=frozenset())
    assert dict(found.parts) == {"0 P.wav": pytest.approx(-6.02, abs=0.01), "1 P.wav": pytest.approx(-4.44, abs=0.01)}
    one_side = np.hstack([0.5 * a + 0.4 * b, noise(9)])
    assert find_sums(*sampled(a, b, c, one_side), leave_out=frozenset()) == []


def test_the_rest_of_an_exact_sum_is_given_down_to_minus_150_decibels() -> None:
    a, b = apart(2)
    made, gram = sampled(a, b, 0.5 * a + 0.25 * b)
    (found,) = find_sums(made, gram, leave_out=frozenset())
    assert found.residual_db == -150.0
