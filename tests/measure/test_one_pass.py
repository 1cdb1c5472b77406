"""All measures of a file at once: levels, hostile shapes, blocks of any size."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deep_tally.measure.one_pass import ABSURD
from measure.measured_sounds import MUSIC, NOISE_21
from searching import examples
from sounds import RATE, measured, sine


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
        ("pure noise", NOISE_21.uniform(-1, 1, (RATE, 2)), 24, RATE),
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


def test_a_value_beyond_193_decibels_is_no_sound() -> None:
    samples = np.array([0.1, ABSURD * 0.75, -ABSURD * 0.75, ABSURD * 1.5, 0.1] * 20)
    found = measured(samples)
    assert (found.nonfinite.count(), found.overs.count()) == (20, 20)
    assert found.sample_peak_dbfs == pytest.approx(20 * np.log10(0.75 * 2.0**32))


def test_a_file_of_hardly_any_rate_has_measures() -> None:
    found = measured(0.5 * np.sin(np.arange(2000) / 3), rate=400)
    assert found.rms_dbfs == pytest.approx(-6.02, abs=0.05)
    assert found.extent.first_sound_frame is not None


def test_sound_on_an_offset_begins_where_it_moves() -> None:
    random = np.random.default_rng(2)
    signal = np.concatenate([np.zeros(2 * RATE), 0.02 * random.standard_normal(2 * RATE), np.zeros(RATE)])
    extent = measured(signal + 0.1, bits=24).extent
    assert extent.first_sound_frame == pytest.approx(2 * RATE, abs=5)
    assert extent.last_sound_frame == pytest.approx(4 * RATE, abs=5)
    assert extent.lead_floor_dbfs < -100


@pytest.mark.parametrize(("run", "frames"), [(6, 246), (5000, 4096)])
def test_the_worst_place_is_kept_with_what_lies_around_it(run: int, frames: int) -> None:
    signal = 0.3 * sine(100, 1.0)
    signal[1000 : 1000 + run] = 1.0
    signal[200:203] = 1.0
    worst = measured(signal, bits=16).worst_clip
    assert worst is not None
    assert (worst.frame, len(worst.samples)) == (880, frames)
    assert worst.samples[120:126, 0] == pytest.approx(np.full(6, 1.0), abs=1e-4)


def test_a_full_scale_997_hz_sine_reads_zero_dbfs_rms() -> None:
    # AES17: the RMS level of a full-scale 997 Hz sine is 0 dBFS.
    m = measured(sine(997, 1))
    assert m.rms_dbfs == pytest.approx(0.0, abs=0.005)
    assert m.sample_peak_dbfs == pytest.approx(0.0, abs=0.001)
    assert m.crest_db == pytest.approx(3.01, abs=0.005)


def test_a_full_scale_square_reads_3_01_dbfs_rms_and_no_crest() -> None:
    m = measured(np.sign(sine(100, 1, phase=0.1)))
    assert m.rms_dbfs == pytest.approx(3.01, abs=0.005)
    assert m.crest_db == pytest.approx(0.0, abs=1e-9)


def test_stereo_rms_is_the_power_mean_and_crest_the_highest_peak_against_it() -> None:
    m = measured(np.stack([sine(997, 1), np.zeros(RATE)], axis=1))
    assert m.rms_by_channel_dbfs == (pytest.approx(0.0, abs=0.005), -math.inf)
    assert m.rms_dbfs == pytest.approx(-3.01, abs=0.005)
    assert m.crest_db == pytest.approx(6.02, abs=0.01)


def test_silence_has_levels_of_minus_infinity_and_never_nan() -> None:
    m = measured(np.zeros((RATE, 2)), bits=24)
    assert m.sample_peak_dbfs == m.rms_dbfs == m.true_peak_dbtp == -math.inf
    assert m.crest_db is m.peak_frame is m.extent.first_sound_frame is None
    assert m.sides is not None
    assert m.sides.correlation is m.sides.mono_loss_db is None


def test_the_mean_is_the_dc_offset() -> None:
    m = measured(np.stack([sine(100, 1, peak=0.2) + 0.01, sine(100, 1, peak=0.2)], axis=1))
    assert m.dc_offset == (pytest.approx(0.01, abs=1e-9), pytest.approx(0.0, abs=1e-9))


def test_the_peak_frame_is_where_the_highest_sample_is() -> None:
    signal = np.zeros((1000, 2))
    signal[[300, 700], [0, 1]] = 0.4, -0.5
    assert measured(signal).peak_frame == 700


def test_nan_infinity_and_absurd_values_are_found_and_measured_as_zero() -> None:
    signal = np.stack([sine(997, 1, peak=0.5)] * 2, axis=1)
    signal[100:103, 0], signal[5000, 1], signal[6000, 1] = np.nan, -np.inf, 2 * ABSURD
    m = measured(signal)
    assert [(r.frame, r.frames, r.channel) for r in m.nonfinite.places] == [(100, 3, 0), (5000, 1, 1), (6000, 1, 1)]
    assert m.sample_peak_dbfs == pytest.approx(-6.02, abs=0.01)
    assert all(math.isfinite(v) for v in (m.rms_dbfs, m.true_peak_dbtp, m.loudness_lufs or math.nan))


def test_an_empty_file_is_silent() -> None:
    m = measured(np.zeros((0, 1)))
    assert m.rms_dbfs == -math.inf
    assert m.loudness_lufs is None
    assert m.overview == ()


SIGNALS = st.builds(
    lambda seed, seconds, channels: (
        np.random.default_rng(seed).standard_normal((round(seconds * 8000), channels)) * 0.1
    ),
    st.integers(0, 2**32 - 1),
    st.floats(0.5, 2),
    st.integers(1, 3),
)


@settings(max_examples=examples(25), deadline=None)
@given(signal=SIGNALS, gain_db=st.floats(-20, 12))
def test_gain_moves_every_level_by_that_gain(signal: np.ndarray, gain_db: float) -> None:
    before, after = measured(signal, rate=8000), measured(signal * 10 ** (gain_db / 20), rate=8000)
    for name in ("sample_peak_dbfs", "true_peak_dbtp", "rms_dbfs", "loudness_lufs"):
        assert getattr(after, name) - getattr(before, name) == pytest.approx(gain_db, abs=0.02), name
    assert after.crest_db == pytest.approx(before.crest_db, abs=1e-6)


@settings(max_examples=examples(25), deadline=None)
@given(seed=st.integers(0, 2**32 - 1), mix=st.floats(-1, 1))
def test_swapping_sides_swaps_per_channel_figures(seed: int, mix: float) -> None:
    left, other = np.random.default_rng(seed).standard_normal((2, 6000)) * 0.1
    signal = np.stack([left, mix * left + other + 0.01], axis=1)
    one, two = measured(signal, rate=8000), measured(signal[:, ::-1], rate=8000)
    for name in ("sample_peak_by_channel_dbfs", "rms_by_channel_dbfs", "dc_offset"):
        assert getattr(one, name)[::-1] == pytest.approx(getattr(two, name)), name
    for name in ("rms_dbfs", "loudness_lufs", "true_peak_dbtp", "crest_db"):
        assert getattr(one, name) == pytest.approx(getattr(two, name)), name
    assert one.sides is not None
    assert two.sides is not None
    assert one.sides.correlation == pytest.approx(two.sides.correlation)
    assert one.sides.side_to_mid_db == pytest.approx(two.sides.side_to_mid_db)


@settings(max_examples=examples(25), deadline=None)
@given(
    seed=st.integers(0, 2**32 - 1),
    frames=st.integers(1, 9000),
    block=st.integers(1, 9000),
    bits=st.sampled_from([None, 16, 24]),
    channels=st.integers(1, 2),
)
def test_the_block_size_does_not_matter(seed: int, frames: int, block: int, bits: int | None, channels: int) -> None:
    random = np.random.default_rng(seed)
    signal = np.clip(
        random.standard_normal((frames, channels)) * random.choice([0.0, 0.1, 1.2], (frames, 1)), -1.5, 1.5
    )
    one = measured(signal, bits=bits, rate=8000, block_frames=frames)
    two = measured(signal, bits=bits, rate=8000, block_frames=block)
    for name in (
        "clip_runs",
        "overs",
        "nonfinite",
        "extent",
        "bits_in_use",
        "peak_frame",
        "sample_peak_by_channel_dbfs",
    ):
        assert getattr(one, name) == getattr(two, name), name
    for name in ("rms_dbfs", "true_peak_dbtp", "loudness_lufs", "crest_db", "dc_offset"):
        assert getattr(one, name) == pytest.approx(getattr(two, name), abs=1e-9), name
    for a, b in zip(one.overview, two.overview, strict=True):
        assert np.array_equal(a.low, b.low)
        assert np.array_equal(a.high, b.high)
        assert a.rms == pytest.approx(b.rms, rel=1e-5)
