"""Where files are read for comparing, and the products of what is read."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile

from compare.columns import apart, loud, noise, sampled, strokes, written
from deep_tally.compare.sampled import SPAN, Sampled, read_at, sample, sampling_places, shares_between
from sounds import RATE


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


def test_files_are_read_one_by_one_and_each_is_reported(tmp_path: Path) -> None:
    made = [written(tmp_path, f"{n}.wav", strokes(n)) for n in range(3)]
    calls: list[int] = []
    found = sample([t for t, _ in made], {e.path: e for _, e in made}, calls.append)
    assert calls == [1, 2, 3]
    assert (found.paths, found.owners.tolist()) == (("0.wav", "1.wav", "2.wav"), [0, 1, 2])
    assert len(found.columns) == len(found.places) * SPAN
