"""Bars, clicks and placements in checks, with expected values by arithmetic."""

from __future__ import annotations

from typing import Any

import pytest

from deep_tally.check.assess import assess
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.delivery import SongFacts, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import Pulse
from deep_tally.model.timeline import MeterStep, TempoStep, Timeline, steady
from deep_tally.reply.wording.speaker import Speaker
from tracks import RATE, SECONDS, brief, findings, intake_of, others, track

WALTZ = SongFacts(
    title="Song", tempo_bpm=96.0, key="D", tempo_map=steady(96.0, (MeterStep(quarter=0.0, beats=3, unit=4),))
)


def of(code: str, found: tuple[Finding, ...]) -> list[Finding]:
    return [f for f in found if f.code == code]


def said(finding: Finding, path: str | None, *more: Track) -> str:
    tracks = [*more, *others()]
    return Speaker(assess(intake_of(tracks), tracks, DEFAULT_BRIEF)).evidence(finding, path)


def click(bpm: float, *, first_s: float = 0.0, last_s: float = 39.0) -> Track:
    pulse = Pulse(bpm=bpm, strokes=64, first_frame=round(first_s * RATE), last_frame=round(last_s * RATE), stray_ms=0.4)
    return track("Click.wav", role=Role.CLICK, pulse=pulse)


# -- bars -------------------------------------------------------------------------------------


@pytest.mark.parametrize(("extra", "is_off"), [(0, False), (1, False), (2, True), (-1, False), (-2, True)])
def test_whole_bars_are_so_within_one_frame(extra: int, is_off: bool) -> None:
    files = others(frames=SECONDS * RATE + extra)  # sixteen bars at 96 BPM
    assert bool(of("length.not-bars", findings(files))) is is_off
    if is_off:
        (found,) = of("length.not-bars", findings(files))
        assert found.evidence["frames"] == extra
        assert found.evidence["ms"] == pytest.approx(extra / 48)


def test_bars_are_counted_in_the_songs_meter() -> None:
    # 40 s at 96 BPM are 64 quarters: sixteen bars of four, 21 1/3 of three
    (found,) = of("length.not-bars", findings(others(), facts=WALTZ))
    assert (found.evidence["bars"], found.evidence["meter"]) == (pytest.approx(64 / 3), "3/4")


def test_bars_are_counted_through_changes_of_tempo() -> None:
    # 16 quarters at 120 BPM take 8 s, then 32 s at 60 BPM are 32 quarters: twelve bars
    changing = Timeline(tempos=(TempoStep(quarter=0.0, seconds=0.5), TempoStep(quarter=16.0, seconds=1.0)))
    facts = SongFacts(title="Song", tempo_bpm=120.0, key="D", tempo_map=changing, tempo_from="the MIDI file")
    assert of("length.not-bars", findings(others(), facts=facts)) == []
    longer = others(frames=41 * RATE)
    (found,) = of("length.not-bars", findings(longer, facts=facts))
    assert found.evidence["bars"] == pytest.approx(12.25)


def test_a_file_of_another_length_is_counted_in_bars_only_where_whole_bars_are_asked() -> None:
    eight_bars, with_tail = track(frames=20 * RATE), track("09 Loop.wav", frames=20 * RATE + 4800)
    wants = brief(length={"equal": False, "whole_bars": True})
    (found,) = of("length.loop-not-bars", findings([eight_bars, with_tail, *others()], brief=wants))
    assert (found.files, found.action) == ((with_tail.path,), Action.ASK)
    assert (found.evidence["frames"], found.evidence["bars"]) == (4800, pytest.approx(8.04))
    assert of("length.loop-not-bars", findings([eight_bars, with_tail, *others()])) == []


def test_where_whole_bars_are_asked_of_equal_files_one_cause_is_told() -> None:
    found = findings([track(frames=20 * RATE + 4800), *others()], brief=brief(length={"whole_bars": True}))
    (loop,) = of("length.loop-not-bars", found)
    assert [f.code for f in loop.consequences] == ["length.short"]
    assert of("length.short", found) == []


# -- the click --------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("bpm", "drift_ms"),
    [(96.0, None), (96.04, None), (96.06, (96 / 96.06 - 1) * 40_000), (95.9, (96 / 95.9 - 1) * 40_000)],
)
def test_a_click_that_drifts_from_the_stated_tempo_is_asked_about(bpm: float, drift_ms: float | None) -> None:
    facts = SongFacts(title="Song", tempo_bpm=96.0, key="D", tempo_from="the folder's name")
    found = of("name.facts-differ", findings([click(bpm), *others()], facts=facts))
    assert [f.evidence["ms"] for f in found] == ([pytest.approx(drift_ms)] if drift_ms else [])


@pytest.mark.parametrize("strokes", [192.0, 48.0, 384.0, 64.0, 32.0])
def test_a_click_on_eighths_or_halves_is_the_same_tempo(strokes: float) -> None:
    assert of("name.facts-differ", findings([click(strokes), *others()])) == []


def test_how_far_a_click_drifts_is_said_in_milliseconds() -> None:
    facts = SongFacts(
        title="Song",
        tempo_bpm=96.0,
        key="D",
        tempo_from="the folder's name",
        tempos=(("the folder's name", 96.0), ("the click itself", 96.1)),
    )
    (found,) = of("name.facts-differ", findings([click(96.1), *others()], facts=facts))
    stated = "96 BPM in the folder's name and 96.1 BPM in the click itself"
    # 40 s x (1 - 96/96.1)
    assert said(found, None) == f"{stated}; over 0:40 the click drifts 42 ms ahead of the song's tempo"


@pytest.mark.parametrize(
    ("first_s", "told"),
    [
        (0.004, None),
        (2.5, "its first click is on bar 2, 2.5 s after the start"),
        (0.7, "its first click comes 0.7 s after bar 1, not on a bar line"),
    ],
)
def test_a_click_begins_on_bar_one_or_is_told_of(first_s: float, told: str | None) -> None:
    found = of("start.click-off-bar", findings([click(96.0, first_s=first_s), *others()]))
    assert [said(f, "Click.wav", click(96.0)) for f in found] == ([told] if told else [])
    assert all(f.action is Action.NOTE for f in found)


def test_a_click_that_stops_early_is_told_of() -> None:
    # the last sound is at 35 s; a bar is 2.5 s
    assert of("length.click-short", findings([click(96.0, last_s=33.0), *others()])) == []
    (found,) = of("length.click-short", findings([click(96.0, last_s=30.0), *others()]))
    assert (found.action, found.evidence["bars"]) == (Action.NOTE, pytest.approx(2.0, abs=0.01))


# -- placements -------------------------------------------------------------------------------


def at_sound(**more: Any) -> Track:
    return track(frames=30 * RATE, first_sound_frame=0, **more)


def test_a_file_the_user_placed_is_mended_here_and_no_longer_asked_for() -> None:
    part = at_sound()
    (asked,) = of("start.at-sound", findings([part, *others()]))
    assert asked.action is Action.ASK
    found = findings([part, *others()], places={part.path: 10 * RATE})
    (fixed,) = of("start.at-sound", found)
    assert (fixed.action, fixed.evidence["offset_frames"], fixed.evidence["bars"]) == (Action.FIX, 10 * RATE, 4.0)
    assert of("length.short", found) == []


def test_a_file_that_was_placed_at_the_songs_start_is_meant_so() -> None:
    part = at_sound()
    found = findings([part, *others()], places={part.path: 0})
    assert of("start.at-sound", found) == []


def test_a_moved_file_is_told_with_samples_time_and_bars() -> None:
    part = track(frames=SECONDS * RATE - 5 * RATE)
    (found,) = of("start.offset", findings([part, *others()], places={part.path: 5 * RATE}))
    assert found.action is Action.FIX
    assert said(found, part.path, part) == "240000 samples (5 s, 2 bars) later than the file's own start"


@pytest.mark.parametrize(
    ("frames", "told"),
    [
        (RATE * 5 + 30_000, "270000 samples (5.62 s, 2 bars and 1 beat)"),  # a beat is 0.625 s at 96 BPM
        (15_000, "15000 samples (0.312 s, 0.5 beats)"),
        (-RATE, "48000 samples (1 s, 0.4 bars)"),
    ],
)
def test_a_place_off_the_bar_is_told_in_bars_and_beats(frames: int, told: str) -> None:
    part = track(frames=SECONDS * RATE - 10 * RATE)
    (found,) = of("start.offset", findings([part, *others()], places={part.path: frames}))
    assert said(found, part.path, part).startswith(told)


def test_the_users_word_counts_before_a_stamp() -> None:
    hour = 3600 * RATE
    stamped = [
        track(f"{n:02d} Part {n}.wav", time_reference=hour, sample_peak_by_channel_dbfs=(-9.0 - n,))
        for n in range(3, 7)
    ]
    late = track("02 Horn.wav", frames=35 * RATE, time_reference=hour + 5 * RATE)
    (by_stamp,) = of("start.stamp-differs", findings([late, *stamped]))
    assert (by_stamp.action, by_stamp.evidence["bars"]) == (Action.FIX, pytest.approx(2.0))
    found = findings([late, *stamped], places={late.path: 3 * RATE})
    assert of("start.stamp-differs", found) == []
    assert of("start.offset", found)[0].evidence["offset_frames"] == 3 * RATE
