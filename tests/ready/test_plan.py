"""The plan of a ready copy: what is done for each file, and what stays behind. Figures are worked out by hand."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import get_args

import pytest

from deep_tally.model.corrections import Corrections
from deep_tally.model.files import Damage, Role
from deep_tally.model.language import in_language
from deep_tally.model.phrase import Phrase
from deep_tally.model.ready import STEPS, ReadyChoices, Reason, Submix, Trouble
from deep_tally.names.plan import DEFAULT_PATTERN
from deep_tally.reply.ready_words import (
    REASONS,
    STEP_NAMES,
    TROUBLES,
    conflict_words,
    copy_words,
    proof_words,
)
from ready.planned import copy_of, out_of, plan_of, spans, step_of, steps
from tracks import RATE, SECONDS, brief, others, runs, song_of, stereo, track

WHOLE = SECONDS * RATE


def test_clean_files_are_copied_as_they_are_under_planned_names() -> None:
    plan = plan_of(track("1 kick drum.wav"))
    kick = copy_of(plan, "1 kick drum.wav")
    assert (kick.name, kick.frames, kick.channels, kick.bits) == ("01 Kick drum.wav", WHOLE, 1, 24)
    assert steps(kick) == []
    assert kick.is_exact
    assert (kick.offset_frames, kick.gain_db, kick.time_reference) == (0, 0.0, 0)
    assert spans(kick) == [(0, 0, WHOLE)]
    assert plan.conflicts == ()
    assert out_of(plan) == {"Song rough mix.wav": "role"}


def test_steps_are_said_in_one_order() -> None:
    hot = stereo("1 Pad.wav", levels=(-10.0, -120.0))
    plan = plan_of(hot, places={"1 Pad.wav": 480})
    found = [step.name for step in copy_of(plan, "1 Pad.wav").steps]
    assert found == sorted(found, key=STEPS.index)
    assert len(found) > 2


# -- where copies start and end --------------------------------------------------------------


def test_a_placed_file_is_padded_before_and_after_to_the_common_length() -> None:
    short = track("1 Horn.wav", frames=WHOLE - 10 * RATE, first_sound_frame=0, last_sound_frame=20 * RATE)
    copy = copy_of(plan_of(short, places={"1 Horn.wav": 4 * RATE}), "1 Horn.wav")
    assert spans(copy) == [(4 * RATE, 0, 30 * RATE)]
    assert (copy.offset_frames, copy.frames) == (4 * RATE, WHOLE)
    assert step_of(copy, "place").figures == {"frames": 4.0 * RATE, "by": "hand"}
    assert step_of(copy, "pad").figures == {"before": 4.0 * RATE, "after": 6.0 * RATE}
    assert copy.is_exact


def test_silence_past_the_common_end_is_trimmed_and_sound_there_moves_it_for_all() -> None:
    silent = track("1 Horn.wav", frames=WHOLE + 5 * RATE)
    plan = plan_of(silent)
    assert spans(copy_of(plan, "1 Horn.wav")) == [(0, 0, WHOLE)]
    assert step_of(copy_of(plan, "1 Horn.wav"), "trim").figures == {"before": 0.0, "after": 5.0 * RATE}
    sounding = track("1 Horn.wav", frames=WHOLE + 5 * RATE, last_sound_frame=WHOLE + 2 * RATE - 1)
    plan = plan_of(sounding)
    # A second more than the last sound, so that what dies away under the floor stays.
    assert {copy.frames for copy in plan.copies} == {WHOLE + 3 * RATE}
    assert spans(copy_of(plan, "1 Horn.wav")) == [(0, 0, WHOLE + 3 * RATE)]
    assert step_of(copy_of(plan, "02 Drum.wav"), "pad").figures == {"before": 0.0, "after": 3.0 * RATE}


@pytest.mark.parametrize(("first_sound", "start"), [(6 * RATE, 0), (5 * RATE, 0), (5 * RATE - 1, -5 * RATE)])
def test_a_place_before_zero_is_trimmed_where_only_silence_lies_there_and_moves_all_where_not(
    first_sound: int, start: int
) -> None:
    early = track("1 Horn.wav", first_sound_frame=first_sound)
    plan = plan_of(early, places={"1 Horn.wav": -5 * RATE})
    horn, drum = copy_of(plan, "1 Horn.wav"), copy_of(plan, "02 Drum.wav")
    assert horn.offset_frames == 0
    assert spans(horn)[0][:2] == (0, 5 * RATE if start == 0 else 0)
    assert drum.offset_frames == -start
    assert {copy.frames for copy in plan.copies} == {WHOLE - start}


def test_without_trimming_silence_before_zero_moves_the_start_too() -> None:
    early = track("1 Horn.wav", first_sound_frame=6 * RATE)
    plan = plan_of(early, places={"1 Horn.wav": -5 * RATE}, choices=ReadyChoices(off=("trim",)))
    assert copy_of(plan, "02 Drum.wav").offset_frames == 5 * RATE


def test_whole_bars_end_at_the_next_bar_line() -> None:
    # 96 BPM in four four: a bar takes 2.5 s, and 40 s are 16 of them; 41 s end in the 17th.
    files = [
        track(f"{n} Horn {'abcdef'[n]}.wav", frames=41 * RATE, sample_peak_by_channel_dbfs=(-8.0 - n,))
        for n in range(1, 6)
    ]
    asked = brief(length={"whole_bars": True})
    song = song_of(files, brief=asked)
    assert {copy.frames for copy in plan_of(song=song, brief=asked).copies} == {round(42.5 * RATE)}
    assert {copy.frames for copy in plan_of(song=song, brief=brief()).copies} == {41 * RATE}


def test_without_padding_a_copy_keeps_its_length_and_says_when_it_begins() -> None:
    short = track("1 Horn.wav", frames=WHOLE - 10 * RATE, first_sound_frame=0, last_sound_frame=20 * RATE)
    plan = plan_of(short, places={"1 Horn.wav": 4 * RATE}, choices=ReadyChoices(off=("pad",)))
    copy = copy_of(plan, "1 Horn.wav")
    assert (copy.frames, copy.offset_frames, copy.time_reference) == (30 * RATE, 4 * RATE, 4 * RATE)
    assert spans(copy) == [(0, 0, 30 * RATE)]


def test_without_placing_a_file_stays_where_it_starts() -> None:
    plan = plan_of(
        track("1 Horn.wav"), places={"1 Horn.wav": 480}, choices=ReadyChoices(off_for={"1 Horn.wav": ("place",)})
    )
    assert copy_of(plan, "1 Horn.wav").offset_frames == 0


def test_one_time_reference_the_earliest_where_all_have_one_else_none() -> None:
    stamped = [
        replace(t, format=replace(t.format, time_reference=3600 * RATE + 480 * n, frames=WHOLE - 480 * n))  # type: ignore[type-var]
        for n, t in enumerate(others(4))
    ]
    plan = plan_of(song=song_of(stamped, mix=False))
    assert {copy.time_reference for copy in plan.copies} == {3600 * RATE}
    assert [copy.offset_frames for copy in plan.copies] == [0, 480, 960, 1440]
    plan = plan_of(song=song_of([*stamped, track("9 Tuba.wav")], mix=False))
    assert {copy.time_reference for copy in plan.copies} == {0}


# -- what stays behind ------------------------------------------------------------------------


def test_what_nothing_places_is_left_out_until_it_is_placed() -> None:
    lost = track("1 Horn.wav", frames=8 * RATE, first_sound_frame=RATE, last_sound_frame=7 * RATE)
    plan = plan_of(lost)
    assert out_of(plan)["1 Horn.wav"] == "unplaced"
    assert plan.conflicts == ()
    placed = plan_of(lost, places={"1 Horn.wav": 10 * RATE})
    assert copy_of(placed, "1 Horn.wav").offset_frames == 10 * RATE


def test_a_file_that_begins_at_its_sound_is_not_padded_by_guessing() -> None:
    assert out_of(plan_of(track("1 Horn.wav", frames=20 * RATE, first_sound_frame=0)))["1 Horn.wav"] == "unplaced"


@pytest.mark.parametrize(
    ("lost", "reason"),
    [
        (track("1 Horn.wav", first_sound_frame=None, last_sound_frame=None, rms_dbfs=-math.inf), "silent"),
        (track("1 Horn.wav", role=Role.TRIGGER), "trigger"),
        (track("1 Horn.wav", role=Role.CLICK), "role"),
        (track("1 Horn.wav", role=Role.REFERENCE), "role"),
        (replace(track("1 Horn.wav"), format=None, measures=None), "damaged"),
        (
            replace(
                track("1 Horn.wav", claimed_frames=2 * WHOLE),
                damage=Damage(problem=Phrase("sound.ends-early"), remedy=Phrase("ask.again")),
            ),
            "damaged",
        ),
    ],
)
def test_files_that_no_copy_is_made_of(lost: object, reason: str) -> None:
    plan = plan_of(lost)  # type: ignore[arg-type]
    assert out_of(plan)["1 Horn.wav"] == reason
    assert len(plan.copies) == 4


# -- sides --------------------------------------------------------------------------------------


def test_same_sides_become_mono_and_say_how_to_pan_it() -> None:
    copy = copy_of(plan_of(stereo("1 Pad.wav", greatest_difference=0.0, levels=(-20.0, -20.0))), "1 Pad.wav")
    assert (copy.channels, copy.left_db, copy.right_db, copy.is_exact) == (1, 0.0, 0.0, True)
    assert copy.pieces[0].sides == (0,)
    figures = step_of(copy, "fold").figures
    # Constant power, -3 dB in the middle: both sides at 0 dB need 3.01 dB more there.
    assert figures["pan"] == pytest.approx(0.0)
    assert figures["pan_gain_db"] == pytest.approx(10 * math.log10(2))


@pytest.mark.parametrize(("levels", "kept", "side"), [((-20.0, -120.0), "left", 0), ((-120.0, -20.0), "right", 1)])
def test_the_side_that_sounds_is_kept(levels: tuple[float, float], kept: str, side: int) -> None:
    copy = copy_of(plan_of(stereo("1 Horn.wav", levels=levels)), "1 Horn.wav")
    assert (step_of(copy, "keep-side").figures, copy.pieces[0].sides) == ({"kept": kept}, (side,))
    assert {copy.left_db, copy.right_db} == {0.0, -math.inf}
    assert copy.left_db == (0.0 if kept == "left" else -math.inf)


@pytest.mark.parametrize("louder", [0, 1])
def test_a_panned_mono_sound_keeps_its_louder_side(louder: int) -> None:
    levels = (-20.0, -26.0) if louder == 0 else (-26.0, -20.0)
    panned = stereo("1 Horn.wav", levels=levels, residual_db=-90.0, correlation=1.0, greatest_difference=0.1)
    copy = copy_of(plan_of(panned), "1 Horn.wav")
    assert copy.pieces[0].sides == (louder,)
    assert (copy.left_db, copy.right_db) == ((0.0, pytest.approx(-6.0)) if louder == 0 else (pytest.approx(-6.0), 0.0))
    pan = step_of(copy, "fold").figures["pan"]
    # The sides are cosine and sine of the angle: their ratio is its tangent, here 6 dB.
    angle = math.atan2(*((10 ** (-6 / 20), 1.0) if louder == 0 else (1.0, 10 ** (-6 / 20))))
    assert pan == pytest.approx(angle / (math.pi / 4) - 1)


def test_without_folding_both_sides_stay() -> None:
    same = stereo("1 Pad.wav", greatest_difference=0.0, levels=(-20.0, -20.0))
    copy = copy_of(plan_of(same, choices=ReadyChoices(off=("fold",))), "1 Pad.wav")
    assert (copy.channels, steps(copy), copy.left_db) == (2, [], None)


def test_one_stereo_file_is_split_where_two_monos_are_asked() -> None:
    asked = brief(stereo="two-monos")
    plan = plan_of(stereo("1 Room.wav"), brief=asked)
    halves = [copy for copy in plan.copies if copy.sources == ("1 Room.wav",)]
    assert [copy.name for copy in halves] == ["01 Room L.wav", "01 Room R.wav"]
    assert [copy.pieces[0].sides for copy in halves] == [(0,), (1,)]


def test_several_files_become_one_with_or_without_them() -> None:
    voices = [track(f"{n} Choir {'ab'[n - 1]}.wav", sample_peak_by_channel_dbfs=(-18.0 - n,)) for n in (1, 2)]
    for keeps in (False, True):
        submix = Submix(name="Choir", members=tuple(v.path for v in voices), keeps_members=keeps)
        plan = plan_of(*voices, choices=ReadyChoices(submixes=(submix,)))
        (mixed,) = (copy for copy in plan.copies if len(copy.sources) == 2)
        assert (mixed.name, mixed.channels, mixed.is_exact) == ("Choir.wav", 2, False)
        assert [piece.sides for piece in mixed.pieces] == [(0, 0), (0, 0)]
        assert len(plan.copies) == (7 if keeps else 5)
    off = ReadyChoices(submixes=(submix,), off=("submix",))
    assert all(len(copy.sources) == 1 for copy in plan_of(*voices, choices=off).copies)


# -- levels -------------------------------------------------------------------------------------


def test_float_overs_turn_all_down_by_one_gain_into_the_window() -> None:
    over = track("1 Voice.wav", sample_format="float", bits=32, sample_peak_by_channel_dbfs=(2.0,), overs=runs(3))
    plan = plan_of(over)
    # To -6 dBFS, the window's upper end: 8 dB for every file.
    assert {round(copy.gain_db, 9) for copy in plan.copies} == {-8.0}
    voice, drum = copy_of(plan, "1 Voice.wav"), copy_of(plan, "02 Drum.wav")
    assert (voice.is_float, voice.bits, drum.is_float, drum.bits) == (True, 32, False, 24)
    assert not voice.is_exact
    untouched = plan_of(over, brief=brief(levels="untouched"))
    assert {round(copy.gain_db, 9) for copy in untouched.copies} == {-2.0}
    alone = plan_of(over, choices=ReadyChoices(off=("headroom",)))
    assert {copy.gain_db for copy in alone.copies} == {0.0}
    assert alone.conflicts == ()


def test_float_becomes_fixed_point_where_float_is_not_wanted_and_changes_anyway() -> None:
    over = track("1 Voice.wav", sample_format="float", bits=32, sample_peak_by_channel_dbfs=(2.0,), overs=runs(3))
    copy = copy_of(plan_of(over, brief=brief(sample_formats=("int",))), "1 Voice.wav")
    assert (copy.is_float, copy.bits) == (False, 24)
    assert step_of(copy, "depth").figures["dither"] == "tpdf"


def test_what_would_clip_in_fixed_point_is_a_conflict() -> None:
    over = track("1 Voice.wav", sample_format="float", bits=32, sample_peak_by_channel_dbfs=(2.0,), overs=runs(3))
    plan = plan_of(over, choices=ReadyChoices(off=("headroom",), depth="24"))
    assert [(c.trouble, c.name) for c in plan.conflicts] == [("over", "01 Voice.wav")]


def test_levels_taken_over_from_the_mix_are_set_and_never_clip() -> None:
    files = [track("1 Voice.wav", sample_peak_by_channel_dbfs=(-8.0,))]
    louder = Corrections(levels={"1 Voice.wav": (10 ** (12 / 20), 10 ** (12 / 20))})
    plan = plan_of(*files, corrections=louder)
    voice, drum = copy_of(plan, "1 Voice.wav"), copy_of(plan, "02 Drum.wav")
    # -8 + 12 = +4 dBFS: all are turned down by 4.
    assert (voice.gain_db, drum.gain_db) == (pytest.approx(8.0), pytest.approx(-4.0))
    assert step_of(voice, "balance").figures["db"] == pytest.approx(12.0)
    inverted = plan_of(*files, corrections=Corrections(levels={"1 Voice.wav": (-0.5, -0.5)}))
    assert copy_of(inverted, "1 Voice.wav").pieces[0].gain == pytest.approx(-0.5)
    assert not copy_of(inverted, "1 Voice.wav").is_exact


def test_an_offset_is_taken_off_the_side_that_has_it() -> None:
    off = track("1 Bass.wav", dc_offset=(0.02,))
    copy = copy_of(plan_of(off), "1 Bass.wav")
    assert [(o.side, o.after, o.before) for o in copy.pieces[0].offsets] == [(0, 0.02, 0.02)]
    assert step_of(copy, "dc").figures == {"share": 0.02}
    assert not copy.is_exact


# -- depth, rate, container ----------------------------------------------------------------------


def test_files_that_nothing_changes_keep_their_depth() -> None:
    for bits, stored in ((16, 16), (20, 24), (24, 24), (32, 32)):
        copy = copy_of(plan_of(track("1 Bass.wav", bits=bits, bits_in_use=16)), "1 Bass.wav")
        assert (copy.bits, copy.is_float, copy.is_exact) == (stored, False, True)
        assert "depth" not in steps(copy) or step_of(copy, "depth").figures["dither"] == "none"


def test_a_depth_that_is_wanted_is_dithered_only_where_bits_are_lost() -> None:
    narrow = copy_of(plan_of(track("1 Bass.wav"), choices=ReadyChoices(depth="16")), "1 Bass.wav")
    assert (narrow.bits, narrow.is_exact) == (16, False)
    assert step_of(narrow, "depth").figures["dither"] == "tpdf"
    wide = copy_of(plan_of(track("1 Bass.wav"), choices=ReadyChoices(depth="32f")), "1 Bass.wav")
    assert (wide.bits, wide.is_float, wide.is_exact) == (32, True, True)
    assert step_of(wide, "depth").figures["dither"] == "none"


def test_flac_takes_what_is_float_as_24_bits_or_refuses_it() -> None:
    own = track("1 Voice.wav", sample_format="float", bits=32)
    copy = copy_of(plan_of(own, choices=ReadyChoices(container="flac")), "1 Voice.wav")
    assert (copy.name, copy.bits, copy.is_float, copy.is_exact) == ("01 Voice.flac", 24, False, False)
    kept = plan_of(own, choices=ReadyChoices(container="flac", off=("depth",)))
    assert [c.trouble for c in kept.conflicts] == ["kind"]


def test_a_rate_is_converted_only_where_it_is_asked() -> None:
    odd = track(
        "1 Fiddle.wav", rate_hz=44_100, frames=44_100 * SECONDS, first_sound_frame=44_100, last_sound_frame=44_100 * 30
    )
    plan = plan_of(odd)
    assert (copy_of(plan, "1 Fiddle.wav").rate_hz, copy_of(plan, "1 Fiddle.wav").frames) == (44_100, 44_100 * SECONDS)
    plan = plan_of(odd, choices=ReadyChoices(rate_hz=48_000))
    copy = copy_of(plan, "1 Fiddle.wav")
    assert (copy.rate_hz, copy.frames, copy.is_exact) == (48_000, WHOLE, False)
    assert step_of(copy, "rate").figures == {"from_hz": 44_100.0, "to_hz": 48_000.0}
    assert copy_of(plan, "02 Drum.wav").is_exact


# -- words ---------------------------------------------------------------------------------------


def test_every_step_reason_and_trouble_has_words() -> None:
    assert set(STEP_NAMES) == set(STEPS)
    assert set(REASONS) == set(get_args(Reason))
    assert set(TROUBLES) == set(get_args(Trouble))


def test_what_happens_to_a_copy_is_one_line_with_figures() -> None:
    short = track("1 Horn.wav", frames=WHOLE - 10 * RATE, first_sound_frame=0, last_sound_frame=20 * RATE)
    copy = copy_of(plan_of(short, places={"1 Horn.wav": 4 * RATE}), "1 Horn.wav")
    said = "put 4 s later by hand; 4 s of silence before, 6 s after; was 1 Horn.wav"
    assert copy_words(copy) == said
    folded = copy_of(plan_of(stereo("01 Pad.wav", greatest_difference=0.0, levels=(-20.0, -20.0))), "01 Pad.wav")
    assert copy_words(folded) == "made mono: both sides are the same"
    over = track("01 Voice.wav", sample_format="float", bits=32, sample_peak_by_channel_dbfs=(2.0,), overs=runs(3))
    fixed = copy_of(plan_of(over, brief=brief(sample_formats=("int",))), "01 Voice.wav")
    assert copy_words(fixed) == "turned down by 8.0 dB with all others; saved with 24 bit, dithered"
    assert copy_words(copy_of(plan_of(), "02 Drum.wav")) == "copied as it is"
    with in_language("de"):
        assert copy_words(copy).startswith("4 s später gelegt, von Hand; davor 4 s Stille, danach 6 s")


def test_a_panned_sound_says_how_to_pan_it_again() -> None:
    panned = stereo("01 Horn.wav", levels=(-20.0, -26.0), residual_db=-90.0, correlation=1.0, greatest_difference=0.1)
    # tan of the angle is 10^(-6/20): 26.6 degrees, which is 41 % to the left; together 0.97 dB over one side.
    assert copy_words(copy_of(plan_of(panned), "01 Horn.wav")) == "made mono: pan it 41 % left and turn it up by 1.0 dB"


def test_what_stands_in_the_way_is_said_with_what_to_do() -> None:
    own = Corrections(names={"1 Horn.wav": "same", "02 Drum.wav": "same"})
    words = [conflict_words(conflict) for conflict in plan_of(track("1 Horn.wav"), corrections=own).conflicts]
    assert words[0] == (
        "Two copies would get the name “same.wav”: 1 Horn.wav and 02 Drum.wav. Give one of them a name of its own."
    )
    assert next(iter(proof_words(copies=1, error_dbfs=-math.inf, left=0))).startswith("The copy was read back")
    assert list(proof_words(copies=3, error_dbfs=-144.5, left=2)) == [
        "All 3 copies were read back: they are off by −144.5 dBFS at most, which is the rounding.",
        "The same checks still find 2 things to fix.",
    ]


# -- names ---------------------------------------------------------------------------------------


def test_names_that_clash_are_empty_or_too_long_stop_the_write() -> None:
    own = Corrections(names={"1 Horn.wav": "same", "02 Drum.wav": "SAME"})
    plan = plan_of(track("1 Horn.wav"), corrections=own)
    assert {(c.trouble, c.sources, c.others) for c in plan.conflicts} == {
        ("clash", ("1 Horn.wav",), ("02 Drum.wav",)),
        ("clash", ("02 Drum.wav",), ("1 Horn.wav",)),
    }
    long = plan_of(track("1 Horn.wav"), corrections=Corrections(names={"1 Horn.wav": "x" * 70}))
    assert [c.trouble for c in long.conflicts] == ["long"]
    empty = plan_of(track("1 Horn.wav"), corrections=Corrections(names={"1 Horn.wav": "..."}))
    assert [c.trouble for c in empty.conflicts] == ["empty"]


def test_two_kinds_of_one_name_clash_once_both_are_wav() -> None:
    files = [track("1 Horn.wav"), track("1 Horn.aif", sample_peak_by_channel_dbfs=(-9.0,))]
    plan = plan_of(*files, choices=ReadyChoices(off=("name",)))
    assert {c.trouble for c in plan.conflicts} == {"clash"}


def test_the_users_pattern_and_own_names_are_taken() -> None:
    plan = plan_of(
        track("1 Horn.wav"), corrections=Corrections(pattern="{part} {number}", names={"02 Drum.wav": "Mine"})
    )
    assert copy_of(plan, "1 Horn.wav").name == "Horn 01.wav"
    assert copy_of(plan, "02 Drum.wav").name == "Mine.wav"
    assert DEFAULT_PATTERN != "{part} {number}"
