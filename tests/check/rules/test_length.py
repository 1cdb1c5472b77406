"""Length: common ends, cut tails, bars, idle ends, with expected values by arithmetic."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest

from check.found import ASK, FIX, NOTE, SHORT, of, one, replace_length
from deep_tally.check.rules.length import is_whole_bars
from deep_tally.model.delivery import SongFacts, Track
from deep_tally.model.files import Damage
from deep_tally.model.findings import Action
from deep_tally.model.phrase import Phrase
from deep_tally.model.timeline import MeterStep, TempoStep, Timeline, steady
from tracks import (
    EXTENT,
    RATE,
    SECONDS,
    brief,
    codes,
    findings,
    others,
    song_of,
    track,
)


@pytest.mark.parametrize(
    ("levels", "floor", "is_cut"),
    [
        ((-59.9,) * 8, -math.inf, True),
        ((-60.1,) * 8, -math.inf, False),
        ((-40.0,) * 8, -60.1, True),
        ((-40.0,) * 8, -59.9, False),
        ((0.0, 0.0, 0.0, -20.0, -22.0, -25.0, -28.0, -30.0), -math.inf, False),  # 10 dB over the last five
        ((0.0, 0.0, 0.0, -20.1, -22.0, -25.0, -28.0, -30.0), -math.inf, True),
    ],
)
def test_a_tail_is_cut(levels: tuple[float, ...], floor: float, is_cut: bool) -> None:
    found = codes([track(tail_levels_dbfs=levels, tail_floor_dbfs=floor), *others()])
    assert ("length.tail-cut" in found) is is_cut


def test_a_cut_tail_says_where_and_how_loud() -> None:
    found = one("length.tail-cut", [track(tail_levels_dbfs=(-9.0,) * 7 + (-11.0,)), *others()])
    assert [p.frame for p in found.places] == [SECONDS * RATE - 1]
    assert found.evidence == {"dbfs": -11.0}


def test_what_was_faded_in_a_moment_is_only_noted() -> None:
    faded = track(tail_levels_dbfs=(-9.0,) * 7 + (-11.0,), fades_to_zero=True)
    found = one("length.tail-cut", [faded, *others()])
    assert (found.action, found.evidence) == (NOTE, {"dbfs": -11.0, "faded": 1})
    # Shorter than the others, it is padded: nothing says that it was cut.
    short = replace(faded, format=replace(faded.format, frames=30 * RATE, claimed_frames=30 * RATE))
    assert one("length.short", [short, *others()]).action is FIX
    # And most files of a set faded so are no export that stops too early.
    most = others(4, tail_levels_dbfs=CUT, fades_to_zero=True)
    assert "length.set-cut" not in codes([*most, track()])


@pytest.mark.parametrize(("loops", "files", "action"), [(3, 12, NOTE), (2, 8, ASK), (3, 13, ASK), (1, 4, ASK)])
def test_three_files_and_a_quarter_are_loops_cut_at_the_bar(loops: int, files: int, action: Action) -> None:
    # 40 s at 96 BPM in 4/4 are sixteen bars.
    cut_ones = [
        track(f"{n} Loop{'abc'[n]}.wav", tail_levels_dbfs=(-20.0,) * 8, rms_dbfs=-30.0 - n) for n in range(loops)
    ]
    rest = [
        track(f"{n} Part{chr(97 + n)}.wav", sample_peak_by_channel_dbfs=(-7.0 - n,), rms_dbfs=-11.0 - n)
        for n in range(files - loops)
    ]
    found = [f for f in findings([*cut_ones, *rest]) if f.code == "length.tail-cut"]
    assert {f.action for f in found} == {action}


BARS = brief(length={"whole_bars": True})


@pytest.mark.parametrize(("off_frames", "found"), [(1, False), (-1, False), (2, True), (-2, True)])
def test_a_bar_is_met_within_one_frame(off_frames: int, found: bool) -> None:
    files = others(4, frames=SECONDS * RATE + off_frames)
    assert ("length.not-bars" in codes(files, brief=BARS)) is found
    if found:
        evidence = one("length.not-bars", files, brief=BARS).evidence
        assert evidence["frames"] == off_frames
        assert evidence["ms"] == pytest.approx(off_frames / 48, abs=1e-3)
        assert evidence["bars"] == pytest.approx(16, abs=1e-4)


def test_whole_bars_are_asked_only_where_the_brief_asks() -> None:
    files = others(4, frames=SECONDS * RATE + 4800)
    assert "length.not-bars" not in codes(files), "songs end where they end"
    assert one("length.not-bars", files, brief=BARS).action is ASK


def test_files_that_end_at_one_moment_are_reported_once_with_bars() -> None:
    short = [track(f"{n} Part{'ab'[n]}.wav", frames=30 * RATE, last_sound_frame=20 * RATE) for n in range(2)]
    found = one("length.short", [*short, *others()])
    assert (found.action, len(found.files)) == (FIX, 2)
    # 10 s at 96 BPM are four bars of 2.5 s.
    assert (found.evidence["frames"], found.evidence["ms"], found.evidence["bars"]) == (
        10 * RATE,
        pytest.approx(10_000),
        pytest.approx(4.0),
    )
    assert [p.frame for p in found.places] == [30 * RATE - 1] * 2


def test_a_file_that_ends_a_hair_early_is_a_note() -> None:
    found = [f for f in findings([track(frames=SECONDS * RATE - 480), *others()]) if f.code == "length.short"]
    assert [f.action for f in found] == [NOTE]
    found = [f for f in findings([track(frames=SECONDS * RATE - 481), *others()]) if f.code == "length.short"]
    assert [f.action for f in found] == [FIX]


def test_a_long_file_says_by_how_much() -> None:
    found = one("length.long", [track(frames=SECONDS * RATE + 4800), *others()])
    assert (found.action, found.evidence) == (FIX, {"ms": pytest.approx(100.0), "frames": 4800})
    assert "length.long" not in codes([track(frames=SECONDS * RATE + 480), *others()])
    assert "length.long" not in codes(
        [track(frames=SECONDS * RATE + 4800), *others()], brief=brief(length={"equal": False})
    )


def test_two_files_of_two_lengths_differ() -> None:
    pair = [track(f"{n} Part{'ab'[n]}.wav", frames=(30 + n) * RATE, last_sound_frame=20 * RATE) for n in range(2)]
    found = one("length.ends-differ", pair)
    assert (len(found.files), found.evidence["ms"]) == (2, pytest.approx(1000.0))
    assert "length.ends-differ" not in codes(pair[:1])
    still_sounding = replace(EXTENT, tail_levels_dbfs=(-9.0,) * 8)
    sounding = replace(pair[1], measures=replace(pair[1].measures, extent=still_sounding))  # type: ignore[type-var]
    assert "length.ends-differ" not in codes([pair[0], sounding])


@pytest.mark.parametrize(("room_s", "found"), [(1.99, True), (2.0, False)])
def test_room_at_the_end(room_s: float, found: bool) -> None:
    last = SECONDS * RATE - 1 - round(room_s * RATE)
    asked = brief(length={"tail_seconds": 2.0})
    assert ("length.tail-room" in codes([track(last_sound_frame=last), *others()], brief=asked)) is found


@pytest.mark.parametrize(("idle_s", "found"), [(30.1, True), (29.9, False)])
def test_thirty_seconds_of_silence_at_the_end(idle_s: float, found: bool) -> None:
    last = SECONDS * RATE - 1 - round(idle_s * RATE)
    files = [track(t.path, first_sound_frame=RATE, last_sound_frame=last) for t in others()]
    assert ("length.idle-tail" in codes(files)) is found
    if found:
        assert one("length.idle-tail", files).evidence["ms"] == pytest.approx(idle_s * 1000, abs=0.1)


def test_a_truncated_file_absorbs_what_follows_from_it() -> None:
    whole = track(frames=20 * RATE, first_sound_frame=0, last_sound_frame=20 * RATE - 1, tail_levels_dbfs=(-20.0,) * 8)
    cut = Track(
        path=whole.path,
        role=whole.role,
        format=whole.format,
        measures=whole.measures,
        damage=Damage(problem=Phrase("sound.ends-early"), remedy=Phrase("ask.again")),
    )
    (found,) = findings([cut, *others()])
    assert found.code == "content.damaged"
    assert {f.code for f in found.consequences} == {"start.at-sound", "length.short", "length.tail-cut"}


def test_files_that_end_at_one_moment_are_reported_once() -> None:
    short = [track(f"{n} Part.wav", frames=37 * RATE, last_sound_frame=30 * RATE) for n in range(3)]
    single = track("9 Other.wav", frames=36 * RATE, last_sound_frame=30 * RATE)
    found = of("length.short", findings([*short, single, *others(6)]))
    assert sorted(len(f.files) for f in found) == [1, 3]
    assert {f.action for f in found} == {Action.FIX}


WALTZ = SongFacts(
    title="Song", tempo_bpm=96.0, key="D", tempo_map=steady(96.0, (MeterStep(quarter=0.0, beats=3, unit=4),))
)


@pytest.mark.parametrize(("extra", "is_off"), [(0, False), (1, False), (2, True), (-1, False), (-2, True)])
def test_whole_bars_are_so_within_one_frame(extra: int, is_off: bool) -> None:
    files = others(frames=SECONDS * RATE + extra)  # sixteen bars at 96 BPM
    assert bool(of("length.not-bars", findings(files, brief=BARS))) is is_off
    if is_off:
        (found,) = of("length.not-bars", findings(files, brief=BARS))
        assert found.evidence["frames"] == extra
        assert found.evidence["ms"] == pytest.approx(extra / 48)


def test_bars_are_counted_in_the_songs_meter() -> None:
    # 40 s at 96 BPM are 64 quarters: sixteen bars of four, 21 1/3 of three
    (found,) = of("length.not-bars", findings(others(), facts=WALTZ, brief=BARS))
    assert (found.evidence["bars"], found.evidence["meter"]) == (pytest.approx(64 / 3), "3/4")


def test_bars_are_counted_through_changes_of_tempo() -> None:
    # 16 quarters at 120 BPM take 8 s, then 32 s at 60 BPM are 32 quarters: twelve bars
    changing = Timeline(tempos=(TempoStep(quarter=0.0, seconds=0.5), TempoStep(quarter=16.0, seconds=1.0)))
    facts = SongFacts(title="Song", tempo_bpm=120.0, key="D", tempo_map=changing, tempo_from="the MIDI file")
    assert of("length.not-bars", findings(others(), facts=facts, brief=BARS)) == []
    longer = others(frames=41 * RATE)
    (found,) = of("length.not-bars", findings(longer, facts=facts, brief=BARS))
    assert found.evidence["bars"] == pytest.approx(12.25)


def test_a_file_of_another_length_is_counted_in_bars_only_where_whole_bars_are_asked() -> None:
    eight_bars, with_tail = track(frames=20 * RATE), track("09 Loop.wav", frames=20 * RATE + 4800)
    wants = brief(length={"equal": False, "whole_bars": True})
    (found,) = of("length.loop-not-bars", findings([eight_bars, with_tail, *others()], brief=wants))
    assert (found.files, found.action) == ((with_tail.path,), Action.ASK)
    assert (found.evidence["frames"], found.evidence["bars"]) == (4800, pytest.approx(8.04))
    assert of("length.loop-not-bars", findings([eight_bars, with_tail, *others()])) == []


def test_where_whole_bars_are_asked_of_equal_files_one_cause_is_reported() -> None:
    found = findings([track(frames=20 * RATE + 4800), *others()], brief=brief(length={"whole_bars": True}))
    (loop,) = of("length.loop-not-bars", found)
    assert [f.code for f in loop.consequences] == ["length.short"]
    assert of("length.short", found) == []


CUT = (-20.0,) * 8


FADED = (-20.0, -22.0, -24.0, -26.0, -29.0, -33.0, -38.0, -45.0)


DYING = (-30.0, -30.1, -30.2, -30.3, -30.4, -30.5, -30.6, -30.7)


def test_equal_and_clean_files_raise_nothing() -> None:
    assert codes([track(), *others()]) == []


def test_sounding_at_the_first_frame_is_fine_in_a_file_of_full_length() -> None:
    assert codes([track(first_sound_frame=0), *others()]) == []


def test_trimmed_ends_without_a_common_length_are_mended_once() -> None:
    files = [replace_length(t, (20 + i) * RATE, first=5 * RATE) for i, t in enumerate(others(5))]
    (found,) = findings(files)
    assert (found.code, found.action, len(found.files)) == ("length.ends-differ", Action.FIX, 5)
    assert codes(files, brief=brief(length={"trimmed_ends": True})) == []


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
    assert ("length.not-bars" in codes(others(), facts=facts, brief=BARS)) is not whole


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


@pytest.mark.parametrize(("falls", "hard", "found"), [(2, 1, False), (20, 7, True), (20, 8, False), (1, 1, True)])
def test_who_ends_hard_throughout_is_not_cut_at_the_end(falls: int, hard: int, found: bool) -> None:
    """More than 0.35 of two falls and more are hard; with fewer there is no evidence (METHODS of the project)."""
    sounding = track(tail_levels_dbfs=(-12.0,) * 8, last_sound_frame=SECONDS * RATE - 1, falls=falls, hard_falls=hard)
    assert ("length.tail-cut" in codes([sounding, *others()])) is found


@pytest.mark.parametrize(
    ("falls", "hard", "stops", "found"), [(3, 0, 2, False), (3, 0, 1, True), (4, 0, 2, True), (9, 1, 2, False)]
)
def test_who_stops_dead_earlier_is_not_cut_at_the_end(falls: int, hard: int, stops: int, found: bool) -> None:
    """Two stops and more, unless four strokes and more all fell softly first (measured: docs/measures.md)."""
    sounding = track(
        tail_levels_dbfs=(-12.0,) * 8,
        last_sound_frame=SECONDS * RATE - 1,
        falls=falls,
        hard_falls=hard,
        stops=stops,
    )
    assert ("length.tail-cut" in codes([sounding, *others()])) is found
