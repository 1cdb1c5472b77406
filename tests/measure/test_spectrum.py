"""The long-term spectrum and its edge, against a resampler (soxr), FIR filters (SciPy) and handbook levels."""

from __future__ import annotations

import numpy as np
import pytest
import soxr
from scipy.signal import butter, firwin, lfilter, oaconvolve

from sounds import RATE, measured, sine

NOISE = np.random.default_rng(11).standard_normal(6 * RATE) * 0.1


def edge_hz(samples: np.ndarray, rate: int = RATE) -> float | None:
    spectrum = measured(samples, bits=24, rate=rate).spectrum
    assert spectrum is not None
    return spectrum.edge.edge_hz if spectrum.edge is not None else None


@pytest.mark.parametrize("peak_db", [0.0, -20.0, -60.0])
def test_a_sine_on_a_bin_reads_its_own_level(peak_db: float) -> None:
    # Coherent gain of the window (Harris 1978, from memory): a sine on a bin reads its amplitude.
    spectrum = measured(sine(100 * RATE / 4096, 3.0, peak=10 ** (peak_db / 20))).spectrum
    assert spectrum is not None
    assert float(spectrum.levels_db[100]) == pytest.approx(peak_db, abs=0.05)
    assert spectrum.bin_hz == RATE / 4096


def test_white_noise_is_flat_at_the_level_theory_gives() -> None:
    spectrum = measured(NOISE).spectrum
    assert spectrum is not None
    # Noise of power s^2 in a bin of the Blackman window (equivalent width 1.727 bins, Harris 1978, from memory): a sine
    # of that power would have twice its amplitude squared. The mean of decibels of an exponential variable lies 2.51
    # under the decibels of its mean (Euler's constant times 10 / ln 10).
    expected = 10 * np.log10(2 * 2 * 0.1**2 * 1.727 / 4096) - 2.51
    assert float(np.mean(spectrum.levels_db[200:1800].astype(float))) == pytest.approx(expected, abs=0.5)


@pytest.mark.parametrize(
    ("source", "rate"), [(22_050, 44_100), (32_000, 48_000), (44_100, 88_200), (44_100, 96_000), (48_000, 96_000)]
)
@pytest.mark.parametrize("quality", ["HQ", "VHQ"])
def test_what_was_converted_up_ends_at_its_old_half_rate(source: int, rate: int, quality: str) -> None:
    found = edge_hz(soxr.resample(NOISE, source, rate, quality), rate)
    assert found is not None
    # soxr's filters pass 0.91 (HQ) or 0.95 (VHQ) of half the lower rate and stop at it.
    assert 0.9 * source / 2 <= found <= source / 2


@pytest.mark.parametrize("cut_hz", [6_000, 12_000, 16_000, 20_000])
def test_a_brick_wall_is_found_where_it_stands(cut_hz: int) -> None:
    found = edge_hz(oaconvolve(NOISE, firwin(801, cut_hz, fs=RATE), "same"))
    assert found == pytest.approx(cut_hz, abs=150)


def bass() -> np.ndarray:
    return lfilter(*butter(4, 800, fs=RATE), NOISE)


def harmonics(hz: float, count: int) -> np.ndarray:
    time = np.arange(4 * RATE) / RATE
    return sum(0.1 / n * np.sin(2 * np.pi * n * hz * time) for n in range(1, count + 1))


@pytest.mark.parametrize(
    ("name", "samples"),
    [
        ("white noise", NOISE),
        ("a gentle low-pass", lfilter(*butter(4, 8000, fs=RATE), NOISE)),
        ("a synth's steep low-pass", lfilter(*butter(8, 6000, fs=RATE), NOISE) + 1e-4 * NOISE),
        ("a bass", bass()),
        ("a bass over 16-bit dither", bass() + 2.0**-15 * np.random.default_rng(1).uniform(-1, 1, len(NOISE))),
        ("a row of harmonics that ends", harmonics(440.0, 20)),
        ("a low row of harmonics that ends", harmonics(110.0, 120)),
        ("a sine", sine(997.0, 3.0, peak=0.5)),
        ("the converter's own filter", oaconvolve(NOISE, firwin(401, 22_800, fs=RATE), "same")),
    ],
)
def test_no_edge_where_none_was_cut(name: str, samples: np.ndarray) -> None:
    assert edge_hz(samples) is None, name


def test_a_file_shorter_than_one_look_has_no_spectrum() -> None:
    assert measured(NOISE[:4000]).spectrum is None
    assert measured(np.zeros(RATE)).spectrum is None


def test_only_loud_parts_count() -> None:
    # A brick wall in the loud first second, full band in four seconds of tape hiss 60 dB under it.
    loud = oaconvolve(NOISE[: 2 * RATE], firwin(801, 15_000, fs=RATE), "same")
    assert edge_hz(np.concatenate([loud, 1e-3 * NOISE[: RATE // 2]])) == pytest.approx(15_000, abs=200)
