"""Mono and stereo: thresholds, actions and what is said, on chosen measures."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import pytest

from check.found import ASK, FIX, NOTE, actions_of, all_of, named, of, one, related, verdicts
from deep_tally.check.registry import tally
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.comparison import Comparison, Pair, Twin
from deep_tally.model.delivery import Track
from deep_tally.model.findings import Action
from deep_tally.model.measures import (
    BandSides,
    Lag,
)
from tracks import (
    brief,
    codes,
    findings,
    others,
    song_of,
    stereo,
    track,
)


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
    assert verdicts(stereo(bands=(band,)), "channels.opposed") == found


def test_of_two_bands_that_cancel_the_stronger_is_reported() -> None:
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


STEP = 2.0**-23


@pytest.mark.parametrize(
    ("file", "expected"),
    [
        (stereo(), []),
        (stereo(greatest_difference=2 * STEP, correlation=1.0, residual_db=-140.0), [("channels.same", FIX)]),
        (stereo(greatest_difference=3 * STEP, correlation=1.0, residual_db=-120.0), [("channels.panned-mono", FIX)]),
        (stereo(correlation=1.0, residual_db=-81.0), [("channels.panned-mono", FIX)]),
        (stereo(correlation=0.9999, residual_db=-79.0), [("channels.near-mono", NOTE)]),
        (stereo(correlation=0.999, residual_db=-30.1), [("channels.near-mono", NOTE)]),
        (stereo(correlation=0.99, residual_db=-29.0), []),
        (stereo(levels=(-20.0, -81.0)), [("channels.one-side", FIX)]),
        (stereo(levels=(-20.0, -79.0), residual_db=-1.0), []),
        (stereo(levels=(-10.0, -71.0)), [("channels.one-side", FIX)]),
        (stereo(levels=(-20.0, -math.inf), correlation=None, residual_db=None), [("channels.one-side", FIX)]),
        (stereo(greatest_sum=2 * STEP, correlation=-1.0, residual_db=-150.0), [("channels.opposed", ASK)]),
        (stereo(mono_loss_db=-12.0, correlation=-0.9, residual_db=-7.0), [("channels.opposed", ASK)]),
        (stereo(mono_loss_db=-11.9, correlation=-0.87, residual_db=-6.0), []),
        (stereo(correlation=-0.9999, residual_db=-50.0, mono_loss_db=-9.0), [("channels.opposed", ASK)]),
    ],
)
def test_how_two_sides_relate(file: Track, expected: list[tuple[str, Action]]) -> None:
    assert actions_of([file, *others()]) == expected


def test_a_pan_is_information_where_levels_were_asked_as_in_the_mix() -> None:
    file = stereo(levels=(-20.0, -90.0))
    assert actions_of([file, *others()], brief=brief(levels="untouched")) == [("channels.one-side", NOTE)]


def test_more_than_two_channels_are_asked_about() -> None:
    assert actions_of([track(channels=6), *others()]) == [("channels.many", ASK)]


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


def test_a_name_or_a_brief_that_expects_stereo_makes_a_silent_side_a_question() -> None:
    def one_side(path: str) -> Track:
        return stereo(path, levels=(-20.0, -120.0))

    (mended,) = of("channels.one-side", findings([one_side("Pad.wav"), *others()]))
    assert mended.action is Action.FIX
    (asked,) = of("channels.one-side", findings([one_side("Pad stereo.wav"), *others()]))
    assert (asked.action, asked.kind) == (Action.ASK, "question")
    wants = brief(parts=[{"part": "pad", "channels": 2}])
    (asked,) = of("channels.one-side", findings([one_side("Pad.wav"), *others()], brief=wants))
    assert asked.kind == "question"


def test_stereo_where_two_monos_are_asked_is_split_here() -> None:
    monos = brief(stereo="two-monos")
    (found,) = of("channels.to-split", findings([stereo("Pad.wav"), *others()], brief=monos))
    assert (found.action, found.files) == (Action.FIX, ("Pad.wav",))
    assert "channels.to-split" not in codes([stereo("Pad.wav"), *others()])


def test_a_side_that_is_silent_is_no_second_sound() -> None:
    file = stereo(levels=(-20.0, -95.0), correlation=0.05, level_correlation=0.1)
    assert "channels.unrelated" not in codes([file, *others()])


def sides(**changes: Any) -> tuple[Track, Track, Pair]:
    left, right = track("06 Piano L.wav"), track("07 Piano R.wav", rms_dbfs=-22.0)
    known = {"correlation": 0.0, "level_correlation": 0.9, **changes}
    return left, right, Pair(left=left.path, right=right.path, **known)


@pytest.mark.parametrize(
    ("kind", "expected"),
    [
        ("exact", [("channels.pair-same", FIX)]),
        ("scaled", [("channels.split-pair", FIX)]),
        ("inverted", [("channels.split-pair", FIX), ("content.twin", ASK)]),
    ],
)
def test_a_pair_of_equal_sides_is_one_mono_sound_and_no_twin(kind: Any, expected: list[tuple[str, Action]]) -> None:
    left, right, pair = sides(correlation=1.0)
    twin = Twin(path=right.path, other=left.path, kind=kind, gain_db=-3, offset_frames=0, residual_db=-99)
    found = related(Comparison(pairs=(pair,), twins=(twin,)), left, right, *others())
    assert [(f.code, f.action) for f in found] == expected
    assert all(f.files == (left.path, right.path) for f in found)
    if kind == "exact":
        assert found[0].mends[left.path].params == {"kept": left.path, "left_out": right.path}


@pytest.mark.parametrize(
    ("spread_ms", "coherence", "expected"),
    [
        (5.1, 0.49, [("channels.doubles", NOTE)]),
        (5.1, 0.51, [("channels.split-pair", FIX)]),
        (5.0, 0.49, [("channels.split-pair", NOTE)]),
        (2.9, 0.1, [("channels.split-pair", FIX)]),
        (3.1, 0.1, [("channels.split-pair", NOTE)]),
        (None, 0.49, [("channels.split-pair", NOTE)]),
        (None, 0.51, [("channels.split-pair", FIX)]),
    ],
)
def test_two_performances_are_no_pair(spread_ms: float | None, coherence: float, expected: list[Any]) -> None:
    left, right, pair = sides(entry_spread_ms=spread_ms, coherence=coherence)
    found = related(Comparison(pairs=(pair,)), left, right, *others())
    assert [(f.code, f.action) for f in found] == expected


@pytest.mark.parametrize(
    ("names", "expected"),
    [
        (["Steam L.wav"], ["Steam L.wav"]),
        (["L_Steam.wav", "R_Steam.wav"], []),
        (["OHL.wav", "OHR.wav", "Tom1L.wav"], ["Tom1L.wav"]),
        (["Guitar 1 L.wav", "Guitar 2 R.wav"], []),  # of one part: doubles, whatever their numbers
        (["Guitar 1 L.wav", "Guitar.wav"], []),
        (["Guitar 1 L.wav", "Guitar 2 L.wav"], ["Guitar 1 L.wav", "Guitar 2 L.wav"]),
        (["Channel 2 L.wav"], []),
        (["Right hand piano.wav", "Left hand piano.wav"], []),
    ],
)
def test_a_side_without_the_other_is_a_question(names: list[str], expected: list[str]) -> None:
    found = [f for f in findings([*named(*names), *others()]) if f.code == "channels.half-pair"]
    assert [path for f in found for path in f.files] == expected
    assert all((f.action, f.kind) == (ASK, "question") for f in found)
    wide = [replace(t, format=replace(t.format, channels=2)) for t in named(*names) if t.format]
    assert "channels.half-pair" not in codes([*wide, *others()])


@pytest.mark.parametrize(
    ("levels", "peaks", "is_silent"),
    [
        ((-56.0, -86.0), (-37.0, -67.0), False),  # a faint echo of single strokes
        ((-56.0, -86.0), (-37.0, -72.0), True),  # as even as noise
        ((-40.0, -86.0), (-20.0, -60.0), True),  # 46 dB under the other side
        ((-50.0, -79.0), (-30.0, -60.0), False),  # over the threshold
        ((-20.0, -81.0), (-6.0, -40.0), True),  # 61 dB under the other side
        ((-56.0, -120.0), (-37.0, -110.0), True),
    ],
)
def test_a_quiet_side_that_plays_is_not_silent(
    levels: tuple[float, float], peaks: tuple[float, float], is_silent: bool
) -> None:
    played = stereo(levels=levels)
    assert played.measures is not None
    played = replace(played, measures=replace(played.measures, sample_peak_by_channel_dbfs=peaks))
    mirrored = replace(
        played,
        measures=replace(played.measures, rms_by_channel_dbfs=levels[::-1], sample_peak_by_channel_dbfs=peaks[::-1]),  # type: ignore[type-var]
    )
    for track_ in (played, mirrored):
        assert ("channels.one-side" in {f.code for f in findings([track_, *others()])}) is is_silent
