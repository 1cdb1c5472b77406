"""How densely a level sits under its peak."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deep_tally.measure.decibels import amplitude
from deep_tally.measure.density import density, sounding_stretches
from deep_tally.measure.windows import Windows
from deep_tally.model.measures import Density
from measure.measured_sounds import MUSIC, WINDOW, windows
from searching import examples
from sounds import RATE, measured, sine


def of_stretches(levels_dbfs: list[float], peaks: list[float] | float = 0.5) -> Windows:
    """The same for stretches of 50 ms, in each of which the level keeps still."""
    each = np.repeat(peaks, 50) if isinstance(peaks, list) else peaks
    return windows(np.repeat(levels_dbfs, 50), peaks=each)


def dense(found: Windows) -> Density:
    return density(found, *sounding_stretches(found, RATE))


def test_a_stretch_sounds_within_thirty_decibels_of_the_loudest() -> None:
    sounding, stretches = sounding_stretches(of_stretches([-10.0, -39.9, -40.1]), RATE)
    assert sounding.tolist() == [True, True, False]
    assert (len(stretches), stretches.frames) == (3, 2400)


def test_a_stretch_sounds_over_minus_seventy() -> None:
    sounding, _ = sounding_stretches(of_stretches([-50.0, -69.9, -70.1]), RATE)
    assert sounding.tolist() == [True, True, False]


def test_a_window_longer_than_a_stretch_is_one() -> None:
    sounding, stretches = sounding_stretches(windows(np.array([-10.0, -80.0]), frames=9600), RATE)
    assert (sounding.tolist(), stretches.frames) == ([True, False], 9600)


def test_near_the_peak_is_within_three_tenths_of_a_decibel() -> None:
    found = dense(of_stretches([-10.0] * 4, [0.8, 0.8 * amplitude(-0.29), 0.8 * amplitude(-0.31), 0.1]))
    assert (found.sounding, found.near_peak_share) == (4, 0.5)


def test_steps_are_between_fifths_of_a_second() -> None:
    assert dense(of_stretches([-10.0, -12.0] * 2 + [-14.0] * 4)).near_peak_step_db == pytest.approx(3.0, abs=1e-3)
    # Two steps of 3 and one of 1 dB: the median. What is left over after the last fifth does not count.
    levels = [-10.0] * 4 + [-13.0] * 4 + [-16.0] * 4 + [-17.0] * 4 + [-30.0] * 3
    assert dense(of_stretches(levels)).near_peak_step_db == pytest.approx(3.0, abs=1e-3)


def test_a_stretch_that_a_gate_opens_in_is_as_loud_as_the_part_that_sounds() -> None:
    levels = np.full(8 * 50, -10.0)
    levels[4 * 50 :].reshape(4, 50)[:, :25] = -90.0
    assert dense(windows(levels)).near_peak_step_db == pytest.approx(0.0, abs=1e-3)
    levels[levels == -90.0] = -39.0  # 29 dB under the rest: it sounds
    assert dense(windows(levels)).near_peak_step_db == pytest.approx(3.0, abs=0.02)


def test_the_crest_is_that_of_the_loudest_quarter() -> None:
    # Of five stretches two are a quarter, rounded up: 0.5² over a mean square of 0.05 and 0.4² over 0.04.
    levels = [float(10 * np.log10(2 * square)) for square in (0.05, 0.04, 0.03, 0.02, 0.01)]
    found = dense(of_stretches(levels, [0.5, 0.4, 0.9, 0.9, 0.9]))
    assert found.crest_db == pytest.approx(10 * math.log10((0.25 / 0.05 + 0.16 / 0.04) / 2), abs=1e-4)


def test_windows_are_active_over_minus_sixty_six() -> None:
    found = dense(windows(np.array([-10.0] * 50 + [-65.9] * 20 + [-66.1] * 30)))
    assert (found.active_windows, found.window_frames) == (70, WINDOW)


def test_silence_is_not_dense() -> None:
    found = dense(windows(np.full(100, -np.inf), peaks=0.0))
    assert (found.sounding, found.near_peak_share, found.near_peak_step_db, found.crest_db) == (0, 0.0, 0.0, None)


def test_near_peak_share_and_crest_of_a_sine() -> None:
    density = measured(sine(997.0, 3.0, peak=0.5)).density
    assert density.sounding == 60
    assert density.near_peak_share == 1.0
    assert density.crest_db == pytest.approx(3.01, abs=0.02)
    assert density.near_peak_step_db < 0.05, "a steady tone holds its RMS as well"


def test_what_a_limiter_holds_moves_under_its_peak() -> None:
    swells = MUSIC * (1.2 + np.sin(2 * np.pi * 1.7 * np.arange(len(MUSIC)) / RATE))
    held = np.tanh(8 * swells)
    limited = held / np.abs(held).max()
    density = measured(limited * 0.9).density
    assert density.near_peak_share > 0.5
    assert density.near_peak_step_db > 0.25


@settings(max_examples=examples(20), deadline=None)
@given(gain_db=st.floats(-15.0, 0.0), channels=st.integers(1, 2))
def test_density_does_not_depend_on_gain_or_doubling(gain_db: float, channels: int) -> None:
    one = measured(MUSIC[:RATE]).density
    other = measured(np.repeat(MUSIC[:RATE, None], channels, axis=1) * 10 ** (gain_db / 20)).density
    assert other.near_peak_share == pytest.approx(one.near_peak_share, abs=0.05)
    assert other.crest_db == pytest.approx(one.crest_db, abs=0.01)
