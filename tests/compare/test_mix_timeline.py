"""Files on the axis of a mix."""

from __future__ import annotations

import numpy as np
import pytest
import soxr

from compare.mixes import Reader, on_timeline
from deep_tally.compare.mix_lags import THIN_HZ
from deep_tally.compare.mix_timeline import Converted, OnTimeline, thin_of
from sounds import RATE

SOUND = np.random.default_rng(2).uniform(-0.5, 0.5, (9000, 2))


@pytest.mark.parametrize("start", [0, 700, -700])
def test_a_file_is_silent_before_it_begins_and_after_it_ends(start: int) -> None:
    sound = on_timeline(SOUND, start)
    read = np.concatenate([sound.read(at, 1000) for at in range(-2000, 12_000, 1000)])
    expected = np.zeros((14_000, 2))
    expected[2000 + start : 2000 + start + 9000] = SOUND
    assert read == pytest.approx(expected, abs=1e-7)
    assert read.dtype == np.float32


def test_what_is_no_number_is_silence() -> None:
    broken = SOUND.copy()
    broken[5] = np.nan
    broken[6] = np.inf
    assert not on_timeline(broken).read(5, 2).any()


def test_of_many_channels_two_are_read() -> None:
    sound = on_timeline(np.column_stack([SOUND, SOUND, SOUND]))
    assert sound.sides == 2
    assert sound.read(0, 10) == pytest.approx(SOUND[:10], abs=1e-7)


def test_a_thin_version_is_what_a_converter_makes() -> None:
    long = np.random.default_rng(3).uniform(-0.5, 0.5, (RATE * 12, 2)).astype(np.float32)
    expected = soxr.resample(long, RATE, THIN_HZ, quality="MQ")
    thin = thin_of(on_timeline(long.astype(np.float64), 500))
    assert len(thin) == len(expected) == 12 * THIN_HZ
    assert np.allclose(thin, expected, atol=1e-5)


def test_another_rate_is_converted_and_can_be_shared() -> None:
    tone = 0.4 * np.sin(2 * np.pi * 440 * np.arange(RATE * 7) / RATE)
    with Converted(Reader(tone[:, None]), 44_100) as kept:
        assert (kept.format.rate_hz, kept.format.frames, kept.format.channels) == (44_100, 44_100 * 7, 1)
        expected = 0.4 * np.sin(2 * np.pi * 440 * np.arange(44_100 * 7) / 44_100)
        with OnTimeline(kept.shared(), 100) as first:
            assert first.read(44_200, 1000)[:, 0] == pytest.approx(expected[44_100:45_100], abs=1e-4)
        with OnTimeline(kept.shared()) as again:  # the first one did not close what they share
            assert again.read(300_000, 100)[:, 0] == pytest.approx(expected[300_000:300_100], abs=1e-4)
    with pytest.raises(ValueError, match="closed"):
        kept.read(0, 1)
