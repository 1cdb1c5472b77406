"""Copies: as they are, at another gain, turned round, later."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from compare.columns import PLACES, apart, sampled, strokes, written
from deep_tally.compare.sampled import Sampled
from deep_tally.compare.twins import find_shifted, find_twins, from_peak, may_be_one, shape_db, shifted
from deep_tally.model.delivery import Track
from deep_tally.model.files import Role
from tracks import track


@pytest.mark.parametrize(("left_db", "found"), [(-60.2, True), (-59.8, False)])
def test_a_twin_leaves_a_thousandth(left_db: float, found: bool) -> None:
    a, b = apart(2)
    twins = find_twins(*sampled(a, a + 10 ** (left_db / 20) * b))
    assert bool(twins) is found
    if found:
        assert twins[0].residual_db == pytest.approx(left_db, abs=0.01)


@pytest.mark.parametrize(
    ("gain", "kind"),
    [(1.0, "exact"), (1 + 0.7e-5, "exact"), (1 + 1.4e-5, "scaled"), (0.5, "scaled"), (-1.0, "inverted")],
)
def test_kinds_of_twins(gain: float, kind: str) -> None:
    columns = apart(1)[0].astype(np.float64)
    made = Sampled(("a", "b"), np.array([0, 1]), np.arange(PLACES), np.hstack([columns, gain * columns]))  # type: ignore[arg-type]
    (twin,) = find_twins(made, made.columns.T.astype(float) @ made.columns)
    assert (twin.path, twin.other, twin.kind, twin.offset_frames) == ("b", "a", kind, 0)
    assert twin.gain_db == pytest.approx(20 * math.log10(abs(gain)), abs=1e-4)


def test_a_copy_of_a_copy_is_one_of_the_first() -> None:
    a, b = apart(2)
    twins = find_twins(*sampled(a, b, a, 0.5 * a, b))
    assert [(t.path, t.other) for t in twins] == [
        ("2 P.wav", "0 P.wav"),
        ("3 P.wav", "0 P.wav"),
        ("4 P.wav", "1 P.wav"),
    ]


def test_a_mono_file_on_both_sides_of_another() -> None:
    a, b = apart(2)
    for files in ((a, np.hstack([0.5 * a, 0.25 * a])), (np.hstack([0.5 * a, 0.25 * a]), a)):
        (twin,) = find_twins(*sampled(*files))
        assert twin.gain_db == pytest.approx(-6.02, abs=0.01)
    assert find_twins(*sampled(a, np.hstack([a, 0.1 * b]))) == []
    assert find_twins(*sampled(np.hstack([a, a]), np.hstack([a, a, a]))) == []
    assert find_twins(*sampled(np.zeros_like(a), np.zeros_like(a))) == []


def test_stereo_twins_have_one_gain_for_both_sides() -> None:
    a, b = apart(2)
    wide = np.hstack([a, b])
    assert len(find_twins(*sampled(wide, 0.5 * wide))) == 1
    assert find_twins(*sampled(wide, wide * [0.5, 0.4])) == []


def test_the_shape_is_the_same_at_any_gain_and_place() -> None:
    one = track(sample_peak_by_channel_dbfs=(-3.0,), rms_dbfs=-20.0, frames=48_000)
    assert shape_db(one) == pytest.approx(17.0 - 10 * math.log10(48_000))
    assert shape_db(Track(path="x", role=Role.TRACKOUT)) == math.inf


def test_how_a_file_goes_on_from_its_peak(tmp_path: Path) -> None:
    samples = strokes()
    made, entry = written(tmp_path, "a.wav", samples)
    assert made.measures is not None
    row = from_peak(made, {"a.wav": entry})
    assert row is not None
    peak = int(np.abs(samples).argmax())
    assert np.linalg.norm(row) == pytest.approx(1.0)
    assert row == pytest.approx(samples[peak : peak + 512, 0] / np.linalg.norm(samples[peak : peak + 512]), abs=1e-5)
    for frame, there in ((len(samples) - 512, True), (len(samples) - 511, False), (None, False)):
        moved = replace(made, measures=replace(made.measures, peak_frame=frame))
        assert (from_peak(moved, {"a.wav": entry}) is not None) is there
    gone = replace(entry, source=tmp_path / "gone.wav")
    assert from_peak(made, {"a.wav": gone}) is None


@pytest.mark.parametrize(("alike", "maybe"), [(0.9991, True), (-0.9991, True), (0.9989, False)])
def test_two_files_may_be_one_when_they_go_on_alike(alike: float, maybe: bool) -> None:
    one = np.array([1.0, 0.0])
    other = np.array([alike, math.sqrt(1 - alike**2)])
    assert may_be_one(one, other) is maybe
    assert may_be_one(None, other)
    assert may_be_one(one, None)
    assert not may_be_one(one, np.array([1.0, 0.0, 0.0]))


@pytest.mark.parametrize(("left_db", "found"), [(-61.0, True), (-59.0, False)])
def test_a_later_twin_leaves_a_thousandth(tmp_path: Path, left_db: float, found: bool) -> None:
    samples = strokes()
    late = np.concatenate([np.zeros((700, 1)), 0.5 * samples[:-700]])
    late += np.sqrt((late**2).mean()) * 10 ** (left_db / 20) * np.random.default_rng(1).standard_normal(late.shape)
    (one, first), (other, second) = written(tmp_path, "a.wav", samples), written(tmp_path, "b.wav", late)
    entries = {"a.wav": first, "b.wav": second}
    # What is left is held against the loud moments, which are louder than the file is in the mean.
    loud = shifted(one, other, entries)
    below = [t for t in find_shifted([one, other], entries) if t.kind == "shifted"]
    if found:
        assert loud is not None
        assert (loud.path, loud.other, loud.offset_frames) == ("b.wav", "a.wav", 700)
        assert loud.gain_db == pytest.approx(-6.02, abs=0.01)
        assert below == [loud]
    else:
        assert loud is None or loud.residual_db < -60


def test_later_twins_are_reported_once_and_of_the_first(tmp_path: Path) -> None:
    samples = strokes()
    made = {"a.wav": samples, "b.wav": strokes(6)}
    for shift in (300, 500):
        made[f"{shift}.wav"] = np.concatenate([np.zeros((shift, 1)), samples[:-shift]])
    tracks, entries = zip(*(written(tmp_path, name, s) for name, s in made.items()), strict=True)
    calls: list[int] = []
    found = find_shifted(tracks, {e.path: e for e in entries}, lambda: calls.append(1))
    assert [(t.path, t.other, t.offset_frames) for t in found] == [("300.wav", "a.wav", 300), ("500.wav", "a.wav", 500)]
    assert len(calls) == 4


def test_files_in_step_of_other_channels_or_without_loud_places_are_no_later_twins(tmp_path: Path) -> None:
    samples = strokes()
    late = np.concatenate([np.zeros((700, 1)), samples[:-700]])
    (one, first), (other, second) = written(tmp_path, "a.wav", samples), written(tmp_path, "b.wav", late)
    entries = {"a.wav": first, "b.wav": second}
    assert shifted(one, one, entries) is None
    assert one.measures is not None
    assert other.format is not None
    assert shifted(replace(one, measures=replace(one.measures, loud_frames=())), other, entries) is None
    assert shifted(one, replace(other, format=replace(other.format, channels=2)), entries) is None
    assert shifted(replace(one, measures=replace(one.measures, peak_frame=None)), other, entries) is None
    assert shifted(one, other, entries) is not None
