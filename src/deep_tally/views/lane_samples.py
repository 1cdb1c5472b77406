"""Which samples close lanes need, and which are at hand."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from deep_tally.model.measures import Excerpt
from deep_tally.views.lane_axis import LaneAxis
from deep_tally.views.lanes import Lane

_MARGIN_MOST = 1 << 17


class LaneSamples:
    """The samples of the lanes in view, kept by their paths."""

    def __init__(self, axis: LaneAxis) -> None:
        self._axis = axis
        self._excerpts: dict[str, Excerpt] = {}
        self._requested_s: tuple[float, float] | None = None

    def forget(self) -> None:
        """Drop all samples and what was requested."""
        self._excerpts = {}
        self._requested_s = None

    def take(self, excerpts: Mapping[str, Excerpt]) -> bool:
        """Keep what was read, and return whether that is anything; else it is requested again when the view moves."""
        if not excerpts:
            self._requested_s = None
        self._excerpts |= excerpts
        return bool(excerpts)

    def at_hand(self, lane: Lane) -> Excerpt | None:
        """The samples that cover a lane in view."""
        have = self._excerpts.get(lane.path)
        if have is None:
            return None
        first, last = self._axis.frames_in_view(lane)
        return have if have.frame <= first and have.frame + len(have.samples) >= last else None

    def request(self, lanes: Iterable[Lane]) -> tuple[tuple[str, int, int], ...]:
        """(path, first frame, frames) to request now; nothing where that is under way, or all is at hand.

        As much again on both sides, so that panning does not request at every pixel.
        """
        wanted = []
        for lane in lanes:
            first, last = self._axis.frames_in_view(lane)
            if self._axis.is_close(lane) and last > first and self.at_hand(lane) is None:
                margin = min(last - first, _MARGIN_MOST)
                wanted.append((lane.path, max(0, first - margin), last - first + 2 * margin))
        span_s = self._axis.start_s, self._axis.stop_s
        if not wanted or span_s == self._requested_s:
            return ()
        self._requested_s = span_s
        return tuple(wanted)
