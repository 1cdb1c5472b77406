"""Do the gains of files stand still, whatever else is in the mix?"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from numpy.typing import NDArray

from deep_tally.compare.mix_frames import MixFrames
from deep_tally.compare.mix_gains import fit, products
from deep_tally.compare.mix_steady import is_steady

MOMENTS, BINS = 96, 240
HZ = np.linspace(30, 14_000, BINS)
Factor = Callable[[NDArray[np.float64]], NDArray[np.float64]]


def judged(
    factor: Factor | None = None,
    *,
    files: int = 7,
    strangers: int = 0,
    unsent: float = 1.0,
    moved: int | None = None,
) -> bool:
    """Files whose levels rise and fall, beside something louder that nobody sent.

    `factor` is what the first `moved` files' gains are multiplied with: from the level of each moment
    [shape=(moments, 1)] to [shape=(moments, bins)].
    """
    random = np.random.default_rng(5)

    def noise(count: int) -> NDArray[np.complex64]:
        shape = (MOMENTS, 2, BINS, count)
        return (random.standard_normal(shape) + 1j * random.standard_normal(shape)).astype(np.complex64)

    level = 10 ** (random.uniform(-1, 0, (MOMENTS, 1)))
    sounds = noise(files + strangers) * level[:, :, None, None]
    given = sounds[..., :files] * random.uniform(0.4, 1.0, files)
    if factor is not None:
        given[..., :moved] *= np.broadcast_to(factor(level), (MOMENTS, BINS))[:, None, :, None]
    mix = given.sum(axis=3) + unsent * np.sqrt(files) * noise(1)[..., 0] * level[:, :, None]
    frames = MixFrames(
        mix.astype(np.complex64), sounds.astype(np.complex64), np.arange(MOMENTS), HZ, np.ones(BINS, np.float32)
    )
    return is_steady(frames, fit(products(frames)))


def test_what_nobody_sent_leaves_the_gains_of_the_others_as_they_are() -> None:
    for unsent in (0.1, 0.5, 1.0, 1.5):
        assert judged(unsent=unsent)


def test_equalising_part_by_part_does_not() -> None:
    assert not judged(lambda level: np.where(HZ > 3000, 1.25, 1.0)[None], unsent=0.3)
    assert not judged(lambda level: np.where(HZ < 1500, 1.25, 1.0)[None], unsent=0.3)


def test_a_third_of_a_decibel_is_nothing_however_sure() -> None:
    assert judged(lambda level: np.where(HZ > 3000, 1.04, 1.0)[None], unsent=0.02)


def test_rides_do_not() -> None:
    assert not judged(lambda level: np.where(np.arange(MOMENTS) < MOMENTS // 4, 1.3, 1.0)[:, None], unsent=0.3)
    # Of one file among seven, by 3 dB in a quarter of the song.
    assert not judged(
        lambda level: np.where(np.arange(MOMENTS) < MOMENTS // 4, 1.41, 1.0)[:, None], unsent=0.3, moved=1
    )


def test_compression_does_not() -> None:
    assert not judged(lambda level: level**-0.3, unsent=0.3)


def test_less_than_four_files_show_nothing() -> None:
    assert judged(files=4)
    assert not judged(files=3)


@pytest.mark.parametrize(("strangers", "shown"), [(3, True), (4, False)])
def test_two_thirds_of_the_files_must_be_in_it(strangers: int, shown: bool) -> None:
    assert judged(files=7, strangers=strangers) is shown
