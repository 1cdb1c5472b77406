"""A ceiling at any level and in any format: clipped parts beside all that only looks like them."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.signal import butter, lfilter

from deep_tally.check.rules.clipping import cuts_of
from deep_tally.measure.one_pass import measure_sound
from deep_tally.model.measures import Ceiling
from detectors.deliveries import part
from processed import limited
from sounds import RATE, ArrayReader, measured

PARTS = ("Kick", "Snare", "Voice", "Bass", "Acoustic")
TIME = np.arange(4 * RATE) / RATE


def whole(name: str) -> NDArray[np.float64]:
    sound = part(name)
    return sound / np.abs(sound).max()


def driven(sound: NDArray[np.float64], db: float, ceiling_db: float) -> NDArray[np.float64]:
    return np.clip(sound * 10 ** (db / 20), -1, 1) * 10 ** (ceiling_db / 20)


def ceiling(sound: NDArray[np.float64], *, bits: int | None = 24) -> Ceiling | None:
    return measured(sound, bits=bits).ceiling


def clipped(sound: NDArray[np.float64], *, bits: int | None = 24) -> bool:
    found = ceiling(sound, bits=bits)
    return bool(cuts_of(found).count())


@pytest.mark.parametrize("name", PARTS)
@pytest.mark.parametrize("level", [0.0, -0.001, -0.005, -0.05, -0.3, -6.0])
def test_a_part_driven_3_db_is_clipped_whatever_the_ceiling(name: str, level: float) -> None:
    found = ceiling(driven(whole(name), 3, level))
    assert found is not None
    assert cuts_of(found).count()
    assert found.dbfs == pytest.approx(level, abs=0.001)
    assert found.cycle_share < 0.6


def test_one_clipped_hit_is_enough_and_float_files_count_too() -> None:
    kick = whole("Kick")
    at = int(np.abs(kick).argmax())
    kick[at - 2000 : at + 2000] *= 1.6
    one = np.clip(kick, -1, 1) * 0.97
    assert clipped(one)
    assert clipped(one, bits=None)
    assert clipped(one, bits=16)


@pytest.mark.parametrize("name", PARTS)
def test_clean_soft_and_limited_parts_have_no_ceiling(name: str) -> None:
    sound = whole(name)
    assert not clipped(sound * 10 ** (-0.001 / 20))
    assert not clipped(np.tanh(2 * sound))
    assert not clipped(0.9 * limited(sound.reshape(len(sound), -1)))


@pytest.mark.parametrize(
    "wave",
    [
        0.9 * np.sin(2 * np.pi * 100 * TIME),
        0.5 * (2 * ((TIME * 110) % 1) - 1),
        0.5 * np.sign(np.sin(2 * np.pi * 110 * TIME + 0.1)),
        np.where(0.5 + 0.3 * np.sin(TIME) > (TIME * 110) % 1, 0.5, -0.5),
        lfilter(*butter(2, 3000 / (RATE / 2)), 0.5 * np.sign(np.sin(2 * np.pi * 110 * TIME + 0.1))),
        0.1 * sum(np.sign(np.sin(2 * np.pi * hz * TIME)) for hz in (220.0, 261.63, 329.63)),
        0.8 * np.tanh(3 * np.sin(2 * np.pi * 45 * TIME) * np.exp(-(TIME % 1) * 3)),
    ],
    ids=["sine", "saw", "square", "pulses", "square through a filter", "sum of squares", "soft clipped sub"],
)
def test_waves_are_not_clipped(wave: NDArray[np.float64]) -> None:
    assert not clipped(wave)


def test_a_wave_that_is_flat_in_every_cycle_says_so() -> None:
    found = ceiling(np.clip(3 * np.sin(2 * np.pi * 60 * TIME), -1, 1) * 0.5)
    assert found is not None
    assert found.cycle_share == 1.0


@pytest.mark.parametrize(("count", "there"), [(5, False), (6, True)])
def test_six_samples_with_neighbours_make_a_ceiling(count: int, there: bool) -> None:
    sound = np.random.default_rng(3).uniform(-0.3, 0.3, len(TIME))
    sound[3000 : 3000 + count] = 0.5
    found = ceiling(sound)
    assert (found is not None) is there
    assert found is None or (found.samples, found.near, found.touching) == (6, 6, 6)


def test_peaks_that_stand_alone_are_not_looked_at_again() -> None:
    sound = np.random.default_rng(3).uniform(-0.3, 0.3, len(TIME))
    sound[3000::2000] = 0.5
    assert ceiling(sound) is None


def strokes(seed: int) -> NDArray[np.float64]:
    """A cymbal as noise makes one: high, struck eight times, each stroke another."""
    noise = np.diff(np.random.default_rng(seed).standard_normal(len(TIME) + 1)) * np.exp(-(TIME % 0.5) * 30)
    ringing = lfilter(*butter(2, [10_000 / (RATE / 2), 17_000 / (RATE / 2)], "band"), noise)
    return ringing / np.abs(ringing).max()


@pytest.mark.parametrize("level", [0.0, -0.001, -0.3, -6.0])
def test_clipped_noise_leaves_samples_close_together_and_hardly_neighbours(level: float) -> None:
    cut = driven(strokes(1), 6, level)
    found = ceiling(cut)
    assert found is not None
    assert found.touching <= 0.05 * found.samples < found.close
    assert cuts_of(found).count() == found.runs.count() > 0.9 * found.samples
    assert clipped(cut, bits=16)


def test_noise_that_is_clean_soft_or_limited_is_not_clipped() -> None:
    for seed in range(4):
        sound = strokes(seed)
        assert not clipped(sound * 10 ** (-0.001 / 20))
        assert not clipped(np.tanh(2 * sound))
        assert not clipped(0.9 * limited(sound.reshape(-1, 1)))


def stood_at(*frames: int, steps: int = 0) -> Ceiling | None:
    """Noise with these samples at 0.5; `steps` of them in the half below it, if any."""
    sound = np.random.default_rng(3).uniform(-0.4, 0.4, len(TIME))
    if steps:
        sound = np.round(sound * 2 * steps) / steps / 2
    sound[list(frames)] = 0.5
    return ceiling(sound)


@pytest.mark.parametrize(("apart", "there"), [(16, True), (17, False)])
def test_sixteen_samples_are_close(apart: int, there: bool) -> None:
    found = stood_at(*(n * 1000 + k * apart for n in (3, 5, 8) for k in (0, 1)))
    assert (found is not None) is there
    assert found is None or (found.samples, found.close, found.touching) == (6, 6, 0)


def test_samples_that_follow_at_one_distance_are_a_tone() -> None:
    tone = stood_at(*range(3000, 3200, 12))
    assert tone is not None
    assert (tone.samples, tone.close) == (17, 0)
    pairs = stood_at(*(n * 1000 + k * 12 for n in range(3, 12) for k in (0, 1)))
    assert pairs is not None
    assert pairs.close == 18


@pytest.mark.parametrize(("steps", "close"), [(160, 0), (200, 12)])
def test_a_wave_of_steps_has_no_ceiling(steps: int, close: int) -> None:
    found = stood_at(*(n * 1000 + k for n in (3, 5, 8) for k in (0, 1, 7, 8)), steps=2 * steps)
    assert found is not None
    assert found.close == close
    assert (found.corner is None) is (close == 0)


def test_a_kick_through_coarse_steps_is_not_clipped() -> None:
    for steps in (12, 20, 45, 80):
        assert not clipped(np.round(whole("Kick") * steps) / steps * 0.77)
        assert not clipped(np.round(whole("Voice") * steps) / steps * 0.77)


@pytest.mark.parametrize("name", ["Snare", "noise"])
@pytest.mark.parametrize("block", [1000, 4096, 50_000])
def test_the_blocks_a_file_is_read_in_change_nothing(block: int, name: str) -> None:
    sound = driven(strokes(1) if name == "noise" else whole(name), 6, -0.3)
    reference = measured(sound, bits=24).ceiling
    assert measure_sound(ArrayReader(sound, bits=24), block_frames=block).ceiling == reference
    assert reference is not None
    assert reference.samples > 20
