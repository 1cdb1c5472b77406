"""Bits in use."""

from __future__ import annotations

import math

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import lfilter

from deep_tally.measure.depth import value_grid
from measure.measured_sounds import (
    MUSIC,
    NOISE_5,
    NOISE_21,
    NOISE_77,
)
from searching import examples
from sounds import RATE, measured, measured_file, sine


def noise(bits: int, frames: int = 4000) -> np.ndarray:
    steps = np.random.default_rng(bits).integers(-(2 ** (bits - 2)), 2 ** (bits - 2), frames)
    return steps / 2 ** (bits - 1)


@pytest.mark.parametrize(("held", "used"), [(16, 16), (24, 24), (24, 16), (24, 20), (32, 24), (32, 16), (16, 8)])
def test_trailing_zero_bits_are_not_in_use(held: int, used: int) -> None:
    assert measured(noise(used), bits=held).bits_in_use == used


@settings(max_examples=examples(40), deadline=None)
@given(codes=st.lists(st.integers(-(2**23), 2**23 - 1), min_size=1, max_size=50))
def test_bits_in_use_are_what_python_integers_say(codes: list[int]) -> None:
    together = 0
    for code in codes:
        together |= code & 0xFFFFFF
    expected = 0 if together == 0 else 24 - (together & -together).bit_length() + 1
    assert measured(np.array(codes) / 2**23, bits=24).bits_in_use == expected


def test_a_silent_file_uses_no_bits() -> None:
    assert measured(np.zeros(100), bits=24).bits_in_use == 0
    assert measured(np.zeros(100)).bits_in_use == 0


@pytest.mark.parametrize("used", [16, 24])
def test_a_float_file_on_a_fixed_grid_says_which(used: int) -> None:
    assert measured(noise(used)).bits_in_use == used


def test_one_value_off_the_grid_is_enough() -> None:
    signal = noise(16)
    signal[3999] += 2**-23
    assert measured(signal).bits_in_use == 24
    signal[10] *= 1 / 3
    assert measured(signal).bits_in_use == 32


def test_a_grid_on_one_side_only_is_found() -> None:
    fine = NOISE_5.uniform(-0.5, 0.5, 4096)
    coarse = np.rint(fine * 2**15) / 2**15 * 0.7
    for excerpt in (np.stack([fine, coarse], axis=1), np.stack([coarse, fine], axis=1)):
        grid = value_grid([excerpt])
        assert grid is not None
        assert (grid.bits, grid.gain_db) == (16, pytest.approx(20 * math.log10(0.7), abs=0.01))
    assert value_grid([fine[:, None]]) is None
    assert value_grid([]) is None


@pytest.mark.parametrize("gain_db", [-6.1, -12.1, -18.1, -23.9])
def test_sixteen_bits_turned_down_by_whole_bits_are_still_sixteen(gain_db: float) -> None:
    rounded = (
        np.rint(0.9 * lfilter([0.3], [1, -0.7], NOISE_77.standard_normal(RATE).clip(-2.5, 2.5)) / 3 * 2**15) / 2**15
    )
    grid = measured(rounded * 10 ** (gain_db / 20)).value_grid
    assert grid is not None
    assert (grid.bits, grid.gain_db) == (16, pytest.approx(gain_db, abs=0.1))


def test_bits_are_reported_for_each_channel(tmp_path) -> None:
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


def test_the_grid_of_a_float_file_is_reported_at_16_20_and_24_bits() -> None:
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
            np.rint(MUSIC * 2**15) / 2**15 * 0.7 + NOISE_21.uniform(-1, 1, len(MUSIC)) * 2**-21,
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
    triangular = NOISE_21.random(len(tone)) - NOISE_21.random(len(tone))
    dithered = measured(np.rint(tone / step + triangular) * step - tone)
    assert dithered.rms_dbfs == pytest.approx(-(6.02 * bits + 1.76) + 4.77, abs=0.1)
    assert dithered.has_sound == (bits == 8), "the dither of 16 bits and more is a floor, no sound"


def test_a_channel_without_a_grid_does_not_hide_the_other_ones() -> None:
    fine = NOISE_21.uniform(-0.5, 0.5, 4096)
    coarse = np.round(fine * 2**15) / 2**15 * 0.7
    two_values = np.where(fine > 0, 0.25, 0.25)
    for other in (fine, two_values):
        for excerpt in (np.stack([other, coarse], axis=1), np.stack([coarse, other], axis=1)):
            grid = value_grid([excerpt])
            assert grid is not None
            assert grid.bits == 16


@pytest.mark.parametrize("gain_db", [5.7, 11.3])
def test_a_quiet_file_that_was_raised_after_rounding_keeps_its_bits(gain_db: float) -> None:
    # Its steps lie as far apart as those of fewer bits, but its values reach over more of them than those would have.
    time = np.arange(3 * RATE) / RATE
    quiet = 10 ** (-12 / 20) * np.sin(2 * np.pi * 111.7 * time) * np.exp(-time)
    rounded = np.rint(quiet * 2**15) / 2**15
    grid = measured(rounded * 10 ** (gain_db / 20), bits=24).value_grid
    assert grid is not None
    assert grid.bits == 16
    assert grid.gain_db == pytest.approx(gain_db, abs=0.1)
