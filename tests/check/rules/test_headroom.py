"""Headroom: the window of -30 to -6 dBFS is common practice; levels shared by a set; limiting; offsets."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest

from check.found import ASK, FIX, JUST_LIMITED, NOTE, actions_of, all_of, delivery, of, one, peak
from deep_tally.check.assess import in_requested_roles
from deep_tally.check.rules.headroom import nearest
from deep_tally.model.files import Role
from deep_tally.model.findings import Action
from deep_tally.model.measures import (
    DcOffsetStep,
    Density,
)
from deep_tally.session.brief_library import shipped_briefs
from tracks import (
    RATE,
    ROUGH_MIX,
    brief,
    codes,
    findings,
    others,
    track,
)


def test_a_hot_file_says_by_how_much_and_where() -> None:
    found = one("headroom.hot", [peak(-2.0), *others()])
    assert found.evidence == {"dbfs": -2.0, "db": pytest.approx(4.0), "by": "peak"}
    assert [p.frame for p in found.places] == [10 * RATE]
    assert "headroom.hot" not in codes([peak(-5.0), *others()])


def test_the_level_that_is_further_out_is_reported() -> None:
    asked = brief(rms_window_dbfs=[-30.0, -18.0])
    found = one("headroom.hot", [peak(-4.0, rms_dbfs=-12.0), *others()], brief=asked)
    assert (found.evidence["by"], found.evidence["db"]) == ("rms", pytest.approx(6.0))
    found = one("headroom.quiet", [peak(-31.0, rms_dbfs=-45.0), *others()], brief=asked)
    assert (found.evidence["by"], found.evidence["db"]) == ("rms", pytest.approx(15.0))


@pytest.mark.parametrize(("dbfs", "action", "bits"), [(-24.0, NOTE, 12.0), (-24.9, ASK, 11.9)])
def test_twelve_bits_under_the_peak_are_enough(dbfs: float, action: Action, bits: float) -> None:
    # Sixteen bits less 6.02 dB each.
    asked = brief(bits_min=16, peak_window_dbfs=[-20.0, -6.0])
    found = one("headroom.quiet", [peak(dbfs, bits=16, bits_in_use=16), *others()], brief=asked)
    assert (found.action, found.evidence["bits"]) == (action, pytest.approx(bits))
    assert found.evidence["floor_dbfs"] == -math.inf


def test_the_nearest_levels_are_those_within_the_spread() -> None:
    levels = [(value, track(f"{n}.wav")) for n, value in enumerate((-9.0, -3.0, -3.05, -3.1, -1.0, -3.11))]
    assert [v for v, _ in nearest(levels, 0.1)] == [-3.11, -3.1, -3.05]
    assert [v for v, _ in nearest(levels, 0.11)] == [-3.11, -3.1, -3.05, -3.0]
    assert [v for v, _ in nearest(levels, 0.0)] == [-9.0]
    assert nearest([], 1.0) == []


@pytest.mark.parametrize(
    ("field", "spread", "found"),
    [("peak", 0.099, True), ("peak", 0.101, False), ("rms", 0.299, True), ("rms", 0.301, False)],
)
def test_how_near_levels_are_one(field: str, spread: float, found: bool) -> None:
    files = []
    for n in range(5):
        value = -9.0 - spread * n / 4
        own = {"sample_peak_by_channel_dbfs": (value,)} if field == "peak" else {"rms_dbfs": value - 8}
        own.setdefault("sample_peak_by_channel_dbfs", (-7.0 - n,))
        files.append(track(f"{n} Part{'abcde'[n]}.wav", **{"rms_dbfs": -11.0 - n, "loudness_lufs": -12.0 - n, **own}))
    assert ("headroom.normalised" in codes(files)) is found


@pytest.mark.parametrize(
    ("peaks", "found"),
    [
        ((-1.0, -1.0), True),
        ((-1.0, -1.00001), False),
        ((-6.0, -6.0), True),
        ((-6.1, -6.1), False),
    ],
)
def test_two_exact_peaks_near_full_scale(peaks: tuple[float, float], found: bool) -> None:
    files = [
        track(f"{n} Part{'ab'[n]}.wav", sample_peak_by_channel_dbfs=(p,), rms_dbfs=-30.0 - n)
        for n, p in enumerate(peaks)
    ]
    assert ("headroom.same-peak" in codes([*files, *others(6)])) is found


@pytest.mark.parametrize(
    ("changes", "held"),
    [
        ({}, True),
        ({"sounding": 19}, False),
        ({"near_peak_step_db": 0.24}, False),
        ({"near_peak_share": 0.5}, False),
        ({"near_peak_share": 0.31, "crest_db": 8.9}, True),
        ({"near_peak_share": 0.3, "crest_db": 8.9}, False),
        ({"near_peak_share": 0.31, "crest_db": 9.0}, False),
    ],
)
def test_a_held_level(changes: dict[str, float], held: bool) -> None:
    assert ("headroom.limited" in codes([track(density=replace(JUST_LIMITED, **changes)), *others()])) is held


@pytest.mark.parametrize(
    ("peaks", "found"),
    [((-0.5, -0.52, -0.54), True), ((-0.5, -0.52), False), ((-0.5, -0.52, -0.56), False), ((-3.0, -3.0, -3.0), False)],
)
def test_a_ceiling_that_three_files_share(peaks: tuple[float, ...], found: bool) -> None:
    files = [
        track(
            f"{n} Part{'abc'[n]}.wav",
            density=JUST_LIMITED,
            sample_peak_by_channel_dbfs=(p,),
            true_peak_dbtp=p,
            rms_dbfs=-30.0 - n,
        )
        for n, p in enumerate(peaks)
    ]
    ceilings = [f for f in all_of([*files, *others(7)]) if f.code == "headroom.shared-ceiling"]
    assert bool(ceilings) is found
    if found:
        assert ceilings[0].evidence == {"dbfs": pytest.approx(-0.52), "files": 3}


@pytest.mark.parametrize(
    ("offset", "steady", "found"),
    [(0.00101, True, True), (0.00099, True, False), (0.1, False, False), (-0.00101, True, True)],
)
def test_an_offset_over_minus_sixty(offset: float, steady: bool, found: bool) -> None:
    assert ("headroom.dc" in codes([track(dc_offset=(offset,), dc_offset_steady=(steady,)), *others()])) is found


def test_a_step_of_the_zero_line_is_marked() -> None:
    step = DcOffsetStep(frame=3 * RATE, channel=0, before=0.001, after=0.02)
    found = one("headroom.dc", [track(dc_offset_step=step), *others()])
    assert (found.action, found.evidence) == (FIX, {"share": 0.02, "share_before": 0.001})
    assert [(p.frame, p.frames, p.channel) for p in found.places] == [(3 * RATE, 1, 0)]


@pytest.mark.parametrize(
    ("peak", "expected"),
    [(-5.01, []), (-4.9, [("headroom.hot", FIX)]), (-29.9, []), (-30.1, [("headroom.quiet", NOTE)])],
)
def test_the_window(peak: float, expected: list[tuple[str, Action]]) -> None:
    assert actions_of([track(sample_peak_by_channel_dbfs=(peak,)), *others()]) == expected


def test_quiet_files_of_16_bits_are_asked_for() -> None:
    file = track(sample_peak_by_channel_dbfs=(-35.0,), bits=16, bits_in_use=16)
    assert ("headroom.quiet", ASK) in actions_of([file, *others()], brief=brief(bits_min=16))


def test_levels_as_in_the_rough_mix_make_hot_a_note() -> None:
    file = track(sample_peak_by_channel_dbfs=(-1.0,))
    assert actions_of([file, *others()], brief=brief(levels="as-rough-mix")) == [("headroom.hot", NOTE)]


@pytest.mark.parametrize("by", ["peak", "rms", "loudness"])
def test_one_level_for_all_is_asked_about_once(by: str) -> None:
    field = {"peak": "sample_peak_by_channel_dbfs", "rms": "rms_dbfs", "loudness": "loudness_lufs"}[by]
    same = {field: (-9.0,) if by == "peak" else -20.0}
    (found,) = findings([*others(5, **same), track(loudness_lufs=-30.0, rms_dbfs=-28.0)])
    assert (found.code, found.action, found.evidence["by"], len(found.files)) == ("headroom.normalised", ASK, by, 5)
    assert codes([*others(4, **same), track(loudness_lufs=-30.0, rms_dbfs=-28.0)]) == []


def test_a_constant_offset_is_taken_out_here() -> None:
    (found,) = findings([track(dc_offset=(-0.002,)), *others()])
    assert (found.code, found.action, found.evidence["share"]) == ("headroom.dc", FIX, -0.002)
    assert codes([track(dc_offset=(0.0009,)), *others()]) == []


LIMITED = Density(
    sounding=300, near_peak_share=0.6, near_peak_step_db=0.6, crest_db=7.0, active_windows=9000, window_frames=48
)


def test_a_level_that_is_held_is_a_note_and_a_steady_one_nothing() -> None:
    assert [f.action for f in of("headroom.limited", findings([track(density=LIMITED), *others()]))] == [Action.NOTE]
    for steady in ({"near_peak_step_db": 0.05}, {"sounding": 12}, {"near_peak_share": 0.2}):
        assert of("headroom.limited", findings([track(density=replace(LIMITED, **steady)), *others()])) == []


def test_three_held_at_one_ceiling_are_one_request_that_absorbs_their_limiting() -> None:
    files = [track(f"{n} Part.wav", density=LIMITED, sample_peak_by_channel_dbfs=(-1.0 + n / 100,)) for n in range(3)]
    found = findings([*files, *others()])
    (ceiling,) = of("headroom.shared-ceiling", found)
    assert (ceiling.action, len(ceiling.files)) == (Action.ASK, 3)
    assert of("headroom.limited", found) == []
    assert {a.code for a in ceiling.consequences} >= {"headroom.limited"}
    lower = [replace(f, measures=replace(f.measures, sample_peak_by_channel_dbfs=(-9.0,))) for f in files if f.measures]
    assert of("headroom.shared-ceiling", findings([*lower, *others()])) == []


def test_an_rms_window_is_checked_where_the_brief_has_one() -> None:
    asked = brief(rms_window_dbfs=[-24.0, -18.0])
    loud = track(rms_dbfs=-12.0)
    assert of("headroom.hot", findings([loud, *others()])) == []
    (finding,) = of("headroom.hot", findings([loud, *others(rms_dbfs=-20.0)], brief=asked))
    assert (finding.evidence["by"], finding.evidence["db"]) == ("rms", pytest.approx(6.0))


@pytest.mark.parametrize(("bits", "action"), [(24, Action.NOTE), (16, Action.ASK)])
def test_quiet_is_judged_by_the_bits_that_are_left(bits: int, action: Action) -> None:
    quiet = track(sample_peak_by_channel_dbfs=(-40.0,), bits_in_use=bits)
    (finding,) = of("headroom.quiet", findings([quiet, *others()]))
    assert finding.action is action
    assert finding.evidence["bits"] == pytest.approx(bits - 6.6, abs=0.1)


def test_a_step_of_the_zero_line_is_reported_with_its_place() -> None:
    step = DcOffsetStep(frame=3 * RATE, channel=0, before=0.0, after=0.04)
    (finding,) = of("headroom.dc", findings([track(dc_offset_step=step), *others()]))
    assert finding.places[0].frame == 3 * RATE
    assert (finding.evidence["share_before"], finding.evidence["share"]) == (0.0, 0.04)


def test_a_mix_for_mastering_is_asked_all_nine_questions() -> None:
    mastering = next(b for b in shipped_briefs() if b.scope == "mix")
    hot = replace(ROUGH_MIX, path="Tidewrack.wav")
    assert hot.measures is not None
    hot = replace(hot, measures=replace(hot.measures, sample_peak_by_channel_dbfs=(0.5,), true_peak_dbtp=0.6))
    assessed = delivery([hot], mastering)
    assert [t.role for t in assessed.tracks] == [Role.MIX]
    found = {f.code for f in assessed.findings}
    assert "headroom.hot" in found
    assert not {"content.no-rough-mix", "name.generic"} & found
    assert in_requested_roles([hot], brief())[0].role is Role.ROUGH_MIX


@pytest.mark.parametrize(("dbfs", "found"), [(-1.05, False), (-0.95, True), (-0.05, True)])
def test_a_mix_for_mastering_has_no_slack(dbfs: float, found: bool) -> None:
    mastering = next(b for b in shipped_briefs() if b.scope == "mix")
    assert mastering.peak_window_dbfs[1] == -1.0
    mix = replace(ROUGH_MIX, path="Tidewrack.wav")
    assert mix.measures is not None
    mix = replace(mix, measures=replace(mix.measures, sample_peak_by_channel_dbfs=(dbfs,), true_peak_dbtp=dbfs))
    assert ("headroom.hot" in {f.code for f in delivery([mix], mastering).findings}) is found
