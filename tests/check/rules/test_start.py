"""Common start: files exported from their first sound, cut attacks, placements."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import pytest

from check.found import ASK, LOSSY, NOTE, SHORT, all_of, cut, late, of, one, replace_length, said
from deep_tally.model.delivery import Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action
from tracks import (
    RATE,
    SECONDS,
    codes,
    findings,
    others,
    song_of,
    track,
)


@pytest.mark.parametrize(
    ("file", "found"),
    [
        (cut(head_peak_dbfs=7.9), True),  # a tenth of the first 100 ms' peak
        (cut(head_peak_dbfs=8.1), False),
        (cut(head_dbfs=-49.9, head_peak_dbfs=-40.0), True),
        (cut(head_dbfs=-50.1, head_peak_dbfs=-40.0), False),
        (cut(entry_rise_ms=3.0), True),
        (cut(entry_rise_ms=2.9), False),
        (cut(head_dbfs=-math.inf, head_peak_dbfs=-math.inf), False),
    ],
)
def test_a_cut_attack(file: Track, found: bool) -> None:
    assert ("start.cut-in" in codes([file, *others()])) is found


@pytest.mark.parametrize(
    ("jump_db", "rise_ms", "found"),
    [(10.1, None, "question"), (9.9, None, None), (None, None, None), (30.0, 0.5, None), (30.0, 20.0, "request")],
)
def test_without_other_entries_the_first_step_is_a_question(
    jump_db: float | None, rise_ms: float | None, found: str | None
) -> None:
    file = cut(entry_rise_ms=rise_ms, head_jump_db=jump_db)
    kinds = [f.kind for f in all_of([file, *others()]) if f.code == "start.cut-in"]
    assert kinds == ([found] if found else [])


def test_a_first_step_at_a_soft_or_small_first_sample_is_none() -> None:
    for changes in ({"head_dbfs": -50.1, "head_peak_dbfs": -45.0}, {"head_dbfs": -30.0, "head_peak_dbfs": -9.9}):
        file = cut(entry_rise_ms=None, head_jump_db=30.0, **changes)
        assert "start.cut-in" not in codes([file, *others()])


def test_a_cut_attack_is_marked_at_the_first_frame() -> None:
    found = one("start.cut-in", [cut(), *others()])
    assert [(p.frame, p.frames) for p in found.places] == [(0, 1)]
    assert found.evidence == {"dbfs": -12.0}


@pytest.mark.parametrize(("rest_s", "kind"), [(0.099, "question"), (0.101, "request")])
def test_an_end_is_trimmed_within_a_tenth_of_a_second(rest_s: float, kind: str) -> None:
    short = 30 * RATE
    begins = track(frames=short, first_sound_frame=100, last_sound_frame=short - RATE)
    last = short - 1 - round(rest_s * RATE)
    other = track("07 Horn.wav", frames=short, first_sound_frame=RATE, last_sound_frame=last)
    assert one("start.at-sound", [begins, other, *others()]).kind == kind


def test_a_file_that_both_begins_and_ends_at_its_sound_says_nothing_of_other_ends() -> None:
    short = 30 * RATE
    begins = track(frames=short, first_sound_frame=100, last_sound_frame=short - 10)
    again = track("07 Horn.wav", frames=short, first_sound_frame=100, last_sound_frame=short - 10)
    kinds = [f.kind for f in findings([begins, again, *others()]) if f.code == "start.at-sound"]
    assert kinds == ["request", "request"]


@pytest.mark.parametrize(("short_ms", "found"), [(10.1, True), (9.9, False)])
def test_short_is_ten_milliseconds_at_the_start_too(short_ms: float, found: bool) -> None:
    file = track(frames=SECONDS * RATE - round(short_ms * 48), first_sound_frame=0)
    assert ("start.at-sound" in codes([file, *others()])) is found


def test_stamps_on_some_only_name_those_without() -> None:
    found = one("start.stamp-partial", [track(time_reference=0), *others()])
    assert (found.action, len(found.files), found.evidence) == (NOTE, 4, {"files": 4})


def test_a_lossy_file_says_its_false_ending_and_its_encoders_delay() -> None:
    (lossy,) = findings([track("01 Bass.wav", codec_delay_frames=1105, **LOSSY), *others()])
    assert (lossy.code, lossy.action) == ("content.lossy", ASK)
    assert lossy.evidence == {"container": "mp3", "ending": "wav"}
    (delay,) = lossy.consequences  # exported as WAV, it has none
    assert delay.code == "start.codec-delay"
    assert delay.evidence == {"frames": 1105, "ms": pytest.approx(1105 / 48)}


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


def test_a_moved_file_is_reported_with_samples_time_and_bars() -> None:
    part = track(frames=SECONDS * RATE - 5 * RATE)
    (found,) = of("start.offset", findings([part, *others()], places={part.path: 5 * RATE}))
    assert found.action is Action.FIX
    assert (
        said(found, part.path, part) == "240000 samples (5 s, 2 bars) later than the file's own start, as you placed it"
    )


@pytest.mark.parametrize(
    ("frames", "told"),
    [
        (RATE * 5 + 30_000, "270000 samples (5.62 s, 2 bars and 1 beat)"),  # a beat is 0.625 s at 96 BPM
        (15_000, "15000 samples (0.312 s, 0.5 beats)"),
        (-RATE, "48000 samples (1 s, 0.4 bars)"),
    ],
)
def test_a_place_off_the_bar_is_reported_in_bars_and_beats(frames: int, told: str) -> None:
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


def test_a_shorter_file_that_begins_at_its_sound_is_asked_for_and_never_padded() -> None:
    (found,) = findings([late(), *others()])
    assert (found.code, found.action, found.kind) == ("start.at-sound", Action.ASK, "request")
    assert found.evidence["ms"] == pytest.approx(10_000)
    assert [f.code for f in found.consequences] == ["length.short"]


@pytest.mark.parametrize(("first_ms", "code"), [(10, "start.at-sound"), (11, "start.unplaced")])
def test_ten_milliseconds_decide(first_ms: int, code: str) -> None:
    file = track(frames=SHORT, first_sound_frame=first_ms * RATE // 1000, last_sound_frame=SHORT - RATE)
    assert codes([file, *others()]) == [code]


def test_it_is_a_question_when_other_ends_were_trimmed() -> None:
    trimmed = track("07 Horn.wav", frames=SHORT, last_sound_frame=SHORT - 10)
    found = {f.code: f for f in findings([late(), trimmed, *others()])}
    assert found["start.at-sound"].kind == "question"
    assert found["length.short"].files == ("07 Horn.wav",)


def test_most_files_at_their_sound_are_one_question_for_the_set() -> None:
    files = [replace_length(t, (20 + i) * RATE, first=0) for i, t in enumerate(others(5))]
    (found,) = findings(files)
    assert (found.code, found.action, found.kind, len(found.files)) == ("start.set-at-sound", Action.ASK, "question", 5)


def test_a_stamp_places_a_file_that_begins_at_its_sound() -> None:
    stamped = [replace(t, format=replace(t.format, time_reference=1000)) for t in others() if t.format]
    (found,) = findings([late(time_reference=1000 + 10 * RATE), *stamped])
    assert (found.code, found.action) == ("start.stamp-differs", Action.FIX)
    assert found.evidence["offset_frames"] == 10 * RATE


def test_a_stamp_that_contradicts_the_lengths_is_asked_about() -> None:
    stamped = [replace(t, format=replace(t.format, time_reference=0)) for t in others() if t.format]
    found = findings([late(time_reference=20 * RATE), *stamped])
    assert found[0].code == "start.stamp-differs"
    assert (found[0].action, found[0].kind) == (Action.ASK, "question")


def test_an_old_stamp_on_equal_files_is_only_noted() -> None:
    stamped = [replace(t, format=replace(t.format, time_reference=0)) for t in others() if t.format]
    (found,) = findings([track(time_reference=777), *stamped])
    assert (found.code, found.action) == ("start.stamp-differs", Action.NOTE)


def test_stamps_on_some_files_only_are_noted() -> None:
    assert codes([track(time_reference=0), *others()]) == ["start.stamp-partial"]


@pytest.mark.parametrize(
    ("changes", "found"),
    [
        ({"head_dbfs": -12.0, "head_peak_dbfs": -8.0, "entry_rise_ms": 20.0}, ["start.cut-in"]),
        ({"head_dbfs": -12.0, "head_peak_dbfs": -8.0, "entry_rise_ms": 0.5}, []),  # its entries are hard: a gate
        ({"head_dbfs": -12.0, "head_peak_dbfs": -8.0, "entry_rise_ms": None}, []),  # nothing to compare with
        ({"head_dbfs": -30.0, "head_peak_dbfs": -8.0, "entry_rise_ms": 20.0}, []),  # a soft first frame
        ({"head_dbfs": -55.0, "head_peak_dbfs": -52.0, "entry_rise_ms": 20.0}, []),  # room noise
    ],
)
def test_a_cut_attack_is_told_from_a_hard_one(changes: dict[str, float], found: list[str]) -> None:
    assert codes([track(first_sound_frame=0, **changes), *others()]) == found


@pytest.mark.parametrize(("rest_frames", "kind"), [(4799, "question"), (4800, "request")])
def test_a_tenth_of_a_second_is_counted_from_the_last_sounding_frame(rest_frames: int, kind: str) -> None:
    short = 30 * RATE
    begins = track(frames=short, first_sound_frame=100, last_sound_frame=short - RATE)
    other = track("07 Horn.wav", frames=short, first_sound_frame=RATE, last_sound_frame=short - 1 - rest_frames)
    assert one("start.at-sound", [begins, other, *others()]).kind == kind


@pytest.mark.parametrize(("stamp", "codes_found"), [(None, {"start.at-sound"}), (1000 + 10 * RATE, {"start.offset"})])
def test_what_the_user_placed_is_said_once(stamp: int | None, codes_found: set[str]) -> None:
    # A file without a stamp that begins at its sound is said to do so, with where it was put; a stamped one is moved.
    stamped = [replace(t, format=replace(t.format, time_reference=1000)) for t in others() if t.format]
    placed = late(time_reference=stamp)
    found = findings([placed, *stamped], places={placed.path: 8 * RATE})
    assert {f.code for f in found if placed.path in f.files and f.code.startswith("start.")} - {
        "start.stamp-partial"
    } == codes_found


def test_only_files_that_are_asked_are_placed_by_their_stamps() -> None:
    stamped = [replace(t, format=replace(t.format, time_reference=1000)) for t in others() if t.format]
    reference = track("ref.wav", role=Role.REFERENCE, time_reference=1000 + RATE)
    song = song_of([late(time_reference=1000 + 10 * RATE), *stamped, reference])
    assert song.placements.keys() == {late().path}
