"""How the two sides relate."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.signal import butter, lfilter

from deep_tally.measure.sides import level_correlation
from deep_tally.model.measures import Sides
from measure.measured_sounds import MUSIC, NOISE_21
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


@pytest.mark.parametrize("side_db", [-60.0, -100.0, -126.0, -150.0])
def test_a_faint_side_is_measured_as_faint_as_it_is(side_db: float) -> None:
    """As a difference of sums it would be what rounding left of them: 6.7 dB too high at -126."""
    faint = 10 ** (side_db / 20) * B
    expected = 10 * np.log10(float(faint @ faint) / float(A @ A))
    assert sides(A + faint, A - faint).side_to_mid_db == pytest.approx(expected, abs=0.01)
    opposed = sides(A + faint, faint - A)
    assert opposed.mono_loss_db == pytest.approx(10 * np.log10(float(faint @ faint) / float(A @ A)), abs=0.01)


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


def test_the_greatest_difference_and_sum() -> None:
    left, right = np.array([0.5, -0.25, 0.1]), np.array([-0.25, -0.5, 0.1])
    s = sides(left, right)
    assert (s.greatest_difference, s.greatest_sum) == (0.75, 0.75)
    s = sides(left, -right)
    assert (s.greatest_difference, s.greatest_sum) == (0.75, 0.75)
    assert (sides(left, 0.1 * left).greatest_sum, sides(left, 0.1 * left).greatest_difference) == (
        pytest.approx(0.55),
        pytest.approx(0.45),
    )


@pytest.mark.parametrize("lag", [-48, -17, -1, 1, 17, 48])
@pytest.mark.parametrize("factor", [1.0, -0.5])
def test_a_late_side_is_found_to_the_frame(lag: int, factor: float) -> None:
    found = sides(A, factor * np.roll(A, lag) + 0.01 * B).lag
    assert found is not None
    assert found.frames == lag
    # What is left of it is B: 0.01 of 0.1 against the factor.
    share = 0.01**2 / (factor**2 + 0.01**2)
    assert found.correlation == pytest.approx(np.sign(factor) * math.sqrt(1 - share), abs=1e-5)
    assert found.residual_db == pytest.approx(10 * math.log10(share), abs=0.3)


def test_no_delay_is_looked_for_beyond_48_frames_or_where_the_sides_are_one() -> None:
    beyond = sides(A, np.roll(A, 49)).lag
    assert beyond is not None
    assert abs(beyond.correlation) < 0.1
    # -30 dB: 0.0316 of another sound beside it.
    assert sides(A, A + 0.03 * B).lag is None
    assert sides(A, A + 0.034 * B).lag is not None


def test_sides_by_band() -> None:
    # A low tone on both sides, one in the middle on the left only, a high one turned round on the right.
    time = np.arange(RATE) / RATE
    low, middle, high = (0.1 * np.sin(2 * np.pi * hz * time) for hz in (60, 1000, 5000))
    bands = sides(low + middle + high + 1e-9 * A, low - high + 1e-9 * B).bands
    assert [(b.low_hz, b.high_hz) for b in bands] == [(20, 150), (150, 2000), (2000, 16_000)]
    assert [b.correlation for b in bands] == [pytest.approx(1, abs=1e-3), pytest.approx(0, abs=1e-2), pytest.approx(-1)]
    assert bands[0].mono_loss_db == pytest.approx(0, abs=0.01)
    assert bands[1].mono_loss_db == pytest.approx(-3.01, abs=0.05)
    assert bands[2].mono_loss_db < -80
    # Two, one and two of five equal powers.
    assert [b.share_db for b in bands] == [pytest.approx(10 * math.log10(n / 5), abs=0.05) for n in (2, 1, 2)]


def test_a_band_ends_where_it_says() -> None:
    time = np.arange(RATE) / RATE
    for hz, expected in ((140, (20, 150)), (170, (150, 2000)), (1980, (150, 2000)), (2030, (2000, 16_000))):
        tone = 0.1 * np.sin(2 * np.pi * hz * time)
        loudest = max(sides(tone, tone).bands, key=lambda b: b.share_db)
        assert (loudest.low_hz, loudest.high_hz) == expected


def test_levels_move_together_as_numpys_coefficient_says() -> None:
    levels = np.random.default_rng(4).uniform(-60, 0, (60, 2))
    levels[:, 1] = 0.5 * levels[:, 0] + 0.5 * levels[:, 1]
    energy = (10 ** (levels / 10)).astype(np.float32)
    clipped = np.maximum(levels - levels.max(axis=0), -50)
    assert level_correlation(energy) == pytest.approx(np.corrcoef(clipped.T)[0, 1], abs=1e-4)
    assert level_correlation(energy[:40]) is not None
    assert level_correlation(energy[:39]) is None
    assert level_correlation(np.column_stack([energy[:, 0], 0 * energy[:, 0]])) is None
    assert level_correlation(np.column_stack([energy[:, 0], np.ones(60, np.float32)])) is None


def bands_of(samples: np.ndarray) -> dict[int, float]:
    sides = measured(samples).sides
    assert sides is not None
    return {b.low_hz: b.mono_loss_db for b in sides.bands}


def test_a_low_end_out_of_phase_shows_in_its_band_only() -> None:
    low = lfilter(*butter(4, 110, fs=RATE), NOISE_21.standard_normal(3 * RATE))
    high = lfilter(*butter(4, 400, btype="high", fs=RATE), NOISE_21.standard_normal(3 * RATE)) * 0.05
    loss = bands_of(0.3 * np.stack([low + high, high - low], axis=1))
    assert loss[20] < -12
    assert loss[2000] == pytest.approx(0.0, abs=0.2)


def test_equal_sides_lose_nothing_and_unrelated_ones_three_decibels() -> None:
    assert all(v == pytest.approx(0.0, abs=0.01) for v in bands_of(np.stack([MUSIC, MUSIC], axis=1)).values())
    other = lfilter(*butter(1, 2000, fs=RATE), NOISE_21.standard_normal(3 * RATE)) * 0.3
    assert bands_of(np.stack([MUSIC, other], axis=1))[2000] == pytest.approx(-3.01, abs=0.5)


@pytest.mark.parametrize("frames", [-48, -24, -1, 1, 7, 48])
def test_a_delay_between_the_sides_is_reported_in_samples(frames: int) -> None:
    sides = measured(np.stack([MUSIC, np.roll(MUSIC, frames)], axis=1), bits=24).sides
    assert sides is not None
    if sides.residual_db is not None and sides.residual_db < -30:
        pytest.skip("so small a delay hardly differs")
    assert sides.lag is not None
    assert sides.lag.frames == frames
    assert sides.lag.residual_db < -50


def test_correlation_of_levels_tells_two_performances_from_one() -> None:
    time = np.arange(6 * RATE) / RATE
    a, b = ((np.sin(2 * np.pi * hz * time) > 0.2) for hz in (0.9, 1.37))
    noise = 0.1 * NOISE_21.standard_normal((len(time), 2))
    together = measured(noise * np.stack([a, a], axis=1)).sides
    apart = measured(noise * np.stack([a, b], axis=1)).sides
    assert together is not None
    assert apart is not None
    assert together.level_correlation is not None
    assert together.level_correlation > 0.95
    assert apart.level_correlation is not None
    assert apart.level_correlation < 0.4
