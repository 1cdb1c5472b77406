"""Memory does not grow with a file's channels: what is read at once shrinks, and so do overviews."""

from __future__ import annotations

import numpy as np
import pytest

from deep_tally.intake.sound import Block
from deep_tally.measure.one_pass import measure_sound
from sounds import RATE, ArrayReader, sine

MOST_AT_ONCE = 131_072 * 8
"""Samples: as of eight channels, which are read like stereo."""


class _CountingReader(ArrayReader):
    """Notes the most samples that were asked for at once."""

    most = 0

    def read(self, start: int, frames: int) -> Block:
        block = super().read(start, frames)
        self.most = max(self.most, block.samples.size)
        return block


def wide(channels: int, seconds: float) -> np.ndarray:
    random = np.random.default_rng(3)
    level = 0.02 + 0.3 * np.abs(sine(0.5, seconds))
    return (random.standard_normal((len(level), channels)) * 0.2 + sine(220, seconds)[:, None] * 0.3) * level[:, None]


@pytest.mark.parametrize("channels", [1, 2, 8, 9, 32, 128])
def test_what_is_read_at_once_does_not_grow_with_the_channels(channels: int) -> None:
    reader = _CountingReader(wide(channels, 4.0), bits=24)
    measures = measure_sound(reader)
    assert measures.frames == 4 * RATE
    assert reader.most <= MOST_AT_ONCE
    assert sum(level.low.size for level in measures.overview) <= 2 * 65_536 * 8


def test_a_wide_file_has_the_measures_of_its_channels() -> None:
    samples = wide(64, 3.0)
    whole = measure_sound(ArrayReader(samples, bits=24))
    first = measure_sound(ArrayReader(samples[:, :1], bits=24))
    assert whole.sample_peak_by_channel_dbfs[0] == first.sample_peak_by_channel_dbfs[0]
    assert whole.rms_by_channel_dbfs[0] == pytest.approx(first.rms_by_channel_dbfs[0], abs=1e-9)
    assert len(whole.rms_by_channel_dbfs) == 64
