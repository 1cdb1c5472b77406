"""What more than half of a set's files share."""

from __future__ import annotations

from dataclasses import replace

import pytest

from deep_tally.check.common import find_common, length_difference_s
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.comparison import Comparison, MixOf, SumOf
from deep_tally.model.delivery import Common
from deep_tally.model.files import BY_USER, Role
from tracks import brief, song_of, track

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


def test_what_others_play_as_well_is_a_group_beside_its_members_or_a_copy_of_the_mix() -> None:
    mixes = [track(name, role=Role.ROUGH_MIX) for name in ("2 A.wav", "3 B.wav")]
    files = [track("1 Bus.wav", role=Role.GROUP), *mixes]
    comparison = Comparison(
        sums=tuple(SumOf(path=path, parts=(("x", 0.0),), residual_db=-99) for path in ("1 Bus.wav", "4 T.wav")),
        mixes=(
            MixOf(path="2 A.wav", members=("x",), files=1),
            MixOf(path="3 B.wav", members=("x",), files=1, copy_of="2 A.wav"),
        ),
    )
    song = replace(song_of([*files, track("4 T.wav")]), comparison=comparison)
    assert song.played_by_others == {"1 Bus.wav", "3 B.wav"}
    mine = replace(song, tracks=tuple(replace(t, basis=BY_USER) for t in song.tracks))
    assert mine.played_by_others == frozenset()


def test_the_common_length_counts_at_the_common_rate_whatever_file_comes_first() -> None:
    files = [track("0.wav", rate_hz=44_100, frames=441_000)]
    files += [track(f"{n}.wav", rate_hz=48_000, frames=480_000) for n in range(1, 4)]
    common = find_common(files, DEFAULT_BRIEF)
    assert (common.rate_hz, common.frames, common.seconds) == (48_000, 480_000, 10.0)
    nearly = [track("0.wav", frames=480_001), *(track(f"{n}.wav", frames=480_000) for n in range(1, 4))]
    assert find_common(nearly, DEFAULT_BRIEF).frames == 480_000
