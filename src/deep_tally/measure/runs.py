"""Runs: neighbouring samples of a channel that share a condition, across block borders."""

from __future__ import annotations

import itertools
from collections import Counter

import numpy as np
from numpy.typing import NDArray

from deep_tally.model.measures import Run, Runs

PLACES_KEPT = 1000


class RunFinder:
    """Collects the runs of one condition in a stream of blocks."""

    def __init__(self, channels: int) -> None:
        self._open: list[int | None] = [None] * channels
        self._lengths: Counter[int] = Counter()
        self._places: list[list[Run]] = [[] for _ in range(channels)]
        self._longest: Run | None = None
        self._position = 0

    def skip(self, frames: int) -> None:
        """Take in a block in which no sample meets the condition."""
        for channel in range(len(self._open)):
            self._close(channel, self._position)
        self._position += frames

    def feed(self, mask: NDArray[np.bool_]) -> None:
        """Take in a block: bool [shape=(frames, channels)]."""
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
        if not len(starts):
            return
        lengths = stops - starts
        self._lengths.update(dict(zip(*(a.tolist() for a in np.unique(lengths, return_counts=True)), strict=True)))
        kept = self._places[channel]
        for index in range(min(len(starts), PLACES_KEPT - len(kept))):
            kept.append(Run(frame=int(starts[index]), frames=int(lengths[index]), channel=channel))
        longest = int(lengths.argmax())
        self._compare(Run(frame=int(starts[longest]), frames=int(lengths[longest]), channel=channel))

    def _close(self, channel: int, stop: int) -> None:
        start = self._open[channel]
        self._open[channel] = None
        if start is None:
            return
        run = Run(frame=start, frames=stop - start, channel=channel)
        self._lengths[run.frames] += 1
        if len(self._places[channel]) < PLACES_KEPT:
            self._places[channel].append(run)
        self._compare(run)

    def _compare(self, run: Run) -> None:
        best = self._longest
        if best is None or (run.frames, -run.frame, -run.channel) > (best.frames, -best.frame, -best.channel):
            self._longest = run

    def result(self) -> Runs:
        """All runs; call once, at the end."""
        return merge_runs([self])


def merge_runs(finders: list[RunFinder]) -> Runs:
    """The runs of several conditions together (both polarities of full scale)."""
    lengths: Counter[int] = Counter()
    places: list[Run] = []
    longest: list[Run] = []
    for finder in finders:
        finder.skip(0)
        lengths += finder._lengths
        places += itertools.chain.from_iterable(finder._places)
        longest += [finder._longest] if finder._longest else []
    places.sort(key=lambda r: (r.frame, r.channel))
    return Runs(
        lengths=dict(sorted(lengths.items())),
        places=tuple(places[:PLACES_KEPT]),
        longest=max(longest, key=lambda r: (r.frames, -r.frame, -r.channel), default=None),
    )
