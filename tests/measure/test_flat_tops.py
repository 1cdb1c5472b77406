"""Flat tops: what clipping leaves when it is no longer at full scale."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from deep_tally.measure import flat_tops
from searching import examples
from sounds import RATE, measured, sine

NOISE = np.random.default_rng(5)


def music(seconds: float = 4.0, *, seed: int = 0) -> np.ndarray:
    """A melody of decaying tones over noise, peaking at 1.0: many tops, each of another height."""
    noise = np.random.default_rng(seed)
    time = np.arange(round(seconds * RATE)) / RATE
    total = 0.02 * noise.standard_normal(len(time))
    for at in np.arange(0, seconds, 0.25):
        late = np.clip(time - at, 0, None)
        hz = 110 * 2 ** (noise.integers(0, 24) / 12)
        total += noise.uniform(0.3, 1.0) * np.exp(-6 * late) * (time >= at) * np.sin(2 * np.pi * hz * late)
    return total / np.abs(total).max()


def dithered(samples: np.ndarray, bits: int) -> np.ndarray:
    """Triangular dither of two steps peak to peak, then rounding (Lipshitz, Wannamaker, Vanderkooy; from memory)."""
    step = 2.0 ** (1 - bits)
    triangular = NOISE.random(samples.shape) - NOISE.random(samples.shape)
    return np.rint(samples / step + triangular) * step


CLIPPED = np.clip(4.0 * music(), -1.0, 1.0)
VARIANTS = {
    "turned down 4 dB, 24 bit": (0.63 * CLIPPED, 24),
    "turned down 20 dB, 24 bit": (0.1 * CLIPPED, 24),
    "turned down and dithered to 16 bit": (dithered(0.63 * CLIPPED, 16), 16),
    "dithered to 16 bit inside 24": (dithered(0.63 * CLIPPED, 16), 24),
    "float": (0.63 * CLIPPED, None),
    "float over full scale": (1.4 * CLIPPED, None),
    "float at full scale": (CLIPPED, None),
    "one polarity only": (0.63 * np.minimum(4.0 * music(), 1.0) / 4.0, 24),
}


@pytest.mark.parametrize("name", VARIANTS)
def test_clipped_and_then_changed_keeps_its_flat_tops(name: str) -> None:
    samples, bits = VARIANTS[name]
    tops = measured(samples, bits=bits).flat_tops
    assert tops.runs.count() >= 10
    assert tops.share < 0.9, "it is no square wave"
    level = 20 * np.log10(samples.max())
    assert tops.dbfs == pytest.approx(level, abs=0.02)


def by_hand(x: np.ndarray) -> list[tuple[int, int]]:
    """Start and length of every stretch of 4 or more equal samples at the highest value, sample by sample in Python."""
    found, i, top = [], 0, x.max()
    while i < len(x):
        j = i
        while j < len(x) and x[j] == top:
            j += 1
        if j - i >= 4:
            found.append((i, j - i))
        i = max(j, i + 1)
    return found


def test_places_are_those_of_a_count_by_hand() -> None:
    samples = 0.5 * np.minimum(2.0 * music(2.0, seed=3), 1.0)
    samples -= 0.05  # the lower side never comes near the ceiling
    tops = measured(samples, bits=None).flat_tops
    expected = dict(by_hand(samples))
    assert len(expected) > 10
    for run in tops.runs.places:
        # Beside a flat stretch a sample may lie within the width that dither has: one on each side at most.
        start = run.frame if run.frame in expected else run.frame + 1
        assert expected[start] <= run.frames <= expected[start] + 2
    # In noise, some have another flat stretch where their corner should be, and are left out.
    assert len(tops.runs.places) >= 0.8 * len(expected)


@pytest.mark.parametrize(
    ("name", "samples"),
    [
        ("music", 0.5 * music()),
        ("a sine", sine(40.0, 3.0, peak=0.5)),
        ("a low sine in 16 bits", np.rint(sine(25.0, 3.0, peak=0.1) * 2**15) / 2**15),
        ("noise", 0.1 * NOISE.standard_normal(3 * RATE)),
        ("a sine at a quarter of the rate", sine(RATE / 4, 2.0, peak=0.5)),
        ("a sine at a quarter of the rate, between its samples", sine(RATE / 4, 2.0, peak=0.5, phase=np.pi / 4)),
        ("a constant", np.full(RATE, 0.3)),
        ("silence", np.zeros(RATE)),
        ("a hanging fade", np.linspace(0, 0.5, RATE)),
    ],
)
def test_what_is_round_is_not_flat(name: str, samples: np.ndarray) -> None:
    assert measured(samples, bits=24).flat_tops.runs.count() == 0, name


def test_a_square_wave_is_flat_in_nearly_every_moment() -> None:
    square = 0.4 * np.sign(sine(110.0, 3.0, phase=0.1))
    tops = measured(square, bits=24).flat_tops
    assert tops.runs.count() > 100
    assert tops.share > 0.95


def test_each_channel_is_looked_at_by_itself() -> None:
    left, right = 0.5 * music(seed=1), 0.4 * np.clip(2.0 * music(seed=2), -1, 1)
    tops = measured(np.stack([left, right], axis=1), bits=24).flat_tops
    assert {r.channel for r in tops.runs.places} == {1}


@settings(max_examples=examples(15), deadline=None)
@given(block=st.integers(100, 5000), seed=st.integers(0, 5), drive=st.floats(1.0, 4.0))
@example(block=7, seed=0, drive=2.0)
def test_how_the_file_is_cut_into_blocks_does_not_matter(block: int, seed: int, drive: float) -> None:
    samples = 0.5 * np.clip(drive * music(0.3, seed=seed), -1, 1)
    whole = measured(samples, bits=None)
    cut = measured(samples, bits=None, block_frames=block)
    assert whole.flat_tops == cut.flat_tops
    assert whole.gaps == cut.gaps


@settings(max_examples=examples(25), deadline=None)
@given(gain_db=st.floats(-20.0, 0.0))
def test_a_gain_moves_the_level_and_nothing_else(gain_db: float) -> None:
    at_full = measured(CLIPPED[: 2 * RATE]).flat_tops
    lower = measured(CLIPPED[: 2 * RATE] * 10 ** (gain_db / 20)).flat_tops
    assert at_full.runs.count() > 20
    assert lower.runs.count() == pytest.approx(at_full.runs.count(), rel=0.15)
    assert lower.dbfs == pytest.approx(at_full.dbfs + gain_db, abs=0.01)


def test_of_too_many_flat_tops_every_second_one_is_kept_and_none_of_a_whole_passage_lost(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(flat_tops, "_KEPT_MOST", 128)
    square = 0.4 * np.sign(sine(110.0, 1.0, phase=0.1))
    tops = measured(square, bits=24, block_frames=4800).flat_tops
    assert 32 <= tops.runs.count() <= 130
    assert tops.share > 0.95


def test_the_sides_of_a_wave_are_flat_each_at_a_level_of_its_own() -> None:
    tops = measured(np.clip(2.0 * music(), -0.5, 0.3), bits=24).flat_tops
    wave = np.clip(2.0 * music(), -0.5, 0.3)
    levels = {round(float(wave[r.frame]), 2) for r in tops.runs.places}
    assert levels == {-0.5, 0.3}


def test_the_channels_are_flat_each_at_a_level_of_its_own() -> None:
    wave = 2.0 * music(2.0)
    sides = [np.clip(wave, -2, 0.5) / 2, np.clip(wave, -2, 0.3) / 2]
    alone = [measured(side, bits=24).flat_tops.runs.count() for side in sides]
    assert min(alone) > 5
    tops = measured(np.stack(sides, axis=1), bits=24).flat_tops.runs
    assert tops.count() == sum(alone)
    assert [sum(r.channel == c for r in tops.places) for c in (0, 1)] == alone


def test_tops_share_the_level_that_most_of_them_lie_within_one_step_of() -> None:
    # Ten tops at one level and four a little lower, each wider than those: it is levels that are compared.
    x = 0.05 * np.sin(np.linspace(0, 900, 60_000))
    for n in range(10):
        x[1000 + 4000 * n : 1010 + 4000 * n] = 0.8
    for n in range(4):
        x[3000 + 4000 * n : 3040 + 4000 * n] = 0.797
    runs = measured(x[:, None], bits=24).flat_tops.runs
    assert runs.lengths == {10: 10}


def test_a_top_on_the_last_sample_of_a_block_is_found_whatever_the_block() -> None:
    x = 0.05 * np.sin(np.linspace(0, 900, 4096))
    for start in (500, 1020, 1500):
        x[start : start + 9] = 0.8
    for block in (509, 510, 1021, 1029, 4096):
        assert measured(x[:, None], bits=24, block_frames=block).flat_tops.runs.lengths == {9: 3}


def shouldered(x: np.ndarray) -> np.ndarray:
    """A cubic soft clipper: 1.5 y - 0.5 y^3 up to 1, flat from there on (a textbook form)."""
    y = 1.5 * x / np.abs(x).max()
    return np.where(np.abs(y) < 1, 1.5 * y - 0.5 * y**3, np.sign(y))


@pytest.mark.parametrize("bits", [16, 24])
@pytest.mark.parametrize("hz", [60.0, 140.0, 330.0])
def test_the_corner_tells_a_clipper_from_a_soft_one(hz: float, bits: int) -> None:
    time = np.arange(2 * RATE) / RATE
    wave = np.sin(2 * np.pi * hz * time) * np.exp(-3 * (time % 0.5))
    noise = np.random.default_rng(3).random((2, len(time)))
    dither = (noise[0] - noise[1]) * 2.0**-15 if bits == 16 else 0.0

    def corner(samples: np.ndarray) -> float:
        found = measured(0.7 * samples + dither, bits=bits).flat_tops.corner
        assert found is not None
        return found

    # Straight lines leave a level once as far at twice the distance, parabolas twice as often doubled.
    assert 0.9 < corner(np.clip(1.5 * wave, -1, 1)) < 1.7
    assert 1.7 < corner(shouldered(wave)) < 3.2
