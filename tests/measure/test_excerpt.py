"""Samples for drawing."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile

from deep_tally.measure.excerpt import read_excerpt, read_excerpts
from measure.measured_sounds import Progress
from sounds import RATE


@pytest.mark.parametrize("name", ["a.wav", "a.flac"])
def test_an_excerpt_is_the_samples_from_a_frame_on(tmp_path: Path, name: str) -> None:
    samples = np.random.default_rng(1).integers(-(2**15), 2**15, (5000, 2)) / 2**15
    soundfile.write(tmp_path / name, samples, RATE, "PCM_16")
    progress = Progress()
    excerpt = read_excerpt(progress, tmp_path / name, 1000, 300)
    assert (excerpt.frame, excerpt.samples.dtype) == (1000, np.float32)
    assert excerpt.samples == pytest.approx(samples[1000:1300])
    assert progress.calls[-1] == (300, 300)
    assert read_excerpt(progress, tmp_path / name, 4990, 300).samples == pytest.approx(samples[4990:])


def test_what_is_no_number_is_drawn_as_zero(tmp_path: Path) -> None:
    samples = np.array([0.5, np.nan, np.inf, -np.inf, -0.5])
    soundfile.write(tmp_path / "a.wav", samples, RATE, "FLOAT")
    assert read_excerpt(Progress(), tmp_path / "a.wav", 0, 5).samples[:, 0].tolist() == [0.5, 0, 0, 0, -0.5]


def test_excerpts_of_several_files_leave_out_what_cannot_be_read(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.wav", np.full(100, 0.5), RATE, "PCM_16")
    progress = Progress()
    wanted = [
        ("one", tmp_path / "a.wav", 10, 20),
        ("gone", tmp_path / "b.wav", 0, 5),
        ("two", tmp_path / "a.wav", 0, 5),
    ]
    read = read_excerpts(progress, wanted)
    assert {name: (e.frame, len(e.samples)) for name, e in read.items()} == {"one": (10, 20), "two": (0, 5)}
    assert progress.calls == [(1, 3), (2, 3), (3, 3)]
