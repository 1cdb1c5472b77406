"""The long-term spectrum and its edge, against a resampler (soxr), FIR filters (SciPy) and handbook levels."""

from __future__ import annotations

import numpy as np
import pytest
import soxr
from scipy.signal import butter, firwin, lfilter, oaconvolve

from deep_tally.measure.spectrum import FRAMES, find_edge, long_term
from measure.measured_sounds import levels
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


# -- where an edge is one: levels made by hand, in decibels -----------------------------------


def library(edge: float, *, drop_db: float = 60.0, above_db: float | None = None) -> np.ndarray:
    """Two excerpts of steady levels that fall at one place; perhaps with a line above it."""
    hz = np.arange(FRAMES // 2 + 1) * RATE / FRAMES
    shape = np.where(hz < edge, -40.0, -40.0 - drop_db)
    if above_db is not None:
        shape[(hz > edge + 3000) & (hz < edge + 3400)] = -40.0 + above_db
    return np.stack([shape, shape])


@pytest.mark.parametrize(
    ("levels", "found"),
    [
        (library(15_000), True),
        (library(15_000, drop_db=20.5), True),
        (library(15_000, drop_db=19.5), False),
        (library(5_200), True),
        (library(3_900), False),
        (library(22_200), True),  # 0.93 of half the rate is 22,320 Hz
        (library(22_800), False),
        (library(15_000, above_db=-18.0), True),
        (library(15_000, above_db=-16.0), False),  # something up there is not 17 dB under it: content goes on
    ],
)
def test_an_edge_is_steep_and_nothing_comes_above_it(levels: np.ndarray, found: bool) -> None:
    edge = find_edge(levels, RATE)
    assert (edge is not None) is found


def test_an_edge_is_where_the_level_is_half_way_down() -> None:
    edge = find_edge(library(12_000, drop_db=30.0), RATE)
    assert edge is not None
    assert (edge.edge_hz, edge.drop_db) == (pytest.approx(12_000, abs=12), pytest.approx(30.0, abs=0.1))
    slope = np.interp(np.arange(FRAMES // 2 + 1) * RATE / FRAMES, [12_000, 12_200], [-40.0, -90.0])
    edge = find_edge(np.stack([slope, slope]), RATE)
    assert edge is not None
    assert edge.edge_hz == pytest.approx(12_100, abs=15)


@pytest.mark.parametrize(("rise_db", "found"), [(14.0, True), (16.0, False)])
def test_the_content_under_an_edge_does_not_rise_again_by_fifteen_decibels(rise_db: float, found: bool) -> None:
    levels = library(15_000)
    hz = np.arange(FRAMES // 2 + 1) * RATE / FRAMES
    levels[:, hz < 14_500] -= rise_db
    assert (find_edge(levels, RATE) is not None) is found


def test_the_mean_is_of_decibels_over_looks_and_of_power_over_channels() -> None:
    spectra = np.zeros((2, 2, FRAMES // 2 + 1), complex)
    spectra[0, 0, 10], spectra[0, 1, 10] = 1.0, 0.0  # half the power: -3.01 dB
    spectra[1, :, 10] = 0.1j  # -20 dB
    spectrum = long_term(spectra, RATE)
    assert spectrum is not None
    assert float(spectrum.levels_db[10]) == pytest.approx((-3.01 - 20) / 2, abs=0.01)
    assert float(spectrum.levels_db[11]) == -150.0


def test_the_band_ends_and_not_a_row_of_harmonics() -> None:
    edge = find_edge(levels(), RATE)
    assert edge is not None
    assert edge.edge_hz == pytest.approx(15_000, abs=100)
    assert find_edge(levels(ripple_db=10), RATE) is not None
    assert find_edge(levels(ripple_db=40), RATE) is None


def test_what_varies_more_than_noise_within_a_look_has_no_edge() -> None:
    # From the tenth to the ninetieth of a hundred bins of a normal spread are 2.56 times it.
    assert find_edge(levels(spread_db=20 / 2.56), RATE) is not None
    assert find_edge(levels(spread_db=26 / 2.56), RATE) is None
