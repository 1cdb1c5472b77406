"""Runs at full scale in a fixed-point file.

Full scale depends on the bits in use (16-bit audio inside a 24-bit file clips at the 16-bit extreme),
which is known only at the file's end: candidates for each plausible depth are kept and settled then.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.runs import RunFinder, merge_runs
from deep_tally.model.measures import Runs

_DEPTHS = (8, 16, 20, 24, 32)


def _finder(channels: int) -> RunFinder:
    # A single sample at full scale is no clip: it is counted, but its place would crowd out real ones.
    return RunFinder(channels, place_from=2)


class ClipFinder:
    """Collects runs of codes at or beyond +-(2^(n-1) - 1), each polarity by itself."""

    def __init__(self, bits: int, channels: int) -> None:
        depths = sorted({*(d for d in _DEPTHS if d < bits), bits})
        self._finders = {d: (_finder(channels), _finder(channels)) for d in depths}

    def feed(self, samples: NDArray[np.float64], highest: float, bits_so_far: int) -> None:
        """Take in float64 [shape=(frames, channels)] and their greatest absolute value."""
        # More bits are in use already than these depths have.
        for depth in [d for d in self._finders if d < bits_so_far and d != max(self._finders)]:
            del self._finders[depth]
        for depth, (upper, lower) in self._finders.items():
            extreme = 1.0 - 2.0 ** (1 - depth)
            if highest >= extreme:
                upper.feed(samples >= extreme)
                lower.feed(samples <= -extreme)
            else:
                upper.skip(len(samples))
                lower.skip(len(samples))

    def result(self, bits_in_use: int) -> Runs:
        """The runs at the full scale of the bits in use."""
        depth = min((d for d in self._finders if d >= bits_in_use), default=max(self._finders))
        return merge_runs(list(self._finders[depth]))
