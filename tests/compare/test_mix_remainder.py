"""What is left: a known error of gain leaves a known null; what is taken away is gone."""

from __future__ import annotations

import numpy as np
import pytest

from compare.mixes import on_timeline, small
from deep_tally.compare.mix_bus import Bus
from deep_tally.compare.mix_lags import THIN_HZ
from deep_tally.compare.mix_remainder import BAND_EDGES_HZ, remainder
from sounds import RATE

SOUND = np.random.default_rng(9).standard_normal((4 * RATE, 2)) * 0.1


@pytest.mark.parametrize("error_db", [0.1, 1.0, -1.0, 3.0])
def test_an_error_of_gain_leaves_the_null_of_the_handbook(error_db: float) -> None:
    gain = 10 ** (error_db / 20)
    found = remainder(on_timeline(SOUND), [on_timeline(SOUND)], np.full((2, 1), gain), len(SOUND))
    null = 10 * np.log10(found.direct_left.sum() / found.direct_mix.sum())
    assert null == pytest.approx(20 * np.log10(abs(gain - 1)), abs=0.01)
    banded = 10 * np.log10(found.left.sum() / found.of_mix.sum())
    assert banded == pytest.approx(null, abs=0.01)


def test_a_complete_sum_leaves_nothing_in_double_precision() -> None:
    song = small(30, count=4, seconds=5)
    gains = np.array([sent.gains for sent in song.files.values()]).T
    files = [on_timeline(sent.sound) for sent in song.files.values()]
    found = remainder(on_timeline(song.mix), files, gains, len(song.mix))
    assert 10 * np.log10(found.direct_left.sum() / found.direct_mix.sum()) < -140
    assert len(found.thin) == pytest.approx(len(song.mix) * THIN_HZ / RATE, abs=2)
    assert np.abs(found.thin).max() < 1e-6


def test_a_tone_that_is_left_stands_in_its_band() -> None:
    tone = 0.1 * np.sin(2 * np.pi * 500 * np.arange(len(SOUND)) / RATE)
    found = remainder(on_timeline(SOUND + tone[:, None]), [on_timeline(SOUND)], np.ones((2, 1)), len(SOUND))
    band = int(np.searchsorted(BAND_EDGES_HZ, 500) - 1)
    assert found.left[5:-5, band].sum() > 0.999 * found.left[5:-5].sum()


def test_through_a_bus_each_moment_has_a_gain_of_its_own() -> None:
    hz = np.linspace(20, 16_000, 300)
    bus = Bus(np.full(300, 0.5 + 0j), np.ones(1))
    swelling = np.linspace(0.2, 1.0, len(SOUND))[:, None]
    mix, files = on_timeline(0.5 * SOUND * swelling), [on_timeline(SOUND)]
    found = remainder(mix, files, np.ones((2, 1)), len(SOUND), response=bus.response, hz=hz)
    assert 10 * np.log10(found.left.sum() / found.of_mix.sum()) < -35
    assert 10 * np.log10(found.direct_left.sum() / found.direct_mix.sum()) > -10


def test_files_at_other_places_are_taken_away_there() -> None:
    mix = np.zeros((5 * RATE, 2))
    mix[RATE // 2 : RATE // 2 + len(SOUND)] = SOUND
    found = remainder(on_timeline(mix), [on_timeline(SOUND, RATE // 2)], np.ones((2, 1)), len(mix))
    assert found.direct_left.sum() < 1e-12 * found.direct_mix.sum()
