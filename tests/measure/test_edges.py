"""First and last sound, and how a file begins and ends."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from searching import examples
from sounds import RATE, measured, sine

MS = RATE // 1000


def drum(seconds: float = 0.6) -> np.ndarray:
    """A stroke that is at its peak within a millisecond and dies away."""
    time = np.arange(round(seconds * RATE)) / RATE
    return 0.5 * np.sin(2 * np.pi * 190 * time + 0.6) * np.exp(-time * 9) * np.minimum(1, time / 0.0005 + 0.02)


def dither(frames: int, bits: int, seed: int = 1) -> np.ndarray:
    """TPDF dither of two steps from peak to peak, on the grid of `bits`."""
    random = np.random.default_rng(seed)
    return np.round(random.random(frames) - random.random(frames)) / 2 ** (bits - 1)


def hiss(frames: int, dbfs: float, seed: int = 2) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal(frames) * 10 ** (dbfs / 20) / math.sqrt(2)


def hum(frames: int, dbfs: float) -> np.ndarray:
    return sine(50, frames / RATE, peak=10 ** (dbfs / 20))


@pytest.mark.parametrize("resting", [0, 1])
def test_an_offset_of_one_channel_does_not_hide_the_other(resting: int) -> None:
    sides = [np.full(6 * RATE, 0.1), np.concatenate([np.zeros(RATE), sine(200, 4, peak=0.05), np.zeros(RATE)])]
    samples = np.stack(sides if resting == 0 else sides[::-1], axis=1)
    edges = measured(samples, bits=24).edges
    assert edges.first_sound_frame == pytest.approx(RATE, abs=MS)
    assert edges.last_sound_frame == pytest.approx(5 * RATE, abs=5 * MS)


def test_the_hiss_that_lies_on_an_offset_is_no_sound() -> None:
    tone = np.concatenate([np.zeros(RATE), sine(200, 4, peak=0.05), np.zeros(RATE)])
    samples = np.stack([np.full(6 * RATE, 0.1), tone], axis=1) + np.stack([hiss(6 * RATE, -70, s) for s in (1, 2)], 1)
    edges = measured(samples, bits=24).edges
    assert edges.first_sound_frame == pytest.approx(RATE, abs=MS)
    assert edges.lead_floor_dbfs == pytest.approx(-70, abs=1)


def test_each_channel_has_an_offset_of_its_own() -> None:
    tone = np.concatenate([np.zeros(RATE), sine(200, 4, peak=0.02), np.zeros(RATE)])
    edges = measured(np.stack([tone + 0.1, tone * 0.0 - 0.05], axis=1), bits=24).edges
    assert edges.first_sound_frame == pytest.approx(RATE, abs=MS)
    assert edges.last_sound_frame == pytest.approx(5 * RATE, abs=5 * MS)


@pytest.mark.parametrize("lead_ms", range(61))
@pytest.mark.parametrize("floor", ["digital", "16-bit dither", "24-bit dither"])
def test_short_leads_of_0_to_60_ms_are_found_to_the_millisecond(floor: str, lead_ms: int) -> None:
    lead = lead_ms * MS
    signal = np.concatenate([np.zeros(lead), drum(), np.zeros(RATE // 2)])
    if floor != "digital":
        signal = signal + dither(len(signal), int(floor[:2]))
    first = measured(signal, bits=24).edges.first_sound_frame
    assert first is not None
    assert abs(first - lead) <= MS


FLOORS = {
    "digital": lambda n: np.zeros(n),
    "16-bit dither": lambda n: dither(n, 16),
    "hiss at -80": lambda n: hiss(n, -80),
    "hiss at -65": lambda n: hiss(n, -65),
    "hiss at -50": lambda n: hiss(n, -50),
    "hum at -60": lambda n: hum(n, -60),
}


@pytest.mark.parametrize("floor", FLOORS)
def test_long_leads_and_tails_over_every_floor(floor: str) -> None:
    lead, tail = round(0.8 * RATE), round(1.1 * RATE)
    sound = np.tile(drum(0.3), 3)
    signal = np.concatenate([np.zeros(lead), sound, np.zeros(tail)]) + FLOORS[floor](lead + len(sound) + tail)
    edges = measured(signal).edges
    assert edges.first_sound_frame == pytest.approx(lead, abs=3 * MS)
    # A stroke sinks into a floor some time before it is over: 8.7 dB in 0.11 s with this decay.
    assert edges.last_sound_frame is not None
    assert lead + len(sound) - 0.25 * RATE <= edges.last_sound_frame <= lead + len(sound) + 2 * MS


@settings(max_examples=examples(40), deadline=None)
@given(seed=st.integers(0, 2**32 - 1), own=st.integers(60 * MS, 80 * MS), added=st.integers(1, 5000))
def test_prepending_silence_moves_the_first_sound_by_exactly_that_much(seed: int, own: int, added: int) -> None:
    random = np.random.default_rng(seed)
    time = np.arange(RATE // 2) / RATE
    swell = np.minimum(1, time / random.uniform(0.0005, 0.3))
    sound = (
        random.uniform(0.01, 0.9) * swell * np.sin(2 * np.pi * random.uniform(40, 4000) * time + random.uniform(0, 6))
    )
    signal = np.concatenate([np.zeros(own), sound, np.zeros(RATE // 4)])
    before = measured(signal).edges
    after = measured(np.concatenate([np.zeros(added), signal])).edges
    assert before.first_sound_frame is not None
    assert after.first_sound_frame == before.first_sound_frame + added
    assert after.last_sound_frame == before.last_sound_frame + added


@settings(max_examples=examples(25), deadline=None)
@given(seed=st.integers(0, 2**32 - 1), lead=st.integers(0, 9000), tail=st.integers(0, 9000))
def test_the_reversed_file_has_its_edges_mirrored(seed: int, lead: int, tail: int) -> None:
    random = np.random.default_rng(seed)
    sound = random.standard_normal(5000) * 0.1
    signal = np.concatenate([np.zeros(lead), sound, np.zeros(tail)])
    one, two = measured(signal).edges, measured(signal[::-1]).edges
    assert one.last_sound_frame == len(signal) - 1 - two.first_sound_frame
    assert one.first_sound_frame == len(signal) - 1 - two.last_sound_frame


@pytest.mark.parametrize("level", [-76.0, -80.0, -100.0])
def test_a_steady_floor_under_minus_75_is_never_sound(level: float) -> None:
    assert measured(hiss(RATE, level)).edges.first_sound_frame is None


def test_a_dithered_stretch_after_digital_silence_is_no_first_sound() -> None:
    noise = hiss(2 * RATE, -82)
    noise[: RATE // 2] = 0
    signal = noise.copy()
    signal[RATE + 5000 : RATE + 5000 + len(drum())] += drum()
    assert measured(signal).edges.first_sound_frame == pytest.approx(RATE + 5000, abs=MS)


def test_a_slow_swell_is_heard_early() -> None:
    signal = np.concatenate([np.zeros(RATE), sine(440, 4) * np.linspace(0, 0.5, 4 * RATE) ** 2])
    first = measured(signal).edges.first_sound_frame
    assert first is not None
    assert RATE <= first <= RATE + 0.1 * RATE


def test_an_organ_that_never_rests_sounds_from_end_to_end() -> None:
    edges = measured(sine(220, 3, peak=0.2)).edges
    assert edges.first_sound_frame is not None
    assert edges.last_sound_frame is not None
    assert edges.first_sound_frame < MS
    assert edges.last_sound_frame > 3 * RATE - 1 - MS
    assert edges.tail_floor_dbfs == -math.inf


def test_hiss_through_the_whole_file_is_the_tail_floor() -> None:
    signal = hiss(4 * RATE, -52)
    signal[RATE : RATE + len(drum())] += drum()
    edges = measured(signal).edges
    assert edges.tail_floor_dbfs == pytest.approx(-52, abs=1)
    assert edges.tail_levels_dbfs[-1] == pytest.approx(-52, abs=2)


def test_tail_levels_are_the_last_eight_windows_of_5_ms() -> None:
    steps = np.repeat([0.5 ** (i + 1) for i in range(8)], 5 * MS) * np.tile([1, -1], 20 * MS)
    levels = measured(np.concatenate([np.zeros(100), steps])).edges.tail_levels_dbfs
    assert levels == pytest.approx([3.01 - 6.0206 * (i + 1) for i in range(8)], abs=0.01)


@pytest.mark.parametrize(("rise_ms", "least", "most"), [(0.2, 0.0, 1.0), (60.0, 3.0, 60.0)])
def test_the_rise_of_entries_tells_gates_from_bows(rise_ms: float, least: float, most: float) -> None:
    time = np.arange(RATE // 2) / RATE
    note = 0.3 * np.sin(2 * np.pi * 330 * time + 1) * np.minimum(1, time / (rise_ms / 1000))
    signal = np.tile(np.concatenate([np.zeros(RATE // 5), note]), 4)
    rise = measured(signal).edges.entry_rise_ms
    assert rise is not None
    assert least <= rise <= most


def test_a_file_of_a_few_samples_is_no_trouble() -> None:
    for frames in (1, 2, 47, 48, 49, 500):
        edges = measured(np.full(frames, 0.5)).edges
        assert edges.first_sound_frame == 0
        assert edges.last_sound_frame == frames - 1
