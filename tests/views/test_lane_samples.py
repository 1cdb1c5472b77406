"""Which samples close lanes request, and when they are at hand."""

from __future__ import annotations

import numpy as np

from deep_tally.model.measures import Excerpt
from deep_tally.views.lane_axis import LaneAxis
from deep_tally.views.lane_samples import LaneSamples
from tracks import RATE
from views.lanes_made import lane

FILE = lane()


def close_up() -> tuple[LaneAxis, LaneSamples]:
    axis = LaneAxis()
    axis.show_lanes([FILE], rate_hz=RATE, pixels=100, keep=False)
    axis.show_stretch(0.5, 0.501)
    return axis, LaneSamples(axis)


def answer(request: tuple[tuple[str, int, int], ...]) -> dict[str, Excerpt]:
    return {path: Excerpt(frame=first, samples=np.zeros((n, 1), np.float32)) for path, first, n in request}


def test_only_lanes_that_are_close_request_samples_and_as_much_again_on_both_sides() -> None:
    axis, samples = close_up()
    first, last = axis.frames_in_view(FILE)
    assert samples.request([FILE]) == (("a.wav", first - (last - first), 3 * (last - first)),)
    axis.view.show_all()
    assert samples.request([FILE]) == ()


def test_nothing_is_requested_twice_for_one_view_and_nothing_that_is_at_hand() -> None:
    axis, samples = close_up()
    request = samples.request([FILE])
    assert samples.request([FILE]) == ()
    assert samples.at_hand(FILE) is None
    assert samples.take(answer(request))
    assert samples.at_hand(FILE) is not None
    axis.view.pan(20)  # within what was read besides
    assert samples.at_hand(FILE) is not None
    assert samples.request([FILE]) == ()
    axis.view.pan(500)
    assert samples.at_hand(FILE) is None
    assert samples.request([FILE]) != ()


def test_what_could_not_be_read_is_requested_again() -> None:
    _, samples = close_up()
    request = samples.request([FILE])
    assert not samples.take({})
    assert samples.request([FILE]) == request
    samples.take(answer(request))
    samples.forget()
    assert samples.at_hand(FILE) is None
    assert samples.request([FILE]) == request
