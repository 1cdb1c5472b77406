"""Conditions of the meters, one by one: each test fails when that condition alone is gone."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.signal import lfilter

from deep_tally.measure import flat_tops
from deep_tally.measure.hum import find_hum
from deep_tally.measure.spectrum import FRAMES, find_edge
from measure.test_flat_tops import music
from sounds import RATE, measured, sine

NOISE = np.random.default_rng(77)


# -- flat tops --------------------------------------------------------------------------------


def test_of_too_many_flat_tops_every_second_one_is_kept_and_none_of_a_whole_passage_lost(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(flat_tops, "_KEPT_MOST", 128)
    square = 0.4 * np.sign(sine(110.0, 1.0, phase=0.1))
    tops = measured(square, bits=24, block_frames=4800).flat_tops
    assert 32 <= tops.runs.count() <= 130
    assert tops.share > 0.95


def test_the_sides_of_a_wave_are_flat_each_at_a_level_of_its_own() -> None:
    tops = measured(np.clip(2.0 * music(), -0.5, 0.3), bits=24).flat_tops
    wave = np.clip(2.0 * music(), -0.5, 0.3)
    levels = {round(float(wave[r.frame]), 2) for r in tops.runs.places}
    assert levels == {-0.5, 0.3}


def test_the_channels_are_flat_each_at_a_level_of_its_own() -> None:
    wave = 2.0 * music(2.0)
    sides = [np.clip(wave, -2, 0.5) / 2, np.clip(wave, -2, 0.3) / 2]
    alone = [measured(side, bits=24).flat_tops.runs.count() for side in sides]
    assert min(alone) > 5
    tops = measured(np.stack(sides, axis=1), bits=24).flat_tops.runs
    assert tops.count() == sum(alone)
    assert [sum(r.channel == c for r in tops.places) for c in (0, 1)] == alone


# -- edges ------------------------------------------------------------------------------------


def test_the_hiss_of_the_pauses_is_the_floor_of_an_end_in_full_swing() -> None:
    hiss = NOISE.standard_normal(4 * RATE) * 10 ** (-63 / 20)  # -60 dBFS, as RMS after AES17 reads
    loud = hiss.copy()
    loud[: 2 * RATE] += 0.3 * np.sin(np.arange(2 * RATE) / 20)
    loud[-RATE // 2 :] += 0.3 * np.sin(np.arange(RATE // 2) / 20)
    assert measured(loud, bits=24).edges.tail_floor_dbfs == pytest.approx(-60, abs=1)
    never = 0.3 * np.sin(np.arange(4 * RATE) / 20)  # an organ that never rests has none
    assert measured(never, bits=24).edges.tail_floor_dbfs == -math.inf


def test_only_entries_after_a_rest_tell_how_a_part_enters() -> None:
    signal = np.zeros(12 * RATE)
    tone = np.sin(np.arange(RATE) / 10)
    for number in range(6):
        at = 2 * number * RATE
        note = tone[: RATE // 2].copy()
        note *= np.minimum(1, np.arange(len(note)) / (0.08 * RATE))  # 80 ms: gentle
        signal[at : at + len(note)] += 0.3 * note
        for flutter in range(8):  # hard, 10 ms after what went before
            begin = at + len(note) + round((0.01 + flutter * 0.03) * RATE)
            signal[begin : begin + round(0.02 * RATE)] = 0.3 * tone[: round(0.02 * RATE)]
    rise = measured(np.concatenate([np.zeros(RATE), signal]), bits=24).edges.entry_rise_ms
    assert rise is not None
    assert rise > 5


# -- gaps -------------------------------------------------------------------------------------


@pytest.mark.parametrize(("after_db", "found"), [(-10.0, 1), (-14.0, 0), (10.0, 1), (14.0, 0)])
def test_a_gap_lies_between_sound_of_one_level(after_db: float, found: int) -> None:
    sound = 0.05 * NOISE.standard_normal(RATE)
    sound[RATE // 2 :] *= 10 ** (after_db / 20)
    sound[RATE // 2 : RATE // 2 + 200] = 0
    assert measured(sound, bits=24).gaps.count == found


# -- hum --------------------------------------------------------------------------------------


def looks(*levels: float, hz: float = 50.0, beside: float = 0.0) -> list[np.ndarray]:
    """Quiet seconds of hum at some levels, perhaps with a stronger tone 8 Hz above each harmonic."""
    time = np.arange(RATE) / RATE
    hum = sum(np.sin(2 * np.pi * hz * n * time + n) / n for n in range(1, 6))
    other = sum(np.sin(2 * np.pi * (hz * n + 8) * time) / n for n in range(1, 6))
    hiss = NOISE.standard_normal(RATE) * 1e-6
    return [(level * (hum + beside * other) + hiss)[:, None] for level in levels]


def test_hum_is_as_strong_in_every_pause() -> None:
    assert find_hum(looks(1e-3, 1e-3, 1e-3), RATE, loud_dbfs=-10) is not None
    # Six decibels are 0.501.
    assert find_hum(looks(1e-3, 0.52e-3, 1e-3), RATE, loud_dbfs=-10) is not None
    assert find_hum(looks(1e-3, 0.48e-3, 1e-3), RATE, loud_dbfs=-10) is None


def test_a_tone_beside_a_stronger_one_is_no_hum() -> None:
    assert find_hum(looks(1e-3, 1e-3, beside=0.5), RATE, loud_dbfs=-10) is not None
    assert find_hum(looks(1e-3, 1e-3, beside=2.0), RATE, loud_dbfs=-10) is None


def test_hum_needs_two_pauses_twenty_decibels_under_the_loudest_second() -> None:
    assert find_hum(looks(1e-3), RATE, loud_dbfs=-10) is None
    assert find_hum(looks(1e-3, 1e-3), RATE, loud_dbfs=-45) is None


# -- the edge of the spectrum -----------------------------------------------------------------


def levels(ripple_db: float = 0.0, spread_db: float = 3.0) -> np.ndarray:
    """Looks whose content ends at 15 kHz: [shape=(looks, bins)], rippled over frequency, spread within each look."""
    bins = np.arange(FRAMES // 2 + 1)
    hz = bins * RATE / FRAMES
    shape = np.where(hz < 15_000, -40.0, -100.0) + np.where(hz < 15_000, ripple_db / 2 * np.sin(hz / 130), 0.0)
    return shape + np.random.default_rng(1).normal(0, spread_db, (64, len(bins)))


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


# -- the grid of values -----------------------------------------------------------------------


@pytest.mark.parametrize("gain_db", [-6.1, -12.1, -18.1, -23.9])
def test_sixteen_bits_turned_down_by_whole_bits_are_still_sixteen(gain_db: float) -> None:
    rounded = np.rint(0.9 * lfilter([0.3], [1, -0.7], NOISE.standard_normal(RATE).clip(-2.5, 2.5)) / 3 * 2**15) / 2**15
    grid = measured(rounded * 10 ** (gain_db / 20)).value_grid
    assert grid is not None
    assert (grid.bits, grid.gain_db) == (16, pytest.approx(gain_db, abs=0.1))


# -- a constant offset ------------------------------------------------------------------------


def with_offset_in(share: float, *, sounding: float = 1.0) -> tuple[bool, ...]:
    """Ten seconds of noise of which a share rests on an offset, and of which only a part sounds at all."""
    samples = 0.02 * np.random.default_rng(3).standard_normal(10 * RATE)
    samples[: round(share * sounding * len(samples))] += 0.1
    samples[round(sounding * len(samples)) :] = 0
    return measured(samples, bits=24).offset_steady


def test_an_offset_is_there_in_four_of_five_half_seconds_that_sound() -> None:
    assert with_offset_in(0.9) == (True,)
    assert with_offset_in(0.65) == (False,)
    assert with_offset_in(1.0, sounding=0.5) == (True,)  # a rest is no half second without it
