"""Files that lie in a mix at another speed: of another rate than their header says, or drifting."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import soxr

from compare.mixes import matched, of, small, stranger
from compare.test_mix_follows import FRAMES, files
from deep_tally.compare.mix_lags import THIN_HZ
from deep_tally.compare.mix_speed import at_speed, drift_of
from detectors.mix_songs import MixSong, Sent, mixed
from sounds import RATE


def long_file(seed: int) -> np.ndarray:
    """Forty seconds at `THIN_HZ`."""
    return np.concatenate([files(seed + n)[n % 4] for n in range(4)])


@pytest.mark.parametrize("millionths", [-200, -25, 25, 60, 300])
def test_a_drift_is_measured(millionths: int) -> None:
    file = long_file(1)
    mix = long_file(1) + 0.3 * long_file(7)
    drifting = soxr.resample(file, THIN_HZ, THIN_HZ * (1 + millionths * 1e-6), quality="HQ")
    found = drift_of(mix, drifting, 0)
    assert found is not None
    assert found.speed == pytest.approx(1 + millionths * 1e-6, abs=4e-6)
    assert found.lag == pytest.approx(0, abs=3)
    assert len(at_speed(drifting, found.speed)) == pytest.approx(len(file), abs=3)


def test_what_runs_with_the_mix_has_no_drift() -> None:
    file = long_file(2)
    assert drift_of(file + 0.3 * long_file(8), file, 0) is None
    late = np.concatenate([np.zeros(7000, np.float32), file])
    assert drift_of(late, file, 0) is None


def test_what_is_not_in_the_mix_has_none_either() -> None:
    assert drift_of(long_file(3), long_file(9), 0) is None
    assert drift_of(long_file(3), np.zeros(4 * FRAMES, np.float32), 0) is None
    assert drift_of(long_file(3), long_file(3)[: 2 * THIN_HZ], 0) is None  # one stretch is no line


def drifting(file: np.ndarray) -> np.ndarray:
    return soxr.resample(file, THIN_HZ, THIN_HZ * (1 + 60e-6), quality="HQ")


def test_one_stretch_in_three_on_a_line_is_no_drift() -> None:
    file, third = long_file(5), len(long_file(5)) // 3
    part_of_it = np.concatenate([file[:third], long_file(6)[third:]])
    assert drift_of(part_of_it, drifting(file), 0) is None
    assert drift_of(file, drifting(file), 0) is not None


def test_rests_say_nothing_against_a_drift() -> None:
    file = long_file(5)
    file[len(file) // 3 :] = 0.0
    assert drift_of(file + 0.3 * long_file(6), drifting(file), 0) is not None


def sped(made: MixSong, path: str, factor: float) -> dict[str, Sent]:
    """The song's files, one of them with so many times the samples."""
    sent = made.files[path]
    longer = soxr.resample(sent.sound, RATE, RATE * factor, quality="VHQ")
    return {**made.files, path: replace(sent, sound=longer.reshape(len(longer), -1))}


@pytest.mark.parametrize(
    "factor",
    [44_100 / 48_000, 48_000 / 44_100, 1001 / 1000, 1 + 100e-6],
    ids=["44.1 said to be 48", "48 said to be 44.1", "pulled down", "drifting"],
)
def test_a_file_at_another_speed_is_found_in_the_mix(factor: float) -> None:
    song = small(61, count=6, seconds=40.0)
    late = {**song.files, "03 Part.wav": replace(song.files["03 Part.wav"], start=RATE)}
    song = mixed(late, len(song.mix))
    stray = {"99 Stranger.wav": stranger(61)}
    found = matched({**sped(song, "03 Part.wav", factor), **stray}, song.mix)
    here = of(found, "03 Part.wav")
    assert here.presence == "in"
    assert here.speed == pytest.approx(factor, abs=2e-6)
    assert here.start_frames == pytest.approx(RATE, abs=30)
    assert here.level_db == pytest.approx(song.files["03 Part.wav"].level_db, abs=0.5)
    assert {f.speed for f in found.files if f.path != "03 Part.wav"} == {1.0}
    assert of(found, "99 Stranger.wav").presence == "absent"
    assert found.spans == ()  # nothing of it is missing
