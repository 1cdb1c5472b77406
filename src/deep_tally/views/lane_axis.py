"""The shared time axis of a line-up: which moments are in view, and on which pixels."""

from __future__ import annotations

import math
from collections.abc import Sequence

from deep_tally.views.lanes import Lane, span_s
from deep_tally.views.viewport import Viewport

_ROOM = 0.015
"""Of the axis, after the last end: an end at the window's edge could be one that is cut off by it."""


class LaneAxis:
    """Seconds after the song's start on the pixels of the lanes.

    Attributes
    ----------
    rate_hz : int
        The frames of `view` are of this rate; files of other rates are placed by their time.
    view : Viewport
    """

    def __init__(self) -> None:
        self.rate_hz = 48_000
        self.view = Viewport(frames=1, pixels=1)
        self._origin_s = 0.0

    def show_lanes(self, lanes: Sequence[Lane], *, rate_hz: int, pixels: int, keep: bool) -> None:
        """Span all lanes; `keep` stays at the stretch in view, unless that was everything."""
        begin_s, end_s = span_s(lanes)
        before_s = self.start_s, self.stop_s
        was_whole = self.view.is_whole
        room = (end_s - begin_s) * _ROOM
        self.rate_hz, self._origin_s = rate_hz, begin_s
        self.view = Viewport(frames=max(1, math.ceil((end_s - begin_s + room) * rate_hz)), pixels=max(1, pixels))
        if keep and not was_whole:
            self.view.scale = min((before_s[1] - before_s[0]) * rate_hz / self.view.pixels, self.view.whole)
            self.view.start = (before_s[0] - begin_s) * rate_hz
            self.view.pan(0)

    @property
    def start_s(self) -> float:
        """The moment at the left edge."""
        return self._origin_s + self.view.start / self.rate_hz

    @property
    def stop_s(self) -> float:
        """The moment at the right edge."""
        return self._origin_s + self.view.stop / self.rate_hz

    @property
    def px_per_s(self) -> float:
        """Pixels a second."""
        return self.rate_hz / self.view.scale

    def shows(self, seconds: float) -> bool:
        """Whether a moment is in view."""
        return self.start_s <= seconds <= self.stop_s

    def x_of(self, seconds: float) -> float:
        """The pixel of a moment."""
        return self.view.x_of((seconds - self._origin_s) * self.rate_hz)

    def seconds_at(self, x: float) -> float:
        """The moment under a pixel."""
        return self._origin_s + self.view.frame_at(x) / self.rate_hz

    def show_stretch(self, start_s: float, stop_s: float) -> None:
        """Centre a stretch so that it takes about a third of the width."""
        self.view.show_stretch((start_s - self._origin_s) * self.rate_hz, (stop_s - start_s) * self.rate_hz)

    def is_close(self, lane: Lane) -> bool:
        """Whether a lane is shown finer than its overview."""
        overview = lane.track.measures.overview if lane.track.measures is not None else ()
        return bool(overview) and self.view.scale * lane.rate_hz / self.rate_hz < overview[0].bin_frames

    def frames_in_view(self, lane: Lane) -> tuple[int, int]:
        """First and past-the-last frame of a lane's file in view; alike where none is."""
        frames = lane.track.format.frames if lane.track.format is not None else 0
        first = math.floor((self.start_s - lane.start_s) * lane.rate_hz) - 1
        last = math.ceil((self.stop_s - lane.start_s) * lane.rate_hz) + 1
        return min(max(0, first), frames), min(max(0, last), frames)
