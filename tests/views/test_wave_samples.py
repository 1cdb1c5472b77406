"""Which samples a close look at one file requests, and when they are at hand."""

from __future__ import annotations

import numpy as np

from deep_tally.model.measures import Excerpt
from deep_tally.views.viewport import Viewport
from deep_tally.views.wave_samples import WaveSamples
from tracks import RATE
from views.lanes_made import lane

TRACK = lane().track


def close_up(start: int = 10_000) -> Viewport:
    return Viewport(frames=RATE, pixels=100, start=float(start), scale=1.0)


def read(stretch: tuple[int, int]) -> dict[str, Excerpt]:
    return {TRACK.path: Excerpt(frame=stretch[0], samples=np.zeros((stretch[1], 1), np.float32))}


def test_a_view_that_the_overview_is_fine_enough_for_requests_nothing() -> None:
    samples = WaveSamples()
    assert samples.request(TRACK, Viewport(frames=RATE, pixels=100), 0) is None
    view = close_up()
    view.scale = 48.0
    assert samples.request(TRACK, view, 0) is None


def test_as_much_again_is_requested_on_both_sides_once() -> None:
    samples, view = WaveSamples(), close_up()
    assert samples.request(TRACK, view, 0) == (10_000 - 101, 3 * 101)
    assert samples.request(TRACK, view, 0) is None
    view.pan(50)
    assert samples.request(TRACK, view, 0) is None
    view.pan(500)
    assert samples.request(TRACK, view, 0) is not None


def test_what_was_read_is_at_hand_where_it_covers_the_view() -> None:
    samples, view = WaveSamples(), close_up()
    stretch = samples.request(TRACK, view, 0)
    assert stretch is not None
    assert samples.at_hand(TRACK, view, 0) is None
    samples.take(TRACK.path, read(stretch))
    assert samples.at_hand(TRACK, view, 0) is not None
    view.pan(300)
    assert samples.at_hand(TRACK, view, 0) is None
    view.show_all()
    assert samples.at_hand(TRACK, view, 0) is None


def test_a_file_that_comes_later_is_read_so_much_later() -> None:
    samples, view = WaveSamples(), close_up()
    assert samples.request(TRACK, view, 480) == (10_480 - 101, 3 * 101)
    samples.take(TRACK.path, read((10_480, 101)))
    assert samples.at_hand(TRACK, view, 480) is not None
    assert samples.at_hand(TRACK, view, 0) is None


def test_what_could_not_be_read_is_requested_again() -> None:
    samples, view = WaveSamples(), close_up()
    stretch = samples.request(TRACK, view, 0)
    samples.take(TRACK.path, {})
    assert samples.request(TRACK, view, 0) == stretch
    samples.forget()
    assert samples.request(TRACK, view, 0) == stretch


def test_samples_end_where_the_file_ends() -> None:
    samples, view = WaveSamples(), close_up(RATE - 50)
    stretch = samples.request(TRACK, view, 0)
    assert stretch is not None
    assert stretch[0] == RATE - 50 - 50
    samples.take(TRACK.path, read((RATE - 100, 100)))
    assert samples.at_hand(TRACK, view, 0) is not None
