"""Jumps at edits: joined sounds, attacks, edges, and every way to cut a stream into blocks."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from deep_tally.measure.edit_jumps import EditJumpFinder
from deep_tally.measure.windows import BoundedWindows, WindowCutter
from deep_tally.model.measures import EditJump, EditJumps
from detectors.recordings import recordings

RATE = 48_000
TIME = np.arange(2 * RATE) / RATE
TONE = 0.3 * np.sin(2 * np.pi * 220 * TIME)
JOIN = 50_000


def jumps(samples: NDArray[np.float64], *, rate_hz: int = RATE, block: int = 131_072) -> EditJumps:
    samples = samples if samples.ndim == 2 else samples[:, None]
    window = round(rate_hz / 1000)
    finder = EditJumpFinder(samples.shape[1], rate_hz)
    cutter, windows = WindowCutter(window, samples.shape[1]), BoundedWindows(window, most=1 << 18)
    for start in range(0, len(samples), block):
        piece = np.asfortranarray(samples[start : start + block])
        finder.feed(piece)
        windows.feed(cutter.feed(piece).together())
    windows.feed(cutter.rest().together())
    return finder.result(windows.result(), float(np.abs(samples).max()))


def joined(before: NDArray[np.float64], after: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.concatenate([before[:JOIN], after[JOIN:]])


def test_two_tones_joined_in_the_middle_of_a_wave_jump_there() -> None:
    other = 0.3 * np.sin(2 * np.pi * 220 * TIME + 2.0)
    assert jumps(joined(TONE, other)) == EditJumps(count=1, places=(EditJump(frame=JOIN, channel=0),))


def test_the_channel_is_named_and_both_at_once_are_one_jump() -> None:
    other = 0.3 * np.sin(2 * np.pi * 220 * TIME + 2.0)
    right = np.stack([TONE, joined(TONE, other)], axis=1)
    assert jumps(right).places == (EditJump(frame=JOIN, channel=1),)
    assert jumps(right[:, [1, 1]]).count == 1


@pytest.mark.parametrize(("ratio", "count"), [(0.27, 1), (0.23, 0), (3.7, 1), (4.3, 0)])
def test_where_the_level_changes_by_12_db_something_begins_or_stops(ratio: float, count: int) -> None:
    other = ratio * 0.3 * np.sin(2 * np.pi * 220 * TIME + 2.0)
    assert jumps(joined(TONE, other)).count == count


@pytest.mark.parametrize(("share", "count"), [(0.0035, 1), (0.0025, 0)])
def test_a_step_under_a_third_of_a_percent_of_the_peak_is_none(share: float, count: int) -> None:
    low = np.sin(2 * np.pi * 30 * TIME)
    stepped = low.copy()
    stepped[JOIN:] += share
    assert jumps(stepped / 2).count == count


@pytest.mark.parametrize(("noise", "count"), [(0.01, 1), (0.03, 0)])
def test_a_jump_among_others_as_great_is_none(noise: float, count: int) -> None:
    rng = np.random.default_rng(1)
    stepped = TONE + noise * rng.uniform(-1, 1, len(TONE))
    stepped[JOIN:] = -stepped[JOIN:] - 0.4
    assert jumps(stepped).count == count


@pytest.mark.parametrize(("apart_ms", "count"), [(40, 0), (70, 2)])
def test_what_comes_again_within_50_ms_is_no_edit(apart_ms: int, count: int) -> None:
    stepped = TONE.copy()
    stepped[JOIN:] += 0.1
    stepped[JOIN + apart_ms * RATE // 1000 :] -= 0.1
    assert jumps(stepped).count == count


@pytest.mark.parametrize(
    "sound",
    [
        0.3 * np.sign(TONE),
        0.3 * (2 * ((TIME * 110) % 1) - 1),
        np.random.default_rng(2).normal(0, 0.1, len(TIME)),
        TONE * np.exp(-TIME * 8),
        np.zeros(2000),
    ],
    ids=["square", "saw", "noise", "decay", "silence"],
)
def test_waves_with_edges_noise_and_silence_have_none(sound: NDArray[np.float64]) -> None:
    assert jumps(sound) == EditJumps()


def test_of_many_jumps_the_five_greatest_are_kept_in_order_of_time() -> None:
    stepped = TONE.copy()
    for number, size in enumerate((0.02, 0.08, 0.03, 0.07, 0.06, 0.05, 0.04)):
        stepped[8000 * (number + 1) :] += size * (-1) ** number
    found = jumps(stepped)
    assert found.count == 7
    assert [p.frame // 8000 for p in found.places] == [2, 4, 5, 6, 7]


@settings(max_examples=30, deadline=None)
@given(block=st.integers(1, 3000), at=st.integers(2000, 9000))
def test_blocks_of_any_size_give_the_same(block: int, at: int) -> None:
    sound = TONE[:12_000].copy()
    sound[at:] += 0.08
    assert jumps(sound, block=block) == jumps(sound) == EditJumps(count=1, places=(EditJump(frame=at, channel=0),))


@pytest.mark.skipif(not recordings(), reason="no real recordings are installed")
def test_no_real_recording_has_one_and_four_splices_of_ten_are_found() -> None:
    """METHODS of the project: 43 % of butt splices, no false one in 51 recordings."""
    rng = np.random.default_rng(5)
    found, spliced = 0, 0
    for path in recordings():
        samples, rate_hz = soundfile.read(path, always_2d=True)
        assert jumps(samples, rate_hz=rate_hz).count == 0, path.name
        level = np.abs(samples).max(axis=1)
        places = np.flatnonzero(level > 0.2 * level.max())
        places = places[(places > 0.2 * rate_hz) & (places < len(samples) - 0.5 * rate_hz)]
        if len(samples) > rate_hz and len(places):
            at, cut = int(rng.choice(places)), int(rng.uniform(0.05, 0.2) * rate_hz)
            pieces = np.concatenate([samples[:at], samples[at + cut :]])
            spliced += 1
            found += any(abs(p.frame - at) <= 2 for p in jumps(pieces, rate_hz=rate_hz).places)
    assert spliced >= 20
    assert found >= 0.4 * spliced
