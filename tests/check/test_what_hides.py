"""Findings of what hides, on chosen measures: thresholds, what absorbs what, confidence, and one cause told once."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from deep_tally.check.registry import CODES, _as_sure, tally
from deep_tally.intake.facts import read_facts
from deep_tally.model.comparison import Comparison, Held, Pair, SumOf, Twin
from deep_tally.model.delivery import SongFacts, SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding, Kind
from deep_tally.model.measures import (
    BandSides,
    Density,
    FlatTops,
    Gap,
    Gaps,
    Lag,
    OffsetStep,
    Run,
    SpectralEdge,
    Spectrum,
    ValueGrid,
)
from tracks import DEFAULT_BRIEF, RATE, brief, findings, others, runs, song_of, stereo, track


def of(code: str, found: tuple[Finding, ...]) -> list[Finding]:
    return [f for f in found if f.code == code]


def related(comparison: Comparison, *tracks: Track, **modified: float) -> tuple[Finding, ...]:
    song = song_of(tracks)
    return tally(replace(song, comparison=comparison), DEFAULT_BRIEF)


# -- clipping -----------------------------------------------------------------------------------


def tops(count: int, *, dbfs: float = -4.0, share: float = 0.2) -> FlatTops:
    return FlatTops(runs=runs(*[9] * count), dbfs=dbfs, share=share)


@pytest.mark.parametrize(("count", "action"), [(1, None), (2, Action.NOTE), (9, Action.NOTE), (10, Action.ASK)])
def test_how_many_flat_tops_make_a_question(count: int, action: Action | None) -> None:
    found = of("clipping.earlier", findings([track(flat_tops=tops(count)), *others()]))
    assert [f.action for f in found] == ([action] if action else [])


def test_few_flat_tops_in_three_files_are_asked_about_together() -> None:
    files = [track(f"{n} Part.wav", flat_tops=tops(3)) for n in "abc"]
    found = of("clipping.earlier", findings([*files, *others()]))
    assert {f.action for f in found} == {Action.ASK}
    assert {f.kind for f in found} == {"question"}


def test_flat_tops_that_are_the_waveform_or_lie_at_full_scale_are_silent() -> None:
    assert of("clipping.earlier", findings([track(flat_tops=tops(500, share=0.95)), *others()])) == []
    full = track(flat_tops=tops(50, dbfs=0.0), clip_runs=runs(9, 9))
    assert of("clipping.earlier", findings([full, *others()])) == []
    floating = track(flat_tops=tops(50, dbfs=0.0), sample_format="float", bits=32, bits_in_use=32)
    assert len(of("clipping.earlier", findings([floating, *others()]))) == 1


def test_a_square_wave_at_full_scale_is_a_note() -> None:
    samples = 400 * 0.05 * RATE  # all that sounds
    long = track(clip_runs=replace(runs(*[200] * 40), lengths={200: int(samples / 200)}))
    (finding,) = of("clipping.baked", findings([long, *others()]))
    assert finding.action is Action.NOTE
    assert finding.evidence["share"] == pytest.approx(1.0)


def test_a_passage_that_three_files_share_is_told_with_its_time() -> None:
    at = Run(frame=7 * RATE + 11, frames=5, channel=0)
    files = [
        track(f"{n} Part.wav", clip_runs=replace(runs(4, 4), places=(*runs(4, 4).places[:n], at))) for n in range(3)
    ]
    found = of("clipping.baked", findings([*files, *others(6)]))
    assert [f.evidence["at_once"] for f in found] == [3, 3, 3]
    assert [f.evidence["at_once_frame"] for f in found] == [at.frame] * 3


def _clipped(name: str, *frames: int, **changes: Any) -> Track:
    places = tuple(Run(frame=frame, frames=5, channel=0) for frame in frames)
    return track(name, clip_runs=replace(runs(*[5] * len(frames)), places=places), **changes)


def _together(files: list[Track], **options: Any) -> list[tuple[object, object]]:
    found = of("clipping.baked", findings([*files, *others(6)], **options))
    return [(f.evidence["at_once"], f.evidence["at_once_frame"]) for f in found]


def test_a_passage_is_shared_wherever_it_falls_in_the_second() -> None:
    # Within 0.1 s of each other, on both sides of a tenth of a second.
    frames = [RATE // 10 * 73 + late for late in (-100, 0, 100)]
    files = [_clipped(f"{n} Part.wav", frame) for n, frame in enumerate(frames)]
    assert _together(files) == [(3, frame) for frame in frames]


@pytest.mark.parametrize(("apart_s", "together"), [(0.0999, 3), (0.1001, None)])
def test_a_passage_is_as_long_as_a_tenth_of_a_second(apart_s: float, together: int | None) -> None:
    frames = [10 * RATE, 10 * RATE, 10 * RATE + round(apart_s * RATE)]
    found = _together([_clipped(f"{n} Part.wav", frame) for n, frame in enumerate(frames)])
    assert [n for n, _ in found] == [together] * 3


def test_the_passage_most_files_share_is_told_not_the_first() -> None:
    files = [_clipped(f"{n} Part.wav", 2 * RATE, 9 * RATE) for n in range(3)] + [_clipped("4 Part.wav", 9 * RATE)]
    assert _together(files) == [(4, 9 * RATE)] * 4
    # Of passages with as many files it is the first.
    files = [_clipped(f"{n} Part.wav", 2 * RATE, 9 * RATE) for n in range(3)]
    assert _together(files) == [(3, 2 * RATE)] * 3


def test_a_passage_is_shared_in_the_song_not_in_the_files() -> None:
    files = [_clipped(f"{n} Part.wav", 7 * RATE) for n in range(2)] + [_clipped("3 Late.wav", 2 * RATE)]
    assert _together(files) == [(None, None)] * 3
    assert _together(files, places={"3 Late.wav": 5 * RATE}) == [(3, 7 * RATE), (3, 7 * RATE), (3, 2 * RATE)]


def test_overs_tell_the_sets_greatest_so_that_one_gain_fits_all() -> None:
    files = [
        track(f"{n} Voice.wav", sample_format="float", bits=32, overs=runs(3), sample_peak_by_channel_dbfs=(peak,))
        for n, peak in enumerate((0.7, 2.9))
    ]
    found = of("clipping.over", findings([*files, *others()]))
    assert [(f.evidence["db"], f.evidence["set_db"]) for f in found] == [(0.7, 2.9), (2.9, 2.9)]


# -- depth and rate -----------------------------------------------------------------------------


def test_sixteen_bits_that_were_turned_down_are_padded() -> None:
    grid = ValueGrid(step=2.0**-15 * 0.7, bits=16, gain_db=-3.1)
    (finding,) = of("depth.padded", findings([track(value_grid=grid), *others()]))
    assert (finding.evidence["bits"], finding.evidence["gain_db"]) == (16, -3.1)


def with_edge(hz: float, drop_db: float = 40.0, **changes: object) -> Track:
    spectrum = Spectrum(bin_hz=11.7, levels_db=np.zeros(9, np.float16), edge=SpectralEdge(edge_hz=hz, drop_db=drop_db))
    return track(spectrum=spectrum, **changes)


@pytest.mark.parametrize(
    ("hz", "drop", "rate", "code", "action"),
    [
        (10_600, 40, 48_000, "rate.upsampled", Action.ASK),
        (15_400, 40, 48_000, "rate.upsampled", Action.ASK),
        (21_500, 40, 48_000, "rate.upsampled", Action.NOTE),
        (21_500, 40, 96_000, "rate.upsampled", Action.ASK),
        (10_600, 22, 48_000, "rate.upsampled", Action.NOTE),
        (16_600, 40, 48_000, "content.lossy-origin", Action.ASK),
        (19_000, 40, 44_100, "content.lossy-origin", Action.ASK),
        (16_600, 22, 44_100, "content.lossy-origin", Action.NOTE),
        (12_700, 60, 44_100, None, None),
        (8_000, 60, 48_000, None, None),
    ],
)
def test_an_edge_is_told_by_where_it_lies(
    hz: float, drop: float, rate: int, code: str | None, action: Action | None
) -> None:
    found = findings([with_edge(hz, drop, rate_hz=rate, frames=40 * rate), *others(rate_hz=rate, frames=40 * rate)])
    edges = [f for f in found if f.code in ("rate.upsampled", "content.lossy-origin")]
    assert [(f.code, f.action) for f in edges] == ([(code, action)] if code else [])


def test_an_edge_that_most_of_the_set_shares_is_asked_about_once() -> None:
    files = [with_edge(21_500 + n, path=f"{n} Part.wav") for n in range(4)]
    (finding,) = of("rate.upsampled", findings([*files, *others(2)]))
    assert finding.action is Action.ASK
    assert len(finding.files) == 4


# -- headroom -----------------------------------------------------------------------------------

HELD = Density(
    sounding=300, near_peak_share=0.6, near_peak_step_db=0.6, crest_db=7.0, active_windows=9000, window_frames=48
)


def test_a_level_that_is_held_is_a_note_and_a_steady_one_nothing() -> None:
    assert [f.action for f in of("headroom.limited", findings([track(density=HELD), *others()]))] == [Action.NOTE]
    for steady in ({"near_peak_step_db": 0.05}, {"sounding": 12}, {"near_peak_share": 0.2}):
        assert of("headroom.limited", findings([track(density=replace(HELD, **steady)), *others()])) == []


def test_three_held_at_one_ceiling_are_one_request_that_absorbs_their_limiting() -> None:
    files = [track(f"{n} Part.wav", density=HELD, sample_peak_by_channel_dbfs=(-1.0 + n / 100,)) for n in range(3)]
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


def test_a_step_of_the_zero_line_is_told_with_its_place() -> None:
    step = OffsetStep(frame=3 * RATE, channel=0, before=0.0, after=0.04)
    (finding,) = of("headroom.dc", findings([track(offset_step=step), *others()]))
    assert finding.places[0].frame == 3 * RATE
    assert (finding.evidence["share_before"], finding.evidence["share"]) == (0.0, 0.04)


# -- channels -----------------------------------------------------------------------------------


def band(low: int, high: int, loss: float, share: float = -3.0) -> BandSides:
    return BandSides(low_hz=low, high_hz=high, correlation=-0.9, mono_loss_db=loss, share_db=share)


def test_a_band_that_cancels_is_asked_about_when_it_matters() -> None:
    (finding,) = of("channels.opposed", findings([stereo(bands=(band(20, 150, -18.0),)), *others()]))
    assert (finding.evidence["band_low_hz"], finding.evidence["band_high_hz"]) == (20, 150)
    assert of("channels.opposed", findings([stereo(bands=(band(20, 150, -18.0, share=-35.0),)), *others()])) == []


def test_sides_that_differ_by_a_delay_are_nearly_mono() -> None:
    lag = Lag(frames=-19, correlation=0.9999, residual_db=-44.0)
    (finding,) = of("channels.near-mono", findings([stereo(lag=lag), *others()]))
    assert finding.evidence["frames"] == -19
    assert of("channels.near-mono", findings([stereo(lag=replace(lag, residual_db=-9.0)), *others()])) == []


def test_two_performances_in_one_file_are_noted() -> None:
    apart = {"correlation": 0.02, "level_correlation": 0.1, "residual_db": 0.0}
    assert len(of("channels.unrelated", findings([stereo(**apart), *others()]))) == 1
    assert of("channels.unrelated", findings([stereo(**{**apart, "level_correlation": 0.8}), *others()])) == []


def test_a_split_pair_is_joined_noted_or_left_by_how_it_moves() -> None:
    left, right = track("1 Room L.wav"), track("2 Room R.wav")
    pair = Pair(left=left.path, right=right.path, level_correlation=0.9, correlation=0.1)
    (finding,) = of("channels.split-pair", related(Comparison(pairs=(pair,)), left, right, *others()))
    assert (finding.action, finding.files) == (Action.FIX, (left.path, right.path))
    apart = Comparison(pairs=(replace(pair, level_correlation=0.2),))
    assert [f.action for f in of("channels.split-pair", related(apart, left, right, *others()))] == [Action.NOTE]
    song = replace(song_of([left, right, *others()]), comparison=Comparison(pairs=(pair,)))
    assert of("channels.split-pair", tally(song, brief(stereo="two-monos"))) == []


# -- content ------------------------------------------------------------------------------------


def gaps(*frames: int, kind: str = "zeros", every: int = 5 * RATE + 333, spread: int = 977) -> Gaps:
    places = [
        Gap(frame=RATE + n * every + (n * n * spread), frames=f, kind=kind, before_dbfs=-20.0, after_dbfs=-21.0)  # type: ignore[arg-type]
        for n, f in enumerate(frames)
    ]
    return Gaps(count=len(places), places=tuple(places))


def dropouts(found: Gaps) -> list[tuple[Action, Kind | None]]:
    return [(f.action, f.kind) for f in of("content.dropout", findings([track(gaps=found), *others()]))]


def test_short_single_gaps_are_asked_about_long_ones_noted_and_rests_left_alone() -> None:
    assert dropouts(gaps(64)) == [(Action.ASK, "request")]
    assert dropouts(gaps(64, 480, 900)) == [(Action.ASK, "request")]
    assert dropouts(gaps(4800)) == [(Action.NOTE, None)]
    assert dropouts(gaps(*[400] * 30)) == [(Action.NOTE, None)], "so many are no accident"
    assert dropouts(gaps(*[400] * 6, spread=0)) == [(Action.NOTE, None)], "nor are those at one interval"
    assert dropouts(gaps(*[4000] * 30)) == [], "the rests of a gate"
    assert dropouts(gaps(*[30] * 40, kind="held")) == [], "the steps of a square wave"


def test_a_few_stray_clicks_are_no_sound() -> None:
    clicks = Density(sounding=3, active_windows=4, window_frames=48)
    (finding,) = of("content.empty", findings([track(density=clicks), *others()]))
    assert finding.evidence["clicks_ms"] == pytest.approx(4.0)
    assert (finding.action, finding.kind) == (Action.ASK, "question")


def test_twins_absorb_what_their_names_and_holding_say() -> None:
    one, other = track("1 Bass.wav"), track("2 bass.wav")
    twin = Twin(path=other.path, other=one.path, kind="exact", gain_db=0.0, offset_frames=0, residual_db=-150.0)
    found = related(
        Comparison(twins=(twin,), held=(Held(path=one.path, held=other.path, gain_db=0.0),)), one, other, *others()
    )
    (finding,) = of("content.twin", found)
    assert (finding.action, finding.kind, finding.files) == (Action.ASK, "question", (one.path, other.path))
    assert {a.code for a in finding.consequences} >= {"name.clash"}
    assert of("name.clash", found) == []


def test_groups_and_wet_parts_hold_others_by_their_nature() -> None:
    dry, wet = track("1 Voice dry.wav"), track("2 Voice wet.wav")
    drums, group = track("3 Snare.wav"), track("4 Drums group.wav", role=Role.GROUP)
    odd, inner = track("5 Keys.wav"), track("6 Harp.wav")
    held = tuple(Held(path=a.path, held=b.path, gain_db=-6.0) for a, b in ((wet, dry), (group, drums), (odd, inner)))
    found = related(Comparison(held=held), dry, wet, drums, group, odd, inner, *others())
    assert [f.files for f in of("content.holds-another", found)] == [(odd.path,)]


def test_a_sum_names_its_parts() -> None:
    total = track("9 All.wav")
    rest = others()
    parts = tuple((t.path, -6.0) for t in rest)
    (finding,) = of(
        "content.sum-of",
        related(Comparison(sums=(SumOf(path=total.path, parts=parts, residual_db=-110.0),)), total, *rest),
    )
    assert finding.action is Action.NOTE
    assert finding.evidence["parts"] == tuple(t.path for t in rest)


def two_exports(**second: object) -> list[Finding]:
    first = others(4)
    late = [
        track(
            f"{n} Late.wav",
            rms_dbfs=-31.0 - n,
            loudness_lufs=-32.0 - n,
            sample_peak_by_channel_dbfs=(-12.3 - n,),
            **second,
        )
        for n in range(20, 23)
    ]
    song: SongSet = song_of([*first, *late])
    written = {t.path: 1000.0 for t in first} | {t.path: 90_000.0 for t in late}
    return of("content.two-exports", tally(replace(song, modified_s=written), DEFAULT_BRIEF))


def test_two_exports_are_told_where_two_marks_divide_the_set_alike() -> None:
    (finding,) = two_exports(bits=32, sample_format="float", bits_in_use=32)
    assert set(finding.evidence["by"]) >= {"format", "time"}  # type: ignore[arg-type]
    assert finding.action is Action.NOTE
    assert len(finding.files) == 3
    assert two_exports() == [], "time alone is no reason"


# -- set sense ----------------------------------------------------------------------------------


def test_files_that_end_at_one_moment_are_told_once() -> None:
    short = [track(f"{n} Part.wav", frames=37 * RATE, last_sound_frame=30 * RATE) for n in range(3)]
    single = track("9 Other.wav", frames=36 * RATE, last_sound_frame=30 * RATE)
    found = of("length.short", findings([*short, single, *others(6)]))
    assert sorted(len(f.files) for f in found) == [1, 3]
    assert {f.action for f in found} == {Action.FIX}


@pytest.mark.parametrize(
    ("confidence", "action"), [(0.49, None), (0.5, Action.NOTE), (0.79, Action.NOTE), (0.8, Action.ASK)]
)
def test_confidence_decides_how_much_a_finding_weighs(confidence: float, action: Action | None) -> None:
    sure = _as_sure(Finding(code="clipping.earlier", action=Action.ASK, kind="question", confidence=confidence))
    assert (sure.action if sure else None) == action
    assert sure is None or (sure.kind is not None) == (action is Action.ASK)


def test_the_documentation_explains_every_code_and_every_threshold() -> None:
    from pathlib import Path

    from deep_tally.model.thresholds import THRESHOLDS

    docs = Path(__file__).parents[2] / "docs"
    sections = {s.split("\n", 1)[0]: s for s in (docs / "findings.md").read_text("utf-8").split("\n### ")[1:]}
    assert set(sections) == set(CODES)
    for label in ("Means", "Measured", "Threshold and source", "Action"):
        assert all(f"- **{label}:** " in s for s in sections.values()), label
    table = (docs / "brief.md").read_text("utf-8")
    for name, threshold in THRESHOLDS.items():
        assert f"| `{name}` | {threshold.default:g} | {threshold.unit} | {threshold.source} |" in table


# -- what is said and what comes along ----------------------------------------------------------


def test_a_tempo_stated_differently_is_asked_about() -> None:
    facts = SongFacts(
        title="Song", tempo_bpm=96.0, key="D minor", tempos=(("the folder's name", 96.0), ("the notes", 98.0))
    )
    (finding,) = of("name.facts-differ", findings(others(), facts=facts))
    assert (finding.action, finding.kind) == (Action.ASK, "question")
    assert finding.evidence["stated"] == ("96 BPM in the folder's name", "98 BPM in the notes")
    for same in (96.2, 48.0, 192.0):
        agreeing = replace(facts, tempos=(("the folder's name", 96.0), ("the notes", same)))
        assert of("name.facts-differ", findings(others(), facts=agreeing)) == []


def test_keys_are_one_however_they_are_spelt() -> None:
    facts = SongFacts(title="Song", tempo_bpm=96.0, key="C# minor")
    same = replace(facts, keys=(("the folder's name", "C# minor"), ("the MIDI file", "Db minor")))
    assert of("name.facts-differ", findings(others(), facts=same)) == []
    other = replace(facts, keys=(("the folder's name", "C# minor"), ("the MIDI file", "D minor")))
    assert len(of("name.facts-differ", findings(others(), facts=other))) == 1


def test_a_loops_own_tempo_is_not_the_songs() -> None:
    names = ["01 Bass.wav", "02 Loop 120 BPM.wav", "03 Keys.wav"]
    assert [t for _, t in read_facts("Song 96 BPM", names, ()).tempos] == [96.0]
    named = [f"0{n} Part 100 BPM.wav" for n in range(1, 5)]
    assert [t for _, t in read_facts("Song 96 BPM", named, ()).tempos] == [96.0, 100.0]


@pytest.mark.parametrize(
    ("pattern", "stem", "fits"),
    [
        ("{number} {part}", "03 Lute", True),
        ("{number} {part}", "03_Lute low", True),
        ("{number} {part}", "Lute", False),
        ("{song} - {part}", "Salt Road - Lute", True),
        ("{song} - {part}", "Lute", False),
        ("{part} {tempo}", "Lute 96 BPM", True),
        ("{part} {tempo}", "Lute fast", False),
    ],
)
def test_a_name_follows_the_briefs_pattern_or_not(pattern: str, stem: str, fits: bool) -> None:
    found = of("name.pattern", findings([track(f"{stem}.wav")], brief=brief(names={"pattern": pattern})))
    assert [f.action for f in found] == ([] if fits else [Action.FIX])


def test_the_few_without_the_number_that_all_others_have_are_told() -> None:
    odd = track("Lute extra.wav", sample_peak_by_channel_dbfs=(-17.0,), rms_dbfs=-39.0, loudness_lufs=-40.0)
    (finding,) = of("name.pattern", findings([odd, *others(6)]))
    assert finding.files == (odd.path,)
    assert of("name.pattern", findings([odd, *others(2)])) == []


def test_what_the_brief_needs_and_did_not_come_is_asked_for_once() -> None:
    needs = brief(needs={"references": True, "midi": True, "documents": True, "stamps": True})
    (finding,) = of("content.companion-missing", findings(others(), brief=needs))
    assert finding.evidence["missing"] == ("a reference", "the MIDI", "notes", "time stamps in the files")
    song = replace(song_of([*others(), track("ref.wav", role=Role.REFERENCE)]), companions=frozenset({Role.MIDI}))
    (finding,) = of("content.companion-missing", tally(song, needs))
    assert finding.evidence["missing"] == ("notes", "time stamps in the files")
    assert of("content.companion-missing", findings(others())) == []


def test_groups_where_every_track_was_asked_and_the_reverse() -> None:
    groups = [track(f"{n} group.wav", role=Role.GROUP) for n in ("Drums", "Keys", "Voices")]
    (finding,) = of("content.scope", findings(groups))
    assert len(finding.files) == 3
    assert of("content.scope", findings([*groups, *others(4)])) == []
    assert len(of("content.scope", findings(others(), brief=brief(scope="groups")))) == 1
    assert of("content.scope", findings(groups, brief=brief(scope="groups"))) == []


def test_two_rates_alone_are_no_two_exports_though_their_frames_differ() -> None:
    half = [
        track(
            f"2{n} Late.wav",
            rate_hz=44_100,
            frames=40 * 44_100,
            rms_dbfs=-31.0 - n,
            loudness_lufs=-32.0 - n,
            sample_peak_by_channel_dbfs=(-12.3 - n,),
        )
        for n in range(4)
    ]
    assert of("content.two-exports", findings([*others(4), *half])) == []
