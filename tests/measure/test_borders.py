"""The figures of meters worked out by hand, and on which side of each threshold they fall."""

from __future__ import annotations

import math

import numpy as np
import pytest

from deep_tally.measure.decibels import amplitude
from deep_tally.measure.density import density, sounding_stretches
from deep_tally.measure.depth import value_grid
from deep_tally.measure.hum import find_hum
from deep_tally.measure.offset import OffsetMeter
from deep_tally.measure.overview import pyramid
from deep_tally.measure.pulse import find_pulse
from deep_tally.measure.stretches import loud_places, quiet_places
from deep_tally.measure.windows import BoundedWindows, Windows
from deep_tally.model.measures import Density
from sounds import RATE, measured, sine

NOISE = np.random.default_rng(5)
WINDOW = 48
"""Frames of a millisecond."""


def windows(levels_dbfs: np.ndarray, *, peaks: np.ndarray | float = 0.5, frames: int = WINDOW) -> Windows:
    """Windows of given RMS levels, as AES17 reads them: a level of 0 dBFS is a mean square of a half."""
    levels = np.asarray(levels_dbfs, float)
    energy = frames * 0.5 * 10 ** (levels / 10)
    high = np.broadcast_to(np.asarray(peaks, np.float32), levels.shape)
    return Windows(frames=frames, low=-high[:, None], high=high[:, None], energy=energy.astype(np.float32)[:, None])


def of_stretches(levels_dbfs: list[float], peaks: list[float] | float = 0.5) -> Windows:
    """The same for stretches of 50 ms, in each of which the level keeps still."""
    each = np.repeat(peaks, 50) if isinstance(peaks, list) else peaks
    return windows(np.repeat(levels_dbfs, 50), peaks=each)


def dense(found: Windows) -> Density:
    return density(found, *sounding_stretches(found, RATE))


# -- levels -----------------------------------------------------------------------------------


def test_the_amplitude_of_a_level() -> None:
    assert amplitude(-20.0) == pytest.approx(0.1)
    assert amplitude(-40.0) == pytest.approx(0.01)
    assert amplitude(6.0) == pytest.approx(1.99526, abs=1e-5)
    assert amplitude(-math.inf) == 0


# -- how densely the level sits ---------------------------------------------------------------


def test_a_stretch_sounds_within_thirty_decibels_of_the_loudest() -> None:
    sounding, stretches = sounding_stretches(of_stretches([-10.0, -39.9, -40.1]), RATE)
    assert sounding.tolist() == [True, True, False]
    assert (len(stretches), stretches.frames) == (3, 2400)


def test_a_stretch_sounds_over_minus_seventy() -> None:
    sounding, _ = sounding_stretches(of_stretches([-50.0, -69.9, -70.1]), RATE)
    assert sounding.tolist() == [True, True, False]


def test_a_window_longer_than_a_stretch_is_one() -> None:
    sounding, stretches = sounding_stretches(windows(np.array([-10.0, -80.0]), frames=9600), RATE)
    assert (sounding.tolist(), stretches.frames) == ([True, False], 9600)


def test_near_the_peak_is_within_three_tenths_of_a_decibel() -> None:
    found = dense(of_stretches([-10.0] * 4, [0.8, 0.8 * amplitude(-0.29), 0.8 * amplitude(-0.31), 0.1]))
    assert (found.sounding, found.near_peak_share) == (4, 0.5)


def test_steps_are_between_fifths_of_a_second() -> None:
    assert dense(of_stretches([-10.0, -12.0] * 2 + [-14.0] * 4)).near_peak_step_db == pytest.approx(3.0, abs=1e-3)
    # Two steps of 3 and one of 1 dB: the median. What is left over after the last fifth does not count.
    levels = [-10.0] * 4 + [-13.0] * 4 + [-16.0] * 4 + [-17.0] * 4 + [-30.0] * 3
    assert dense(of_stretches(levels)).near_peak_step_db == pytest.approx(3.0, abs=1e-3)


def test_a_stretch_that_a_gate_opens_in_is_as_loud_as_the_part_that_sounds() -> None:
    levels = np.full(8 * 50, -10.0)
    levels[4 * 50 :].reshape(4, 50)[:, :25] = -90.0
    assert dense(windows(levels)).near_peak_step_db == pytest.approx(0.0, abs=1e-3)
    levels[levels == -90.0] = -39.0  # 29 dB under the rest: it sounds
    assert dense(windows(levels)).near_peak_step_db == pytest.approx(3.0, abs=0.02)


def test_the_crest_is_that_of_the_loudest_quarter() -> None:
    # Of five stretches two are a quarter, rounded up: 0.5² over a mean square of 0.05 and 0.4² over 0.04.
    levels = [float(10 * np.log10(2 * square)) for square in (0.05, 0.04, 0.03, 0.02, 0.01)]
    found = dense(of_stretches(levels, [0.5, 0.4, 0.9, 0.9, 0.9]))
    assert found.crest_db == pytest.approx(10 * math.log10((0.25 / 0.05 + 0.16 / 0.04) / 2), abs=1e-4)


def test_windows_are_active_over_minus_sixty_six() -> None:
    found = dense(windows(np.array([-10.0] * 50 + [-65.9] * 20 + [-66.1] * 30)))
    assert (found.active_windows, found.window_frames) == (70, WINDOW)


def test_silence_is_not_dense() -> None:
    found = dense(windows(np.full(100, -np.inf), peaks=0.0))
    assert (found.sounding, found.near_peak_share, found.near_peak_step_db, found.crest_db) == (0, 0.0, 0.0, None)


# -- windows of bounded number ----------------------------------------------------------------


def test_windows_that_were_merged_are_as_long_as_they_say() -> None:
    kept = BoundedWindows(WINDOW, most=4)
    kept.feed(windows(np.full(9, -10.0)))
    result = kept.result()
    # Nine of one length are four of two and one more: merged again, two of four and the rest.
    assert (len(result), result.frames) == (3, 4 * WINDOW)
    assert result.energy[:, 0] / result.energy[2, 0] == pytest.approx([4.0, 4.0, 1.0])


# -- second looks -----------------------------------------------------------------------------


def test_the_loudest_places_in_order_of_time() -> None:
    found = windows(np.array([-30.0, -10.0, -np.inf, -20.0, -5.0]))
    assert loud_places(found, 5 * WINDOW, span=WINDOW, most=2) == [WINDOW, 4 * WINDOW]
    assert loud_places(found, 5 * WINDOW, span=WINDOW, most=9) == [0, WINDOW, 3 * WINDOW, 4 * WINDOW]
    # A span under a window takes one window; the last one begins where it still fits.
    assert loud_places(found, 5 * WINDOW, span=WINDOW // 2, most=1) == [4 * WINDOW]
    assert loud_places(found, 5 * WINDOW - 8, span=WINDOW, most=1) == [4 * WINDOW - 8]
    assert loud_places(found, 5 * WINDOW, span=6 * WINDOW, most=1) == []


def test_the_quietest_places_that_are_nowhere_silent() -> None:
    found = windows(np.array([-30.0, -10.0, -np.inf, -60.0, -50.0, -50.0, -40.0, -20.0]))
    assert quiet_places(found, 8 * WINDOW, span=WINDOW, most=2) == [3 * WINDOW, 4 * WINDOW]
    assert quiet_places(found, 8 * WINDOW, span=2 * WINDOW, most=1) == [4 * WINDOW]
    assert quiet_places(found, 8 * WINDOW, span=WINDOW // 2, most=1) == [3 * WINDOW]
    assert quiet_places(found, 8 * WINDOW - 1, span=WINDOW, most=9)[-1] == 6 * WINDOW


# -- hum --------------------------------------------------------------------------------------


def hums(multiples: list[int], *, mains: int = 50, level: float = 1e-3, off: float = 1.0) -> list[np.ndarray]:
    time = np.arange(RATE) / RATE
    tone = sum(np.sin(2 * np.pi * mains * off * n * time + n) for n in multiples)
    return [(level * tone + 1e-7 * NOISE.standard_normal(RATE))[:, None] for _ in range(2)]


@pytest.mark.parametrize("mains", [50, 60])
def test_the_level_of_hum_is_that_of_its_tones(mains: int) -> None:
    # Three tones of -60 dBFS each: 4.77 dB more.
    hum = find_hum(hums([1, 2, 3], mains=mains), RATE, loud_dbfs=-10)
    assert hum is not None
    assert (hum.mains_hz, hum.tones) == (mains, 3)
    assert hum.dbfs == pytest.approx(-60 + 10 * math.log10(3), abs=0.05)


@pytest.mark.parametrize(
    ("multiples", "found"),
    [([1, 2], False), ([2, 3, 4], True), ([3, 4, 5], False), ([1, 7, 8], True), ([1, 8, 9], False)],
)
def test_hum_is_three_of_the_first_eight_tones_with_the_first_or_second(multiples: list[int], found: bool) -> None:
    assert (find_hum(hums(multiples), RATE, loud_dbfs=-10) is not None) is found


@pytest.mark.parametrize(("off", "found"), [(1.0, True), (1.006, True), (0.995, True), (51.913 / 50, False)])
def test_mains_wander_by_less_than_a_percent_and_a_steady_note_is_no_hum(off: float, found: bool) -> None:
    # G sharp 1 is 51.913 Hz (equal temperament, A4 = 440 Hz: ISO 16).
    assert (find_hum(hums([1, 2, 3, 4], off=off), RATE, loud_dbfs=-10) is not None) is found


@pytest.mark.parametrize(("above_db", "found"), [(20.2, True), (19.8, False)])
def test_a_pause_lies_twenty_decibels_under_the_loudest_second(above_db: float, found: bool) -> None:
    level = -60 + 10 * math.log10(3)
    assert (find_hum(hums([1, 2, 3]), RATE, loud_dbfs=level + above_db) is not None) is found


@pytest.mark.parametrize(("over_db", "found"), [(15.4, True), (14.6, False)])
def test_hum_stands_out_of_what_lies_around_it(over_db: float, found: bool) -> None:
    # A bed of tones a hertz apart, without those near the mains: its level is the median, without any chance.
    time, mains = np.arange(RATE) / RATE, (50, 100, 150)
    bed, look = np.zeros(RATE), np.zeros(RATE)
    for hz in range(20, 181):
        if min(abs(hz - m) for m in mains) > 2:
            bed += np.sin(2 * np.pi * hz * time + hz * hz)
    window = np.hanning(RATE)
    power = np.abs(np.fft.rfft(bed * window)) ** 2
    for m in mains:
        around = [hz for hz in range(m - 20, m + 21) if abs(hz - m) > 4]
        tone = math.sqrt(np.median(power[around]) * 10 ** (over_db / 10)) / (window.sum() / 2)
        look += tone * np.sin(2 * np.pi * m * time)
    assert (find_hum([1e-5 * (bed + look)[:, None]] * 2, RATE, loud_dbfs=-10) is not None) is found


# -- a constant offset ------------------------------------------------------------------------


def offsets(means: list[float], *, level: float = 0.01) -> OffsetMeter:
    """A meter that was fed half seconds with these means, and a mean square of `level` each."""
    meter = OffsetMeter(1, WINDOW)
    sums = np.repeat(np.asarray(means, np.float32) * WINDOW, 500)[:, None]
    meter.feed(sums, np.full_like(sums, level * WINDOW))
    return meter


def test_an_offset_needs_two_seconds_to_be_steady() -> None:
    assert offsets([0.1] * 4).steady() == (True,)
    assert offsets([0.1] * 3).steady() == (False,)


def test_an_offset_is_steady_where_four_of_five_share_half_of_it() -> None:
    # The mean of all is 0.084: 0.043 is more than half of it, 0.02 is less.
    assert offsets([0.1] * 4 + [0.02]).steady() == (True,)
    assert offsets([0.1] * 3 + [0.01, 0.01]).steady() == (False,)
    assert offsets([0.1] * 3 + [0.045, 0.045]).steady() == (True,)
    assert offsets([-0.1] * 4).steady() == (True,)


def test_a_step_of_the_zero_line_is_told_with_both_sides() -> None:
    step = offsets([0.01] * 4 + [0.11] * 5).step()
    assert step is not None
    assert (step.frame, step.channel) == (4 * 500 * WINDOW, 0)
    assert (step.before, step.after) == (pytest.approx(0.01), pytest.approx(0.11))


@pytest.mark.parametrize(
    ("means", "found"),
    [
        ([0.0] * 4 + [0.0033] * 4, True),  # -50 dBFS are 0.00316
        ([0.0] * 4 + [0.0030] * 4, False),
        ([0.0] * 3 + [0.1] * 4, False),  # not two seconds before it
        ([0.0] * 4 + [0.1] * 3, False),
        ([0.0, 0.024, 0.0, 0.0] + [0.1] * 4, True),  # a quarter of the step is 0.025
        ([0.0, 0.026, 0.0, 0.0] + [0.1] * 4, False),
        ([0.0] * 4 + [0.1, 0.126, 0.1, 0.1], False),
    ],
)
def test_a_step_is_large_and_still_on_both_sides(means: list[float], found: bool) -> None:
    assert (offsets(means).step() is not None) is found


def test_no_step_where_one_side_is_silent() -> None:
    meter = OffsetMeter(1, WINDOW)
    sums = np.repeat(np.array([0.0] * 4 + [0.1] * 4, np.float32) * WINDOW, 500)[:, None]
    energy = np.repeat(np.array([0.0] * 4 + [0.01] * 4, np.float32) * WINDOW, 500)[:, None]
    meter.feed(sums, energy)
    assert meter.step() is None


# -- a pulse ----------------------------------------------------------------------------------


def strokes(at_ms: list[int], *, milliseconds: int = 6000, length_ms: int = 5) -> Windows:
    levels = np.full(milliseconds, -np.inf)
    for at in at_ms:
        levels[at : at + length_ms] = -10.0
    return windows(levels)


def test_eight_strokes_are_a_pulse() -> None:
    pulse = find_pulse(strokes(list(range(100, 4100, 500))), RATE)
    assert pulse is not None
    assert (pulse.strokes, pulse.bpm, pulse.stray_ms) == (8, pytest.approx(120.0), pytest.approx(0.0, abs=1e-6))
    assert (pulse.first_frame, pulse.last_frame) == (100 * WINDOW, 3600 * WINDOW)
    assert find_pulse(strokes(list(range(100, 3600, 500))), RATE) is None


def test_a_stroke_may_stray_by_three_percent_of_the_interval() -> None:
    beats = list(range(100, 8100, 500))
    # One of sixteen lies off by d: the line moves by about d/16, so that it strays by about 15/16 of that.
    for off_ms, found in ((14, True), (18, False)):
        moved = [*beats[:8], beats[8] + off_ms, *beats[9:]]
        pulse = find_pulse(strokes(moved, milliseconds=9000), RATE)
        assert (pulse is not None) is found
        if pulse is not None:
            assert pulse.stray_ms == pytest.approx(off_ms * 15 / 16, abs=0.1)


@pytest.mark.parametrize(("rest_ms", "count"), [(40, None), (39, 8)])
def test_a_stroke_follows_forty_milliseconds_of_rest(rest_ms: int, count: int | None) -> None:
    # Eight strokes, each with a second one after a rest: as strokes of their own they keep no interval.
    beats = list(range(100, 100 + 8 * 161, 161))
    both = sorted([*beats, *(beat + 5 + rest_ms for beat in beats)])
    pulse = find_pulse(strokes(both), RATE)
    assert (pulse.strokes if pulse is not None else None) == count


def test_what_sounds_most_of_the_time_has_no_strokes() -> None:
    beats = list(range(0, 6000, 500))
    assert find_pulse(strokes(beats, length_ms=250), RATE) is not None
    assert find_pulse(strokes(beats, length_ms=251), RATE) is None


@pytest.mark.parametrize(("under_db", "found"), [(29.5, True), (30.5, False)])
def test_a_stroke_is_heard_thirty_decibels_under_the_strongest(under_db: float, found: bool) -> None:
    levels = np.full(6000, -np.inf)
    for number, at in enumerate(range(100, 4100, 500)):
        levels[at : at + 5] = -10.0 - (under_db if number else 0)
    assert (find_pulse(windows(levels), RATE) is not None) is found


# -- a file's own edges -----------------------------------------------------------------------


def with_rest(level_dbfs: float, loud_dbfs: float) -> np.ndarray:
    """A second of noise, a second of floor, a second of noise."""
    noise = NOISE.standard_normal(3 * RATE) / math.sqrt(2)  # 0 dBFS as AES17 reads
    gains = np.repeat([loud_dbfs, level_dbfs, loud_dbfs], RATE)
    return np.asarray(noise * 10 ** (gains / 20))


@pytest.mark.parametrize(
    ("rest_dbfs", "loud_dbfs", "is_floor"),
    [
        (-45.5, -14.0, True),
        (-44.5, -13.0, False),  # over -45
        (-55.0, -24.3, True),
        (-55.0, -25.7, False),  # not 30 under the loud parts
        (-76.0, -60.0, True),  # never sound
    ],
)
def test_the_quietest_stretch_is_a_floor(rest_dbfs: float, loud_dbfs: float, is_floor: bool) -> None:
    found = measured(with_rest(rest_dbfs, loud_dbfs)).edges.tail_floor_dbfs
    assert found == (pytest.approx(rest_dbfs, abs=0.3) if is_floor else -math.inf)


@pytest.mark.parametrize(("peak_dbfs", "sounds"), [(-83.5, True), (-84.5, False)])
def test_a_first_sound_has_a_peak_of_minus_eighty_four(peak_dbfs: float, sounds: bool) -> None:
    # A fifth of a second of a quiet tone before a loud one, in silence: where does it begin?
    quiet, tone = RATE // 5, np.sin(2 * np.pi * 1000 * np.arange(RATE) / RATE)
    tone[:quiet] *= 10 ** (peak_dbfs / 20)
    first = measured(np.concatenate([np.zeros(RATE), tone])).edges.first_sound_frame
    assert first is not None
    assert abs(first - RATE - (0 if sounds else quiet)) < 24


def test_the_first_sample_and_the_first_tenth_of_a_second() -> None:
    signal = np.zeros(RATE)
    signal[0], signal[1], signal[4799], signal[4800] = 0.25, 0.4, -0.5, 0.9
    edges = measured(signal).edges
    assert edges.head_dbfs == pytest.approx(20 * math.log10(0.25), abs=1e-3)
    assert edges.head_peak_dbfs == pytest.approx(20 * math.log10(0.5), abs=1e-3)
    silent = measured(np.concatenate([np.zeros(4800), signal])).edges
    assert (silent.head_dbfs, silent.head_peak_dbfs) == (-math.inf, -math.inf)


def entries(rise_ms: float, *, rest_ms: float = 500.0, rate: int = RATE) -> float | None:
    """Four notes after rests, each rising in a straight line to its peak."""
    time = np.arange(round(0.3 * rate))
    note = np.minimum(1.0, time / max(1.0, rise_ms * rate / 1000)) * np.sign(time % 2 - 0.5)
    rest = np.zeros(round(rest_ms * rate / 1000))
    return measured(np.concatenate([rest, note] * 4 + [rest]), rate=rate).edges.entry_rise_ms


def test_an_entry_rises_from_quiet_to_a_tenth_of_its_peak() -> None:
    assert entries(0.0) == 0.0
    assert entries(90.0) == pytest.approx(9.0, abs=1.0)  # a tenth of 90 ms
    assert entries(40.0) == pytest.approx(4.0, abs=1.0)
    # Within 100 ms a slow entry gets to half: a tenth of that.
    assert entries(200.0) == pytest.approx(10.0, abs=1.0)
    # Where windows are wider than 1 ms, the rise took at least so long.
    slow = entries(90.0, rate=700)
    assert slow is not None
    assert 9.0 - 1.5 <= slow <= 9.0 + 0.5


@pytest.mark.parametrize(("rest_ms", "found"), [(22.0, True), (18.0, False)])
def test_an_entry_comes_after_twenty_milliseconds_of_quiet(rest_ms: float, found: bool) -> None:
    assert (entries(10.0, rest_ms=rest_ms) is not None) is found


def test_an_overview_is_four_times_as_coarse_level_by_level() -> None:
    def levels(bins: int) -> list[tuple[int, int]]:
        found = pyramid(windows(np.full(bins, -10.0)), bins * WINDOW)
        return [(level.bin_frames, len(level.low)) for level in found]

    assert levels(255) == [(WINDOW, 255)]
    assert levels(256) == [(WINDOW, 256), (4 * WINDOW, 64)]
    assert levels(4096) == [(WINDOW, 4096), (4 * WINDOW, 1024), (16 * WINDOW, 256), (64 * WINDOW, 64)]
    assert levels(0) == []


def test_an_overview_has_no_more_than_65536_bins() -> None:
    # At 100 Hz a window is one frame, and five windows a bin: 80,000 of them are merged by two.
    finest = measured(0.1 * NOISE.standard_normal(400_000), rate=100).overview[0]
    assert (finest.bin_frames, len(finest.low)) == (10, 40_000)


@pytest.mark.parametrize(("level_dbfs", "found"), [(-69.7, True), (-70.3, False)])
def test_loudness_is_gated_at_minus_seventy(level_dbfs: float, found: bool) -> None:
    # BS.1770: a 997 Hz sine reads 3.01 dB under its peak level.
    loudness = measured(sine(997, 3.0, peak=10 ** ((level_dbfs + 3.01) / 20))).loudness_lufs
    assert (loudness is not None) is found
    if found:
        assert loudness == pytest.approx(level_dbfs, abs=0.05)


def test_two_samples_at_full_scale_have_a_place_and_one_has_not() -> None:
    for bits in (16, 24, 32):
        signal = 0.5 * sine(100, 0.5)
        signal[1000:1002], signal[5000] = 1.0, 1.0
        found = measured(signal, bits=bits).clip_runs
        assert [(r.frame, r.frames) for r in found.places] == [(1000, 2)]
        assert found.lengths == {1: 1, 2: 1}


def test_a_grid_on_one_side_only_is_found() -> None:
    fine = NOISE.uniform(-0.5, 0.5, 4096)
    coarse = np.rint(fine * 2**15) / 2**15 * 0.7
    for look in (np.stack([fine, coarse], axis=1), np.stack([coarse, fine], axis=1)):
        grid = value_grid([look])
        assert grid is not None
        assert (grid.bits, grid.gain_db) == (16, pytest.approx(20 * math.log10(0.7), abs=0.01))
    assert value_grid([fine[:, None]]) is None
    assert value_grid([]) is None


@pytest.mark.parametrize(
    ("used", "bits"), [(8, 16), (8, 24), (16, 24), (20, 24), (16, 32), (24, 32), (20, 20), (12, 12)]
)
def test_full_scale_is_that_of_the_bits_in_use(used: int, bits: int) -> None:
    # Positive full scale of n bits is one step under 1; the file around it may have room for more.
    step = 2.0 ** (1 - used)
    codes = np.rint(1.5 * sine(100, 0.5) / step) * step
    clipped = np.clip(codes, -1.0, 1.0 - step)
    found = measured(clipped, bits=bits)
    assert found.bits_in_use == used
    assert found.clip_runs.count(3) == 100  # both sides of fifty periods
