"""Comparing on columns made by NumPy: the figures, and on which side of each threshold two files fall."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile

from deep_tally.compare.containment import find_contained, has_rested
from deep_tally.compare.job import compare_song, is_compared
from deep_tally.compare.pairs import energies_of, find_pairs
from deep_tally.compare.sampled import SPAN, Sampled, read_at, sample, sampling_places, shares_between
from deep_tally.compare.sums import find_sums
from deep_tally.compare.twins import find_shifted, find_twins, from_peak, may_be_one, shape_db, shifted
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, Role
from deep_tally.model.measures import OverviewLevel
from sounds import RATE
from tracks import MEASURES, track

PLACES = 64
APART = 40
"""So many spans lie from one place to the next: 0.43 s."""


def noise(seed: int, channels: int = 1) -> np.ndarray:
    """Columns of noise, strangers to each other."""
    return np.random.default_rng(seed).standard_normal((PLACES * SPAN, channels))


def apart(count: int) -> list[np.ndarray]:
    """Columns at right angles, of equal energy."""
    made, _ = np.linalg.qr(noise(1, count))
    return [made[:, [n]] * 100 for n in range(count)]


def sampled(*files: np.ndarray, names: list[str] | None = None) -> tuple[Sampled, np.ndarray]:
    owners = np.concatenate([[n] * f.shape[1] for n, f in enumerate(files)]).astype(int)
    paths = tuple(names or [f"{n} P.wav" for n in range(len(files))])
    columns = np.concatenate(files, axis=1).astype(np.float32)
    made = Sampled(paths, owners, np.arange(PLACES) * APART * SPAN, columns)
    return made, made.gram()


# -- products ---------------------------------------------------------------------------------


def test_products_are_those_of_whole_columns() -> None:
    made, gram = sampled(noise(1, 2), noise(2))
    whole = made.columns.astype(float)
    assert gram == pytest.approx(whole.T @ whole)
    assert [made.of(n).tolist() for n in range(2)] == [[0, 1], [2]]


def test_the_most_that_one_file_is_of_another() -> None:
    a, b, c = apart(3)
    made, gram = sampled(a, np.hstack([b, 0.6 * a + 0.8 * b]), c, np.zeros_like(a))
    shares = shares_between(made, gram)
    assert shares[:3, :3] == pytest.approx(np.array([[1, 0.36, 0], [0.36, 1, 0], [0, 0, 1]]), abs=1e-6)
    assert shares[3].tolist() == [1, 1, 1, 1]  # silence tells nothing
    gone = Sampled(made.paths, np.array([0, 1, 1, 3]), made.places, np.delete(made.columns, 3, axis=1))
    assert shares_between(gone, gone.gram())[2].tolist() == [-1, -1, -1, -1]


# -- twins ------------------------------------------------------------------------------------


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


# -- later twins ------------------------------------------------------------------------------


def written(folder: Path, name: str, samples: np.ndarray) -> tuple[Track, Entry]:
    from deep_tally.measure.job import measure_entry

    soundfile.write(folder / name, samples, RATE, subtype="PCM_24")
    entry = Entry(path=name, source=folder / name, role=Role.TRACKOUT, song="s", bytes=1)
    return measure_entry(lambda done, total: None, entry), entry


def strokes(seed: int = 5, seconds: float = 3.0) -> np.ndarray:
    random = np.random.default_rng(seed)
    samples = (
        0.1
        * random.standard_normal((round(seconds * RATE), 1))
        * np.exp(-((np.arange(round(seconds * RATE)) % 20_000) / 4000))[:, None]
    )
    samples[RATE : RATE + 100] *= 3
    return np.asarray(samples)


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


def test_later_twins_are_told_once_and_of_the_first(tmp_path: Path) -> None:
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


# -- sums -------------------------------------------------------------------------------------


@pytest.mark.parametrize(("left_db", "found"), [(-60.2, True), (-59.8, False)])
def test_a_sum_leaves_a_thousandth(left_db: float, found: bool) -> None:
    a, b, c, rest = apart(4)
    total = 0.6 * a + 0.8 * b
    sums = find_sums(*sampled(a, b, c, total + 10 ** (left_db / 20) * rest), leave_out=frozenset())
    assert bool(sums) is found
    if found:
        assert dict(sums[0].parts) == {
            "0 P.wav": pytest.approx(-4.437, abs=1e-3),
            "1 P.wav": pytest.approx(-1.938, abs=1e-3),
        }
        assert sums[0].residual_db == pytest.approx(left_db, abs=0.01)


@pytest.mark.parametrize(("share", "parts"), [(1.1e-3, 3), (0.9e-3, 2)])
def test_a_part_gives_a_thousandth_of_the_energy(share: float, parts: int) -> None:
    # Nothing is left of it all the same: 0.9e-3 of energy are -30 dB, so that the sum would not be one without it.
    a, b, c, d = apart(4)
    total = math.sqrt(0.6) * a + math.sqrt(0.4 - share) * b + math.sqrt(share) * c
    (found,) = find_sums(*sampled(a, b, c, d, total), leave_out=frozenset())
    assert len(found.parts) == parts


def test_no_part_is_taken_away_from_a_sum_and_no_copy_is_one() -> None:
    a, b, c = apart(3)
    # A file less another is no sum, though it is made of both.
    found = find_sums(*sampled(a, b, a - 0.5 * b, c), leave_out=frozenset())
    assert [(s.path, [p for p, _ in s.parts]) for s in found] == [("0 P.wav", ["1 P.wav", "2 P.wav"])]
    assert find_sums(*sampled(a, b, 0.5 * a), leave_out=frozenset()) == []
    assert find_sums(*sampled(a, b, a + b), leave_out=frozenset({"1 P.wav"})) == []
    assert find_sums(*sampled(a, b), leave_out=frozenset()) == []


def test_a_stereo_sum_is_one_on_both_sides_and_tells_the_louder_gain() -> None:
    a, b, c = apart(3)
    group = np.hstack([0.5 * a + 0.4 * b, 0.25 * a + 0.6 * b])
    (found,) = find_sums(*sampled(a, b, c, group), leave_out=frozenset())
    assert dict(found.parts) == {"0 P.wav": pytest.approx(-6.02, abs=0.01), "1 P.wav": pytest.approx(-4.44, abs=0.01)}
    one_side = np.hstack([0.5 * a + 0.4 * b, noise(9)])
    assert find_sums(*sampled(a, b, c, one_side), leave_out=frozenset()) == []


# -- one inside another -----------------------------------------------------------------------


def resting(path: str, at: np.ndarray, *, bin_frames: int = SPAN) -> Track:
    """A track whose overview sounds at full level where `at` says, else not at all."""
    rms = at.astype(np.float16)[:, None]
    level = OverviewLevel(bin_frames=bin_frames, low=-rms, high=rms, rms=rms)
    return track(path, overview=(level,))


def test_a_file_has_rested_after_three_seconds_fifty_decibels_down() -> None:
    bins = np.zeros(600)  # of 512 frames: 6.4 s
    bins[:100] = 1.0
    places = np.array([99, 100, 380, 382, 384]) * SPAN
    # Three seconds are 281.25 bins: after bin 100 the first place that has rested begins in bin 382.
    assert has_rested(resting("a", bins), places).tolist() == [False, False, False, True, True]
    quiet = np.where(bins == 1, 1.0, 10 ** (-50.5 / 20))
    assert has_rested(resting("a", quiet), places).tolist() == [False, False, False, True, True]
    louder = np.where(bins == 1, 1.0, 10 ** (-49.5 / 20))
    assert not has_rested(resting("a", louder), places).any()
    assert not has_rested(Track(path="a", role=Role.TRACKOUT), places).any()


def held_in(
    inner_share: float,
    *,
    gain: float = 0.5,
    rests: int = 24,
    imaginary: bool = False,
    bins: Sequence[int] | None = None,
) -> int:
    """How many relations are found when a file that rests at some places is in another by a share of its energy."""
    inner, outer = noise(11), noise(12)
    if bins is not None:
        spectra = np.fft.rfft(inner.reshape(PLACES, SPAN), axis=1)
        spectra[:, [n for n in range(SPAN // 2 + 1) if n not in bins]] = 0
        inner = np.fft.irfft(spectra, axis=1).reshape(-1, 1)
    is_rest = np.arange(PLACES) >= PLACES - rests
    inner.reshape(PLACES, SPAN)[is_rest] = 0
    mixed = gain * inner
    if imaginary:
        mixed = np.roll(mixed.reshape(PLACES, SPAN), 1, axis=1).reshape(-1, 1)
    energy = (mixed**2).sum()
    active = ~np.repeat(is_rest, SPAN)
    outer *= math.sqrt(energy * (1 / inner_share - 1) / (outer[active] ** 2).sum())
    made, gram = sampled(outer + mixed, inner)
    sounds = np.zeros(PLACES * APART)
    sounds[: (PLACES - rests) * APART - 290] = 1.0
    tracks = [resting("0 P.wav", np.ones(len(sounds))), resting("1 P.wav", sounds)]
    return len(find_contained(tracks, made, gram, leave_out=frozenset()))


def test_a_file_inside_another_at_one_gain() -> None:
    assert held_in(0.5) == 1
    assert held_in(0.05) == 1
    assert held_in(0.5, rests=2) == 1
    assert held_in(0.5, rests=1) == 0  # what sounds at one place alone proves nothing
    assert held_in(0.5, rests=PLACES - 8) == 1
    assert held_in(0.5, rests=PLACES - 7) == 0
    assert held_in(0.004) == 0  # under a hundredth
    assert held_in(0.5, imaginary=True) == 0  # a sample late


def test_a_gain_is_known_in_two_bands_at_least() -> None:
    # Of 512 frames: bins 3 to 7 and 8 to 19 are two of the bands; the window spreads each bin over its neighbours.
    assert held_in(0.5, bins=[4, 5, 6, *range(9, 19)]) == 1
    assert held_in(0.5, bins=range(9, 19)) == 0


def test_what_is_told_already_is_left_out() -> None:
    inner, outer = noise(11), noise(12)
    inner.reshape(PLACES, SPAN)[40:] = 0
    made, gram = sampled(outer + 0.5 * inner, inner)
    bins = np.zeros(PLACES * APART)
    bins[: 40 * APART - 290] = 1.0
    tracks = [resting("0 P.wav", np.ones(len(bins))), resting("1 P.wav", bins)]
    (found,) = find_contained(tracks, made, gram, leave_out=frozenset())
    assert (found.path, found.held, found.gain_db) == ("0 P.wav", "1 P.wav", pytest.approx(-6.02, abs=0.5))
    for path in made.paths:
        assert find_contained(tracks, made, gram, leave_out=frozenset({path})) == []


# -- pairs ------------------------------------------------------------------------------------


def half(path: str, levels: np.ndarray, **changes: object) -> Track:
    rms = levels.astype(np.float16)[:, None]
    return track(path, overview=(OverviewLevel(bin_frames=2400, low=-rms, high=rms, rms=rms),), **changes)


def test_energies_are_of_fifty_milliseconds() -> None:
    rms = np.array([1.0, 0.5, 0.25, 0.0, 1.0], np.float16)[:, None]
    for bin_frames, expected in (
        (2400, [1, 0.25, 0.0625, 0, 1]),
        (1200, [0.625, 0.03125, 0.5]),
        (9600, [1, 0.25, 0.0625, 0, 1]),
    ):
        level = OverviewLevel(bin_frames=bin_frames, low=-rms, high=rms, rms=rms)
        assert energies_of(replace(MEASURES, overview=(level,)), RATE).tolist() == pytest.approx(expected)
    assert len(energies_of(MEASURES, RATE)) == 0


def test_a_pair_is_told_with_both_correlations() -> None:
    levels = np.random.default_rng(3).uniform(0.01, 1.0, 80)
    a, b = apart(2)
    names = ["Piano L.wav", "Piano R.wav"]
    made, gram = sampled(a, 0.6 * a + 0.8 * b, names=names)
    (pair,) = find_pairs([half(names[0], levels), half(names[1], levels)], made, gram)
    assert (pair.left, pair.right) == ("Piano L.wav", "Piano R.wav")
    assert (pair.correlation, pair.level_correlation) == (pytest.approx(0.6, abs=1e-6), pytest.approx(1.0))
    turned, products = sampled(a, -0.6 * a - 0.8 * b, names=names)
    (against,) = find_pairs([half(names[0], levels), half(names[1], levels)], turned, products)
    assert against.correlation == pytest.approx(-0.6, abs=1e-6)
    for changes in (
        {"channels": 2},
        {"bits": 16},
        {"rate_hz": 44_100},
        {"frames": 9 * RATE},
        {"sample_format": "float"},
    ):
        assert find_pairs([half(names[0], levels), half(names[1], levels, **changes)], made, gram) == []
    unread = Sampled(tuple(names), np.array([0]), made.places, made.columns[:, :1])
    (pair,) = find_pairs([half(names[0], levels), half(names[1], levels)], unread, unread.gram())
    assert pair.correlation == 0.0
    silent, zeros = sampled(a, 0 * b, names=names)
    assert find_pairs([half(names[0], levels), half(names[1], levels)], silent, zeros)[0].correlation == 0.0


# -- where files are read ---------------------------------------------------------------------


def loud(path: str, frames: tuple[int, ...], length: int = 100 * SPAN) -> Track:
    return track(path, loud_frames=frames, frames=length)


def test_the_places_are_where_files_are_loud_and_some_between() -> None:
    # Thirty-two spread places at one 33rd of the length each, and two loud ones; none within SPAN of another.
    spread = np.linspace(0, 99 * SPAN, 34)[1:-1].astype(int).tolist()
    found = sampling_places([loud("a", (10, 5 * SPAN)), loud("b", (50 * SPAN,))], 1000)
    assert set(spread) - set(found) <= {p for p in spread if any(0 < p - q < SPAN for q in found)}
    assert {10, 5 * SPAN} <= set(found)
    assert found == sorted(found)
    assert min(np.diff(found)) >= SPAN
    assert found[-1] <= 99 * SPAN


def test_of_many_loud_places_each_file_gives_as_many() -> None:
    many = tuple(range(0, 4000 * SPAN, 20 * SPAN))  # two hundred
    found = sampling_places([loud("a", many, 4000 * SPAN)], 1000)
    assert sum(p % (20 * SPAN) == 0 for p in found) == pytest.approx(16, abs=1)
    few = sampling_places([loud(str(n), many, 4000 * SPAN) for n in range(200)], 1000)
    assert sum(p % (20 * SPAN) == 0 for p in few) == pytest.approx(2, abs=1)
    assert len(sampling_places([loud("a", many, 4000 * SPAN)], 20)) <= 20
    apart_ = [loud(str(n), tuple(p + n * 3 * SPAN for p in many), 4000 * SPAN) for n in range(40)]
    assert len(sampling_places(apart_, 10_000)) <= 256


def test_256_places_are_read_and_of_more_every_second_one() -> None:
    length = 4000 * SPAN
    spread = np.linspace(0, length - SPAN, 34)[1:-1].astype(int)
    free = [p for p in range(0, length - SPAN, 15 * SPAN) if np.abs(spread - p).min() > 2 * SPAN]
    files = [loud(str(n), tuple(free[n::14][:16]), length) for n in range(14)]
    assert len(sampling_places(files, 1000)) == 14 * 16 + 32 == 256
    # A file that has more loud places gives every n-th of them, from its first on.
    more = sampling_places([loud("a", tuple(free[:200]), length)], 1000)
    assert set(free[:200:13]) <= set(more)
    assert set(more) <= {*free[:200:13], *spread.tolist()}


def test_places_past_the_end_read_as_silence(tmp_path: Path) -> None:
    samples = np.random.default_rng(1).integers(-(2**15), 2**15, (1000, 2)) / 2**15
    for name in ("a.wav", "a.flac"):
        soundfile.write(tmp_path / name, samples, RATE, "PCM_16")
        read = read_at(tmp_path / name, [0, 800, 2000], 300)
        assert read.shape == (900, 2)
        assert read[:300] == pytest.approx(samples[:300])
        assert read[300:500] == pytest.approx(samples[800:])
        assert not read[500:].any()
    soundfile.write(tmp_path / "b.wav", np.array([0.5, np.nan, np.inf, -np.inf]), RATE, "FLOAT")
    assert read_at(tmp_path / "b.wav", [0], 4)[:, 0].tolist() == [0.5, 0, 0, 0]


def test_files_are_read_one_by_one_and_each_is_told(tmp_path: Path) -> None:
    made = [written(tmp_path, f"{n}.wav", strokes(n)) for n in range(3)]
    calls: list[int] = []
    found = sample([t for t, _ in made], {e.path: e for _, e in made}, calls.append)
    assert calls == [1, 2, 3]
    assert (found.paths, found.owners.tolist()) == (("0.wav", "1.wav", "2.wav"), [0, 1, 2])
    assert len(found.columns) == len(found.places) * SPAN


# -- a song -----------------------------------------------------------------------------------


def test_who_takes_part() -> None:
    assert is_compared(track())
    assert not is_compared(track(role=Role.ROUGH_MIX))
    assert not is_compared(track(sample_format="lossy", bits=None))
    assert not is_compared(track(first_sound_frame=None, last_sound_frame=None))
    assert not is_compared(Track(path="a", role=Role.TRACKOUT))


def test_files_of_two_rates_are_compared_each_among_themselves(tmp_path: Path) -> None:
    from deep_tally.measure.job import measure_entry

    calls: list[tuple[int, int]] = []
    entries = []
    for name, rate in (("0.wav", 96_000), ("a.wav", RATE), ("b.wav", RATE), ("c.wav", 44_100), ("d.wav", 44_100)):
        soundfile.write(tmp_path / name, strokes(1), rate, subtype="PCM_24")
        entries.append(Entry(path=name, source=tmp_path / name, role=Role.TRACKOUT, song="s", bytes=1))
    tracks = [measure_entry(lambda done, total: None, e) for e in entries]
    found = compare_song(lambda done, total: calls.append((done, total)), entries, tracks)
    assert [(t.path, t.other) for t in found.twins] == [("b.wav", "a.wav"), ("d.wav", "c.wav")]
    assert {total for _, total in calls} == {5}
    assert [done for done, _ in calls] == sorted(done for done, _ in calls)
    assert calls[0][0] == 1
    assert calls[-1][0] == 4
