"""A filter and a moving gain between two sums are found again."""

from __future__ import annotations

import numpy as np
import pytest

from compare.test_mix_gains import BINS, FILES, MOMENTS, frames_of, noise
from deep_tally.compare.mix_bus import bus_between, fit_through_bus
from deep_tally.compare.mix_gains import fit, products

HZ = np.geomspace(30, 15_000, BINS)
RESPONSE = (1 / (1 + 200j / HZ) * (1 + 0.3 * HZ / 15_000)).astype(np.complex64)
MOVING = (1 + 0.5 * np.sin(np.arange(MOMENTS) / 3)).astype(np.float32)


def through(dry: np.ndarray) -> np.ndarray:
    return (dry * RESPONSE * MOVING[:, None, None]).astype(np.complex64)


def test_the_bus_between_a_dry_and_a_wet_sum() -> None:
    dry = noise(400, 2, BINS)
    moving = np.resize(MOVING, 400)
    bus = bus_between(dry, (dry * RESPONSE * moving[:, None, None]).astype(np.complex64), HZ)
    made = bus.at_moments()
    whole = np.repeat((RESPONSE * moving[:, None, None]), 2, axis=1)
    assert np.median(np.abs(made - whole) / np.abs(whole)) < 0.03
    assert np.median(np.abs(bus.response)) == pytest.approx(1.0)


def test_gains_are_found_through_it() -> None:
    gains = np.array([[1.0, 0.5, 0.2, 0.8, 0.4], [0.5, 0.5, 0.4, 0.1, 0.4]])
    files = noise(MOMENTS, 2, BINS, FILES)
    wet = through(np.einsum("msbf,sf->msb", files, gains))
    frames = frames_of(files, wet)
    frames = type(frames)(frames.mix, frames.files, frames.firsts, HZ, frames.weights)
    plain = fit(products(frames))
    found = fit_through_bus(frames, plain)
    assert found is not None
    ratio = found[0].gains / gains
    assert ratio == pytest.approx(np.full(ratio.shape, np.median(ratio)), rel=0.03)
    assert found[0].left.sum() < 0.1 * plain.left.sum()


def test_a_plain_sum_has_no_bus() -> None:
    files = noise(MOMENTS, 2, BINS, FILES)
    mix = files.sum(axis=3) + 0.5 * noise(MOMENTS, 2, BINS)
    frames = frames_of(files, mix.astype(np.complex64))
    frames = type(frames)(frames.mix, frames.files, frames.firsts, HZ, frames.weights)
    plain = fit(products(frames))
    found = fit_through_bus(frames, plain)
    assert found is None or found[0].left.sum() > 0.9 * plain.left.sum()


def test_silence_is_no_error() -> None:
    dry = np.zeros((4, 2, BINS), np.complex64)
    assert np.isfinite(bus_between(dry, dry, HZ).gains).all()
