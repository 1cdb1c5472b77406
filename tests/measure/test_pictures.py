"""Pictures of a file against handbook values of windows and constructed signals."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from deep_tally.measure.pictures import (
    count_values,
    read_spectrogram,
    read_stereo_field,
    spectrogram_of,
    stereo_field_of,
    values_of,
)
from searching import examples
from sounds import RATE, ArrayReader, sine

N = 4096


def quiet(done: int, total: int) -> None:
    pass


def levels(samples: np.ndarray, columns: int = 20, **more: int) -> np.ndarray:
    reader = ArrayReader(samples)
    stop = more.get("stop", reader.format.frames)
    return spectrogram_of(quiet, reader, more.get("start", 0), stop, columns).levels_db.astype(np.float64)


@pytest.mark.parametrize("peak", [1.0, 0.5, 0.001])
def test_a_sine_in_the_middle_of_a_bin_reads_its_peak_level(peak: float) -> None:
    # After division by the coherent gain (Blackman: 0.42, Harris 1978, Proc. IEEE 66(1), table 1).
    hz = 200 * RATE / N
    middle = levels(sine(hz, 4.0, peak=peak))[:, 5]
    assert middle.max() == pytest.approx(20 * math.log10(peak), abs=0.06)  # float16 tells 0.06 dB at -60
    # 2048 bins stand two and two in 1024 rows.
    assert int(middle.argmax()) == 100


def test_between_two_bins_it_reads_less_by_the_windows_scallop_loss() -> None:
    # 1.10 dB for the Blackman window (the same table)
    hz = 200.5 * RATE / N
    assert levels(sine(hz, 4.0))[:, 5].max() == pytest.approx(-1.10, abs=0.02)


def test_the_louder_channel_counts_and_silence_is_at_the_floor() -> None:
    tone = sine(200 * RATE / N, 2.0)
    one_side = np.stack([tone, 0 * tone], axis=1)
    assert levels(one_side).max() == pytest.approx(0.0, abs=0.01)
    assert levels(np.zeros((RATE, 1))).max() == -150.0


def test_columns_stand_where_their_sound_is() -> None:
    samples = np.zeros(RATE * 4)
    samples[RATE * 2 :] = sine(1000.0, 2.0)
    loudest = levels(samples, columns=40).max(axis=0)
    assert (loudest[:19] < -100).all()
    assert (loudest[21:] > -2).all()
    # Closer, the windows get shorter and the edge sharper: 10 ms are a column here.
    close = levels(samples, columns=40, start=RATE * 2 - 9_600, stop=RATE * 2 + 9_600).max(axis=0)
    assert (close[:18] < -60).all()
    assert (close[22:] > -6).all()


def test_a_tone_at_half_the_rate_stands_in_the_highest_row() -> None:
    made = levels(np.resize([0.5, -0.5], RATE))
    assert int(made[:, 5].argmax()) == len(made) - 1
    assert made[-1, 5] == pytest.approx(0.0, abs=0.1)  # in that bin a sine's whole energy lies: 6 dB more


def test_nothing_above_the_edge_of_an_upsampled_file(tmp_path: Path) -> None:
    import soxr

    noise = np.random.default_rng(1).uniform(-0.5, 0.5, 44_100)
    soundfile.write(tmp_path / "up.wav", soxr.resample(noise, 22_050, RATE), RATE, "PCM_24")
    made = read_spectrogram(quiet, tmp_path / "up.wav", 0, RATE * 2, 30)
    rows = len(made.levels_db)
    hz = (np.arange(rows) + 0.5) * made.top_hz / rows
    mean = made.levels_db.astype(np.float64)[:, 3:-3].mean(axis=1)
    assert mean[hz < 10_000].min() > mean[hz > 12_000].max() + 40


@settings(max_examples=examples(30), deadline=None)
@given(st.integers(-2000, 30_000), st.integers(1, 60_000), st.integers(1, 300))
def test_any_stretch_has_a_picture(start: int, frames: int, columns: int) -> None:
    made = levels(np.random.default_rng(0).uniform(-1, 1, 20_000), columns, start=start, stop=start + frames)
    assert made.shape[1] == columns
    assert np.isfinite(made).all()
    assert made.max() <= 0.1


# -- stereo -----------------------------------------------------------------------------------


def field(left: np.ndarray, right: np.ndarray):  # type: ignore[no-untyped-def]
    frames = tuple(range(0, len(left) - N, N))[:16]
    return stereo_field_of(quiet, ArrayReader(np.stack([left, right], axis=1)), frames)


def band(made, hz: float):  # type: ignore[no-untyped-def]
    return min(made.bands, key=lambda b: abs(math.log(b.centre_hz / hz)))


@pytest.mark.parametrize(("factor", "correlation"), [(1.0, 1.0), (0.25, 1.0), (-1.0, -1.0), (-0.5, -1.0)])
def test_scaled_and_opposed_sides_correlate_fully_in_every_band(factor: float, correlation: float) -> None:
    noise = np.random.default_rng(4).uniform(-0.5, 0.5, RATE)
    made = field(noise, factor * noise)
    assert all(b.correlation == pytest.approx(correlation, abs=1e-9) for b in made.bands)


def test_unrelated_sides_hardly_correlate() -> None:
    random = np.random.default_rng(4)
    made = field(random.uniform(-0.5, 0.5, 2 * RATE), random.uniform(-0.5, 0.5, 2 * RATE))
    high = [b for b in made.bands if b.centre_hz > 500]
    assert max(abs(b.correlation) for b in high) < 0.2
    assert all(b.mid_db == pytest.approx(b.side_db, abs=2.0) for b in high)


def test_mid_and_side_read_as_their_formulas_say() -> None:
    tone = sine(1000.0, 1.0)
    same, one, opposed = field(tone, tone), field(tone, 0 * tone), field(tone, -tone)
    assert band(same, 1000).mid_db == pytest.approx(0.0, abs=0.1)
    assert band(same, 1000).side_db == -math.inf
    # (L+R)/2 of one side alone is half of it
    assert band(one, 1000).mid_db == pytest.approx(-6.02, abs=0.1)
    assert band(one, 1000).side_db == pytest.approx(-6.02, abs=0.1)
    assert band(one, 1000).correlation is None
    assert band(opposed, 1000).side_db == pytest.approx(0.0, abs=0.1)


def test_bands_can_differ() -> None:
    low, high = sine(100.0, 1.0, peak=0.4), sine(4000.0, 1.0, peak=0.4)
    made = field(low + high, low - high)
    assert band(made, 100).correlation == pytest.approx(1.0, abs=1e-6)
    assert band(made, 4000).correlation == pytest.approx(-1.0, abs=1e-6)


def test_the_cloud_of_a_mono_sound_is_an_upright_line() -> None:
    noise = np.random.default_rng(4).uniform(-0.5, 0.5, RATE)
    density = field(noise, noise).density
    assert density.sum() == pytest.approx(1.0, abs=1e-4)
    columns = density.sum(axis=0)
    assert columns[len(columns) // 2 - 1 : len(columns) // 2 + 1].sum() == pytest.approx(1.0, abs=1e-4)


# -- values -----------------------------------------------------------------------------------


def test_every_sample_is_counted_once_where_its_value_lies() -> None:
    samples = np.array([-1.0, -0.5, 0.0, 0.0, 0.25, 0.999])
    made = values_of(quiet, ArrayReader(samples, bits=16))
    assert (made.samples, made.bins.sum(), made.reach) == (6, 6, 1.0)
    at = np.flatnonzero(made.bins)
    assert (at / len(made.bins) * 2 - 1).tolist() == pytest.approx([-1.0, -0.5, 0.0, 0.25, 0.999], abs=1e-3)
    assert made.middle[len(made.middle) // 2] == 2


def test_what_is_clipped_piles_up_at_the_extremes() -> None:
    loud = np.clip(sine(100.0, 1.0, peak=1.5), -1.0, 1.0)
    made = values_of(quiet, ArrayReader(loud, bits=24))
    # |sin| is over 2/3 for 1 - 2/pi asin(2/3) of the time, half of it on either side.
    expected = (1 - 2 / math.pi * math.asin(2 / 3)) / 2 * RATE
    assert made.lowest == pytest.approx(expected, rel=0.02)
    assert made.highest == pytest.approx(expected, rel=0.02)


def test_sixteen_bits_inside_twenty_four_are_a_comb() -> None:
    noise = np.random.default_rng(6).uniform(-0.01, 0.01, RATE)
    padded = values_of(quiet, ArrayReader(np.round(noise * 2**15) / 2**15, bits=24))
    used = np.flatnonzero(padded.middle) - len(padded.middle) // 2
    assert used.tolist() == list(range(-1024, 1025, 256))
    full = values_of(quiet, ArrayReader(noise, bits=24))
    assert (np.diff(np.flatnonzero(full.middle)) < 256).all()


def test_a_float_file_that_goes_over_is_shown_whole(tmp_path: Path) -> None:
    samples = np.concatenate([np.full(1000, 0.5), np.full(10, 2.5), np.full(5, -0.5)])
    soundfile.write(tmp_path / "over.wav", samples, RATE, "FLOAT")
    made = count_values(quiet, tmp_path / "over.wav")
    assert (made.reach, made.bins.sum(), made.highest) == (4.0, 1015, 10)
    at = np.flatnonzero(made.bins) / len(made.bins) * 2 * made.reach - made.reach
    assert at.tolist() == pytest.approx([-0.5, 0.5, 2.5], abs=0.005)


def test_a_compressed_file_has_pictures_too(tmp_path: Path) -> None:
    tone = np.stack([sine(1000.0, 1.0, peak=0.5)] * 2, axis=1)
    path = tmp_path / "a.flac"
    soundfile.write(path, tone, RATE, "PCM_16")
    assert read_spectrogram(quiet, path, 0, RATE, 10).levels_db.max() == pytest.approx(-6.0, abs=1.2)
    assert band(read_stereo_field(quiet, path, [0, 8192]), 1000).mid_db == pytest.approx(-6.02, abs=0.2)
    assert count_values(quiet, path).samples == 2 * RATE


@pytest.mark.parametrize(("columns", "size"), [(20, 4096), (160, 512), (161, 256)])
def test_the_window_is_no_longer_than_eight_columns(columns: int, size: int) -> None:
    # 10,240 frames in 20 columns are 512 a column, eight of which hold the longest window of 4096 (Blackman: the rows
    # are half as many as its samples).
    made = spectrogram_of(quiet, ArrayReader(np.zeros((10_240, 1))), 0, 10_240, columns)
    assert made.levels_db.shape[1] == columns
    assert made.levels_db.shape[0] <= size // 2
