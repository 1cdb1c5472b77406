"""Loudness against ITU-R BS.1770, EBU Tech 3341 and an independent implementation."""

from __future__ import annotations

import numpy as np
import pyloudnorm
import pytest
from scipy.signal import sosfilt

from deep_tally.measure.loudness import k_weighting
from sounds import RATE, measured, sine

# ITU-R BS.1770, Annex 1, tables 1 and 2: coefficients at 48 kHz (from memory).
STANDARD = np.array(
    [
        [1.53512485958697, -2.69169618940638, 1.19839281085285, 1.0, -1.69065929318241, 0.73248077421585],
        [1.0, -2.0, 1.0, 1.0, -1.99004745483398, 0.99007225036621],
    ]
)


def test_the_filters_are_the_standards_at_48_khz() -> None:
    assert k_weighting(48_000) == pytest.approx(STANDARD, abs=1e-10)


def test_a_full_scale_997_hz_sine_in_one_channel_reads_minus_3_01_lufs() -> None:
    # ITU-R BS.1770, Annex 1, at its end: 0 dBFS 997 Hz in the left, centre or right channel.
    assert measured(sine(997, 10)).loudness_lufs == pytest.approx(-3.01, abs=0.005)


@pytest.mark.parametrize("rate", [44_100, 88_200, 96_000, 192_000])
def test_other_rates_read_the_same(rate: int) -> None:
    # The standard asks for the same response at every rate; the bilinear transform keeps it to 0.03 LU at 997 Hz.
    assert measured(sine(997, 5, rate=rate), rate=rate).loudness_lufs == pytest.approx(-3.01, abs=0.035)


@pytest.mark.parametrize(("level", "expected"), [(-23.0, -23.0), (-33.0, -33.0)])
def test_ebu_tech_3341_cases_1_and_2(level: float, expected: float) -> None:
    # EBU Tech 3341, table 1: stereo 1000 Hz sine, 20 s, the level is the peak of each channel; +-0.1 LU (from memory).
    tone = sine(1000, 20, peak=10 ** (level / 20))
    assert measured(np.stack([tone, tone], axis=1)).loudness_lufs == pytest.approx(expected, abs=0.1)


def test_ebu_tech_3341_case_3_gates_the_quiet_parts() -> None:
    # Case 3: 10 s at -36, 60 s at -23, 10 s at -36 dBFS read -23.0 LUFS (from memory).
    parts = [sine(1000, s, peak=10 ** (level / 20)) for level, s in ((-36, 10), (-23, 60), (-36, 10))]
    tone = np.concatenate(parts)
    assert measured(np.stack([tone, tone], axis=1)).loudness_lufs == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize("channels", [1, 2])
@pytest.mark.parametrize("kind", ["noise", "music"])
def test_pyloudnorm_agrees_within_a_tenth(kind: str, channels: int) -> None:
    # pyloudnorm's default filters read 0.03-0.04 LU low, hence 0.1.
    random = np.random.default_rng(5)
    frames = 8 * RATE
    signal = 0.1 * random.standard_normal((frames, channels))
    if kind == "music":
        beat = np.exp(-6 * ((np.arange(frames) / RATE) % 0.6))[:, None]
        signal = beat * (0.4 * sine(180, 8)[:, None] + 0.2 * signal)
    theirs = pyloudnorm.Meter(RATE).integrated_loudness(signal)
    assert measured(signal).loudness_lufs == pytest.approx(theirs, abs=0.1)


def test_long_silence_between_the_parts_is_gated() -> None:
    # EBU Tech 3341, 3.1: the integrated loudness is gated as in BS.1770, so that a pause in a programme, however long,
    # does not lower it. A minute of silence around and between two passages at -23: without the gates -27.8.
    tone = np.concatenate([np.zeros(20 * RATE), sine(1000, 10, peak=10 ** (-23 / 20)), np.zeros(20 * RATE)])
    tone = np.concatenate([tone, sine(1000, 10, peak=10 ** (-23 / 20))])
    assert measured(np.stack([tone, tone], axis=1)).loudness_lufs == pytest.approx(-23.0, abs=0.1)


def test_the_relative_gate_leaves_out_what_lies_ten_lu_under_the_mean() -> None:
    # EBU Tech 3341, case 4: -72, -36, -23, -36 and -72 dBFS for 10, 10, 60, 10 and 10 s read -23.0 LUFS (from memory).
    # With the absolute gate alone it would be -24.2.
    levels = ((-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10))
    tone = np.concatenate([sine(1000, s, peak=10 ** (level / 20)) for level, s in levels])
    assert measured(np.stack([tone, tone], axis=1)).loudness_lufs == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize(("rate", "is_defined"), [(1000, False), (3000, False), (3363, False), (4000, True)])
def test_loudness_is_not_defined_where_the_weighting_lies_over_half_the_rate(rate: int, is_defined: bool) -> None:
    # BS.1770's shelf turns at 1682 Hz: a signal sampled at less than twice that cannot be weighted.
    assert (measured(sine(200, 5, rate=rate), rate=rate).loudness_lufs is not None) is is_defined


def test_too_short_or_silent_has_no_loudness() -> None:
    assert measured(sine(997, 0.39)).loudness_lufs is None
    assert measured(np.zeros(RATE)).loudness_lufs is None


@pytest.mark.parametrize("channels", [1, 2, 3])
def test_the_compiled_meter_is_the_standards_text_in_plain_numpy(channels: int) -> None:
    random = np.random.default_rng(channels)
    loud = np.repeat(random.choice([1.0, 0.3, 0.0003], 40), 4800)[:, None]
    signal = random.standard_normal((40 * 4800, channels)) * 0.2 * loud
    weighted = sosfilt(STANDARD, signal, axis=0)
    power = (weighted**2).sum(axis=1).reshape(-1, 4800).mean(axis=1)
    blocks = np.array([power[i : i + 4].mean() for i in range(len(power) - 3)])
    levels = -0.691 + 10 * np.log10(blocks)
    gated = blocks[levels > -70]
    gate = -0.691 + 10 * np.log10(gated.mean()) - 10
    expected = -0.691 + 10 * np.log10(blocks[(levels > -70) & (levels > gate)].mean())
    assert measured(signal).loudness_lufs == pytest.approx(expected, abs=1e-4)


@pytest.mark.parametrize(("level_dbfs", "found"), [(-69.7, True), (-70.3, False)])
def test_loudness_is_gated_at_minus_seventy(level_dbfs: float, found: bool) -> None:
    # BS.1770: a 997 Hz sine reads 3.01 dB under its peak level.
    loudness = measured(sine(997, 3.0, peak=10 ** ((level_dbfs + 3.01) / 20))).loudness_lufs
    assert (loudness is not None) is found
    if found:
        assert loudness == pytest.approx(level_dbfs, abs=0.05)
