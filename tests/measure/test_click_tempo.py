"""The tempo a click plays: synthesised clicks of known tempo and stray, and sounds that are no click."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from deep_tally.measure.click_tempo import find_click_tempo
from deep_tally.measure.windows import Windows
from deep_tally.model.measures import ClickTempo, Measures
from measure.measured_sounds import (
    WINDOW,
    strokes,
    windows,
)
from searching import examples
from sounds import RATE, measured_file


def windows_of(samples: np.ndarray, frames: int = 48) -> Windows:
    """The windows of one channel, as the pass over a file makes them."""
    padded = np.zeros(-(-len(samples) // frames) * frames)
    padded[: len(samples)] = samples
    rows = padded.reshape(-1, frames).astype(np.float32)
    return Windows(
        frames=frames,
        low=rows.min(axis=1, keepdims=True),
        high=rows.max(axis=1, keepdims=True),
        energy=(rows**2).sum(axis=1, keepdims=True),
    )


def click(
    bpm: float,
    beats: int,
    *,
    first_s: float = 0.0,
    stray_s: float = 0.0,
    missing: tuple[int, ...] = (),
    accent: float = 1.0,
    seed: int = 3,
) -> np.ndarray:
    """Strokes of 12 ms at a tempo; every fourth may be louder."""
    random = np.random.default_rng(seed)
    stroke = np.sin(2 * np.pi * 1500 * np.arange(576) / RATE) * np.exp(-np.arange(576) / 120)
    samples = np.zeros(round((first_s + beats * 60 / bpm + 0.5) * RATE))
    for beat in range(beats):
        if beat not in missing:
            at = max(0, round((first_s + beat * 60 / bpm + random.uniform(-stray_s, stray_s)) * RATE))
            samples[at : at + len(stroke)] += (accent if beat % 4 == 0 else 0.5) * stroke[: len(samples) - at]
    return samples


def click_tempo(samples: np.ndarray) -> ClickTempo | None:
    return find_click_tempo(windows_of(samples), RATE)


@pytest.mark.parametrize("bpm", [40.0, 72.5, 96.0, 120.0, 127.97, 174.0, 240.0])
def test_a_steady_clicks_tempo_is_right_to_a_hundredth(bpm: float) -> None:
    found = click_tempo(click(bpm, 64, first_s=0.25))
    assert found is not None
    assert found.bpm == pytest.approx(bpm, abs=0.01)
    assert found.strokes == 64
    assert found.first_frame == pytest.approx(0.25 * RATE, abs=48)
    assert found.stray_ms < 1.1


@pytest.mark.parametrize(("beats", "off"), [(8, 0.1), (16, 0.05), (32, 0.02)])
def test_short_clicks_tempos_are_as_right_as_is_said(beats: int, off: float) -> None:
    for bpm in np.linspace(60.37, 239.1, 25):
        found = click_tempo(click(bpm, beats, first_s=bpm / 1e5))
        assert found is not None
        assert found.bpm == pytest.approx(bpm, abs=off)


@given(
    st.floats(40, 240),
    st.integers(16, 200),
    st.floats(0, 2),
    st.sampled_from([0.0, 0.002]),
    st.integers(0, 2**31),
)
@settings(max_examples=examples(60), deadline=None)
def test_any_tempo_with_a_little_stray_is_found(bpm: float, beats: int, first: float, stray: float, seed: int) -> None:
    found = click_tempo(click(bpm, beats, first_s=first, stray_s=stray, seed=seed))
    assert found is not None
    # The slope of n strokes, each off by at most e: within 3 e / n of the interval.
    off = 3 * (stray + 0.001) / beats
    assert found.bpm == pytest.approx(bpm, rel=off / (60 / bpm) + 1e-6)
    assert found.stray_ms <= (2 * stray + 0.002) * 1000


def test_missing_strokes_and_accents_do_not_move_the_tempo() -> None:
    found = click_tempo(click(110.0, 64, missing=(8, 9, 10, 11, 40), accent=1.0))
    assert found is not None
    assert found.bpm == pytest.approx(110.0, abs=0.01)
    assert found.strokes == 59


@pytest.mark.parametrize(
    "samples",
    [
        np.zeros(RATE),
        np.zeros(0),
        click(100.0, 7),
        np.random.default_rng(1).standard_normal(4 * RATE) * 0.1,
        np.concatenate([click(100.0, 12), click(140.0, 12)]),
        click(100.0, 32, stray_s=0.06),
    ],
    ids=["silence", "nothing", "too few", "noise", "two tempos", "a player"],
)
def test_what_is_no_steady_pulse_has_none(samples: np.ndarray) -> None:
    assert click_tempo(samples) is None


def test_a_click_file_is_measured_with_its_pulse(tmp_path: Path) -> None:
    path = tmp_path / "Click.wav"
    soundfile.write(path, click(96.0, 40), RATE, subtype="PCM_24")
    measures: Measures = measured_file(path)
    assert measures.click_tempo is not None
    assert measures.click_tempo.bpm == pytest.approx(96.0, abs=0.01)


def test_eight_strokes_are_a_pulse() -> None:
    click_tempo = find_click_tempo(strokes(list(range(100, 4100, 500))), RATE)
    assert click_tempo is not None
    assert (click_tempo.strokes, click_tempo.bpm) == (8, pytest.approx(120.0))
    assert click_tempo.stray_ms == pytest.approx(0.0, abs=1e-6)
    assert (click_tempo.first_frame, click_tempo.last_frame) == (100 * WINDOW, 3600 * WINDOW)
    assert find_click_tempo(strokes(list(range(100, 3600, 500))), RATE) is None


def test_a_stroke_may_stray_by_three_percent_of_the_interval() -> None:
    beats = list(range(100, 8100, 500))
    # One of sixteen lies off by d: the line moves by about d/16, so that it strays by about 15/16 of that.
    for off_ms, found in ((14, True), (18, False)):
        moved = [*beats[:8], beats[8] + off_ms, *beats[9:]]
        click_tempo = find_click_tempo(strokes(moved, milliseconds=9000), RATE)
        assert (click_tempo is not None) is found
        if click_tempo is not None:
            assert click_tempo.stray_ms == pytest.approx(off_ms * 15 / 16, abs=0.1)


@pytest.mark.parametrize(("rest_ms", "count"), [(40, None), (39, 8)])
def test_a_stroke_follows_forty_milliseconds_of_rest(rest_ms: int, count: int | None) -> None:
    # Eight strokes, each with a second one after a rest: as strokes of their own they keep no interval.
    beats = list(range(100, 100 + 8 * 161, 161))
    both = sorted([*beats, *(beat + 5 + rest_ms for beat in beats)])
    click_tempo = find_click_tempo(strokes(both), RATE)
    assert (click_tempo.strokes if click_tempo is not None else None) == count


def test_what_sounds_most_of_the_time_has_no_strokes() -> None:
    beats = list(range(0, 6000, 500))
    assert find_click_tempo(strokes(beats, length_ms=250), RATE) is not None
    assert find_click_tempo(strokes(beats, length_ms=251), RATE) is None


@pytest.mark.parametrize(("under_db", "found"), [(29.5, True), (30.5, False)])
def test_a_stroke_is_heard_thirty_decibels_under_the_strongest(under_db: float, found: bool) -> None:
    levels = np.full(6000, -np.inf)
    for number, at in enumerate(range(100, 4100, 500)):
        levels[at : at + 5] = -10.0 - (under_db if number else 0)
    assert (find_click_tempo(windows(levels), RATE) is not None) is found
