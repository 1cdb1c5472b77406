"""Findings of start and length. "All start together, equally long" is common practice."""

from __future__ import annotations

from dataclasses import replace

import pytest

from deep_tally.check.rules.length import is_whole_bars
from deep_tally.model.delivery import SongFacts
from deep_tally.model.findings import Action
from tracks import RATE, SECONDS, brief, codes, findings, others, song_of, track

CUT = (-20.0,) * 8
FADED = (-20.0, -22.0, -24.0, -26.0, -29.0, -33.0, -38.0, -45.0)
DYING = (-30.0, -30.1, -30.2, -30.3, -30.4, -30.5, -30.6, -30.7)
SHORT = 30 * RATE


def late(path: str = "01 Guitar.wav", **changes: object):
    return track(path, frames=SHORT, first_sound_frame=100, last_sound_frame=SHORT - RATE, **changes)


def test_equal_and_clean_files_raise_nothing() -> None:
    assert codes([track(), *others()]) == []


def test_a_shorter_file_that_begins_at_its_sound_is_asked_for_and_never_padded() -> None:
    (found,) = findings([late(), *others()])
    assert (found.code, found.action, found.kind) == ("start.at-sound", Action.ASK, "request")
    assert found.evidence["ms"] == pytest.approx(10_000)
    assert [f.code for f in found.consequences] == ["length.short"]


def test_sounding_at_the_first_frame_is_fine_in_a_file_of_full_length() -> None:
    assert codes([track(first_sound_frame=0), *others()]) == []


@pytest.mark.parametrize(("first_ms", "code"), [(10, "start.at-sound"), (11, "length.short")])
def test_ten_milliseconds_decide(first_ms: int, code: str) -> None:
    file = track(frames=SHORT, first_sound_frame=first_ms * RATE // 1000, last_sound_frame=SHORT - RATE)
    assert codes([file, *others()]) == [code]


def test_it_is_a_question_when_other_ends_were_trimmed() -> None:
    trimmed = track("07 Horn.wav", frames=SHORT, first_sound_frame=RATE, last_sound_frame=SHORT - 10)
    found = {f.code: f for f in findings([late(), trimmed, *others()])}
    assert found["start.at-sound"].kind == "question"
    assert found["length.short"].files == ("07 Horn.wav",)


def test_most_files_at_their_sound_are_one_question_for_the_set() -> None:
    files = [replace_length(t, (20 + i) * RATE, first=0) for i, t in enumerate(others(5))]
    (found,) = findings(files)
    assert (found.code, found.action, found.kind, len(found.files)) == ("start.set-at-sound", Action.ASK, "question", 5)


def replace_length(t, frames: int, *, first: int = 2 * RATE):
    return track(
        t.path,
        frames=frames,
        first_sound_frame=first,
        last_sound_frame=frames - RATE,
        sample_peak_by_channel_dbfs=t.measures.sample_peak_by_channel_dbfs,
        rms_dbfs=t.measures.rms_dbfs,
        loudness_lufs=t.measures.loudness_lufs,
    )


def test_trimmed_ends_without_a_common_length_are_mended_once() -> None:
    files = [replace_length(t, (20 + i) * RATE) for i, t in enumerate(others(5))]
    (found,) = findings(files)
    assert (found.code, found.action, len(found.files)) == ("length.ends-differ", Action.FIX, 5)
    assert codes(files, brief=brief(length={"trimmed_ends": True})) == []


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


def test_a_short_file_that_died_away_is_padded_here() -> None:
    (found,) = findings([track(frames=SHORT, last_sound_frame=20 * RATE), *others()])
    assert (found.code, found.action) == ("length.short", Action.FIX)
    assert found.evidence["frames"] == 10 * RATE


def test_a_short_file_that_still_sounds_is_asked_for() -> None:
    found = findings([track(frames=SHORT, last_sound_frame=SHORT - 1, tail_levels_dbfs=CUT), *others()])
    assert [(f.code, f.action) for f in found] == [("length.short", Action.ASK), ("length.tail-cut", Action.ASK)]


@pytest.mark.parametrize(
    ("frames", "expected"),
    [
        (SECONDS * RATE - 1, []),
        (SECONDS * RATE - 200, [("length.short", Action.NOTE)]),
        (SECONDS * RATE + 200, []),
        (SECONDS * RATE + RATE, [("length.long", Action.FIX)]),
    ],
)
def test_small_and_large_differences(frames: int, expected: list[tuple[str, Action]]) -> None:
    assert [(f.code, f.action) for f in findings([track(frames=frames), *others()])] == expected


def test_lengths_at_another_rate_compare_in_seconds() -> None:
    assert codes([track(frames=SECONDS * 44_100, rate_hz=44_100), *others()]) == ["rate.differs"]


@pytest.mark.parametrize(
    ("levels", "floor", "expected"),
    [
        (CUT, -float("inf"), ["length.tail-cut"]),
        (DYING, -float("inf"), ["length.tail-cut"]),  # a bell on its long way down
        (FADED, -float("inf"), []),
        ((-61.0,) * 8, -float("inf"), []),
        ((-50.0,) * 8, -52.0, []),  # an amplifier's hiss goes on
        ((-50.0,) * 8, -75.0, ["length.tail-cut"]),
    ],
)
def test_cut_tails(levels: tuple[float, ...], floor: float, expected: list[str]) -> None:
    assert codes([track(tail_levels_dbfs=levels, tail_floor_dbfs=floor), *others()]) == expected


def test_most_tails_cut_are_one_request_for_the_set() -> None:
    files = [*others(4, tail_levels_dbfs=CUT), track()]
    no_tempo = SongFacts(title="Song", key="D minor")
    found = {f.code: f for f in findings(files, facts=no_tempo)}
    assert (found["length.set-cut"].action, len(found["length.set-cut"].files)) == (Action.ASK, 4)
    assert "length.tail-cut" not in found
    # 40 s at 96 BPM are sixteen bars: cut there on purpose.
    assert [(f.code, f.action) for f in findings(files)] == [("length.set-cut", Action.NOTE)]


@pytest.mark.parametrize(("bpm", "whole"), [(96.0, True), (120.0, True), (97.0, False), (95.9, False)])
def test_whole_bars(bpm: float, whole: bool) -> None:
    facts = SongFacts(title="Song", tempo_bpm=bpm, key="D minor")
    assert is_whole_bars(song_of(others(), facts=facts)) is whole
    assert ("length.not-bars" in codes(others(), facts=facts)) is not whole


def test_room_after_the_last_sound_is_asked_when_the_brief_wants_it() -> None:
    files = [track(last_sound_frame=SECONDS * RATE - RATE), *others()]
    (found,) = findings(files, brief=brief(length={"tail_seconds": 2.0}))
    assert (found.code, found.evidence["ms"]) == ("length.tail-room", pytest.approx(1000, abs=1))
    assert codes(files) == []


def test_a_long_silence_at_the_end_is_noted_once() -> None:
    files = [track(t.path, last_sound_frame=5 * RATE) for t in others()]
    assert codes(files, brief=brief(thresholds={"length.idle_tail_s": 34})).count("length.idle-tail") == 1


def test_a_file_that_belongs_later_ends_later() -> None:
    files = [track(t.path, last_sound_frame=5 * RATE) for t in others()]
    thirty_four = brief(thresholds={"length.idle_tail_s": 34})
    late = {files[0].path: 20 * RATE}
    assert "length.idle-tail" in codes(files, brief=thirty_four)
    assert "length.idle-tail" not in codes(files, brief=thirty_four, places=late)
