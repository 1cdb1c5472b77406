"""What more than half of a set's files share."""

from __future__ import annotations

import pytest

from deep_tally.check.common import find_common, length_difference_s
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.delivery import Common
from tracks import brief, track

POWER_OF_TWO = 65_536
"""A rate at which one frame is an exact number of seconds."""


def of_lengths(*frames: int) -> Common:
    return find_common([track(f"{i}.wav", frames=n, rate_hz=POWER_OF_TWO) for i, n in enumerate(frames)], DEFAULT_BRIEF)


@pytest.mark.parametrize(
    ("frames", "common"),
    [
        ((1000, 1001, 1500), 1000),  # one frame apart is one length
        ((1000, 1002, 1500), None),
        ((1000, 1000), 1000),
        ((1000, 1500), None),  # half is not most
        ((1000, 1000, 1500, 1501), None),
        ((), None),
    ],
)
def test_a_length_is_shared_by_more_than_half_within_one_frame(frames: tuple[int, ...], common: int | None) -> None:
    found = of_lengths(*frames)
    assert found.frames == common
    assert found.seconds == (common / POWER_OF_TWO if common is not None else None)


@pytest.mark.parametrize(("extra", "differs"), [(0, False), (1, False), (-1, False), (2, True), (-2, True)])
def test_a_length_differs_from_two_frames_on(extra: int, differs: bool) -> None:
    common = of_lengths(1000, 1000, 1000)
    difference = length_difference_s(track(frames=1000 + extra, rate_hz=POWER_OF_TWO), common)
    assert difference == (extra / POWER_OF_TWO if differs else 0.0)


def test_a_frame_is_one_of_the_coarser_rate() -> None:
    common = find_common([track(f"{i}.wav", frames=441_000, rate_hz=44_100) for i in range(3)], DEFAULT_BRIEF)
    one_coarse_frame = round(96_000 / 44_100)
    assert length_difference_s(track(frames=960_000 + one_coarse_frame, rate_hz=96_000), common) == 0.0
    assert length_difference_s(track(frames=960_000 + 3, rate_hz=96_000), common) > 0.0


def test_where_half_share_a_rate_the_one_that_is_requested_counts() -> None:
    half = [track("a.wav"), track("b.wav"), track("c.wav", rate_hz=96_000), track("d.wav", rate_hz=96_000)]
    assert find_common(half, DEFAULT_BRIEF).rate_hz is None
    assert find_common(half, brief(rates=[96_000])).rate_hz == 96_000
    assert find_common(half[:3], brief(rates=[96_000])).rate_hz == 48_000
