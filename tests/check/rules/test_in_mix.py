"""What a rough mix says becomes findings; what it cannot say becomes none."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from check.found import ASK, FIX, NOTE
from deep_tally.check.registry import tally
from deep_tally.check.rules.in_mix import placed_by_mix
from deep_tally.check.rules.stamps import placements_of
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.comparison import Comparison, Contained, SumOf, Twin
from deep_tally.model.delivery import Delivery, SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Finding
from deep_tally.model.measures import FlatTops, Gap, Gaps, Runs
from deep_tally.model.mend import Mend
from deep_tally.model.mix_match import MatchedFile, MixMatch, Unaccounted
from deep_tally.model.placement import Placement
from deep_tally.model.statements import Statement
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.letter import write_letter
from deep_tally.reply.wording.speaker import Speaker
from deep_tally.views.lanes import placed_words
from tracks import RATE, ROUGH_MIX, SECONDS, others, song_of, stereo, track

SPAN = Unaccounted(start_s=10.0, stop_s=14.0, low_hz=200.0, high_hz=800.0, under_mix_db=9.0)


def matched(path: str, **changes: Any) -> MatchedFile:
    known: dict[str, Any] = {"presence": "in", "t": 200.0, "is_sure": True, "left_db": -6.0, "right_db": -6.0}
    return MatchedFile(path=path, **{**known, "error_db": 0.05, **changes})


def match_of(tracks: list[Track], changes: dict[str, dict[str, Any]] | None = None, **of_all: Any) -> MixMatch:
    files = tuple(matched(t.path, **(changes or {}).get(t.path, {})) for t in tracks if t.role.is_assessed)
    known: dict[str, Any] = {"verdict": "accounted", "null_db": -30.0, "worst_db": -20.0, "matched_share": 1.0}
    return MixMatch(mix=ROUGH_MIX.path, rate_hz=RATE, files=files, **{**known, "offset_frames": 0, **of_all})


def song_with(
    match: MixMatch, tracks: list[Track], placed_by_user: dict[str, int] | None = None, **changes: Any
) -> SongSet:
    song = replace(song_of(tracks), mix_match=match, **changes)
    return replace(song, placements=placements_of(song, placed_by_user or {}, DEFAULT_BRIEF))


def found(match: MixMatch, tracks: list[Track], code: str, **changes: Any) -> list[Finding]:
    return [f for f in tally(song_with(match, tracks, **changes), DEFAULT_BRIEF) if f.code == code]


SET = others(6)
FIRST = SET[0].path


# -- places -------------------------------------------------------------------------------------


@pytest.mark.parametrize(("frames", "placed"), [(4803, 4803), (-4803, -4803), (3, 3), (2, 0), (0, 0)])
def test_a_file_that_lies_elsewhere_in_the_mix_is_placed_there(frames: int, placed: int) -> None:
    match = match_of(SET, {FIRST: {"start_frames": frames}})
    song = song_with(match, SET)
    assert placed_by_mix(song, song.by_path[FIRST]) == placed
    assert song.placed_frames(song.by_path[FIRST]) == placed
    offsets = found(match, SET, "start.offset")
    assert [(f.files, f.action, f.evidence["offset_frames"], f.evidence["by"]) for f in offsets] == (
        [((FIRST,), FIX, placed, "mix")] if placed else []
    )
    assert all(f.mends[FIRST].params["by"] == "mix" for f in offsets)


@pytest.mark.parametrize(
    ("in_mix", "frames"),
    [
        ({"other_starts": (9600, 19200)}, 9600),
        ({"other_starts": (9598,)}, 9600),
        ({"other_starts": (9597,)}, None),
        ({"other_starts": (), "is_sure": False}, None),
        ({"other_starts": (9600,), "t": 11.9}, None),
        ({"other_starts": (9600,), "presence": "unsure"}, None),
    ],
)
def test_a_stamp_tells_the_places_of_a_loop_apart(in_mix: dict[str, Any], frames: int | None) -> None:
    """All files are as long: by itself such a stamp is taken for an old one."""
    tracks = [track(t.path, time_reference=0) for t in SET[1:]]
    loop = track(FIRST, time_reference=9600)
    match = match_of([loop, *tracks], {FIRST: {"is_sure": False, **in_mix}})
    placement = song_with(match, [loop, *tracks]).placements.get(FIRST)
    assert placement == (Placement(frames=9600, by="stamp") if frames else None)


def test_a_mix_that_begins_later_than_the_song_is_placed_so() -> None:
    mix = track("Mix of 96 kHz.wav", role=Role.ROUGH_MIX, rate_hz=2 * RATE, frames=2 * RATE * SECONDS)
    tracks = [*SET, mix]

    def placed(match: MixMatch) -> Placement | None:
        return song_with(replace(match, mix=mix.path), tracks).placements.get(mix.path)

    assert placed(match_of(tracks, offset_frames=480)) == Placement(frames=-960, by="mix")
    assert placed(match_of(tracks, offset_frames=0)) is None
    assert placed(match_of(tracks, offset_frames=480, verdict="unrelated")) is None
    match = replace(match_of(tracks, offset_frames=480), mix=mix.path)
    song = song_with(replace(match_of(tracks, offset_frames=480), mix=mix.path), tracks)
    assert placed_words(song.placements[mix.path], mix, song).endswith("by its files")
    by_hand = song_with(match, tracks, placed_by_user={mix.path: 7})
    assert by_hand.placements[mix.path] == Placement(frames=7, by="hand")


@pytest.mark.parametrize(
    "unsure",
    [{"is_sure": False}, {"t": 11.9}, {"presence": "unsure"}, {"presence": "absent"}],
)
def test_an_unsure_place_raises_nothing(unsure: dict[str, Any]) -> None:
    match = match_of(SET, {FIRST: {"start_frames": 4803, **unsure}})
    assert found(match, SET, "start.offset") == []


def test_frames_are_those_of_the_file() -> None:
    tracks = [track("01 Bass.wav", rate_hz=RATE * 2, frames=2 * RATE * SECONDS), *others(4)]
    match = match_of(tracks, {"01 Bass.wav": {"start_frames": RATE}})
    song = song_with(match, tracks)
    assert song.placed_frames(song.by_path["01 Bass.wav"]) == 2 * RATE


def test_the_users_word_counts_before_the_mix() -> None:
    song = song_with(match_of(SET, {FIRST: {"start_frames": 4803}}), SET)
    placed = placements_of(song, {FIRST: 99}, DEFAULT_BRIEF)
    assert placed[FIRST] == Placement(frames=99, by="hand")


def test_a_short_file_that_the_mix_places_is_not_asked_about() -> None:
    short = track("01 Bass.wav", frames=RATE * SECONDS // 2, first_sound_frame=0)
    tracks = [short, *others(5)]
    assert "start.at-sound" in [f.code for f in tally(song_of(tracks), DEFAULT_BRIEF)]
    there = match_of(tracks, {short.path: {"start_frames": RATE}})
    (at_sound,) = found(there, tracks, "start.at-sound")
    assert at_sound.action is FIX
    assert at_sound.mends[short.path].params == {"frames": float(RATE), "by": "mix"}
    assert found(match_of(tracks), tracks, "start.at-sound") == []  # it lies where it was sent


def test_files_that_were_all_normalised_get_their_levels_back_from_the_mix() -> None:
    tracks = [track(f"{n} Part{'abcdef'[n]}.wav", sample_peak_by_channel_dbfs=(-1.0,)) for n in range(6)]
    levels = {t.path: {"left_db": -6.0 - n, "right_db": -6.0 - n} for n, t in enumerate(tracks)}
    (fixed,) = found(match_of(tracks, levels), tracks, "headroom.normalised")
    assert fixed.action is FIX
    assert fixed.mends == {t.path: Mend("set-level", {"db": pytest.approx(-6.0 - n)}) for n, t in enumerate(tracks)}
    unsure = levels | {tracks[3].path: {"error_db": 0.8}}
    absent = levels | {tracks[3].path: {"presence": "absent"}}
    for match in (match_of(tracks, unsure), match_of(tracks, absent), match_of(tracks, levels, verdict="unsure")):
        (asked,) = found(match, tracks, "headroom.normalised")
        assert (asked.action, asked.mends) == (ASK, {})
    first = match_of(tracks[1:], levels)
    assert found(first, tracks, "headroom.normalised")[0].action is ASK


def test_of_a_wet_and_a_dry_part_it_says_which_is_in_the_mix() -> None:
    wet, dry = SET[0].path, SET[1].path
    comparison = Comparison(contained=(Contained(path=wet, inner=dry, gain_db=0.0),))
    for gone, there in ((dry, wet), (wet, dry)):
        match = match_of(SET, {gone: {"presence": "absent"}})
        (noted,) = found(match, SET, "content.not-in-mix", comparison=comparison)
        assert (noted.files, noted.evidence) == ((gone,), {"partner": there})
        delivery = Delivery(
            source=Path("Song"), name="Song", sets=(song_with(match, SET, comparison=comparison),), findings=(noted,)
        )
        assert f"{there}, with the same sound, is in it" in Speaker(delivery).evidence(noted)
    neither = match_of(SET, {wet: {"presence": "absent"}, dry: {"presence": "absent"}})
    assert [f.evidence for f in found(neither, SET, "content.not-in-mix", comparison=comparison)] == [{}, {}]


# -- levels -------------------------------------------------------------------------------------


@pytest.mark.parametrize(("moved", "told"), [(2.8, 2.8), (-4.0, -4.0), (2.6, None)])
def test_a_level_apart_from_the_others_is_noted(moved: float, told: float | None) -> None:
    match = match_of(SET, {FIRST: {"left_db": -6.0 + moved, "right_db": -6.0 + moved}})
    notes = found(match, SET, "content.level-moved")
    assert [(f.files, f.action, round(float(str(f.evidence["db"])), 6)) for f in notes] == (
        [((FIRST,), NOTE, told)] if told else []
    )


def test_a_mono_sound_in_two_channels_is_compared_with_mono_files() -> None:
    """A pan pot takes 3 dB off what is mono, also where that came as two channels that are the same."""
    wide = [stereo(f"{n} Pad{'abcd'[n]}.wav") for n in range(4)]
    same = stereo("9 Organ.wav", greatest_difference=0.0)
    mono = others(4)
    levels = {t.path: {"left_db": -9.0, "right_db": -9.0} for t in [same, *mono]}
    tracks = [*wide, *mono, same]
    assert found(match_of(tracks, levels), tracks, "content.level-moved") == []
    told = found(
        match_of(tracks, {**levels, same.path: {"left_db": -6.0, "right_db": -6.0}}), tracks, "content.level-moved"
    )
    assert [f.files for f in told] == [(same.path,)]


@pytest.mark.parametrize("tops", ["clip_runs", "flat_tops"])
def test_the_level_of_a_clipped_file_says_nothing(tops: str) -> None:
    runs = Runs(lengths={8: 3})
    clipped = track(FIRST, **{tops: runs if tops == "clip_runs" else FlatTops(runs=runs)})
    tracks = [clipped, *SET[1:]]
    match = match_of(tracks, {FIRST: {"left_db": -2.0, "right_db": -2.0}})
    assert found(match, tracks, "content.level-moved") == []
    assert found(match, SET, "content.level-moved") != []


LOUD = {FIRST: {"left_db": 0.0, "right_db": 0.0}}


def test_levels_say_nothing_where_every_file_has_its_own() -> None:
    apart = {t.path: {"left_db": -3.0 * n, "right_db": -3.0 * n} for n, t in enumerate(SET)}
    assert found(match_of(SET, apart), SET, "content.level-moved") == []


@pytest.mark.parametrize("verdict", ["unsure", "unrelated"])
def test_what_cannot_be_judged_claims_nothing(verdict: str) -> None:
    absent = {SET[1].path: {"presence": "absent"}}
    match = match_of(SET, LOUD | absent, verdict=verdict, spans=(SPAN,))
    for code in ("content.level-moved", "content.not-in-mix", "content.unaccounted", "length.set-short-of-mix"):
        assert found(match, SET, code) == []


def test_mono_files_are_held_against_mono_files() -> None:
    """A pan pot takes 3 dB of a mono file in the middle, and none of a stereo one."""
    pads = [stereo(f"{n} Pad.wav") for n in range(4)]
    changes = {t.path: {"left_db": -3.0, "right_db": -3.0} for t in pads}
    assert found(match_of([*SET, *pads], changes), [*SET, *pads], "content.level-moved") == []


def test_an_unsure_level_and_files_inside_each_other_are_left_out() -> None:
    assert found(match_of(SET, {FIRST: {**LOUD[FIRST], "error_db": 0.8}}), SET, "content.level-moved") == []
    inside = Comparison(contained=(Contained(path=SET[1].path, inner=FIRST, gain_db=-4.0),))
    assert found(match_of(SET, LOUD), SET, "content.level-moved", comparison=inside) == []
    assert len(found(match_of(SET, LOUD), SET, "content.level-moved")) == 1


# -- who plays, and who does not -----------------------------------------------------------------


def test_a_file_without_a_trace_is_noted_but_not_a_group_of_parts() -> None:
    match = match_of(SET, {FIRST: {"presence": "absent", "t": 0.0}})
    assert [f.files for f in found(match, SET, "content.not-in-mix")] == [(FIRST,)]
    group = Comparison(sums=(SumOf(path=FIRST, parts=((SET[1].path, 0.0), (SET[2].path, 0.0)), residual_db=-17.0),))
    assert found(match, SET, "content.not-in-mix", comparison=group) == []
    unsure = match_of(SET, {FIRST: {"presence": "unsure", "t": 5.0}})
    assert found(unsure, SET, "content.not-in-mix") == []


def test_a_stretch_that_no_file_gives_is_asked_about_once() -> None:
    later = replace(SPAN, start_s=20.0, stop_s=22.0)
    (asked,) = found(match_of(SET, spans=(SPAN, later)), SET, "content.unaccounted")
    assert (asked.action, asked.kind, asked.files) == (ASK, "question", ())
    assert asked.evidence == {
        "spans": 2,
        "start_s": 10.0,
        "stop_s": 14.0,
        "low_hz": 200.0,
        "high_hz": 800.0,
        "under_mix_db": 9.0,
        "seconds": 6.0,
        "mix": ROUGH_MIX.path,
    }


def test_times_are_those_of_the_files() -> None:
    (asked,) = found(match_of(SET, spans=(SPAN,), offset_frames=2 * RATE), SET, "content.unaccounted")
    assert (asked.evidence["start_s"], asked.evidence["stop_s"]) == (8.0, 12.0)


def test_what_the_client_has_announced_is_not_asked_for() -> None:
    awaited = (Statement(note="Notes.txt", words="the bandoneon follows", files=(), awaited=("bandoneon",)),)
    (noted,) = found(match_of(SET, spans=(SPAN,)), SET, "content.unaccounted", statements=awaited)
    assert noted.action is NOTE


def test_what_a_faulty_file_lost_explains_a_stretch() -> None:
    lost = track("01 Bass.wav", frames=RATE * 10, last_sound_frame=RATE * 10 - 1)
    assert found(match_of([lost, *SET], spans=(SPAN,)), [lost, *SET], "content.unaccounted") == []
    longer = replace(SPAN, stop_s=28.1)  # a file is missing for eight seconds after its end
    assert len(found(match_of([lost, *SET], spans=(longer,)), [lost, *SET], "content.unaccounted")) == 1
    just = replace(SPAN, stop_s=25.9)
    assert found(match_of([lost, *SET], spans=(just,)), [lost, *SET], "content.unaccounted") == []
    far = replace(SPAN, start_s=20.0, stop_s=25.0)
    assert len(found(match_of([lost, *SET], spans=(far,)), [lost, *SET], "content.unaccounted")) == 1


def with_gaps(*seconds: float) -> Track:
    places = tuple(
        Gap(frame=round(at * RATE), frames=480, kind="zeros", before_dbfs=-20.0, after_dbfs=-20.0) for at in seconds
    )
    return track("01 Bass.wav", gaps=Gaps(count=len(places), places=places))


def test_a_dropout_explains_the_second_around_it_and_the_rests_of_a_gate_nothing() -> None:
    dropped = with_gaps(11.0, 13.1)
    assert found(match_of([dropped, *SET], spans=(SPAN,)), [dropped, *SET], "content.unaccounted") == []
    once = with_gaps(11.0)
    longer = replace(SPAN, stop_s=14.5)
    assert len(found(match_of([once, *SET], spans=(longer,)), [once, *SET], "content.unaccounted")) == 1
    gated = with_gaps(*(1 + 0.25 * n for n in range(60)))
    assert len(found(match_of([gated, *SET], spans=(SPAN,)), [gated, *SET], "content.unaccounted")) == 1


def test_a_file_at_the_wrong_speed_is_asked_about_once() -> None:
    short = track(FIRST, frames=round(SECONDS * RATE * 0.9), first_sound_frame=3)
    tracks = [short, *SET[1:]]
    codes = [f.code for f in tally(song_with(match_of(tracks, {FIRST: {"speed": 44.1 / 48}}), tracks), DEFAULT_BRIEF)]
    assert [c for c in codes if c.startswith(("start.", "length.", "rate."))] == ["rate.wrong-speed"]
    codes = [f.code for f in tally(song_with(match_of(tracks), tracks), DEFAULT_BRIEF)]
    assert [c for c in codes if c.startswith(("start.", "length."))] != []


def test_nothing_is_claimed_while_files_were_not_looked_for() -> None:
    left_out = match_of(SET[1:], spans=(SPAN,), left_out=(FIRST,))
    assert found(left_out, SET, "content.unaccounted") == []
    twin = Twin(path=FIRST, other=SET[1].path, kind="exact", gain_db=0.0, offset_frames=0, residual_db=-140.0)
    assert len(found(left_out, SET, "content.unaccounted", comparison=Comparison(twins=(twin,)))) == 1


# -- speed --------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("rate", "speed", "words"),
    [
        (48_000, 44_100 / 48_000, "it is labelled 48 kHz, but fits the rough mix at 44.1 kHz"),
        (44_100, 48_000 / 44_100, "it is labelled 44.1 kHz, but fits the rough mix at 48 kHz"),
        (48_000, 1.0001, f"by its end it is {SECONDS * 0.1:.0f} ms late"),
        (48_000, 0.999, f"by its end it is {SECONDS:.0f} ms early"),
    ],
)
def test_a_file_that_runs_at_another_speed_is_asked_for_again(rate: int, speed: float, words: str) -> None:
    fast = track(FIRST, rate_hz=rate, frames=round(SECONDS * rate))
    tracks = [fast, *SET[1:]]
    changes = {FIRST: {"speed": speed, "start_frames": 480}}
    (asked,) = found(match_of(tracks, changes), tracks, "rate.wrong-speed")
    assert (asked.action, asked.files) == (ASK, (FIRST,))
    song = song_with(match_of(tracks, changes), tracks)
    delivery = Delivery(source=Path("x"), name="x", sets=(song,))
    assert words in Speaker(delivery).evidence(asked, FIRST)
    # Where it lies is known, but not to the sample, and no moving of it helps.
    assert placed_by_mix(song, fast) is None
    not_in_it = match_of(tracks, {FIRST: {"speed": speed, "presence": "unsure"}})
    assert found(not_in_it, tracks, "rate.wrong-speed") == []
    assert found(match_of(tracks), tracks, "rate.wrong-speed") == []


# -- set against mix -----------------------------------------------------------------------------


def mix_ending(seconds: float) -> Track:
    frames = round((seconds + 0.5) * RATE)
    return replace(track(ROUGH_MIX.path, role=ROUGH_MIX.role, frames=frames, last_sound_frame=round(seconds * RATE)))


@pytest.mark.parametrize(("over", "asked"), [(2.1, True), (1.9, False)])
def test_a_mix_that_sounds_on_after_the_last_file_is_asked_about(over: float, asked: bool) -> None:
    mix = mix_ending(SECONDS + over)
    song = replace(song_of([*SET, mix], mix=False), mix_match=match_of(SET))
    codes = [f.code for f in tally(song, DEFAULT_BRIEF)]
    assert ("length.set-short-of-mix" in codes) is asked


def test_files_that_sound_on_after_the_mix_are_noted() -> None:
    song = replace(song_of([*SET, mix_ending(SECONDS / 2)], mix=False), mix_match=match_of(SET))
    (noted,) = [f for f in tally(song, DEFAULT_BRIEF) if f.code == "length.set-past-mix"]
    assert noted.action is NOTE
    assert set(noted.files) == {t.path for t in SET}


@pytest.mark.parametrize(
    ("width_db", "right_db", "asked"),
    [(-6.0, -6.0, True), (-12.0, -6.0, False), (-6.0, -9.0, False)],
)
def test_mono_files_in_the_middle_make_no_wide_mix(width_db: float, right_db: float, asked: bool) -> None:
    wide = stereo(ROUGH_MIX.path)
    assert wide.measures is not None
    assert wide.measures.sides is not None
    sides = replace(wide.measures.sides, side_to_mid_db=width_db)
    mix = replace(wide, role=ROUGH_MIX.role, measures=replace(wide.measures, sides=sides))
    match = match_of(SET, {t.path: {"right_db": right_db} for t in SET})
    song = replace(song_of([*SET, mix], mix=False), mix_match=match)
    assert ("channels.all-mono" in [f.code for f in tally(song, DEFAULT_BRIEF)]) is asked
    with_stereo = replace(song_of([*SET, stereo("9 Pad.wav"), mix], mix=False), mix_match=match)
    assert "channels.all-mono" not in [f.code for f in tally(with_stereo, DEFAULT_BRIEF)]


def test_the_client_is_asked_about_the_whole_set_and_not_about_no_files() -> None:
    song = replace(song_of([*SET, mix_ending(SECONDS + 3)], mix=False), mix_match=match_of(SET, spans=(SPAN,)))
    delivery = Delivery(source=Path("Song"), name="Song", sets=(song,), findings=tally(song, DEFAULT_BRIEF))
    letter = to_text(write_letter(delivery))
    assert "Please export all files to the end of the song" in letter
    assert "Is there a part that was not sent?" in letter
    assert "0 files" not in letter
