"""Stretches that no file gives."""

from __future__ import annotations

import numpy as np
import pytest

from deep_tally.compare.mix_remainder import BAND_EDGES_HZ, Remainder
from deep_tally.compare.mix_spans import null_db, unaccounted
from sounds import RATE

MOMENTS, BANDS = 480, len(BAND_EDGES_HZ) - 1
STEP_S = 4096 / RATE


def remainder(left_db: float = -30.0, spread_db: float = 2.0) -> tuple[np.ndarray, np.ndarray]:
    random = np.random.default_rng(3)
    mix = 10 ** (random.normal(0, 0.3, (MOMENTS, BANDS)))
    return mix, mix * 10 ** ((left_db + random.normal(0, spread_db, (MOMENTS, BANDS))) / 10)


def spans_of(mix: np.ndarray, left: np.ndarray) -> list[tuple[float, float, float, float]]:
    total = np.zeros(len(mix))
    found = unaccounted(Remainder(mix, left, total, total, np.zeros((1, 2), np.float32)), RATE)
    return [(s.start_s, s.stop_s, s.low_hz, s.high_hz) for s in found]


def test_a_quiet_even_remainder_has_no_stretches() -> None:
    for left_db in (-80, -30, -15):
        assert spans_of(*remainder(left_db, 2.0)) == []


def test_a_band_that_stands_out_for_some_seconds_is_one() -> None:
    mix, left = remainder()
    left[120:180, 3:5] = 0.5 * mix[120:180, 3:5]
    ((start, stop, low, high),) = spans_of(mix, left)
    assert start == pytest.approx(120 * STEP_S, abs=0.6)
    assert stop == pytest.approx(180 * STEP_S, abs=0.6)
    assert (low, high) == (BAND_EDGES_HZ[3], BAND_EDGES_HZ[5])


@pytest.mark.parametrize(("moments", "count"), [(6, 0), (18, 1)])
def test_less_than_a_second_is_none(moments: int, count: int) -> None:
    mix, left = remainder()
    left[240 : 240 + moments, 4] = mix[240 : 240 + moments, 4]
    assert len(spans_of(mix, left)) == count


def test_what_lies_far_under_the_mix_is_none() -> None:
    mix, left = remainder(-80)
    left[240:300, 4] = 1e-4 * mix[240:300].sum(axis=1)
    assert spans_of(mix, left) == []


@pytest.mark.parametrize(("first", "count"), [(9, 0), (8, 1)])
def test_what_lies_over_ten_kilohertz_alone_is_an_encoders(first: int, count: int) -> None:
    mix, left = remainder()
    left[120:180, first:] = 0.5 * mix[120:180, first:]
    assert len(spans_of(mix, left)) == count


def test_short_pauses_do_not_part_a_stretch() -> None:
    mix, left = remainder()
    left[120:150, 4] = left[160:200, 4] = 5.0
    assert len(spans_of(mix, left)) == 1


def test_a_rest_of_the_mix_is_left_out() -> None:
    mix, left = remainder()
    mix[200:260], left[200:260] = 1e-9, 1e-9
    assert spans_of(mix, left) == []
    total = np.zeros(MOMENTS)
    nulls = null_db(Remainder(mix, left, total, total, np.zeros((1, 2), np.float32)), RATE)
    assert np.isnan(nulls).sum() == pytest.approx(60 * STEP_S / 0.5, abs=2)
    assert np.nanmedian(nulls) == pytest.approx(-30, abs=1.5)


def test_a_silent_mix_has_no_stretches() -> None:
    assert spans_of(np.zeros((MOMENTS, BANDS)), np.zeros((MOMENTS, BANDS))) == []


@pytest.mark.parametrize(("left_db", "is_steady", "count"), [(-4, True, 1), (-4, False, 0), (-18, True, 0)])
def test_what_stands_out_nowhere_is_a_stretch_where_the_files_are_steady(
    left_db: float, is_steady: bool, count: int
) -> None:
    mix, left = remainder(-40)
    left[:, 5] = 10 ** (left_db / 10) * mix.sum(axis=1)
    total = np.zeros(MOMENTS)
    found = unaccounted(Remainder(mix, left, total, total, np.zeros((1, 2), np.float32)), RATE, is_steady=is_steady)
    assert [(s.low_hz, s.high_hz) for s in found] == [(BAND_EDGES_HZ[5], BAND_EDGES_HZ[6])] * count


def test_a_rest_of_the_mix_is_no_stretch_either() -> None:
    mix, left = remainder()
    mix[200:260], left[200:260] = 1e-9, 1e-9
    total = np.zeros(MOMENTS)
    found = Remainder(mix, left, total, total, np.zeros((1, 2), np.float32))
    assert unaccounted(found, RATE, is_steady=True) == []
