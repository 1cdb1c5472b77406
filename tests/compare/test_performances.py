"""One performance or two: notes with known beginnings, and rooms that only move them together."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deep_tally.compare.performances import coherence, entries_ms, entry_spread_ms
from searching import examples
from sounds import RATE


def played(begins_s: list[float], seed: int = 0, *, seconds: float = 12) -> np.ndarray:
    """Plucked notes over a little noise."""
    noise = np.random.default_rng(seed)
    out = 1e-4 * noise.standard_normal(round(seconds * RATE))
    for number, at in enumerate(begins_s):
        time = np.arange(round(0.35 * RATE)) / RATE
        hz = 220 * 2 ** ((number * 5 % 12) / 12) * (1 + noise.normal(0, 0.004))  # no string is pressed alike twice
        wave = sum(np.sin(2 * np.pi * hz * k * time + noise.uniform(0, 6)) / k for k in range(1, 7))
        note = wave * np.exp(-9 * time) * np.minimum(1, time / 0.002)
        start = round(at * RATE)
        out[start : start + len(note)] += note[: len(out) - start]
    return out.astype(np.float32)


BEATS = [0.5 + 0.5 * n for n in range(20)]


def test_notes_begin_where_they_were_put() -> None:
    found = entries_ms(played(BEATS), RATE)
    assert len(found) == len(BEATS)
    assert found / 1000 == pytest.approx(BEATS, abs=0.006)


def test_two_performances_begin_apart_and_sound_apart() -> None:
    noise = np.random.default_rng(1)
    one = played(BEATS, 1)
    two = played([b + noise.normal(0, 0.02) for b in BEATS], 2)
    spread = entry_spread_ms(entries_ms(one, RATE), entries_ms(two, RATE))
    assert spread is not None
    assert spread > 5
    alike = coherence(one, two, RATE)
    assert alike is not None
    assert alike < 0.5


@pytest.mark.parametrize("delay", [0, 37, 480])
def test_two_microphones_hear_one_performance(delay: int) -> None:
    one = played(BEATS, 1)
    two = 0.6 * np.concatenate([np.zeros(delay, np.float32), one])[: len(one)]
    two += 1e-3 * np.random.default_rng(3).standard_normal(len(one)).astype(np.float32)
    spread = entry_spread_ms(entries_ms(one, RATE), entries_ms(two, RATE))
    assert spread is not None
    assert spread < 3
    alike = coherence(one, two, RATE)
    assert alike is not None
    assert alike > 0.5


def test_fewer_than_five_notes_say_nothing() -> None:
    four, five = entries_ms(played(BEATS[:4]), RATE), entries_ms(played(BEATS[:5]), RATE)
    assert entry_spread_ms(four, four) is None
    assert entry_spread_ms(five, five) == 0
    assert entry_spread_ms(five, five + 61) is None  # no partner within 60 ms
    assert entry_spread_ms(np.empty(0), five) is None
    assert entry_spread_ms(five, np.empty(0)) is None


def test_silence_has_no_entries_and_no_coherence() -> None:
    nothing = np.zeros(RATE, np.float32)
    assert len(entries_ms(nothing, RATE)) == len(entries_ms(nothing[:10], RATE)) == 0
    assert coherence(nothing, nothing, RATE) is None
    assert coherence(nothing[:10], nothing[:10], RATE) is None


def test_a_rumble_begins_no_note() -> None:
    time = np.arange(4 * RATE) / RATE
    swell = np.sin(2 * np.pi * time) ** 8  # 30 Hz that rises by 40 dB within 50 ms
    rumble = (np.sin(2 * np.pi * 30 * time) * swell).astype(np.float32)
    assert len(entries_ms(played([1.0, 2.0], seconds=4) + 0.2 * rumble, RATE)) == 2


@settings(max_examples=examples(10), deadline=None)
@given(gain=st.floats(0.01, 50), shift_ms=st.floats(-40, 40))
def test_neither_gain_nor_a_common_lag_counts(gain: float, shift_ms: float) -> None:
    one = entries_ms(played(BEATS[:8]), RATE)
    again = entries_ms((gain * played(BEATS[:8])).astype(np.float32), RATE)
    assert again == pytest.approx(one, abs=0.01)
    assert entry_spread_ms(one, one + shift_ms) == pytest.approx(0, abs=1e-9)
