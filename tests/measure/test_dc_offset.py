"""Constant offsets, and zero lines that step."""

from __future__ import annotations

import numpy as np
import pytest

from deep_tally.measure.dc_offset import DcOffsetMeter
from measure.measured_sounds import MUSIC, WINDOW
from sounds import RATE, measured


def offsets(means: list[float], *, level: float = 0.01) -> DcOffsetMeter:
    """A meter that was fed half seconds with these means, and a mean square of `level` each."""
    meter = DcOffsetMeter(1, WINDOW)
    sums = np.repeat(np.asarray(means, np.float32) * WINDOW, 500)[:, None]
    meter.feed(sums, np.full_like(sums, level * WINDOW))
    return meter


def test_an_offset_needs_two_seconds_to_be_steady() -> None:
    assert offsets([0.1] * 4).steady() == (True,)
    assert offsets([0.1] * 3).steady() == (False,)


def test_an_offset_is_steady_where_four_of_five_share_half_of_it() -> None:
    # The mean of all is 0.084: 0.043 is more than half of it, 0.02 is less.
    assert offsets([0.1] * 4 + [0.02]).steady() == (True,)
    assert offsets([0.1] * 3 + [0.01, 0.01]).steady() == (False,)
    assert offsets([0.1] * 3 + [0.045, 0.045]).steady() == (True,)
    assert offsets([-0.1] * 4).steady() == (True,)


def test_a_step_of_the_zero_line_is_reported_with_both_sides() -> None:
    step = offsets([0.01] * 4 + [0.11] * 5).step()
    assert step is not None
    assert (step.frame, step.channel) == (4 * 500 * WINDOW, 0)
    assert (step.before, step.after) == (pytest.approx(0.01), pytest.approx(0.11))


@pytest.mark.parametrize(
    ("means", "found"),
    [
        ([0.0] * 4 + [0.0033] * 4, True),  # -50 dBFS are 0.00316
        ([0.0] * 4 + [0.0030] * 4, False),
        ([0.0] * 3 + [0.1] * 4, False),  # not two seconds before it
        ([0.0] * 4 + [0.1] * 3, False),
        ([0.0, 0.024, 0.0, 0.0] + [0.1] * 4, True),  # a quarter of the step is 0.025
        ([0.0, 0.026, 0.0, 0.0] + [0.1] * 4, False),
        ([0.0] * 4 + [0.1, 0.126, 0.1, 0.1], False),
    ],
)
def test_a_step_is_large_and_still_on_both_sides(means: list[float], found: bool) -> None:
    assert (offsets(means).step() is not None) is found


def test_no_step_where_one_side_is_silent() -> None:
    meter = DcOffsetMeter(1, WINDOW)
    sums = np.repeat(np.array([0.0] * 4 + [0.1] * 4, np.float32) * WINDOW, 500)[:, None]
    energy = np.repeat(np.array([0.0] * 4 + [0.01] * 4, np.float32) * WINDOW, 500)[:, None]
    meter.feed(sums, energy)
    assert meter.step() is None


def with_offset_in(share: float, *, sounding: float = 1.0) -> tuple[bool, ...]:
    """Ten seconds of noise of which a share rests on an offset, and of which only a part sounds at all."""
    samples = 0.02 * np.random.default_rng(3).standard_normal(10 * RATE)
    samples[: round(share * sounding * len(samples))] += 0.1
    samples[round(sounding * len(samples)) :] = 0
    return measured(samples, bits=24).dc_offset_steady


def test_an_offset_is_there_in_four_of_five_half_seconds_that_sound() -> None:
    assert with_offset_in(0.9) == (True,)
    assert with_offset_in(0.65) == (False,)
    assert with_offset_in(1.0, sounding=0.5) == (True,)  # a rest is no half second without it


def test_a_step_of_the_zero_line_is_found_where_it_is() -> None:
    samples = np.stack([np.tile(MUSIC, 3), np.tile(MUSIC, 3)], axis=1) * 0.3
    samples[4 * RATE :, 1] += 0.05
    step = measured(samples, bits=24).dc_offset_step
    assert step is not None
    assert step.channel == 1
    assert abs(step.frame - 4 * RATE) <= RATE // 2
    assert step.after - step.before == pytest.approx(0.05, abs=0.01)


def test_the_mean_of_a_few_strokes_is_no_offset() -> None:
    strokes = np.zeros(10 * RATE)
    for at in (RATE, 4 * RATE, 7 * RATE):
        strokes[at : at + 4000] = 0.3 * np.exp(-np.arange(4000) / 900)  # all on one side of zero
    found = measured(strokes, bits=24)
    assert abs(found.dc_offset[0]) > 1e-3
    assert found.dc_offset_steady == (False,)
    assert measured(np.tile(MUSIC, 3) + 0.01, bits=24).dc_offset_steady == (True,)
    both = measured(np.stack([np.tile(MUSIC, 3), np.tile(MUSIC, 3) + 0.01], axis=1), bits=24)
    assert both.dc_offset_steady[1]


def test_an_offset_that_comes_and_goes_with_the_sound_is_a_part_of_it() -> None:
    click_tempo = np.where(np.arange(9 * RATE) % 480 < 100, 0.3, -0.1)
    click_tempo[5 * RATE :] = 0
    assert measured(click_tempo, bits=24).dc_offset_step is None
    assert measured(np.tile(MUSIC, 3), bits=24).dc_offset_step is None


@pytest.mark.parametrize(("open_share", "steady"), [(0.85, False), (0.95, True)])
def test_the_mean_of_a_gated_pulse_is_no_offset(open_share: float, steady: bool) -> None:
    # A pulse of an eighth has a mean of -0.75 while its gate is open; less than a tenth of rests does not matter.
    time = np.arange(10 * RATE) / RATE
    pulse = np.where((110 * time) % 1 < 0.125, 0.2, -0.2) * ((time / 0.25) % 1 < open_share)
    assert measured(pulse, bits=24).dc_offset_steady == (steady,)
