"""Ends that were faded in a moment, and beginnings in the middle of a sound."""

from __future__ import annotations

import numpy as np
import pytest

from deep_tally.measure.cut_edges import fades_to_zero, head_jump_db
from sounds import RATE, measured, sine

CHORD = sum(sine(hz, 1.0, peak=0.1, phase=hz) for hz in (110.3, 277.1, 329.7, 880.9))
TAIL = RATE // 25


def faded(ms: float, shape: float = 1.0) -> np.ndarray:
    """A chord that is faded to its last sample."""
    count = round(ms * RATE / 1000)
    samples = CHORD.copy()
    samples[-count:] *= np.linspace(1, 0, count) ** shape
    return samples[:, None]


@pytest.mark.parametrize("ms", [2.0, 5.0, 10.0, 40.0])
@pytest.mark.parametrize("shape", [1.0, 2.0])
def test_a_fade_comes_down_to_zero(ms: float, shape: float) -> None:
    assert fades_to_zero(faded(ms, shape)[-TAIL:], RATE)
    extent = measured(faded(ms, shape)).extent
    assert extent.fades_to_zero


def test_a_cut_chord_does_not() -> None:
    assert not fades_to_zero(CHORD[-TAIL:, None], RATE)
    by_chance = CHORD[-TAIL:, None].copy()
    by_chance[-1] = 0.0  # a sample of zero is no fade
    assert not fades_to_zero(by_chance, RATE)


def test_a_fade_that_does_not_reach_zero_is_cut_off_too() -> None:
    samples = faded(5.0)[-TAIL:]
    samples[-1] = 2.0**-23
    assert not fades_to_zero(samples, RATE)


def test_both_its_last_millisecond_and_its_last_quarter_of_one_are_quiet() -> None:
    late = CHORD[-TAIL:, None].copy()
    late[-RATE // 4000 :] = 0.0  # off within a quarter of a millisecond: a gate, not a fade
    assert not fades_to_zero(late, RATE)
    low = CHORD[-TAIL:, None].copy()
    low[-RATE // 1000 :] *= 0.3  # turned down, then off
    low[-1] = 0.0
    assert not fades_to_zero(low, RATE)


@pytest.mark.parametrize("count", [0, 1, 7, 100])
def test_a_few_samples_are_no_trouble(count: int) -> None:
    assert not fades_to_zero(np.full((count, 2), 0.5), RATE)


# -- the first step ---------------------------------------------------------------------------


def test_a_sound_that_begins_by_itself_takes_no_greater_step_first() -> None:
    jump = head_jump_db(sine(220.0, 0.1)[:, None])
    assert jump is None or jump < 0
    square = np.sign(sine(110.0, 0.1, phase=0.1))[:, None]
    assert head_jump_db(square) == pytest.approx(-6.02, abs=0.1)  # half of what it steps later
    assert head_jump_db(np.random.default_rng(3).standard_normal((4800, 1)) * 0.2) < 0  # type: ignore[operator]


@pytest.mark.parametrize("hz", [55.0, 110.0, 220.0])
def test_a_sine_that_begins_at_its_crest_jumps_as_theory_says(hz: float) -> None:
    # The greatest step of a sine of peak 1 is 2 sin(pi f / rate).
    jump = head_jump_db(sine(hz, 0.1, phase=np.pi / 2)[:, None])
    assert jump == pytest.approx(-20 * np.log10(2 * np.sin(np.pi * hz / RATE)), abs=0.05)
    assert measured(sine(hz, 1.0, phase=np.pi / 2, peak=0.5)).extent.head_jump_db == pytest.approx(jump, abs=0.05)


def test_the_channel_that_begins_furthest_from_zero_counts() -> None:
    low = sine(55.0, 0.1, phase=np.pi / 2, peak=0.5)
    sides = np.stack([np.random.default_rng(1).uniform(-0.1, 0.1, len(low)), low], axis=1)
    assert head_jump_db(sides) == head_jump_db(low[:, None])


def test_silence_and_a_single_sample_have_no_first_step() -> None:
    assert head_jump_db(np.zeros((4800, 1))) is None
    assert head_jump_db(np.ones((1, 1))) is None
    assert head_jump_db(np.ones((4800, 1))) is None
