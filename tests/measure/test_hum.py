"""Mains hum: frequency, level, and what is none."""

from __future__ import annotations

import math

import numpy as np
import pytest

from deep_tally.measure.hum import find_hum
from measure.measured_sounds import MUSIC, NOISE_5, NOISE_21, NOISE_77
from sounds import RATE, measured


def hums(
    multiples: list[int], *, mains: int = 50, level: float = 1e-3, off: float = 1.0, hiss: float = 1e-7
) -> list[np.ndarray]:
    time = np.arange(RATE) / RATE
    tone = sum(np.sin(2 * np.pi * mains * off * n * time + n) for n in multiples)
    return [(level * tone + hiss * NOISE_5.standard_normal(RATE))[:, None] for _ in range(2)]


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
    # Over hiss that leaves them standing out by about 20 dB.
    assert (find_hum(hums(multiples, hiss=1e-2), RATE, loud_dbfs=10) is not None) is found


@pytest.mark.parametrize(
    ("multiples", "found"), [([1, 3], True), ([1, 2], True), ([2, 3], False), ([1], False), ([1, 9], False)]
)
def test_two_tones_are_enough_where_both_stand_out_clearly_and_one_is_the_mains_own(
    multiples: list[int], found: bool
) -> None:
    assert (find_hum(hums(multiples, level=0.02), RATE, loud_dbfs=-10) is not None) is found


@pytest.mark.parametrize("weak", [1, 3])
def test_of_two_tones_both_stand_out_clearly(weak: int) -> None:
    strong = 4 - weak
    noise = NOISE_5.standard_normal((2, RATE)) * 1e-4
    time = np.arange(RATE) / RATE
    both = [
        (0.02 * np.sin(2 * np.pi * 50 * strong * time) + level * np.sin(2 * np.pi * 50 * weak * time))
        for level in (2e-2, 9e-6)
    ]
    found = [find_hum([(tones + hiss)[:, None] for hiss in noise], RATE, loud_dbfs=-10) for tones in both]
    assert [hum is not None for hum in found] == [True, False]


@pytest.mark.parametrize(("off", "found"), [(1.0, True), (1.006, True), (0.995, True), (51.913 / 50, False)])
def test_mains_wander_by_less_than_a_percent_and_a_steady_note_is_no_hum(off: float, found: bool) -> None:
    # G sharp 1 is 51.913 Hz (equal temperament, A4 = 440 Hz: ISO 16).
    assert (find_hum(hums([1, 2, 3, 4], off=off), RATE, loud_dbfs=-10) is not None) is found


@pytest.mark.parametrize(("above_db", "found"), [(12.2, True), (11.8, False)])
def test_a_pause_lies_twelve_decibels_under_the_loudest_second(above_db: float, found: bool) -> None:
    level = -60 + 10 * math.log10(3)
    assert (find_hum(hums([1, 2, 3]), RATE, loud_dbfs=level + above_db) is not None) is found


@pytest.mark.parametrize(("over_db", "found"), [(15.4, True), (14.6, False)])
def test_hum_stands_out_of_what_lies_around_it(over_db: float, found: bool) -> None:
    # A bed of tones a hertz apart, without those near the mains: its level is the median, without any chance.
    time, mains = np.arange(RATE) / RATE, (50, 100, 150)
    bed, excerpt = np.zeros(RATE), np.zeros(RATE)
    for hz in range(20, 181):
        if min(abs(hz - m) for m in mains) > 2:
            bed += np.sin(2 * np.pi * hz * time + hz * hz)
    window = np.hanning(RATE)
    power = np.abs(np.fft.rfft(bed * window)) ** 2
    for m in mains:
        around = [hz for hz in range(m - 20, m + 21) if abs(hz - m) > 4]
        tone = math.sqrt(np.median(power[around]) * 10 ** (over_db / 10)) / (window.sum() / 2)
        excerpt += tone * np.sin(2 * np.pi * m * time)
    assert (find_hum([1e-5 * (bed + excerpt)[:, None]] * 2, RATE, loud_dbfs=-10) is not None) is found


def excerpts(*levels: float, hz: float = 50.0, beside: float = 0.0) -> list[np.ndarray]:
    """Quiet seconds of hum at some levels, perhaps with a stronger tone 8 Hz above each harmonic."""
    time = np.arange(RATE) / RATE
    hum = sum(np.sin(2 * np.pi * hz * n * time + n) / n for n in range(1, 6))
    other = sum(np.sin(2 * np.pi * (hz * n + 8) * time) / n for n in range(1, 6))
    hiss = NOISE_77.standard_normal(RATE) * 1e-6
    return [(level * (hum + beside * other) + hiss)[:, None] for level in levels]


def test_hum_is_as_strong_in_every_pause() -> None:
    assert find_hum(excerpts(1e-3, 1e-3, 1e-3), RATE, loud_dbfs=-10) is not None
    # Six decibels are 0.501.
    assert find_hum(excerpts(1e-3, 0.52e-3, 1e-3), RATE, loud_dbfs=-10) is not None
    assert find_hum(excerpts(1e-3, 0.48e-3, 1e-3), RATE, loud_dbfs=-10) is None


def test_a_tone_beside_a_stronger_one_is_no_hum() -> None:
    assert find_hum(excerpts(1e-3, 1e-3, beside=0.5), RATE, loud_dbfs=-10) is not None
    assert find_hum(excerpts(1e-3, 1e-3, beside=2.0), RATE, loud_dbfs=-10) is None


def test_hum_needs_two_pauses_twelve_decibels_under_the_loudest_second() -> None:
    assert find_hum(excerpts(1e-3), RATE, loud_dbfs=-10) is None
    assert find_hum(excerpts(1e-3, 1e-3), RATE, loud_dbfs=-52) is None


def with_pauses(floor: np.ndarray) -> np.ndarray:
    """Two loud seconds, then six of pause over a floor."""
    samples = floor.copy()
    samples[: 2 * RATE] += MUSIC[: 2 * RATE]
    return samples


def mains(hz: float, seconds: float = 8.0, level: float = 1e-3) -> np.ndarray:
    return sum(
        level / n * np.sin(2 * np.pi * n * hz * np.arange(round(seconds * RATE)) / RATE + n) for n in range(1, 6)
    )


HISS = 1e-5 * NOISE_21.standard_normal(8 * RATE)


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


@pytest.mark.parametrize("rate", [300, 900, 8000])
def test_hum_is_looked_for_under_half_the_rate_only(rate: int) -> None:
    time = np.arange(rate) / rate
    tones = sum(1e-3 * np.sin(2 * np.pi * 50 * m * time) for m in range(1, 9) if 50 * m * 1.02 < rate / 2)
    quiet = [(tones + 1e-6 * NOISE_5.standard_normal(rate))[:, None] for _ in range(2)]
    found = find_hum(quiet, rate, loud_dbfs=-6.0)
    below = sum(50 * m * 1.02 < rate / 2 for m in range(1, 9))
    assert (found.tones if found is not None else 0) == (below if below >= 2 else 0)


def test_a_tone_is_looked_for_within_one_percent_of_its_place() -> None:
    rate = 8000
    time = np.arange(rate) / rate
    for off, found in ((0.004, True), (0.03, False)):
        tones = sum(1e-3 * np.sin(2 * np.pi * 50 * m * (1 + off) * time) for m in (2, 3, 4, 6))
        quiet = [(tones + 1e-6 * NOISE_5.standard_normal(rate))[:, None] for _ in range(2)]
        assert (find_hum(quiet, rate, loud_dbfs=-6.0) is not None) is found
