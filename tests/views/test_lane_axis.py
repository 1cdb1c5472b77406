"""The shared axis of a line-up: moments, pixels, and the frames of files of any rate."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deep_tally.views.lane_axis import LaneAxis
from tracks import RATE
from views.lanes_made import lane


def axis_of(*lanes: object, pixels: int = 1000) -> LaneAxis:
    axis = LaneAxis()
    axis.show_lanes(lanes, rate_hz=RATE, pixels=pixels, keep=False)  # type: ignore[arg-type]
    return axis


def test_the_axis_spans_all_lanes_and_a_little_more_at_the_end() -> None:
    axis = axis_of(lane(), lane("b.wav", start_s=-0.5), lane("c.wav", start_s=1.0))
    assert axis.start_s == -0.5
    assert 2.0 < axis.stop_s < 2.1
    assert axis.x_of(-0.5) == 0.0
    assert axis.shows(-0.5)
    assert not axis.shows(-0.51)


@given(seconds=st.floats(-0.4, 1.9), factor=st.floats(0.01, 4.0), at=st.floats(0, 1000))
def test_a_moment_and_its_pixel_are_each_others(seconds: float, factor: float, at: float) -> None:
    axis = axis_of(lane(start_s=-0.5), lane("b.wav", start_s=1.0))
    axis.view.zoom(factor, at)
    assert axis.seconds_at(axis.x_of(seconds)) == pytest.approx(seconds, abs=1e-9)
    assert axis.x_of(seconds + 0.01) - axis.x_of(seconds) == pytest.approx(0.01 * axis.px_per_s, rel=1e-6)


def test_what_was_looked_at_stays_where_files_are_placed_anew_unless_it_was_everything() -> None:
    axis = axis_of(lane(), lane("b.wav"))
    axis.show_stretch(0.4, 0.5)
    before = axis.start_s, axis.stop_s
    moved = (lane(), lane("b.wav", start_s=-0.25))
    axis.show_lanes(moved, rate_hz=RATE, pixels=1000, keep=True)
    assert (axis.start_s, axis.stop_s) == pytest.approx(before)
    axis.view.show_all()
    axis.show_lanes((*moved, lane("c.wav", start_s=3.0)), rate_hz=RATE, pixels=1000, keep=True)
    assert axis.view.is_whole
    assert axis.stop_s > 4.0


@pytest.mark.parametrize("rate", [RATE, 44_100, 96_000])
def test_frames_in_view_are_of_the_files_own_rate(rate: int) -> None:
    file = lane(rate_hz=rate, start_s=0.5)
    axis = axis_of(lane(seconds=2.0), file)
    axis.show_stretch(0.7, 0.8)
    first, last = axis.frames_in_view(file)
    assert first == pytest.approx((axis.start_s - 0.5) * rate, abs=2.1)
    assert last == pytest.approx((axis.stop_s - 0.5) * rate, abs=2.1)
    axis.show_stretch(1.9, 1.91)  # the file has ended by then
    assert axis.frames_in_view(file) == (rate, rate)


def test_a_lane_is_close_where_a_pixel_holds_less_than_a_bin() -> None:
    file = lane()
    axis = axis_of(file, pixels=1000)
    axis.view.scale = 48.0
    assert not axis.is_close(file)
    axis.view.scale = 47.9
    assert axis.is_close(file)
    assert not axis.is_close(lane(rate_hz=2 * RATE))  # twice as many frames a pixel
