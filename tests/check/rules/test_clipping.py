"""Clipping: how many runs and flat tops make which finding, on chosen measures."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from check.found import ASK, FIX, NOTE, all_of, of, one, verdicts
from deep_tally.check.registry import as_sure
from deep_tally.check.rules.clipping import cuts_of, files_at_once
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.delivery import Track
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import (
    Ceiling,
    FlatTops,
    Run,
    Runs,
)
from tracks import (
    RATE,
    SECONDS,
    brief,
    codes,
    findings,
    others,
    runs,
    song_of,
    track,
)

FULL = {"sample_peak_by_channel_dbfs": (0.0,)}


@pytest.mark.parametrize(("count", "confidence"), [(9, 0.85), (10, 0.99)])
def test_ten_runs_are_clear(count: int, confidence: float) -> None:
    assert verdicts(track(clip_runs=runs(*[4] * count), **FULL), "clipping.baked") == [(ASK, confidence)]


def test_a_wave_that_is_flat_most_of_the_time_is_a_square() -> None:
    # 400 stretches of 50 ms sound: 960,000 samples, half of which are 480,000.
    for samples, action in ((480_001, NOTE), (479_999, ASK)):
        clipped = Runs(
            lengths={samples: 1},
            places=(Run(frame=0, frames=samples, channel=0),),
            longest=Run(frame=0, frames=samples, channel=0),
        )
        found = one("clipping.baked", [track(clip_runs=clipped, **FULL), *others()])
        assert (found.action, found.evidence["share"]) == (action, pytest.approx(0.5, abs=1e-5))
        assert found.evidence["ms"] == pytest.approx(samples / 48)


def flat(count: int, **changes: Any) -> FlatTops:
    return FlatTops(**{"runs": runs(*[8] * count), "dbfs": -4.0, "share": 0.2, **changes})


@pytest.mark.parametrize(
    ("tops", "sample_format", "found"),
    [
        (flat(1), "int", []),
        (flat(2), "int", [(NOTE, 0.7)]),
        (flat(9), "int", [(NOTE, 0.7)]),
        (flat(10), "int", [(ASK, 0.9)]),
        (flat(10, share=0.89), "int", [(ASK, 0.9)]),
        (flat(10, share=0.9), "int", []),
        (flat(10, dbfs=-0.011), "int", [(ASK, 0.9)]),
        (flat(10, dbfs=-0.009), "int", []),
        (flat(10, dbfs=-0.009), "float", [(ASK, 0.9)]),
    ],
)
def test_flat_tops(tops: FlatTops, sample_format: str, found: list[tuple[Action, float]]) -> None:
    bits = {"bits": 32, "bits_in_use": 32} if sample_format == "float" else {}
    assert verdicts(track(flat_tops=tops, sample_format=sample_format, **bits), "clipping.earlier") == found


def test_flat_tops_in_three_files_are_surer() -> None:
    def sure(files: int) -> set[float]:
        flats = [track(f"{n} Part{'abc'[n]}.wav", flat_tops=flat(2), rms_dbfs=-30.0 - n) for n in range(files)]
        return {f.confidence for f in all_of([*flats, *others(6)]) if f.code == "clipping.earlier"}

    assert (sure(2), sure(3)) == ({0.7}, {0.9})


def clipped_at(path: str, *frames: int, rate: int = RATE) -> Track:
    places = tuple(Run(frame=frame, frames=4, channel=0) for frame in frames)
    found = Runs(lengths={4: len(frames)}, places=places, longest=places[0])
    return track(path, clip_runs=found, rate_hz=rate, frames=SECONDS * rate)


def test_at_once_is_within_a_tenth_of_a_second_of_the_song() -> None:
    near = [clipped_at(f"{n} P.wav", RATE + n * 2300) for n in range(3)]  # 0, 48 and 96 ms
    shared = files_at_once(song_of(near), DEFAULT_BRIEF)
    assert shared == {"0 P.wav": (3, RATE), "1 P.wav": (3, RATE + 2300), "2 P.wav": (3, RATE + 4600)}
    far = [clipped_at(f"{n} P.wav", RATE + n * 2500) for n in range(3)]  # 0, 52 and 104 ms
    assert files_at_once(song_of(far), DEFAULT_BRIEF) == {}
    assert files_at_once(song_of(near[:2]), DEFAULT_BRIEF) == {}
    other_rate = [clipped_at("0 P.wav", RATE), clipped_at("1 P.wav", 44_100, rate=44_100), clipped_at("2 P.wav", RATE)]
    assert files_at_once(song_of(other_rate), DEFAULT_BRIEF)["1 P.wav"] == (3, 44_100)


def test_of_passages_with_as_many_files_the_first_counts() -> None:
    files = [clipped_at(f"{n} P.wav", RATE, 9 * RATE) for n in range(3)]
    assert set(files_at_once(song_of(files), DEFAULT_BRIEF).values()) == {(3, RATE)}
    more = [*files, clipped_at("3 P.wav", 9 * RATE)]
    assert set(files_at_once(song_of(more), DEFAULT_BRIEF).values()) == {(4, 9 * RATE)}


def test_the_highest_over_of_the_set_is_reported_with_each() -> None:
    def over(path: str, dbfs: float) -> Track:
        return track(
            path, sample_format="float", bits=32, bits_in_use=32, overs=runs(3, 5), sample_peak_by_channel_dbfs=(dbfs,)
        )

    found = [f for f in all_of([over("1 A.wav", 1.0), over("2 B.wav", 2.5), *others(6)]) if f.code == "clipping.over"]
    assert [(f.evidence["db"], f.evidence["set_db"], f.evidence["runs"], f.places_total) for f in found] == [
        (1.0, 2.5, 2, 2),
        (2.5, 2.5, 2, 2),
    ]
    assert [f.evidence["flat_tops"] for f in found] == [0, 0]


def test_three_samples_at_full_scale_clip_and_two_do_not() -> None:
    full = {"sample_peak_by_channel_dbfs": (0.0,), "true_peak_dbtp": 0.4}
    (found,) = findings([track(clip_runs=runs(3, 2, 9), **full), *others()])
    assert (found.code, found.action, found.places_total) == ("clipping.baked", ASK, 2)
    assert found.evidence["longest_run"] == 9
    assert [p.frames for p in found.places] == [3, 9]
    assert {f.code for f in found.consequences} == {"clipping.between-samples", "headroom.hot"}
    assert "clipping.baked" not in codes([track(clip_runs=runs(2, 2, 1), **full), *others()])


def test_the_brief_moves_the_run_without_a_new_measure() -> None:
    files = [track(clip_runs=runs(3, 5)), *others()]
    assert "clipping.baked" not in codes(files, brief=brief(thresholds={"clipping.baked.run": 6}))
    assert findings(files, brief=brief(thresholds={"clipping.baked.run": 4}))[0].evidence["runs"] == 1


def test_a_float_file_over_full_scale_is_turned_down_here() -> None:
    file = track(bits=32, sample_format="float", bits_in_use=32, overs=runs(4, 7), sample_peak_by_channel_dbfs=(2.3,))
    found = {f.code: f for f in findings([file, *others()])}
    assert (found["clipping.over"].action, found["clipping.over"].evidence["db"]) == (FIX, 2.3)
    assert "headroom.hot" not in found


@pytest.mark.parametrize(("true", "sample", "expected"), [(0.3, -0.1, True), (0.0, -0.1, False), (0.3, 0.5, False)])
def test_between_samples(true: float, sample: float, expected: bool) -> None:
    file = track(true_peak_dbtp=true, sample_peak_by_channel_dbfs=(sample,))
    assert ("clipping.between-samples" in codes([file, *others()])) is expected


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


def test_a_passage_that_three_files_share_is_reported_with_its_time() -> None:
    at = Run(frame=7 * RATE + 11, frames=5, channel=0)
    files = [
        track(f"{n} Part.wav", clip_runs=replace(runs(4, 4), places=(*runs(4, 4).places[:n], at))) for n in range(3)
    ]
    assert _together(files) == [(3, at.frame)] * 3


def _clipped(name: str, *frames: int, **changes: Any) -> Track:
    places = tuple(Run(frame=frame, frames=5, channel=0) for frame in frames)
    return track(name, clip_runs=replace(runs(*[5] * len(frames)), places=places), **changes)


def _together(files: list[Track], **options: Any) -> list[tuple[object, object]]:
    found = of("clipping.baked", findings([*files, *others(6)], **options))
    each = [f.evidence_of(path) for f in found for path in f.files]
    return [(evidence["at_once"], evidence["at_once_frame"]) for evidence in each]


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


def test_the_passage_most_files_share_is_reported_not_the_first() -> None:
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


@pytest.mark.parametrize(
    ("confidence", "action"), [(0.49, None), (0.5, Action.NOTE), (0.79, Action.NOTE), (0.8, Action.ASK)]
)
def test_confidence_decides_how_much_a_finding_weighs(confidence: float, action: Action | None) -> None:
    sure = as_sure(Finding(code="clipping.earlier", action=Action.ASK, kind="question", confidence=confidence))
    assert (sure.action if sure else None) == action
    assert sure is None or (sure.kind is not None) == (action is Action.ASK)


CEILING = Ceiling(
    dbfs=-0.3,
    samples=100,
    near=110,
    touching=90,
    close=90,
    corner=1.2,
    cycle_share=0.2,
    runs=Runs(
        lengths={3: 30}, places=(Run(frame=500, frames=3, channel=0),), longest=Run(frame=500, frames=3, channel=0)
    ),
)


def test_what_bends_over_towards_its_tops_was_clipped_softly() -> None:
    tops = FlatTops(runs=runs(*[9] * 20), dbfs=-3.0, share=0.2)
    for corner, found in ((1.69, True), (1.7, False), (None, True)):
        assert ("clipping.earlier" in codes([track(flat_tops=replace(tops, corner=corner)), *others()])) is found


@pytest.mark.parametrize(
    ("ceiling", "tops", "action"),
    [
        (1.2, None, ASK),
        (1.7, None, NOTE),
        (None, None, ASK),
        (1.7, 1.7, NOTE),
        (1.7, 1.69, ASK),  # under dither only the flat tops show the corner
        (1.69, 2.5, ASK),
    ],
)
def test_a_soft_clipper_at_full_scale_is_a_note(ceiling: float | None, tops: float | None, action: Action) -> None:
    file = track(
        clip_runs=runs(*[4] * 20),
        ceiling=replace(CEILING, dbfs=0.0, corner=ceiling),
        flat_tops=FlatTops(corner=tops),
        **FULL,
    )
    assert one("clipping.baked", [file, *others()]).action is action


@pytest.mark.parametrize(("cycles", "kind"), [(0.59, "request"), (0.6, "question")])
def test_what_clips_in_nearly_every_cycle_may_be_meant(cycles: float, kind: str) -> None:
    file = track(clip_runs=runs(*[4] * 20), ceiling=replace(CEILING, dbfs=0.0, cycle_share=cycles), **FULL)
    assert one("clipping.baked", [file, *others()]).kind == kind


def test_fuzz_is_asked_about_once_for_a_set() -> None:
    fuzz = {"clip_runs": runs(*[4] * 20), "ceiling": replace(CEILING, dbfs=0.0, cycle_share=0.8), **FULL}
    files = [track(f"{n} Fuzz {n}.wav", **fuzz, rms_dbfs=-9.0 - n) for n in range(3)]
    found = [f for f in findings([*files, *others(6)]) if f.code == "clipping.baked"]
    assert [(f.kind, len(f.files)) for f in found] == [("question", 3)]


@pytest.mark.parametrize(
    ("changes", "clipped"),
    [
        ({}, True),
        ({"near": 149}, True),
        ({"near": 150}, False),
        ({"touching": 6}, True),
        ({"touching": 5, "close": 0}, False),
        ({"corner": 1.69}, True),
        ({"corner": 1.7}, False),
        ({"corner": None}, False),
    ],
)
def test_a_ceiling_takes_equal_samples_neighbours_and_a_corner(changes: dict[str, float], clipped: bool) -> None:
    assert bool(cuts_of(replace(CEILING, **changes)).count()) is clipped


@pytest.mark.parametrize(
    ("changes", "clipped"),
    [
        ({}, True),
        ({"near": 149}, True),
        ({"near": 150}, False),
        ({"close": 21}, True),
        ({"close": 20}, False),
        ({"touching": 5}, True),
        ({"touching": 6}, False),
        ({"cycle_share": 0.59}, True),
        ({"cycle_share": 0.6}, False),
    ],
)
def test_noise_takes_samples_close_together_instead(changes: dict[str, float], clipped: bool) -> None:
    noise = replace(CEILING, touching=4, close=50, corner=None, runs=runs(1, 1, 1, 2, 2))
    assert cuts_of(replace(noise, **changes)).count() == (5 if clipped else 0)


def test_clipped_noise_is_told_with_its_single_samples() -> None:
    noise = replace(CEILING, touching=4, close=50, corner=None, runs=runs(1, 1, 1, 2, 2))
    found = one("clipping.earlier", [track(ceiling=noise), *others()])
    assert (found.evidence["runs"], found.evidence["longest_run"]) == (5, 2)
    assert one("clipping.baked", [track(ceiling=replace(noise, dbfs=0.0)), *others()]).evidence["runs"] == 5


def asked_at(dbfs: float, **changes: Any) -> list[tuple[str, Action]]:
    found = findings([track(ceiling=replace(CEILING, dbfs=dbfs), **changes), *others()])
    return [(f.code, f.action) for f in found if f.code.startswith("clipping.")]


def test_one_clipping_finding_at_any_ceiling() -> None:
    for dbfs in (-0.001, -0.005, -0.0099):
        assert asked_at(dbfs) == [("clipping.baked", ASK)]
    for dbfs in (-0.01, -0.05, -0.3, -6.0):
        assert asked_at(dbfs) == [("clipping.earlier", ASK)]
    assert asked_at(-0.005, sample_format="float", bits=32) == [("clipping.earlier", ASK)]
    assert asked_at(-0.3, sample_format="lossy", bits=None, bits_in_use=None) == []


def test_a_ceiling_that_is_the_wave_itself_stays_silent() -> None:
    """The track sounds for a while: a quarter of that time at the ceiling, in nearly every cycle, is a waveform."""
    long = replace(CEILING, samples=10**6, near=10**6, touching=10**6)
    assert findings([track(ceiling=replace(long, cycle_share=0.6)), *others()]) == ()
    assert [f.code for f in findings([track(ceiling=replace(long, cycle_share=0.59)), *others()])] == [
        "clipping.earlier"
    ]
    short = replace(CEILING, cycle_share=1.0)
    assert [f.code for f in findings([track(ceiling=short), *others()])] == ["clipping.earlier"]


def test_what_is_clipped_on_every_hit_is_no_waveform() -> None:
    """Flat tops in nearly every stretch silence the rule for landed tops; an exact ceiling knows better."""
    tops = FlatTops(runs=runs(*[4] * 30), dbfs=-0.3, share=0.95)
    assert findings([track(flat_tops=tops), *others()]) == ()
    (found,) = findings([track(flat_tops=tops, ceiling=CEILING), *others()])
    assert (found.code, found.evidence["runs"]) == ("clipping.earlier", 30)
