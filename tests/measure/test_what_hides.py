"""Smaller measures of what numbers hide: value grid, hum, zero line, density, bands and delay between sides."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import butter, lfilter

from searching import examples
from sounds import RATE, measured, measured_file, sine

NOISE = np.random.default_rng(21)
MUSIC = lfilter(*butter(1, 2000, fs=RATE), NOISE.standard_normal(3 * RATE)) * 0.3
MUSIC *= 0.6 / np.abs(MUSIC).max()


# -- bits in use and the grid of values ---------------------------------------------------------


def test_bits_are_told_for_each_channel(tmp_path) -> None:
    left, right = np.rint(MUSIC[:9000] * 2**15) / 2**15, MUSIC[:9000]
    soundfile.write(tmp_path / "x.wav", np.stack([left, right], axis=1), RATE, subtype="PCM_24")
    found = measured_file(tmp_path / "x.wav")
    theirs, _ = soundfile.read(tmp_path / "x.wav", dtype="int32")
    assert found.bits_set == tuple(int(np.bitwise_or.reduce(c)) & 0xFFFFFFFF for c in theirs.T)
    assert found.bits_set[0] & 0xFFFF == 0
    assert found.bits_in_use == 24


@pytest.mark.parametrize("bits", [16, 20])
@pytest.mark.parametrize("gain_db", [-0.3, -3.0, -7.7])
@pytest.mark.parametrize("container", [24, None])
def test_a_file_turned_down_after_rounding_keeps_its_grid(bits: int, gain_db: float, container: int | None) -> None:
    rounded = np.rint(MUSIC * 2 ** (bits - 1)) / 2 ** (bits - 1)
    grid = measured(rounded * 10 ** (gain_db / 20), bits=container).value_grid
    assert grid is not None
    assert grid.bits == bits
    assert grid.gain_db == pytest.approx(gain_db, abs=0.3)


def test_the_grid_of_a_float_file_is_told_at_16_20_and_24_bits() -> None:
    for bits in (16, 20, 24):
        assert measured(np.rint(MUSIC * 2 ** (bits - 1)) / 2 ** (bits - 1)).bits_in_use == bits
    assert measured(MUSIC).bits_in_use == 32


@pytest.mark.parametrize(
    ("name", "samples", "bits"),
    [
        ("24 bits", MUSIC, 24),
        ("float", MUSIC, None),
        ("a fade over 16 bits", np.rint(MUSIC * 2**15) / 2**15 * np.linspace(1, 0.5, len(MUSIC)), 24),
        (
            "24-bit dither over 16 bits",
            np.rint(MUSIC * 2**15) / 2**15 * 0.7 + NOISE.uniform(-1, 1, len(MUSIC)) * 2**-21,
            24,
        ),
        ("few values", 0.3 * np.sign(sine(100, 2.0, phase=0.1)), 24),
        ("half a thousand samples", MUSIC[:500], 24),
        ("silence", np.zeros(RATE), 24),
    ],
)
def test_no_grid_is_claimed_without_one(name: str, samples: np.ndarray, bits: int | None) -> None:
    assert measured(samples, bits=bits).value_grid is None, name


@pytest.mark.parametrize("bits", [8, 16, 20])
def test_noise_of_rounding_and_of_dither_reads_what_theory_gives(bits: int) -> None:
    # 6.02 N + 1.76 dB under a full-scale sine; triangular dither adds 4.77 dB (Lipshitz, Wannamaker, Vanderkooy, JAES
    # 1992, from memory).
    tone = sine(997.0, 4.0, peak=0.9)
    step = 2.0 ** (1 - bits)
    rounded = measured(np.rint(tone / step) * step - tone).rms_dbfs
    # With so few bits the error still knows of the tone: theory holds to a few tenths of a decibel.
    assert rounded == pytest.approx(-(6.02 * bits + 1.76), abs=0.3 if bits == 8 else 0.1)
    triangular = NOISE.random(len(tone)) - NOISE.random(len(tone))
    dithered = measured(np.rint(tone / step + triangular) * step - tone)
    assert dithered.rms_dbfs == pytest.approx(-(6.02 * bits + 1.76) + 4.77, abs=0.1)
    assert dithered.has_sound == (bits == 8), "the dither of 16 bits and more is a floor, no sound"


# -- hum ----------------------------------------------------------------------------------------


def with_pauses(floor: np.ndarray) -> np.ndarray:
    """Two loud seconds, then six of pause over a floor."""
    samples = floor.copy()
    samples[: 2 * RATE] += MUSIC[: 2 * RATE]
    return samples


def mains(hz: float, seconds: float = 8.0, level: float = 1e-3) -> np.ndarray:
    return sum(
        level / n * np.sin(2 * np.pi * n * hz * np.arange(round(seconds * RATE)) / RATE + n) for n in range(1, 6)
    )


HISS = 1e-5 * NOISE.standard_normal(8 * RATE)


@pytest.mark.parametrize("hz", [50, 60])
@pytest.mark.parametrize("off", [-0.1, 0.0, 0.2])
def test_mains_hum_is_found_with_its_frequency_and_level(hz: int, off: float) -> None:
    hum = measured(with_pauses(mains(hz + off) + HISS)).hum
    assert hum is not None
    assert hum.mains_hz == hz
    # Power of the five tones as peaks squared over two; AES17 adds 3.01.
    expected = 10 * np.log10(sum((1e-3 / n) ** 2 for n in range(1, 6)))
    assert hum.dbfs == pytest.approx(expected, abs=1.5)


@pytest.mark.parametrize(
    ("name", "floor"),
    [
        ("hiss", HISS),
        ("silence", np.zeros(8 * RATE)),
        ("a low G that rings", mains(49.0) + HISS),
        ("a chord that rings", mains(65.4) + mains(98.0) + HISS),
        ("hum that dies away", mains(50.0) * np.exp(-np.arange(8 * RATE) / RATE) + HISS),
    ],
)
def test_no_hum_where_there_is_none(name: str, floor: np.ndarray) -> None:
    assert measured(with_pauses(floor)).hum is None, name


def test_a_bass_that_never_rests_is_no_hum() -> None:
    assert measured(mains(50.0, level=0.2)).hum is None


# -- the zero line ------------------------------------------------------------------------------


def test_a_step_of_the_zero_line_is_found_where_it_is() -> None:
    samples = np.stack([np.tile(MUSIC, 3), np.tile(MUSIC, 3)], axis=1) * 0.3
    samples[4 * RATE :, 1] += 0.05
    step = measured(samples, bits=24).offset_step
    assert step is not None
    assert step.channel == 1
    assert abs(step.frame - 4 * RATE) <= RATE // 2
    assert step.after - step.before == pytest.approx(0.05, abs=0.01)


def test_the_mean_of_a_few_strokes_is_no_offset() -> None:
    strokes = np.zeros(10 * RATE)
    for at in (RATE, 4 * RATE, 7 * RATE):
        strokes[at : at + 4000] = 0.3 * np.exp(-np.arange(4000) / 900)  # all on one side of zero
    found = measured(strokes, bits=24)
    assert abs(found.dc_offset[0]) > 1e-3
    assert found.offset_steady == (False,)
    assert measured(np.tile(MUSIC, 3) + 0.01, bits=24).offset_steady == (True,)
    both = measured(np.stack([np.tile(MUSIC, 3), np.tile(MUSIC, 3) + 0.01], axis=1), bits=24)
    assert both.offset_steady[1]


def test_an_offset_that_comes_and_goes_with_the_sound_is_a_part_of_it() -> None:
    pulse = np.where(np.arange(9 * RATE) % 480 < 100, 0.3, -0.1)
    pulse[5 * RATE :] = 0
    assert measured(pulse, bits=24).offset_step is None
    assert measured(np.tile(MUSIC, 3), bits=24).offset_step is None


# -- density ------------------------------------------------------------------------------------


def test_near_peak_share_and_crest_of_a_sine() -> None:
    density = measured(sine(997.0, 3.0, peak=0.5)).density
    assert density.sounding == 60
    assert density.near_peak_share == 1.0
    assert density.crest_db == pytest.approx(3.01, abs=0.02)
    assert density.near_peak_step_db < 0.05, "a steady tone holds its RMS as well"


def test_what_a_limiter_holds_moves_under_its_peak() -> None:
    swells = MUSIC * (1.2 + np.sin(2 * np.pi * 1.7 * np.arange(len(MUSIC)) / RATE))
    held = np.tanh(8 * swells)
    limited = held / np.abs(held).max()
    density = measured(limited * 0.9).density
    assert density.near_peak_share > 0.5
    assert density.near_peak_step_db > 0.25


@settings(max_examples=examples(20), deadline=None)
@given(gain_db=st.floats(-15.0, 0.0), channels=st.integers(1, 2))
def test_density_does_not_depend_on_gain_or_doubling(gain_db: float, channels: int) -> None:
    one = measured(MUSIC[:RATE]).density
    other = measured(np.repeat(MUSIC[:RATE, None], channels, axis=1) * 10 ** (gain_db / 20)).density
    assert other.near_peak_share == pytest.approx(one.near_peak_share, abs=0.05)
    assert other.crest_db == pytest.approx(one.crest_db, abs=0.01)


# -- sides by band and delay --------------------------------------------------------------------


def bands_of(samples: np.ndarray) -> dict[int, float]:
    sides = measured(samples).sides
    assert sides is not None
    return {b.low_hz: b.mono_loss_db for b in sides.bands}


def test_a_low_end_out_of_phase_shows_in_its_band_only() -> None:
    low = lfilter(*butter(4, 110, fs=RATE), NOISE.standard_normal(3 * RATE))
    high = lfilter(*butter(4, 400, btype="high", fs=RATE), NOISE.standard_normal(3 * RATE)) * 0.05
    loss = bands_of(0.3 * np.stack([low + high, high - low], axis=1))
    assert loss[20] < -12
    assert loss[2000] == pytest.approx(0.0, abs=0.2)


def test_equal_sides_lose_nothing_and_unrelated_ones_three_decibels() -> None:
    assert all(v == pytest.approx(0.0, abs=0.01) for v in bands_of(np.stack([MUSIC, MUSIC], axis=1)).values())
    other = lfilter(*butter(1, 2000, fs=RATE), NOISE.standard_normal(3 * RATE)) * 0.3
    assert bands_of(np.stack([MUSIC, other], axis=1))[2000] == pytest.approx(-3.01, abs=0.5)


@pytest.mark.parametrize("frames", [-48, -24, -1, 1, 7, 48])
def test_a_delay_between_the_sides_is_told_in_samples(frames: int) -> None:
    sides = measured(np.stack([MUSIC, np.roll(MUSIC, frames)], axis=1), bits=24).sides
    assert sides is not None
    if sides.residual_db is not None and sides.residual_db < -30:
        pytest.skip("so small a delay hardly differs")
    assert sides.lag is not None
    assert sides.lag.frames == frames
    assert sides.lag.residual_db < -50


def test_correlation_of_levels_tells_two_performances_from_one() -> None:
    time = np.arange(6 * RATE) / RATE
    a, b = ((np.sin(2 * np.pi * hz * time) > 0.2) for hz in (0.9, 1.37))
    noise = 0.1 * NOISE.standard_normal((len(time), 2))
    together = measured(noise * np.stack([a, a], axis=1)).sides
    apart = measured(noise * np.stack([a, b], axis=1)).sides
    assert together is not None
    assert apart is not None
    assert together.level_correlation is not None
    assert together.level_correlation > 0.95
    assert apart.level_correlation is not None
    assert apart.level_correlation < 0.4


# -- hostile shapes -----------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "samples", "bits", "rate"),
    [
        ("one sample", np.array([0.5]), 24, RATE),
        ("one silent sample", np.zeros(1), 24, RATE),
        ("384 kHz", MUSIC, 24, 384_000),
        ("1 kHz", MUSIC[:5000], 24, 1000),
        ("8 bits", MUSIC, 8, RATE),
        ("all offset", np.full((RATE, 2), 0.25), 24, RATE),
        ("a full-scale square", np.sign(sine(100, 2.0, phase=0.1)), 16, RATE),
        ("pure noise", NOISE.uniform(-1, 1, (RATE, 2)), 24, RATE),
        ("a sine at a quarter of the rate", sine(RATE / 4, 1.0), 24, RATE),
        ("only NaN", np.full((RATE, 2), np.nan), None, RATE),
        ("three channels", np.stack([MUSIC] * 3, axis=1), 24, RATE),
        ("one side NaN", np.stack([MUSIC, MUSIC * np.nan], axis=1), None, RATE),
    ],
)
def test_odd_files_give_numbers_or_none_and_never_nan(
    name: str, samples: np.ndarray, bits: int | None, rate: int
) -> None:
    m = measured(samples, bits=bits, rate=rate)
    for value in (
        m.crest_db,
        m.true_peak_dbtp,
        m.rms_dbfs,
        m.density.crest_db,
        m.density.near_peak_share,
        *m.dc_offset,
    ):
        assert value is None or value == value, name
    if m.sides is not None:
        numbers = [m.sides.correlation, m.sides.level_correlation, *(b.correlation for b in m.sides.bands)]
        assert all(n is None or -1 <= n <= 1 for n in numbers)
    if m.spectrum is not None:
        assert np.isfinite(m.spectrum.levels_db).all()
