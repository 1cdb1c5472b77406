"""Which samples a close look at a waveform needs, and which are at hand."""

from __future__ import annotations

import math
from collections.abc import Mapping

from deep_tally.model.delivery import Track
from deep_tally.model.measures import Excerpt
from deep_tally.views.viewport import Viewport

_MARGIN_MOST = 1 << 18


class WaveSamples:
    """The samples of the files that a waveform shows, kept by their paths.

    `later` is by how many frames what is drawn of a file comes later in it than in the view.
    """

    def __init__(self) -> None:
        self._excerpts: dict[str, Excerpt] = {}
        self._requested: dict[str, tuple[int, int]] = {}

    def forget(self) -> None:
        """Drop all samples and requests."""
        self._excerpts.clear()
        self._requested.clear()

    def take(self, path: str, excerpts: Mapping[str, Excerpt]) -> None:
        """Keep what was read; what could not be read is requested again when the view moves."""
        if path in excerpts:
            self._excerpts[path] = excerpts[path]
        else:
            self._requested.pop(path, None)

    def request(self, track: Track, view: Viewport, later: int) -> tuple[int, int] | None:
        """First frame and number of frames to request now; None where the overview or what was requested suffices."""
        if track.measures is None or not _is_close(track, view):
            return None
        start = max(0, int(view.start) + later)
        stop = min(math.ceil(view.stop) + 1 + later, track.measures.frames)
        have, requested = self._excerpts.get(track.path), self._requested.get(track.path)
        if stop <= start or (have is not None and have.frame <= start and have.frame + len(have.samples) >= stop):
            return None
        if requested is not None and requested[0] <= start and sum(requested) >= stop:
            return None
        # Some more on both sides, so that panning does not request at every pixel.
        margin = min(stop - start, _MARGIN_MOST)
        first = max(0, start - margin)
        self._requested[track.path] = (first, stop + margin - first)
        return self._requested[track.path]

    def at_hand(self, track: Track, view: Viewport, later: int) -> Excerpt | None:
        """The samples that cover the view; None also where the overview is fine enough."""
        have = self._excerpts.get(track.path)
        if have is None or track.measures is None or not _is_close(track, view):
            return None
        start, stop = max(0.0, view.start + later), min(view.stop + later, track.measures.frames)
        return have if have.frame <= start and have.frame + len(have.samples) >= stop else None


def _is_close(track: Track, view: Viewport) -> bool:
    """Whether the view is finer than the overview."""
    overview = track.measures.overview if track.measures is not None else ()
    return bool(overview) and view.scale < overview[0].bin_frames
