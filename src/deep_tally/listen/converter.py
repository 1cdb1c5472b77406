"""One rate becomes another while it plays: a sum of files of one rate is converted once, not file by file."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

_RUN_UP_S = 0.1
"""What the converter is fed before the first frame that is wanted: its filter is far shorter."""

Feed = Callable[[int, int], NDArray[np.float64]]
"""(first frame, frames) at the own rate -> float64 [shape=(frames, 2)]; silence outside of all files."""


class Converter:
    """Frames at the output's rate from any frame on; those that follow the last go on with the same filter."""

    def __init__(self, feed: Feed, own_hz: int, rate_hz: int) -> None:
        self._feed, self._own_hz, self._rate_hz = feed, own_hz, rate_hz
        common = math.gcd(own_hz, rate_hz)
        self._step_in, self._step_out = own_hz // common, rate_hz // common
        self._filter: Any = None
        self._next_in = 0
        self._next_out: int | None = None
        self._made = np.zeros((0, 2))

    def own_frame(self, frame: int) -> int:
        """The own frame that is being played, or comes next, at an output frame."""
        return math.ceil(frame * self._step_in / self._step_out)

    def read(self, start: int, frames: int) -> NDArray[np.float64]:
        """Output frames `start` to `start + frames`."""
        if start != self._next_out:
            self._begin_at(start)
        self._make(frames)
        made, self._made = self._made[:frames], self._made[frames:]
        self._next_out = start + frames
        return made

    def _begin_at(self, start: int) -> None:
        """A new filter, begun where an own frame and an output frame fall on one moment, a little before `start`."""
        import soxr  # only where rates differ

        turn = start // self._step_out - math.ceil(_RUN_UP_S * self._rate_hz / self._step_out)
        self._filter = soxr.ResampleStream(self._own_hz, self._rate_hz, 2, dtype="float64", quality="VHQ")
        self._next_in = turn * self._step_in
        self._made = np.zeros((0, 2))
        late = start - turn * self._step_out
        self._make(late)
        self._made = self._made[late:]

    def _make(self, frames: int) -> None:
        while (lacking := frames - len(self._made)) > 0:
            count = math.ceil(lacking * self._step_in / self._step_out) + 64
            made = self._filter.resample_chunk(self._feed(self._next_in, count))
            self._next_in += count
            self._made = np.concatenate([self._made, made])
