"""Spectra of the same moments."""

from __future__ import annotations

import numpy as np
import pytest

from compare.mixes import on_timeline
from deep_tally.compare.mix_frames import SPAN, gather, moments_of, spectra_of
from sounds import RATE

RANDOM = np.random.default_rng(6)
ONE, OTHER = RANDOM.standard_normal((2, 10 * RATE, 1)) * 0.1
MIX = np.repeat(0.5 * ONE + 0.25 * OTHER, 2, axis=1) * [1.0, 0.5]


def test_moments_are_spread_and_fewer_where_files_are_many() -> None:
    few, many = moments_of(240 * RATE, 20, RATE), moments_of(240 * RATE, 160, RATE)
    assert few[0] == many[0] == 0
    assert few[-1] + SPAN <= 240 * RATE
    assert len(set(np.diff(few))) == 1
    assert len(few) > len(many) >= 24
    assert moments_of(1000, 2, RATE).tolist() == [0]


def test_spectra_are_those_of_a_window_on_both_sides() -> None:
    firsts = np.array([0, 30_000])
    spectra = spectra_of(on_timeline(ONE, 12_000), firsts)
    assert not spectra[0].any()
    expected = np.fft.rfft(ONE[18_000 : 18_000 + SPAN, 0] * np.hanning(SPAN))
    low = round(25 * SPAN / RATE)
    assert spectra[1, 0] == pytest.approx(expected[low : low + spectra.shape[2]], abs=1e-3)
    assert (spectra[:, 0] == spectra[:, 1]).all()


def test_the_sum_of_the_files_is_the_mix_in_every_bin() -> None:
    frames = gather(on_timeline(MIX), [on_timeline(ONE), on_timeline(OTHER)], len(MIX))
    summed = np.einsum("msbf,fs->msb", frames.files, np.array([[0.5, 0.25], [0.25, 0.125]], np.float32))
    assert np.abs(summed - frames.mix).max() < 1e-4 * np.abs(frames.mix).max()
    mean = (np.abs(frames.mix) ** 2).mean(axis=(0, 1))
    assert mean == pytest.approx(np.full(len(mean), mean.mean()), rel=0.01)  # every bin counts alike
    assert frames.hz[0] == pytest.approx(25, abs=RATE / SPAN)
    assert frames.hz[-1] == pytest.approx(15_000, abs=RATE / SPAN)


def test_another_floor_takes_weight_from_what_is_weak() -> None:
    weak = ONE.copy()
    weak[:, 0] += 3 * np.sin(2 * np.pi * 1000 * np.arange(len(ONE)) / RATE)
    frames = gather(on_timeline(weak), [on_timeline(ONE)], len(weak))
    before, at = frames.weights.copy(), int(np.abs(frames.hz - 1000).argmin())
    mix = frames.mix.copy()
    frames.reweight(1e-2)
    assert frames.weights[at] == pytest.approx(before[at], rel=0.02)
    assert frames.weights[at + 400] < 0.2 * before[at + 400]
    assert np.allclose(frames.mix, mix * (frames.weights / before), rtol=1e-3, atol=1e-6)


def test_a_silent_mix_has_no_weight() -> None:
    frames = gather(on_timeline(np.zeros((RATE, 2))), [on_timeline(ONE)], RATE)
    assert not frames.weights.any()
    assert not frames.files.any()
    frames.reweight(1e-2)
    assert not frames.weights.any()
