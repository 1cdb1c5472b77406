"""The pyramid a waveform is drawn from, and windows of bounded number."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deep_tally.measure.overview import pyramid
from deep_tally.measure.windows import BoundedWindows, WindowCutter, Windows
from measure.measured_sounds import (
    NOISE_5,
    WINDOW,
    windows,
)
from searching import examples
from sounds import RATE, measured

SIGNAL = np.random.default_rng(4).standard_normal((3 * RATE + 17, 2)) * np.linspace(0, 1, 3 * RATE + 17)[:, None]


def test_every_level_tells_the_true_extremes_and_rms_of_its_bins() -> None:
    levels = measured(SIGNAL).overview
    assert len(levels) > 1
    for level in levels:
        bins = -(-len(SIGNAL) // level.bin_frames)
        assert level.low.shape == level.high.shape == level.rms.shape == (bins, 2)
        for b in (0, bins // 2, bins - 1):
            cut = SIGNAL[b * level.bin_frames : (b + 1) * level.bin_frames]
            # half a step of float16 (IEEE 754 binary16: 11 bits)
            assert level.low[b].astype(float) == pytest.approx(cut.min(axis=0), rel=2**-11)
            assert level.high[b].astype(float) == pytest.approx(cut.max(axis=0), rel=2**-11)
            assert level.rms[b].astype(float) == pytest.approx(np.sqrt((cut**2).mean(axis=0)), rel=2**-10)


def windows_of(samples: np.ndarray, frames: int) -> Windows:
    return WindowCutter(frames, samples.shape[1]).feed(samples)


@settings(max_examples=examples(40), deadline=None)
@given(sizes=st.lists(st.integers(0, 40), max_size=30), most=st.sampled_from([2, 4, 6, 12]))
def test_windows_are_merged_to_stay_under_their_limit(sizes: list[int], most: int) -> None:
    kept = BoundedWindows(4, most=most)
    values = np.arange(sum(sizes) * 4, dtype=np.float64)
    position = 0
    for size in sizes:
        kept.feed(windows_of(np.asfortranarray(values[position : position + size * 4, None]), 4))
        position += size * 4
    result = kept.result()
    assert len(result) <= most
    for index in range(len(result)):
        cut = values[index * result.frames : (index + 1) * result.frames]
        assert result.low[index, 0] == cut.min()
        assert result.high[index, 0] == cut.max()


def test_a_long_file_keeps_a_bounded_number_of_bins() -> None:
    kept = BoundedWindows(240, most=1000, group=5)
    block = windows_of(np.asfortranarray(np.ones((240 * 100, 1))), 240)
    for _ in range(1000):
        kept.feed(block)
    assert len(kept.result()) <= 1000


def test_an_overview_is_four_times_as_coarse_level_by_level() -> None:
    def levels(bins: int) -> list[tuple[int, int]]:
        found = pyramid(windows(np.full(bins, -10.0)), bins * WINDOW)
        return [(level.bin_frames, len(level.low)) for level in found]

    assert levels(255) == [(WINDOW, 255)]
    assert levels(256) == [(WINDOW, 256), (4 * WINDOW, 64)]
    assert levels(4096) == [(WINDOW, 4096), (4 * WINDOW, 1024), (16 * WINDOW, 256), (64 * WINDOW, 64)]
    assert levels(0) == []


def test_an_overview_has_no_more_than_65536_bins() -> None:
    # At 100 Hz a window is one frame, and five windows a bin: 80,000 of them are merged by two.
    finest = measured(0.1 * NOISE_5.standard_normal(400_000), rate=100).overview[0]
    assert (finest.bin_frames, len(finest.low)) == (10, 40_000)
