"""From samples to findings, for edges: what a cut does to a sound, and what only looks like it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deep_tally.demo import synth
from sounds import RATE, measured
from tracks import codes, others, track

SECONDS = 40


def song(*notes: tuple[float, np.ndarray]) -> np.ndarray:
    """A part of full length with notes at their times; what lies before the start or after the end is cut off."""
    part = np.zeros(SECONDS * RATE)
    for at_s, note in notes:
        start = round(at_s * RATE)
        cut = note[max(0, -start) :][: len(part) - max(0, start)]
        part[max(0, start) : max(0, start) + len(cut)] += 0.3 * cut
    return part


def found(part: np.ndarray) -> list[str]:
    file = track("01 Viol.wav")
    return codes([replace(file, measures=measured(part, bits=24)), *others()])


BOWED = synth.bowed(220.0, 1.5)
BELL = synth.bell(880.0, 4.0)
PLUCKED = synth.plucked(196.0, 1.6)


@pytest.mark.parametrize("missing_ms", [100, 200, 500])
def test_a_bowed_note_without_its_attack_is_cut_in(missing_ms: int) -> None:
    part = song((-missing_ms / 1000, BOWED), (5, BOWED), (9, BOWED), (13, BOWED))
    assert found(part) == ["start.cut-in"]


def test_a_bowed_note_that_starts_with_the_file_is_not() -> None:
    assert found(song((0, BOWED), (5, BOWED), (9, BOWED))) == []


def test_a_gated_square_that_is_on_at_the_first_sample_is_not() -> None:
    time = np.arange(SECONDS * RATE) / RATE
    square = 0.3 * np.sign(np.sin(2 * np.pi * 110 * time + 0.1)) * ((time / 0.25) % 1 < 0.5) * (time < 30)
    assert found(square) == []


@pytest.mark.parametrize("left_s", [0.2, 1.0, 2.0])
def test_a_bell_that_still_rings_at_the_end_is_cut(left_s: float) -> None:
    assert found(song((5, BELL), (30, BELL), (SECONDS - left_s, BELL))) == ["length.tail-cut"]


@pytest.mark.parametrize("fade_ms", [30, 60, 200])
def test_a_short_fade_at_the_end_is_no_cut(fade_ms: int) -> None:
    part = song((5, BELL), (30, BELL), (SECONDS - 1.0, BELL))
    fade = round(fade_ms * RATE / 1000)
    part[-fade:] *= np.linspace(1, 0, fade) ** 2
    assert found(part) == []


def test_an_organ_held_to_the_last_sample_is_cut_and_an_amplifiers_hiss_is_not() -> None:
    time = np.arange(SECONDS * RATE) / RATE
    organ = 0.1 * (np.sin(2 * np.pi * 220 * time) + np.sin(2 * np.pi * 330 * time)) * np.minimum(1, time / 0.05)
    assert found(organ) == ["length.tail-cut"]
    hiss = 0.0012 * np.random.default_rng(1).standard_normal(len(time))
    assert found(song((5, PLUCKED), (9, PLUCKED), (20, PLUCKED)) + hiss) == []
