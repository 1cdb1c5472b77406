"""What is left of a mix: does it come after the files, as effects do, or beside them?"""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.signal import butter, fftconvolve, lfilter

from deep_tally.compare.mix_follows import follows, loud_stretch
from deep_tally.compare.mix_lags import THIN_HZ

Sound = NDArray[np.float32]
FRAMES = 10 * THIN_HZ


def files(seed: int = 1, count: int = 4) -> list[Sound]:
    """Noise that swells and fades, each in a band of its own."""
    random = np.random.default_rng(seed)
    made = []
    for number in range(count):
        band = butter(2, [0.02 + 0.08 * number, 0.2 + 0.1 * number], "band")
        level = np.repeat(random.random(FRAMES // 3000 + 1) ** 2, 3000)[:FRAMES]
        made.append((lfilter(*band, random.standard_normal(FRAMES)) * level).astype(np.float32))
    return made


def reverberated(sound: Sound, seconds: float = 0.5) -> Sound:
    """Exponentially decaying noise, a common model of a room."""
    random = np.random.default_rng(9)
    room = random.standard_normal(round(seconds * THIN_HZ)) * 10 ** (-3 * np.linspace(0, 1, round(seconds * THIN_HZ)))
    room[: round(0.01 * THIN_HZ)] = 0
    return fftconvolve(sound, room)[: len(sound)].astype(np.float32)


def echoed(sound: Sound, seconds: float) -> Sound:
    return np.roll(sound, round(seconds * THIN_HZ))


def test_something_else_follows_nothing() -> None:
    sounds = files()
    assert not follows(files(2)[1], sounds)
    assert not follows(files(3)[0] + files(3)[3], sounds)


def test_reverberation_and_echoes_follow() -> None:
    sounds = files()
    assert follows(reverberated(sum(sounds)), sounds)
    assert follows(echoed(sum(sounds), 0.375), sounds)


def test_doubling_follows_soon() -> None:
    sounds = files()
    assert follows(echoed(sum(sounds), 0.015), sounds)
    # One echo of one file is little of half a second, and much of 30 ms.
    assert follows(np.float32(0.05) * echoed(sounds[0], 0.015) + files(2)[1], sounds)


def test_what_comes_before_the_files_is_no_effect() -> None:
    # Causality: nothing that is made of a sound can precede it.
    sounds = files()
    assert not follows(echoed(sum(sounds), -0.375), sounds)
    assert not follows(echoed(sum(sounds), -0.015), sounds)


def test_what_lies_with_the_files_is_no_effect_of_this_kind() -> None:
    sounds = files()
    assert not follows(sum(sounds) * np.float32(0.2), sounds)


def test_silent_files_say_nothing() -> None:
    assert not follows(files()[0], [np.zeros(FRAMES, np.float32)])
    assert not follows(np.zeros(FRAMES, np.float32), files())


@pytest.mark.parametrize("at_s", [0, 40, 130])
def test_of_a_long_song_the_stretch_in_which_most_is_left(at_s: int) -> None:
    left = np.full((200 * THIN_HZ, 2), 1e-3, np.float32)
    left[at_s * THIN_HZ : (at_s + 70) * THIN_HZ] = 0.1
    stretch = loud_stretch(left)
    assert stretch.stop - stretch.start == 90 * THIN_HZ
    assert stretch.start <= at_s * THIN_HZ
    assert stretch.stop >= (at_s + 70) * THIN_HZ
    assert loud_stretch(left[: 80 * THIN_HZ]) == slice(0, 80 * THIN_HZ)
