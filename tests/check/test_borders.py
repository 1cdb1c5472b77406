"""On which side of each threshold a file falls, threshold by threshold, and what a finding says there."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from deep_tally.check.assess import assess
from deep_tally.check.coverage import coverage_of
from deep_tally.check.registry import tally
from deep_tally.check.root_causes import under_root_causes
from deep_tally.check.rules.click import drifts
from deep_tally.check.rules.clipping import _at_once
from deep_tally.check.rules.edges_of_content import is_lossy_edge, source_rate
from deep_tally.check.rules.exports import _by_time
from deep_tally.check.rules.headroom import _nearest
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.comparison import Comparison, Held, Pair, Twin
from deep_tally.model.delivery import Delivery, SongFacts, Track
from deep_tally.model.files import Damage, Role, Unchecked
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import (
    BandSides,
    Density,
    FlatTops,
    Gap,
    Gaps,
    Hum,
    Lag,
    OffsetStep,
    Pulse,
    Run,
    Runs,
    SpectralEdge,
    Spectrum,
    ValueGrid,
)
from tracks import (
    EDGES,
    MEASURES,
    RATE,
    ROUGH_MIX,
    SECONDS,
    brief,
    codes,
    findings,
    intake_of,
    others,
    runs,
    song_of,
    stereo,
    track,
)

ASK, FIX, NOTE = Action.ASK, Action.FIX, Action.NOTE


def told(file: Track, code: str, **options: Any) -> list[tuple[Action, float]]:
    """The findings of one code: action and confidence."""
    return [(f.action, f.confidence) for f in all_of([file, *others()], **options) if f.code == code]


def all_of(tracks: list[Track], **options: Any) -> Iterator[Finding]:
    """All findings, those under others as well."""
    for finding in findings(tracks, **options):
        yield finding
        yield from finding.consequences


def one(code: str, tracks: list[Track], **options: Any) -> Finding:
    (found,) = [f for f in all_of(tracks, **options) if f.code == code]
    return found


# -- start ------------------------------------------------------------------------------------


def cut(**changes: Any) -> Track:
    return track(
        **{"first_sound_frame": 0, "head_dbfs": -12.0, "head_peak_dbfs": -8.0, "entry_rise_ms": 20.0, **changes}
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


# -- length -----------------------------------------------------------------------------------


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


@pytest.mark.parametrize(("off_frames", "found"), [(1, False), (-1, False), (2, True), (-2, True)])
def test_a_bar_is_met_within_one_frame(off_frames: int, found: bool) -> None:
    files = others(4, frames=SECONDS * RATE + off_frames)
    assert ("length.not-bars" in codes(files)) is found
    if found:
        evidence = one("length.not-bars", files).evidence
        assert evidence["frames"] == off_frames
        assert evidence["ms"] == pytest.approx(off_frames / 48, abs=1e-3)
        assert evidence["bars"] == pytest.approx(16, abs=1e-4)


def test_whole_bars_are_asked_only_where_the_brief_asks() -> None:
    files = others(4, frames=SECONDS * RATE + 4800)
    assert one("length.not-bars", files).action is NOTE
    assert one("length.not-bars", files, brief=brief(length={"whole_bars": True})).action is ASK


def test_files_that_end_at_one_moment_are_told_once_with_bars() -> None:
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
    sounding = replace(pair[1], measures=replace(pair[1].measures, edges=replace(EDGES, tail_levels_dbfs=(-9.0,) * 8)))  # type: ignore[type-var]
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


# -- rate and what a spectrum's edge speaks of --------------------------------------------------


@pytest.mark.parametrize(
    ("hz", "lossy"),
    [(15_600, False), (15_700, True), (17_600, True), (17_700, False), (18_200, False), (18_300, True), (20_700, True)],
)
def test_where_lossy_encoders_end(hz: float, lossy: bool) -> None:
    assert is_lossy_edge(SpectralEdge(edge_hz=hz, drop_db=60.0)) is lossy


@pytest.mark.parametrize(
    ("hz", "rate", "source"),
    [
        (0.9 * 22_050, 48_000, 44_100),
        (22_050, 48_000, 44_100),
        (22_060, 48_000, None),
        (0.899 * 11_025, 44_100, None),
        (0.95 * 11_025, 44_100, 22_050),
        (0.95 * 16_000, 44_100, 32_000),
        (0.95 * 24_000, 96_000, 48_000),
        (0.95 * 44_100, 96_000, 88_200),
        (0.95 * 48_000, 192_000, 96_000),
        (0.95 * 22_050, 44_100, None),  # its own rate
        (21_700, 96_000, 44_100),  # the lower of two that fit
    ],
)
def test_which_rate_an_edge_speaks_of(hz: float, rate: int, source: int | None) -> None:
    assert source_rate(SpectralEdge(edge_hz=hz, drop_db=60.0), rate) == source


def edged(path: str, hz: float, drop_db: float = 60.0, rate: int = RATE) -> Track:
    levels = np.zeros(2049, np.float16)
    spectrum = Spectrum(bin_hz=11.7, levels_db=levels, edge=SpectralEdge(edge_hz=hz, drop_db=drop_db))
    return track(path, spectrum=spectrum, rate_hz=rate, frames=SECONDS * rate)


def test_a_sharp_edge_is_asked_about_and_a_soft_one_not() -> None:
    assert told(edged("1 A.wav", 10_500, 25.1), "rate.upsampled") == [(ASK, 0.85)]
    assert told(edged("1 A.wav", 10_500, 24.9), "rate.upsampled") == [(NOTE, 0.6)]
    assert told(edged("1 A.wav", 16_000, 25.1), "content.lossy-origin") == [(ASK, 0.85)]
    assert told(edged("1 A.wav", 16_000, 24.9), "content.lossy-origin") == [(NOTE, 0.6)]


def test_an_edge_that_others_share_is_surer() -> None:
    pair = [edged("1 A.wav", 16_000), edged("2 B.wav", 16_300)]
    found = [f for f in all_of([*pair, *others()]) if f.code == "content.lossy-origin"]
    assert [(f.confidence, f.evidence["files"]) for f in found] == [(0.95, 2), (0.95, 2)]
    apart = [edged("1 A.wav", 16_000), edged("2 B.wav", 16_301)]
    found = [f for f in all_of([*apart, *others()]) if f.code == "content.lossy-origin"]
    assert [f.evidence["files"] for f in found] == [1, 1]


@pytest.mark.parametrize(("hz", "rate", "action"), [(22_000, 96_000, ASK), (21_000, 48_000, NOTE)])
def test_an_edge_far_under_half_the_rate(hz: float, rate: int, action: Action) -> None:
    files = [edged("1 A.wav", hz, rate=rate), *others(4, rate_hz=rate, frames=SECONDS * rate)]
    assert [f.action for f in all_of(files) if f.code == "rate.upsampled"] == [action]


def test_a_mix_of_another_rate_is_a_note_unless_it_is_lossy() -> None:
    mix = track("Song mix.wav", role=Role.ROUGH_MIX, rate_hz=44_100, frames=SECONDS * 44_100)
    assert codes([mix, *others()], mix=False) == ["rate.differs"]
    lossy = replace(mix, format=replace(mix.format, sample_format="lossy", bits=None))  # type: ignore[type-var]
    assert codes([lossy, *others()], mix=False) == []
    document = replace(mix, role=Role.STRAY)
    assert codes([document, *others()]) == []


# -- depth ------------------------------------------------------------------------------------


def test_one_file_alone_of_few_bits_is_a_request() -> None:
    assert one("depth.low", [track(bits=16, bits_in_use=16)]).kind == "request"
    pair = [track(f"{n} Part{'ab'[n]}.wav", bits=16, bits_in_use=16) for n in range(2)]
    found = one("depth.low", pair)
    assert (found.kind, found.evidence) == ("question", {"bits": 16, "wanted_bits": 24})
    mixed = [pair[0], track("2 Other.wav", bits=20, bits_in_use=20)]
    assert {f.kind for f in findings(mixed) if f.code == "depth.low"} == {"request"}


def test_a_sample_format_that_was_not_asked() -> None:
    found = one(
        "depth.off-brief",
        [track(sample_format="float", bits=32, bits_in_use=32), *others()],
        brief=brief(sample_formats=["int"]),
    )
    assert found.evidence == {"sample_format": "float", "wanted": "int"}


@pytest.mark.parametrize(("grid", "bits"), [(24, 24), (16, 16), (32, None)])
def test_float_on_a_grid_is_padded(grid: int, bits: int | None) -> None:
    file = track(bits=32, sample_format="float", bits_in_use=grid)
    found = [f.evidence["bits"] for f in all_of([file, *others()]) if f.code == "depth.padded"]
    assert found == ([] if bits is None else [bits])


def test_a_gain_after_rounding_is_told() -> None:
    file = track(value_grid=ValueGrid(step=2**-15 * 0.7, bits=16, gain_db=-3.1))
    found = one("depth.padded", [file, *others()])
    assert found.evidence == {"bits": 16, "container_bits": 24, "gain_db": -3.1}
    plain = one("depth.padded", [track(bits_in_use=16), *others()])
    assert plain.evidence == {"bits": 16, "container_bits": 24, "gain_db": None}


# -- clipping ---------------------------------------------------------------------------------

FULL = {"sample_peak_by_channel_dbfs": (0.0,)}


@pytest.mark.parametrize(("count", "confidence"), [(9, 0.85), (10, 0.99)])
def test_ten_runs_are_clear(count: int, confidence: float) -> None:
    assert told(track(clip_runs=runs(*[4] * count), **FULL), "clipping.baked") == [(ASK, confidence)]


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
    assert told(track(flat_tops=tops, sample_format=sample_format, **bits), "clipping.earlier") == found


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
    shared = _at_once(song_of(near), DEFAULT_BRIEF)
    assert shared == {"0 P.wav": (3, RATE), "1 P.wav": (3, RATE + 2300), "2 P.wav": (3, RATE + 4600)}
    far = [clipped_at(f"{n} P.wav", RATE + n * 2500) for n in range(3)]  # 0, 52 and 104 ms
    assert _at_once(song_of(far), DEFAULT_BRIEF) == {}
    assert _at_once(song_of(near[:2]), DEFAULT_BRIEF) == {}
    other_rate = [clipped_at("0 P.wav", RATE), clipped_at("1 P.wav", 44_100, rate=44_100), clipped_at("2 P.wav", RATE)]
    assert _at_once(song_of(other_rate), DEFAULT_BRIEF)["1 P.wav"] == (3, 44_100)


def test_of_passages_with_as_many_files_the_first_counts() -> None:
    files = [clipped_at(f"{n} P.wav", RATE, 9 * RATE) for n in range(3)]
    assert set(_at_once(song_of(files), DEFAULT_BRIEF).values()) == {(3, RATE)}
    more = [*files, clipped_at("3 P.wav", 9 * RATE)]
    assert set(_at_once(song_of(more), DEFAULT_BRIEF).values()) == {(4, 9 * RATE)}


def test_the_highest_over_of_the_set_is_told_with_each() -> None:
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


# -- headroom ---------------------------------------------------------------------------------


def peak(dbfs: float, **changes: Any) -> Track:
    return track(sample_peak_by_channel_dbfs=(dbfs,), true_peak_dbtp=dbfs, **changes)


def test_a_hot_file_says_by_how_much_and_where() -> None:
    found = one("headroom.hot", [peak(-2.0), *others()])
    assert found.evidence == {"dbfs": -2.0, "db": pytest.approx(4.0), "by": "peak"}
    assert [p.frame for p in found.places] == [10 * RATE]
    assert "headroom.hot" not in codes([peak(-5.0), *others()])


def test_the_level_that_is_further_out_is_told() -> None:
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
    assert [v for v, _ in _nearest(levels, 0.1)] == [-3.11, -3.1, -3.05]
    assert [v for v, _ in _nearest(levels, 0.11)] == [-3.11, -3.1, -3.05, -3.0]
    assert [v for v, _ in _nearest(levels, 0.0)] == [-9.0]
    assert _nearest([], 1.0) == []


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


HELD = Density(
    sounding=20, near_peak_share=0.51, near_peak_step_db=0.25, crest_db=12.0, active_windows=20_000, window_frames=48
)


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
    assert ("headroom.limited" in codes([track(density=replace(HELD, **changes)), *others()])) is held


@pytest.mark.parametrize(
    ("peaks", "found"),
    [((-0.5, -0.52, -0.54), True), ((-0.5, -0.52), False), ((-0.5, -0.52, -0.56), False), ((-3.0, -3.0, -3.0), False)],
)
def test_a_ceiling_that_three_files_share(peaks: tuple[float, ...], found: bool) -> None:
    files = [
        track(
            f"{n} Part{'abc'[n]}.wav",
            density=HELD,
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
    assert ("headroom.dc" in codes([track(dc_offset=(offset,), offset_steady=(steady,)), *others()])) is found


def test_a_step_of_the_zero_line_is_marked() -> None:
    step = OffsetStep(frame=3 * RATE, channel=0, before=0.001, after=0.02)
    found = one("headroom.dc", [track(offset_step=step), *others()])
    assert (found.action, found.evidence) == (FIX, {"share": 0.02, "share_before": 0.001})
    assert [(p.frame, p.frames, p.channel) for p in found.places] == [(3 * RATE, 1, 0)]


# -- channels ---------------------------------------------------------------------------------


def low_band(share_db: float = -3.0, loss_db: float = -13.0) -> BandSides:
    return BandSides(low_hz=20, high_hz=150, correlation=-0.9, mono_loss_db=loss_db, share_db=share_db)


@pytest.mark.parametrize(
    ("band", "found"),
    [
        (low_band(), [(ASK, 0.85)]),
        (low_band(share_db=-20.0), []),
        (low_band(share_db=-19.9), [(ASK, 0.85)]),
        (low_band(loss_db=-12.0), [(ASK, 0.85)]),
        (low_band(loss_db=-11.9), []),
    ],
)
def test_one_band_that_cancels(band: BandSides, found: list[tuple[Action, float]]) -> None:
    assert told(stereo(bands=(band,)), "channels.opposed") == found


def test_of_two_bands_that_cancel_the_stronger_is_told() -> None:
    high = BandSides(low_hz=2000, high_hz=16_000, correlation=-0.8, mono_loss_db=-20.0, share_db=-2.0)
    found = one("channels.opposed", [stereo(bands=(low_band(), high)), *others()])
    assert found.evidence == {"correlation": -0.8, "db": -20.0, "band_low_hz": 2000, "band_high_hz": 16_000}


@pytest.mark.parametrize(
    ("lag", "found"),
    [
        (Lag(frames=12, correlation=0.9999, residual_db=-31.0), True),
        (Lag(frames=12, correlation=0.9999, residual_db=-29.9), False),
        (Lag(frames=12, correlation=-0.9999, residual_db=-31.0), False),
        (Lag(frames=0, correlation=0.9999, residual_db=-31.0), False),
    ],
)
def test_a_side_that_only_comes_late(lag: Lag, found: bool) -> None:
    near = [f for f in all_of([stereo(lag=lag), *others()]) if f.code == "channels.near-mono"]
    assert bool(near) is found
    if found:
        assert near[0].evidence == {"db": -31.0, "correlation": 0.9999, "frames": 12, "ms": pytest.approx(0.25)}


@pytest.mark.parametrize(
    ("changes", "found"),
    [
        ({}, True),
        ({"level_correlation": 0.3}, False),
        ({"correlation": 0.15}, False),
        ({"correlation": -0.149}, True),
        ({"lag": Lag(frames=3, correlation=0.16, residual_db=-0.1)}, False),
        ({"bands": (replace(low_band(), correlation=0.2, mono_loss_db=-3.0),)}, False),
        ({"level_correlation": None}, False),
    ],
)
def test_two_sounds_on_two_sides(changes: dict[str, Any], found: bool) -> None:
    file = stereo(**{"correlation": 0.05, "level_correlation": 0.29, **changes})
    assert ("channels.unrelated" in codes([file, *others()])) is found


@pytest.mark.parametrize(
    ("levels", "correlation", "action"),
    [(None, 0.0, FIX), (0.51, 0.0, FIX), (0.5, 0.0, NOTE), (0.1, 0.31, FIX), (0.1, -0.31, FIX), (0.1, 0.3, NOTE)],
)
def test_two_sides_of_one_sound(levels: float | None, correlation: float, action: Action) -> None:
    left, right = track("1 Piano L.wav"), track("2 Piano R.wav")
    pair = Pair(left=left.path, right=right.path, correlation=correlation, level_correlation=levels)
    song = replace(song_of([left, right, *others()]), comparison=Comparison(pairs=(pair,)))
    (found,) = [f for f in tally(song, DEFAULT_BRIEF) if f.code == "channels.split-pair"]
    assert (found.action, found.files, found.evidence["partner"]) == (action, (left.path, right.path), right.path)


def test_two_monos_are_split_from_stereo_only() -> None:
    asked = brief(stereo="two-monos")
    assert one("channels.to-split", [stereo(), *others()], brief=asked).files == ("01 Pad.wav",)
    assert "channels.to-split" not in codes([track(channels=3), *others()], brief=asked)
    assert one("channels.many", [track(channels=3), *others()]).evidence == {"channels": 3}
    assert "channels.many" not in codes([stereo(), *others()])


@pytest.mark.parametrize(("levels", "side"), [((-20.0, -90.0), "left"), ((-90.0, -21.0), "right")])
def test_which_side_sounds(levels: tuple[float, float], side: str) -> None:
    found = one("channels.one-side", [stereo(levels=levels), *others()])
    assert found.evidence == {"side": side, "dbfs": max(levels)}
    named = replace(stereo(levels=levels), path="01 Pad stereo.wav")
    assert one("channels.one-side", [named, *others()]).action is ASK


# -- content ----------------------------------------------------------------------------------


def clicks(ms: float, seconds: float = 40) -> Track:
    density = replace(HELD, active_windows=round(ms), window_frames=48, sounding=1)
    return track(density=density, frames=round(seconds * RATE))


@pytest.mark.parametrize(
    ("ms", "seconds", "found"), [(10, 40, True), (11, 40, False), (10, 5.0, True), (10, 4.99, False)]
)
def test_a_few_stray_clicks_are_no_sound(ms: float, seconds: float, found: bool) -> None:
    empty = [f for f in all_of([clicks(ms, seconds), *others()]) if f.code == "content.empty"]
    assert bool(empty) is found
    if found:
        assert (empty[0].evidence["clicks_ms"], empty[0].evidence["dbfs"]) == (pytest.approx(ms), -8.0)


def gap(frame: int, frames: int, kind: str = "zeros") -> Gap:
    return Gap(frame=frame, frames=frames, kind=kind, before_dbfs=-20.0, after_dbfs=-21.0)  # type: ignore[arg-type]


def gapped(*gaps: Gap, count: int | None = None) -> Track:
    return track(gaps=Gaps(count=len(gaps) if count is None else count, places=gaps))


@pytest.mark.parametrize(
    ("file", "action"),
    [
        (gapped(gap(RATE, 959)), ASK),  # under 20 ms
        (gapped(gap(RATE, 960)), NOTE),
        (gapped(gap(RATE, 9600, "repeated")), ASK),
        (gapped(gap(RATE, 480), count=20), ASK),
        (gapped(gap(RATE, 480), count=21), NOTE),
        (gapped(*(gap(RATE * n, 480) for n in range(1, 5))), NOTE),  # at one interval
        (gapped(*(gap(RATE * n, 480) for n in range(1, 4))), ASK),  # three are too few to say so
        (gapped(*(gap(n, 480) for n in (1000, 49_000, 98_900, 147_900))), NOTE),  # 48,000; 49,900; 49,000: within 2 %
        (gapped(*(gap(n, 480) for n in (1000, 49_000, 100_900, 154_900))), ASK),
    ],
)
def test_gaps(file: Track, action: Action) -> None:
    found = [f.action for f in all_of([file, *others()]) if f.code == "content.dropout"]
    assert found == [action]


def test_held_values_over_and_over_are_a_square_wave() -> None:
    assert "content.dropout" not in codes([gapped(*(gap(RATE * n, 480, "held") for n in range(1, 30))), *others()])
    half = [gap(RATE * n, 480 if n % 2 else 9600) for n in range(1, 25)]
    assert "content.dropout" not in codes([gapped(*half), *others()])
    more = [*half, gap(26 * RATE, 480)]
    assert "content.dropout" in codes([gapped(*more), *others()])


def test_a_dropout_says_where_how_long_and_at_what_level() -> None:
    found = one("content.dropout", [gapped(gap(RATE, 480), gap(3 * RATE, 96, "held"), gap(5 * RATE, 9600)), *others()])
    assert [(p.frame, p.frames) for p in found.places] == [(RATE, 480), (3 * RATE, 96)]
    assert found.evidence == {"runs": 2, "longest_run": 480, "ms": 10.0, "gap": "zeros", "dbfs": -20.0, "recurring": 0}
    assert found.confidence == 0.9


def test_hum_is_told() -> None:
    found = one("content.hum", [track(hum=Hum(mains_hz=60, dbfs=-55.0, tones=4)), *others()])
    assert (found.action, found.evidence) == (NOTE, {"hz": 60, "dbfs": -55.0})


def test_damage_is_asked_about_where_the_file_is_needed() -> None:
    hurt = replace(track(), damage=Damage(problem="it stops", remedy="ask"))
    found = one("content.damaged", [hurt, *others()])
    assert [p.frame for p in found.places] == [SECONDS * RATE - 1]
    reference = replace(hurt, path="Reference.wav", role=Role.REFERENCE)
    assert one("content.damaged", [reference, *others()]).action is NOTE
    mix = replace(hurt, path="Song mix.wav", role=Role.ROUGH_MIX)
    assert one("content.damaged", [mix, *others()], mix=False).action is ASK


@pytest.mark.parametrize(("groups", "found"), [(3, True), (2, False)])
def test_most_files_of_the_wrong_scope(groups: int, found: bool) -> None:
    made = [track(f"{n} Group{'abc'[n]}.wav", role=Role.GROUP, rms_dbfs=-30.0 - n) for n in range(groups)]
    assert ("content.scope" in codes([*made, *others(2)])) is found


# -- two exports ------------------------------------------------------------------------------


def test_files_written_within_an_hour_are_one_group() -> None:
    groups = _by_time({"a": 0.0, "b": 3600.0, "c": 7201.0, "d": 7202.0}, 3600.0)
    assert groups["a"] == groups["b"] != groups["c"] == groups["d"]


def two_sets(first: int, second: int, *, alike: bool = True) -> list[Track]:
    one_half = [track(f"A Part{'abcdef'[n]}.wav", rms_dbfs=-30.0 - n) for n in range(first)]
    prefix = "B" if alike else "A"
    other = [
        track(f"{prefix} Other{'abcdef'[n]}.wav", bits=16, bits_in_use=16, rms_dbfs=-40.0 - n) for n in range(second)
    ]
    return [*one_half, *other]


@pytest.mark.parametrize(("first", "second", "found"), [(3, 3, True), (4, 3, True), (4, 2, False), (2, 3, False)])
def test_two_exports_of_three_files_each(first: int, second: int, found: bool) -> None:
    exports = [f for f in all_of(two_sets(first, second)) if f.code == "content.two-exports"]
    assert bool(exports) is found
    if found:
        assert exports[0].evidence == {"by": ("format", "prefix"), "files": 3}
    assert "content.two-exports" not in codes(two_sets(first, second, alike=False))


# -- names ------------------------------------------------------------------------------------


def named(*names: str) -> list[Track]:
    return [
        track(name, rms_dbfs=-21.0 - i, loudness_lufs=-22.0 - i, sample_peak_by_channel_dbfs=(-7.0 - i,))
        for i, name in enumerate(names)
    ]


def test_one_unknown_word_with_figures_over_three_files() -> None:
    unknown = named("Zorb 1.wav", "Zorb 2.wav", "Zorb 3.wav")
    found = one("name.generic", [*unknown, *others()])
    assert (len(found.files), found.evidence) == (3, {"word": "zorb", "files": 3})
    assert "name.generic" not in codes([*unknown[:2], *others()])
    assert "name.generic" not in codes([*named("Zorb a.wav", "Zorb b.wav", "Zorb c.wav"), *others()])


@pytest.mark.parametrize(("length", "found"), [(48, False), (49, True)])
def test_a_name_as_long_as_the_brief_allows(length: int, found: bool) -> None:
    asked = brief(names={"longest": 48})
    name = "Bass " + "x" * (length - 9) + ".wav"
    assert len(name) == length
    files = [*named(name), *others()]
    assert ("name.long" in codes(files, brief=asked)) is found
    if found:
        assert one("name.long", files, brief=asked).evidence == {"characters_count": 49, "most": 48}


def test_numbers_that_are_missing_and_doubled() -> None:
    found = one("name.number-gap", named("01 Bass.wav", "02 Drum.wav", "05 Horn.wav"))
    assert (found.files, found.evidence) == ((), {"missing": ("3", "4")})
    assert "name.number-gap" not in codes(named("01 Bass.wav", "03 Drum.wav"))
    assert "name.number-gap" not in codes(
        named("01 Bass.wav", "02 Drum.wav", "05 Horn.wav", "Harp.wav", "Oboe.wav", "Lute.wav")
    )
    twice = one("name.number-twice", named("03 Bass.wav", "03 Drum.wav", "04 Horn.wav"))
    assert (len(twice.files), twice.evidence) == (2, {"number": 3})


def test_a_fifth_of_the_names_without_what_the_others_have() -> None:
    files = named("01 Bass.wav", "02 Drum.wav", "03 Horn.wav", "04 Harp.wav", "05 Lute.wav", "Oboe.wav")
    found = one("name.pattern", files)
    assert (found.files, found.evidence) == (("Oboe.wav",), {"pattern": "{number} {part}", "files": 1})
    assert "name.pattern" not in codes(files[1:])  # four of five
    more = named("06 Gong.wav", "07 Viola.wav", "08 Cello.wav", "Choir.wav")
    assert one("name.pattern", [*files, *more]).evidence["files"] == 2
    assert "name.pattern" not in codes([*files, *more[1:]])


def test_of_two_copies_one_is_the_partner() -> None:
    found = one("name.copy-mark", [*named("Bass copy.wav", "Bass (2).wav"), *others()])
    assert (found.files, found.evidence["partner"]) == (("Bass copy.wav", "Bass (2).wav"), "Bass copy.wav")


@pytest.mark.parametrize(
    ("one_bpm", "other_bpm", "differ"),
    [(96.0, 96.5, False), (96.0, 96.6, True), (96.0, 192.4, False), (96.0, 48.0, False), (96.0, 144.0, True)],
)
def test_half_and_double_tempo_are_one(one_bpm: float, other_bpm: float, differ: bool) -> None:
    facts = SongFacts(
        title="Song", tempo_bpm=one_bpm, key="D minor", tempos=(("its name", one_bpm), ("the notes", other_bpm))
    )
    found = [f for f in findings(others(frames=SECONDS * RATE), facts=facts) if f.code == "name.facts-differ"]
    assert bool(found) is differ


@pytest.mark.parametrize(
    ("one_key", "other_key", "differ"),
    [
        ("Db major", "C# major", False),
        ("Bb minor", "A# minor", False),
        ("Bb minor", "B minor", True),
        ("D minor", "D major", True),
    ],
)
def test_flats_and_sharps_are_one_key(one_key: str, other_key: str, differ: bool) -> None:
    keys = (("its name", one_key), ("the notes", other_key))
    facts = SongFacts(title="Song", tempo_bpm=96.0, key=one_key, keys=keys)
    assert ("name.facts-differ" in codes(others(), facts=facts)) is differ


def test_a_side_that_is_longer_than_the_other() -> None:
    files = named("Piano L.wav", "Piano R.wav")
    longer = replace(
        files[1], format=replace(files[1].format, frames=SECONDS * RATE + 481, claimed_frames=SECONDS * RATE + 481)
    )  # type: ignore[type-var]
    found = [f for f in all_of([files[0], longer, *others()]) if f.code == "name.contradicts"]
    assert [(f.files, f.evidence["by"], f.evidence["partner"]) for f in found] == [
        (("Piano R.wav",), "length", "Piano L.wav")
    ]
    assert found[0].evidence["ms"] == pytest.approx(481 / 48)
    assert "name.contradicts" not in codes([*files, *others()])


# -- what came --------------------------------------------------------------------------------


def came(tracks: list[Track], **options: Any) -> Any:
    used = options.pop("brief", DEFAULT_BRIEF)
    song = song_of(tracks, brief=used, **options)
    delivery = Delivery(source=None, name="x", sets=(song,), findings=tally(song, used))  # type: ignore[arg-type]
    return coverage_of(delivery, used)


def test_how_many_files_meet_each_line() -> None:
    files = [peak(-2.0), *others(3)]
    found = came(files)
    line = found["peak_window_dbfs"]
    assert (line.met, line.total, line.unit, line.misses, line.is_met) == (3, 4, "file", ("01 Bass.wav",), False)
    assert found["rates"].is_met
    assert (found["needs.rough_mix"].met, found["needs.rough_mix"].unit) == (1, "song")
    assert found["needs.click"].misses == ("Song",)
    assert "rms_window_dbfs" not in found
    assert "parts" not in found


def test_the_window_of_a_line_has_the_same_tolerance_as_the_finding() -> None:
    for dbfs, met in ((-5.0, True), (-4.9, False), (-30.0, True), (-30.1, False)):
        assert came([peak(dbfs)])["peak_window_dbfs"].is_met is met
    asked = brief(rms_window_dbfs=[-21.0, -18.0])
    for dbfs, met in ((-21.0, True), (-21.1, False), (-17.0, True), (-16.9, False)):
        assert came([track(rms_dbfs=dbfs)], brief=asked)["rms_window_dbfs"].is_met is met
    silent = track(first_sound_frame=None, last_sound_frame=None)
    assert not came([silent, *others()])["peak_window_dbfs"].is_met


def test_lines_about_lengths_and_rates() -> None:
    found = came([track(frames=30 * RATE), *others()])
    assert (found["length.equal"].misses, found["length.equal"].met) == (("01 Bass.wav",), 4)
    assert found["length.whole_bars"].is_met
    odd = came(others(4, frames=SECONDS * RATE + 4800))
    assert odd["length.whole_bars"].misses == ("Song",)
    untold = came(others(), facts=SongFacts(title="Song", key="D minor"))
    assert (untold["length.whole_bars"].met, untold["needs.tempo"].met) == (0, 0)
    other_rate = came([track(rate_hz=44_100, frames=SECONDS * 44_100), *others()])
    assert other_rate["rates"].misses == ("01 Bass.wav",)
    asked = came(others(), brief=brief(rates=[44_100]))
    assert (asked["rates"].met, asked["rates"].total) == (0, 4)


def test_what_is_in_a_rough_mix_is_not_counted() -> None:
    assert came([*others(), ROUGH_MIX], mix=False)["peak_window_dbfs"].total == 4
    assert MEASURES.has_sound


# -- a click ----------------------------------------------------------------------------------


def click(bpm: float, *, first_s: float = 0.0, last_s: float = 34.9) -> Track:
    pulse = Pulse(bpm=bpm, strokes=60, first_frame=round(first_s * RATE), last_frame=round(last_s * RATE), stray_ms=0.1)
    return track("Click.wav", role=Role.CLICK, pulse=pulse)


@pytest.mark.parametrize(("strokes", "quarters"), [(1, 1), (2, 1), (1, 2), (4, 1), (1, 3), (2, 3), (3, 2), (3, 1)])
def test_what_a_click_may_be_struck_on(strokes: int, quarters: int) -> None:
    # 96 quarters a minute; the click plays 0.1 % fast: 40 ms early over 40 s.
    (drift,) = drifts(song_of([click(96.0 * strokes / quarters * 1.001), *others()]))
    assert drift.played_bpm == pytest.approx(96.096)
    assert (drift.ms, drift.over_s) == (pytest.approx(-40.0, abs=0.1), SECONDS)


def test_a_click_at_no_such_tempo_or_at_several_is_not_followed() -> None:
    assert len(list(drifts(song_of([click(96.0 * 1.019), *others()])))) == 1
    assert list(drifts(song_of([click(96.0 * 1.021), *others()]))) == []
    facts = SongFacts(title="Song", key="D minor")
    assert list(drifts(song_of([click(96.0), *others()], facts=facts))) == []


@pytest.mark.parametrize(("first_ms", "found"), [(10.0, False), (10.1, True), (-10.1, True)])
def test_a_click_begins_on_bar_one(first_ms: float, found: bool) -> None:
    early = {"Click.wav": -RATE} if first_ms < 0 else {}
    files = [click(96.0, first_s=first_ms / 1000 + (1.0 if first_ms < 0 else 0.0)), *others()]
    assert ("start.click-off-bar" in codes(files, places=early)) is found


def test_a_click_that_was_placed_is_counted_from_there() -> None:
    # Two bars of 2.5 s later: five seconds.
    found = one("start.click-off-bar", [click(96.0, first_s=0.1), *others()], places={"Click.wav": 5 * RATE})
    assert found.evidence["ms"] == pytest.approx(5100.0)
    assert found.evidence["bars"] == pytest.approx(2.04)
    assert found.evidence["off_ms"] == pytest.approx(100.0)
    assert [p.frame for p in found.places] == [4800]
    on_the_bar = one("start.click-off-bar", [click(96.0, first_s=0.005), *others()], places={"Click.wav": 5 * RATE})
    assert on_the_bar.evidence["off_ms"] == 0.0


@pytest.mark.parametrize(("last_s", "place_s", "found"), [(32.6, 0, False), (32.4, 0, True), (32.4, 1, False)])
def test_a_click_stops_more_than_a_bar_early(last_s: float, place_s: int, found: bool) -> None:
    # The others sound up to 35 s; a bar is 2.5 s.
    files = [click(96.0, last_s=last_s), *others()]
    assert ("length.click-short" in codes(files, places={"Click.wav": place_s * RATE})) is found


def test_a_file_that_was_placed_later_ends_later_than_the_click() -> None:
    files = [click(96.0), *others()]
    assert "length.click-short" not in codes(files)
    assert "length.click-short" in codes(files, places={files[1].path: 3 * RATE})


# -- what is told under another finding --------------------------------------------------------


def test_sides_that_are_opposed_are_not_near_mono_too() -> None:
    file = stereo(correlation=-0.9999, residual_db=-50.0, mono_loss_db=-9.0)
    assert [f.code for f in all_of([file, *others()])] == ["channels.opposed"]
    scaled = stereo(correlation=-0.9999, residual_db=-90.0, mono_loss_db=-9.0)
    assert [f.code for f in all_of([scaled, *others()])] == ["channels.opposed"]


def test_what_has_two_roots_goes_under_the_first() -> None:
    def finding(code: str, *files: str) -> Finding:
        return Finding(code=code, action=ASK, kind="request", files=files)

    roots = [finding("content.damaged", "a"), finding("content.damaged", "b"), finding("length.short", "a", "b")]
    assert [len(f.consequences) for f in under_root_causes(roots)] == [1, 0]


def test_a_second_of_two_checks_in_a_loop_is_not_forgotten() -> None:
    # Of several copies and parts each is looked at: the first that is right does not end it.
    files = named("Bass (1).wav", "Drum copy.wav", "Drum.wav", "Horn.wav")
    assert sorted(f.files[-1] for f in findings(files) if f.code == "name.copy-mark") == [
        "Bass (1).wav",
        "Drum copy.wav",
    ]
    asked = brief(parts=[{"part": "Bass"}, {"part": "Pad", "channels": 2}, {"part": "Choir", "channels": 2}])
    parts = [track("1 Bass.wav"), track("2 Pad.wav", rms_dbfs=-31.0), track("3 Choir.wav", rms_dbfs=-33.0)]
    found = one("channels.role", [*parts[:2], *others(1)], brief=asked)
    assert found.evidence == {"part": "Pad", "wanted": "stereo", "came": "mono"}
    assert sum(len(f.files) for f in all_of(parts, brief=asked) if f.code == "channels.role") == 2


def test_files_of_one_rate_share_it_even_where_it_is_not_common() -> None:
    pair = [track(f"{n} Part{'ab'[n]}.wav", rate_hz=(44_100, 48_000)[n], frames=0) for n in range(2)]
    assert "rate.differs" in codes(pair)
    alike = [track(f"{n} Part{'ab'[n]}.wav", frames=0) for n in range(2)]
    assert "rate.differs" not in codes(alike)


def written(tracks: list[Track], hours: list[float]) -> list[Finding]:
    song = song_of(tracks)
    song = replace(song, modified_s={t.path: 3600 * h + 1 for t, h in zip(tracks, hours, strict=True)})
    return [f for f in tally(song, DEFAULT_BRIEF) if f.code == "content.two-exports"]


def test_exports_lie_an_hour_apart() -> None:
    files = two_sets(4, 3, alike=False)
    (found,) = written(files, [0, 0, 0.1, 0.1, 1.2, 1.2, 1.3])
    assert (found.evidence["by"], found.files) == (("format", "time"), tuple(t.path for t in files[4:]))
    assert written(files, [0, 0, 0.1, 0.1, 1.0, 1.0, 1.3]) == []
    assert written(files, [0, 0, 0.1, 0.1, 1.2, 1.2, 0.05]) == []


def test_a_song_has_its_title_for_a_name_when_it_is_the_only_one() -> None:
    tracks = [replace(t, path=f"Night Bus 96 BPM/{t.path}") for t in others()]
    (song,) = assess(intake_of(tracks, name="Night Bus 96 BPM"), tracks, DEFAULT_BRIEF).sets
    assert (song.name, song.facts.title) == ("Night Bus", "Night Bus")


def test_each_file_that_holds_another_is_asked_about_but_no_return_and_no_form_of_it() -> None:
    made = [
        track("1 Voice dry.wav"),
        track("2 Voice.wav"),
        track("3 Verb.wav", role=Role.EFFECT_RETURN),
        track("4 Harp.wav"),
        track("5 Drums.wav", role=Role.GROUP),
        track("6 Oboe.wav"),
    ]
    held = [Held(path=t.path, held="1 Voice dry.wav", gain_db=-3.0) for t in made[1:]]
    song = replace(song_of(made), comparison=Comparison(held=tuple(held)))
    found = [f for f in tally(song, DEFAULT_BRIEF) if f.code == "content.holds-another"]
    assert [f.files for f in found] == [("4 Harp.wav",), ("6 Oboe.wav",)]


# -- the second of several files ---------------------------------------------------------------


def test_a_file_that_is_passed_over_does_not_end_the_loop() -> None:
    same = stereo("1 A.wav", greatest_difference=0.0, correlation=1.0, residual_db=-150.0)
    near = replace(stereo("2 B.wav", correlation=0.999, residual_db=-40.0), path="2 B.wav")
    assert one("channels.near-mono", [same, near, *others()]).files == ("2 B.wav",)
    plain, edge = track("1 A.wav"), edged("2 B.wav", 16_000)
    assert one("content.lossy-origin", [plain, edge, *others()]).files == ("2 B.wav",)
    assert one("rate.upsampled", [edged("1 A.wav", 16_000), edged("2 B.wav", 10_500), *others()]).files == ("2 B.wav",)


def test_a_twin_whose_other_file_is_not_asked_says_nothing() -> None:
    here = track("1 A.wav")
    twins = [
        Twin(path=a, other=b, kind="exact", gain_db=0.0, offset_frames=0, residual_db=-150.0)
        for a, b in (("1 A.wav", "gone.wav"), ("gone.wav", "1 A.wav"))
    ]
    song = replace(song_of([here, *others()]), comparison=Comparison(twins=tuple(twins)))
    assert "content.twin" not in [f.code for f in tally(song, DEFAULT_BRIEF)]


def test_three_of_five_files_that_share_a_finding_get_one() -> None:
    def hot(count: int) -> list[int]:
        loud = [track(f"{i} Part{'abc'[i]}.wav", sample_peak_by_channel_dbfs=(-1.0 - i / 2,)) for i in range(count)]
        return [len(f.files) for f in findings([*loud, *others(2)]) if f.code == "headroom.hot"]

    assert hot(3) == [3]
    assert hot(2) == [1, 1]


def test_what_files_say_of_the_song_counts() -> None:
    files = [track(t.path, comments=("Tempo: 97 BPM",)) for t in others()]
    (song,) = assess(intake_of(files), files, DEFAULT_BRIEF).sets
    assert song.facts.tempo_bpm == 97.0


def test_the_artist_is_a_line_of_the_brief() -> None:
    facts = SongFacts(title="Song", tempo_bpm=96.0, key="D minor", artist="Nobody")
    assert came(others(), facts=facts)["needs.artist"].is_met
    assert not came(others())["needs.artist"].is_met


@pytest.mark.parametrize(("later", "found"), [(0.0004, False), (0.002, True)])
def test_lengths_differ_from_a_millisecond_on(later: float, found: bool) -> None:
    first = [track(f"A Part{'abc'[n]}.wav", rms_dbfs=-30.0 - n) for n in range(3)]
    frames = SECONDS * RATE + round(later * RATE)
    other = [track(f"B Other{'abc'[n]}.wav", frames=frames, rms_dbfs=-40.0 - n) for n in range(3)]
    exports = [f for f in all_of([*first, *other]) if f.code == "content.two-exports"]
    assert bool(exports) is found


def test_sixteen_bits_are_enough_where_sixteen_are_requested() -> None:
    files = [track(f"{n} Part{'abcd'[n]}.wav", bits_in_use=16) for n in range(4)]
    padded = [f for f in all_of([*files, *others(2)], brief=brief(bits_min=16)) if f.code == "depth.padded"]
    assert {f.action for f in padded} == {NOTE}
    padded = [f for f in all_of([*files, *others(2)]) if f.code == "depth.padded"]
    assert [(f.action, len(f.files)) for f in padded] == [(ASK, 4)]


def test_of_two_stamped_files_the_one_placed_by_hand_is_left_alone() -> None:
    first = track("1 A.wav", time_reference=0)
    late = [track(f"{n} B{n}.wav", time_reference=480 * n, frames=SECONDS * RATE - 480 * n) for n in (2, 3)]
    found = findings([first, *late, *others()], places={"2 B2.wav": 480})
    assert [f.files for f in found if f.code == "start.stamp-differs"] == [("3 B3.wav",)]


def test_files_that_could_not_be_checked_are_listed_by_reason() -> None:
    disk = Unchecked(problem="the disk is full", remedy="free some space")
    memory = Unchecked(problem="there is not enough memory", remedy="close other programs")
    files = [
        replace(Track(path=f"{n}.wav", role=Role.TRACKOUT), unchecked=why) for n, why in enumerate((disk, memory, disk))
    ]
    listed = assess(intake_of(files), files, DEFAULT_BRIEF).incomplete
    assert [(i.what, i.files, i.problem) for i in listed] == [
        ("measuring", ("0.wav", "2.wav"), "the disk is full"),
        ("measuring", ("1.wav",), "there is not enough memory"),
    ]


def test_a_file_for_two_parts_is_mentioned_once_and_the_next_as_well() -> None:
    asked = brief(parts=[{"part": "Bass", "channels": 2}, {"part": "Pad", "channels": 2}])
    files = [track("1 Bass.wav"), track("2 Pad.wav", rms_dbfs=-31.0)]
    both = {"1 Bass.wav": ("Bass", "Pad"), "2 Pad.wav": ("Pad",)}
    found = [f for f in all_of([*files, *others(6)], brief=asked, set_by_user=both) if f.code == "channels.role"]
    assert sorted(path for f in found for path in f.files) == ["1 Bass.wav", "2 Pad.wav"]
