"""Every condition of the plan, by what would go wrong without it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from deep_tally.check.registry import tally
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.comparison import Comparison, MixOf, Pair, SumOf
from deep_tally.model.corrections import Corrections
from deep_tally.model.decisions import Decided, Decision, DecisionKind
from deep_tally.model.delivery import Delivery, SongFacts, SongSet
from deep_tally.model.files import Role, Unchecked
from deep_tally.model.findings import Action, Finding
from deep_tally.model.phrase import Phrase
from deep_tally.model.ready import ReadyChoices, Submix
from deep_tally.ready.drafts import Draft, drafts_of
from deep_tally.ready.plan import plan_ready
from ready.planned import copy_of, out_of, plan_of, steps
from tracks import RATE, SECONDS, brief, others, runs, song_of, stereo, track

WHOLE = SECONDS * RATE


def found(code: str, *files: str, action: Action = Action.FIX, **evidence: Any) -> Finding:
    return Finding(code=code, action=action, files=files, song="Song", evidence=evidence)


def drafts(song: SongSet, *findings: Finding, paths: Sequence[str], **choices: Any) -> tuple[Draft, ...]:
    return drafts_of(song, paths, findings, ReadyChoices(**choices))


def test_an_end_a_hair_behind_a_bar_line_is_that_bar_line() -> None:
    # Ten bars of four at 93.7 BPM take 25.61366... s, which is no whole number of frames: rounded up, it is later.
    frames = math.ceil(10 * 4 * 60 / 93.7 * RATE)
    song = song_of(others(frames=frames, last_sound_frame=20 * RATE), facts=SongFacts(title="Song", tempo_bpm=93.7))
    asked = brief(length={"whole_bars": True})
    assert {copy.frames for copy in plan_of(song=song, brief=asked).copies} == {frames}


def split_pair() -> SongSet:
    left, right = (track(f"1 Room {side}.wav", sample_peak_by_channel_dbfs=(-9.0,)) for side in "LR")
    pair = Pair(left=left.path, right=right.path, level_correlation=0.98, correlation=0.2)
    song = song_of([left, right, *others()])
    return replace(song, comparison=Comparison(pairs=(pair,)))


def test_two_sides_that_are_joined_are_no_sum_and_have_one_name() -> None:
    plan = plan_of(song=split_pair())
    room = copy_of(plan, "1 Room L.wav")
    assert (room.sources, room.channels, room.is_exact) == (("1 Room L.wav", "1 Room R.wav"), 2, True)
    assert room.name == "01 Room.wav"
    apart = plan_of(song=split_pair(), choices=ReadyChoices(off=("join",)))
    assert copy_of(apart, "1 Room L.wav").name == "01 Room L.wav"


@pytest.mark.parametrize(
    ("kind", "is_copied"), [("meant", True), ("asked", False), ("answered", False), ("here", False)]
)
def test_only_what_is_meant_so_is_placed_where_it_lies(kind: DecisionKind, is_copied: bool) -> None:
    lost = track("1 Horn.wav", frames=8 * RATE, first_sound_frame=RATE, last_sound_frame=7 * RATE)
    song = song_of([lost, *others()])
    findings = tally(song, DEFAULT_BRIEF)
    decided = tuple(
        Decided(finding=f, decision=Decision(code=f.code, kind=kind)) for f in findings if f.code == "start.unplaced"
    )
    rest = tuple(f for f in findings if f.code != "start.unplaced")
    delivery = Delivery(source=Path("/x"), name="x", sets=(song,), findings=rest, decided=decided)
    plan = plan_ready(delivery, DEFAULT_BRIEF)
    assert ("1 Horn.wav" not in out_of(plan)) is is_copied


def test_copies_of_the_mix_groups_and_what_was_not_checked_stay_behind() -> None:
    mix, group, unread = track("1 Master.wav"), track("2 Drums group.wav", role=Role.GROUP), track("3 Horn.wav")
    unchecked = Unchecked(problem=Phrase("here.memory"), remedy=Phrase("do.again"))
    unread = replace(unread, format=None, measures=None, unchecked=unchecked)
    song = song_of([mix, group, unread, *others()])
    song = replace(
        song,
        comparison=Comparison(
            mixes=(MixOf(path=mix.path, members=("02 Drum.wav",), files=4, copy_of="Song rough mix.wav"),),
            sums=(SumOf(path=group.path, parts=(("02 Drum.wav", 0.0), ("03 Viola.wav", 0.0)), residual_db=-120.0),),
        ),
    )
    reasons = out_of(plan_of(song=song))
    assert (reasons[mix.path], reasons[group.path], reasons[unread.path]) == ("mix-copy", "group", "unchecked")


def test_a_pair_of_stereo_files_is_left_as_it_is() -> None:
    two = [stereo("1 Room L.wav"), stereo("1 Room R.wav")]
    song, paths = song_of([*two, *others()]), [t.path for t in two]
    for code in ("channels.split-pair", "channels.pair-same"):
        assert [d.sources for d in drafts(song, found(code, *paths), paths=paths)] == [(p,) for p in paths]


def test_clips_and_sides_of_files_that_stay_behind_make_nothing() -> None:
    song = song_of(others())
    clips = found("content.clips", "02 Drum.wav", "03 Viola.wav", action=Action.NOTE)
    assert [d.sources for d in drafts(song, clips, paths=["04 Horn.wav"])] == [("04 Horn.wav",)]
    same = found("channels.same", "02 Drum.wav")
    assert [d.sources for d in drafts(song, same, paths=["04 Horn.wav"])] == [("04 Horn.wav",)]


def test_clips_in_their_places_are_one_part_and_overlaps_are_sums() -> None:
    clips = [track(f"1 Horn {n}.wav", frames=4 * RATE, first_sound_frame=0, last_sound_frame=3 * RATE) for n in (1, 2)]
    noted = found("content.clips", *(c.path for c in clips), action=Action.NOTE)
    for second_s, is_exact in ((10, True), (7, False)):
        places = {clips[0].path: 4 * RATE, clips[1].path: second_s * RATE}
        song = song_of([*clips, *others()], places=places)
        delivery = Delivery(source=Path("/x"), name="x", sets=(song,), findings=(noted,))
        (horn,) = (c for c in plan_ready(delivery, DEFAULT_BRIEF).copies if len(c.sources) == 2)
        assert horn.is_exact is is_exact
        assert [piece.at for piece in horn.pieces] == [4 * RATE, second_s * RATE]
        assert horn.name == "01 Horn.wav"
        apart = plan_ready(delivery, DEFAULT_BRIEF, choices=ReadyChoices(off=("join-clips",)))
        assert all(len(c.sources) == 1 for c in apart.copies)


def test_a_submix_takes_mono_and_stereo_alone_and_needs_two() -> None:
    many = track("1 Surround.wav", channels=6)
    song = song_of([many, *others()])
    three = Submix(name="All", members=("1 Surround.wav", "02 Drum.wav", "03 Viola.wav"))
    made = drafts(song, paths=["1 Surround.wav", "02 Drum.wav", "03 Viola.wav"], submixes=(three,))
    assert [d.sources for d in made] == [("1 Surround.wav",), ("02 Drum.wav", "03 Viola.wav")]
    one = Submix(name="One", members=("02 Drum.wav", "gone.wav"))
    assert [d.name for d in drafts(song, paths=["02 Drum.wav"], submixes=(one,))] == [""]


def test_in_a_submix_a_folded_file_plays_as_it_was_sent() -> None:
    song = song_of([stereo("1 Horn.wav"), *others()])
    panned = found("channels.panned-mono", "1 Horn.wav", gain_db=-6.0)
    mix = Submix(name="Mix", members=("1 Horn.wav", "02 Drum.wav"))
    (made,) = drafts(song, panned, paths=["1 Horn.wav", "02 Drum.wav"], submixes=(mix,))
    assert made.sides == ((0, 1), (0, 0))


def over(path: str = "1 Voice.wav") -> Any:
    return track(path, sample_format="float", bits=32, sample_peak_by_channel_dbfs=(2.0,), overs=runs(3))


def test_a_file_that_is_not_to_be_turned_down_turns_down_no_other() -> None:
    plan = plan_of(over(), choices=ReadyChoices(off_for={"1 Voice.wav": ("headroom",)}))
    assert {copy.gain_db for copy in plan.copies} == {0.0}


def test_float_that_is_changed_may_go_over_full_scale() -> None:
    louder = Corrections(levels={"1 Voice.wav": (2.0, 2.0)})
    plan = plan_of(over(), corrections=louder, choices=ReadyChoices(off=("headroom",)))
    voice = copy_of(plan, "1 Voice.wav")
    assert (voice.is_float, voice.is_exact, plan.conflicts) == (True, False, ())


def test_an_offset_is_left_where_it_is_only_noted_or_comes_and_goes() -> None:
    off = stereo("1 Bass.wav", levels=(-20.0, -21.0))
    assert off.measures is not None
    off = replace(off, measures=replace(off.measures, dc_offset=(0.02, 0.01), dc_offset_steady=(True, False)))
    song = song_of([off, *others()])
    fixed = found("headroom.dc", off.path, share=0.02)
    delivery = Delivery(source=Path("/x"), name="x", sets=(song,), findings=(fixed,))
    piece = copy_of(plan_ready(delivery, DEFAULT_BRIEF), off.path).pieces[0]
    assert [(o.side, o.after) for o in piece.offsets] == [(0, 0.02)]
    noted = replace(delivery, findings=(replace(fixed, action=Action.NOTE),))
    assert steps(copy_of(plan_ready(noted, DEFAULT_BRIEF), off.path)) == []


def test_what_was_lossy_is_no_exact_copy() -> None:
    lossy = track("1 Horn.mp3", container="mp3", sample_format="lossy", bits=None)
    copy = copy_of(plan_of(lossy), "1 Horn.mp3")
    assert (copy.is_exact, copy.bits, copy.is_float) == (False, 24, False)


def test_songs_have_folders_of_their_own_where_there_are_several() -> None:
    one, two = song_of(others(2)), replace(song_of(others(2)), name="Other: song")
    delivery = Delivery(source=Path("/x"), name="x", sets=(one, two))
    plan = plan_ready(delivery, DEFAULT_BRIEF)
    assert [copy.name.split("/")[0] for copy in plan.copies] == ["Song", "Song", "Other- song", "Other- song"]
    assert [song.folder for song in plan.songs] == ["Song/", "Other- song/"]
    assert plan.conflicts == ()
