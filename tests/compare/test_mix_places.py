"""Places: what most files share, what to begin with, what else to try, and the place to the frame."""

from __future__ import annotations

import numpy as np
import pytest

from compare.mixes import on_timeline
from deep_tally.compare.mix_lags import THIN_HZ, LagPeak
from deep_tally.compare.mix_places import (
    Located,
    alternatives,
    common_lag,
    first_guess,
    lags_alike,
    mode_of,
    refined,
)
from sounds import RATE


def peaks(*pairs: tuple[int, float]) -> Located:
    return Located(tuple(LagPeak(lag, height) for lag, height in pairs))


FIRM, LOOP = peaks((100, 60.0), (9000, 8.0)), peaks((100, 60.0), (6100, 58.5), (12_100, 57.0))


def test_a_peak_is_firm_when_it_stands_three_deviations_over_the_next() -> None:
    assert peaks((0, 11.1), (500, 8.0)).is_firm
    assert not peaks((0, 10.9), (500, 8.0)).is_firm
    assert not peaks().is_firm


def test_the_common_lag_is_that_of_most_firm_files() -> None:
    assert common_lag([FIRM, FIRM, peaks((7000, 900.0), (1, 2.0)), LOOP]) == 100
    assert common_lag([LOOP, peaks()]) == 0
    assert common_lag([peaks((99, 50.0), (1, 2.0)), peaks((100, 60.0), (1, 2.0)), peaks((500, 90.0), (1, 2.0))]) == 100


@pytest.mark.parametrize(
    ("file", "guess"),
    [
        (FIRM, 100),
        (peaks((6100, 60.0), (100, 58.0)), 100),  # as good where the others are
        (peaks((6100, 60.0), (100, 40.0)), 6100),
        (peaks((100 + 80, 60.0), (9000, 8.0)), 100),  # within a period of a low tone
        (peaks((6100, 9.0), (300, 8.0)), 100),  # not firm
        (peaks(), 100),
    ],
)
def test_the_first_guess_is_the_common_lag_unless_another_is_clearly_better(file: Located, guess: int) -> None:
    assert first_guess(file, 100) == guess


def test_other_places_are_those_with_higher_peaks_or_nearly_as_high_ones() -> None:
    assert alternatives(LOOP, 100, 100) == []
    assert alternatives(peaks((6100, 60.0), (100, 58.0), (12_100, 59.0)), 100, 100) == [6100, 12_100]
    assert alternatives(peaks((6100, 60.0), (12_100, 59.0), (300, 9.0)), 6100, 100) == [100, 12_100]
    assert alternatives(peaks(), 0, 0) == []


@pytest.mark.parametrize("start", [0, 1, 4321, -77])
def test_a_place_is_refined_to_the_frame(start: int) -> None:
    random = np.random.default_rng(4)
    sound, other = random.standard_normal((2, 400_000))
    mix = np.zeros((500_000, 2))
    begin = max(0, start)
    mix[begin : start + 400_000] = sound[begin - start :, None]
    mix[:400_000] += other[:, None]
    thin = round(start * THIN_HZ / 48_000)
    assert refined(on_timeline(mix), on_timeline(sound[:, None]), thin, (100_000, 250_000)) == start


def test_the_most_frequent_start_counts_and_of_several_the_nearest() -> None:
    assert mode_of({0: 5, 1: 5, 2: -9}) == 5
    assert mode_of({0: 5, 1: -3}) == -3
    assert mode_of({}) == 0


def test_a_tone_is_alike_after_its_periods_and_noise_nowhere() -> None:
    time = np.arange(2 * RATE) / RATE
    tone = np.sin(2 * np.pi * 200 * time) + 0.5 * np.sin(2 * np.pi * 400 * time)
    found = lags_alike(on_timeline(tone[:, None]), [RATE // 2])
    assert found[:2] == [240, 480]
    assert len(found) == 4
    noise = np.random.default_rng(1).standard_normal((2 * RATE, 1))
    assert lags_alike(on_timeline(noise), [0]) == []
    assert lags_alike(on_timeline(np.zeros((2 * RATE, 1))), []) == []
    # One swing of a bass is none: 25 ms is the longest period that counts.
    assert lags_alike(on_timeline(np.sin(2 * np.pi * 30 * time)[:, None]), [0]) == []
