"""Runs: neighbouring samples of a channel that share a condition, across block borders."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from deep_tally.model.measures import Run, Runs

PLACES_KEPT = 1000


class RunFinder:
    """Collects the runs of one condition in a stream of blocks.

    Runs shorter than `place_from` samples are counted, but keep no place.
    """

    def __init__(self, channels: int, *, place_from: int = 1) -> None:
        self._place_from = place_from
        self._open: list[int | None] = [None] * channels
        self._lengths: Counter[int] = Counter()
        self._places: list[tuple[int, int, int]] = []
        self._position = 0

    def skip(self, frames: int) -> None:
        """Take in a block in which no sample meets the condition."""
        if frames:
            self._close_all()
        self._position += frames

    def feed(self, mask: NDArray[np.bool_]) -> None:
        """Take in a block: bool [shape=(frames, channels)]."""
        if not len(mask):
            return
        for channel in range(len(self._open)):
            edges = np.flatnonzero(np.diff(mask[:, channel].view(np.int8), prepend=0, append=0))
            self._take(channel, edges[0::2] + self._position, edges[1::2] + self._position, len(mask))
        self._position += len(mask)

    def _take(self, channel: int, starts: NDArray[np.intp], stops: NDArray[np.intp], frames: int) -> None:
        if not len(starts) or starts[0] != self._position:
            self._close(channel, self._position)
        elif (begun := self._open[channel]) is not None:
            starts[0] = begun
        self._open[channel] = None
        if len(stops) and stops[-1] == self._position + frames:
            self._open[channel] = int(starts[-1])
            starts, stops = starts[:-1], stops[:-1]
        lengths = stops - starts
        counted = np.unique(lengths, return_counts=True)
        self._lengths.update(dict(zip(*(a.tolist() for a in counted), strict=True)))
        kept = np.flatnonzero(lengths >= self._place_from)
        self._keep(zip((-lengths[kept]).tolist(), starts[kept].tolist(), [channel] * len(kept), strict=True))

    def _close_all(self) -> None:
        for channel in range(len(self._open)):
            self._close(channel, self._position)

    def _close(self, channel: int, stop: int) -> None:
        start = self._open[channel]
        self._open[channel] = None
        if start is not None:
            self._lengths[stop - start] += 1
            if stop - start >= self._place_from:
                self._keep([(start - stop, start, channel)])

    def _keep(self, places: Iterable[tuple[int, int, int]]) -> None:
        """Keep the longest, as (minus length, start, channel); which ones does not depend on the blocks."""
        self._places += places
        if len(self._places) > 4 * PLACES_KEPT:
            self._places = sorted(self._places)[:PLACES_KEPT]

    def result(self) -> Runs:
        """All runs; call once, at the end."""
        return merge_runs([self])


def merge_runs(finders: list[RunFinder]) -> Runs:
    """The runs of several conditions together (both polarities of full scale)."""
    lengths: Counter[int] = Counter()
    places: list[tuple[int, int, int]] = []
    for finder in finders:
        finder._close_all()
        lengths += finder._lengths
        places += finder._places
    longest_first = [Run(frame=start, frames=-length, channel=channel) for length, start, channel in sorted(places)]
    kept = sorted(longest_first[:PLACES_KEPT], key=lambda r: (r.frame, r.channel))
    return Runs(
        lengths=dict(sorted(lengths.items())),
        places=tuple(kept),
        longest=longest_first[0] if longest_first else None,
    )
