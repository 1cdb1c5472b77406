"""Gains against numpy's least squares on the full data, and how sure they are."""

from __future__ import annotations

import numpy as np
import pytest

from deep_tally.compare.mix_frames import MixFrames
from deep_tally.compare.mix_gains import Gains, fit, products, products_with

RANDOM = np.random.default_rng(8)
MOMENTS, BINS, FILES = 40, 60, 5


def noise(*shape: int) -> np.ndarray:
    return (RANDOM.standard_normal(shape) + 1j * RANDOM.standard_normal(shape)).astype(np.complex64)


def frames_of(files: np.ndarray, mix: np.ndarray) -> MixFrames:
    return MixFrames(
        mix, files, np.arange(len(mix)), np.arange(1.0, mix.shape[2] + 1), np.ones(mix.shape[2], np.float32)
    )


def song(gains: np.ndarray, left: float = 0.0) -> MixFrames:
    files = noise(MOMENTS, 2, BINS, FILES)
    mix = np.einsum("msbf,sf->msb", files, gains) + left * noise(MOMENTS, 2, BINS)
    return frames_of(files, mix.astype(np.complex64))


GAINS = np.array([[0.5, 0.2, 0.0, 1.0, -0.3], [0.5, 0.0, 0.0, 0.1, -0.3]])


def test_gains_are_those_of_least_squares_on_all_data() -> None:
    frames = song(GAINS, left=0.5)
    found = fit(products(frames), least_t=0.0)
    for side in range(2):
        weight = 1 / np.sqrt((np.abs(frames.mix[:, side]) ** 2).sum(axis=1))
        weight = 1 / np.sqrt(weight**-2 + 0.01 * (weight**-2).mean())
        x = (frames.files[:, side] * weight[:, None, None]).reshape(-1, FILES)
        y = (frames.mix[:, side] * weight[:, None]).reshape(-1)
        both = np.linalg.lstsq(np.vstack([x.real, x.imag]), np.concatenate([y.real, y.imag]), rcond=None)[0]
        assert found.gains[side] == pytest.approx(both, abs=1e-5)


def test_a_plain_sum_is_explained_whole_and_who_is_absent_has_no_gain() -> None:
    frames = song(GAINS)
    found = fit(products(frames))
    assert found.gains == pytest.approx(GAINS, abs=1e-5)
    assert found.gains[:, 2].tolist() == [0.0, 0.0]
    assert found.left.sum() < 1e-6 * (np.abs(frames.mix) ** 2).sum()
    t = found.certainty
    assert t[2] == 0
    assert t[4] < -100  # inverted
    assert (t[[0, 1, 3]] > 100).all()


def test_the_error_of_a_gain_is_that_of_repeated_trials() -> None:
    trials = [fit(products(song(GAINS, left=1.0)), least_t=0.0) for _ in range(60)]
    spread = np.std([t.gains[0, 0] for t in trials])
    assert np.median([t.errors[0, 0] for t in trials]) == pytest.approx(spread, rel=0.35)


def test_one_file_put_elsewhere_changes_only_its_own_products() -> None:
    frames = song(GAINS, left=0.3)
    weights = noise(MOMENTS, 2, BINS)
    for bus in (None, weights):
        known = products(frames, bus)
        moved = MixFrames(frames.mix, frames.files.copy(), frames.firsts, frames.hz, frames.weights)
        moved.with_file(1, noise(MOMENTS, 2, BINS))
        quick, whole = products_with(known, moved, 1, bus), products(moved, bus)
        assert quick.among == pytest.approx(whole.among, rel=1e-3, abs=1e-2)
        assert quick.with_mix == pytest.approx(whole.with_mix, rel=1e-3, abs=1e-2)


def test_a_gain_that_is_lost_is_taken_from_another_fit() -> None:
    here = Gains(np.array([[0.0, 1.0], [0.0, 0.0]]), np.array([[np.inf, 0.1], [np.inf, np.inf]]), np.zeros((1, 2)))
    there = Gains(np.array([[2.0, 5.0], [3.0, 5.0]]), np.full((2, 2), 0.5), np.ones((1, 2)))
    both = here.or_else(there)
    assert both.gains.tolist() == [[2.0, 1.0], [3.0, 0.0]]
    assert both.errors.tolist() == [[0.5, 0.1], [0.5, np.inf]]


def test_silent_files_are_no_error() -> None:
    frames = song(GAINS)
    frames.with_file(0, np.zeros((MOMENTS, 2, BINS), np.complex64))
    assert fit(products(frames)).gains[:, 0].tolist() == [0.0, 0.0]
