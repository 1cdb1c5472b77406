"""A ceiling: does the waveform stop at one value, again and again, with a corner, while it goes on elsewhere?

A clipper leaves many samples at exactly one value, neighbours among them, and a corner where the wave runs into it; a
limiter's peaks stand alone, a soft clipper's are round, a square wave is there in every cycle. Cymbals and noise move
too fast to leave neighbours: there it is samples at most a third of a millisecond apart, where a limiter still holds
the level down after the first. Level and format do not matter, as long as nothing was dithered, resampled or coded
afterwards: that destroys the equality.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.decibels import amplitude_db
from deep_tally.measure.runs import PLACES_KEPT
from deep_tally.model.measures import Ceiling, Run, Runs

SAMPLES_LEAST = 6
_PAIRS_SHARE, _CLOSE_SHARE = 0.025, 0.15
_CLOSE = 16
_TONE_SHARE, _TOP_HALF, _LEVELS = 0.5, 0.5, 100
_NEAR = 0.99
_STEPS, _REACH = 6.0, 16
_MARGIN = 2 * _REACH + 8
_SHOWN_SHARE = 1 / 3
"""Of the runs at a ceiling, how many must show how the wave leaves it; those of a wave of steps seldom do."""
_QUARTER = 0.25
_BLOCK = 131_072

Read = Callable[[int, int], NDArray[np.float64]]


class CeilingFinder:
    """Counts the samples at each channel's extremes over a stream of blocks."""

    def __init__(self, channels: int) -> None:
        self._extreme = np.zeros((channels, 2))
        self._count = np.zeros((channels, 2), np.int64)
        self._pairs = np.zeros((channels, 2), np.int64)
        self._close = np.zeros((channels, 2), np.int64)
        self._last = np.zeros(channels)
        self._last_at = np.zeros((channels, 2), np.int64)
        self._position = 0

    def feed(self, samples: NDArray[np.float64], low: NDArray[np.float64], high: NDArray[np.float64]) -> None:
        """Take in float64 [shape=(frames, channels), Fortran order] and each channel's extremes in it."""
        for channel in range(len(self._extreme)):
            for side, value in enumerate((high[channel], low[channel])):
                known = self._extreme[channel, side]
                if abs(value) < abs(known) or not value:
                    continue
                at = np.flatnonzero(samples[:, channel] == value) + self._position
                is_same = value == known
                before = self._last_at[channel, side : side + 1] if is_same else at[:0]
                apart = np.diff(at, prepend=before)
                found = len(at), int((apart == 1).sum()), int((apart <= _CLOSE).sum())
                for counted, here in zip((self._count, self._pairs, self._close), found, strict=True):
                    counted[channel, side] = here + is_same * counted[channel, side]
                self._extreme[channel, side], self._last_at[channel, side] = value, at[-1]
        self._position += len(samples)

    def result(self, read: Read, frames: int, step: float) -> Ceiling | None:
        """The ceiling that most samples stand at; None where fewer than six do at any, or hardly two close together.

        Parameters
        ----------
        read : callable
            (first frame, frames) -> float64 [shape=(frames, channels)]. Called only where a ceiling is possible.
        frames : int
            The file's length.
        step : float
            What one bit in use is worth, full scale 1.0.
        """
        found = []
        # Peaks that stand alone, as a limiter's or a repeated stroke's, are not worth reading the file again.
        are_close = (self._pairs > _PAIRS_SHARE * self._count) | (self._close > _CLOSE_SHARE * self._count)
        is_possible = (self._count >= SAMPLES_LEAST) & are_close
        for channel, side in np.argwhere(is_possible).tolist():
            ceiling = _looked_at(read, frames, int(channel), float(self._extreme[channel, side]), step)
            found.append(ceiling)
        return max(found, key=lambda c: (c.touching, c.close, c.samples), default=None)


def _looked_at(read: Read, frames: int, channel: int, extreme: float, step: float) -> Ceiling:
    """One channel and polarity read again: what lies at its extreme, near it, and how it gets there."""
    sign, level = np.sign(extreme), abs(extreme)
    near = touching = 0
    corners: list[float] = []
    places: list[tuple[int, int]] = []
    cycles, top = _HalfCycles(level), _TopHalf(level)
    for start in range(0, frames, _BLOCK):
        begin, stop = max(0, start - _MARGIN), min(frames, start + _BLOCK)
        x = sign * read(begin, min(frames, stop + _MARGIN) - begin)[:, channel]
        inner = slice(start - begin, stop - begin)
        at = x[inner] == level
        top.feed(x[inner])
        near += int((x[inner] >= _NEAR * level).sum())
        cycles.feed(x[inner], at)
        edges = np.flatnonzero(np.diff((x == level).view(np.int8), prepend=0, append=0))
        for first, last in zip(edges[0::2].tolist(), edges[1::2].tolist(), strict=True):
            if not inner.start <= first < inner.stop:
                continue
            places.append((begin + first, last - first))
            if last - first >= 2:
                touching += last - first
                if (corner := corner_at(x, first, last, level, step)) is not None:
                    corners.append(corner)
    longest_first = sorted(places, key=lambda p: (-p[1], p[0]))
    runs = [Run(frame=frame, frames=count, channel=channel) for frame, count in longest_first[:PLACES_KEPT]]
    lengths, counts = np.unique([count for _, count in places], return_counts=True)
    longer = sum(1 for _, count in places if count >= 2)
    return Ceiling(
        dbfs=amplitude_db(level),
        samples=sum(count for _, count in places),
        near=near,
        touching=touching,
        close=0 if top.is_stepped else _close_together(places),
        corner=float(np.median(corners)) if len(corners) > _SHOWN_SHARE * longer and not top.is_stepped else None,
        cycle_share=cycles.share,
        runs=Runs(
            lengths=dict(zip(lengths.tolist(), counts.tolist(), strict=True)),
            places=tuple(sorted(runs, key=lambda r: r.frame)),
            longest=runs[0] if runs else None,
        ),
    )


def _close_together(places: list[tuple[int, int]]) -> int:
    """How many samples at it have another 16 samples on or fewer; none if they follow at one distance, as a tone's."""
    frames = np.concatenate([np.arange(frame, frame + count) for frame, count in places])
    apart = np.diff(frames)
    is_close = apart <= _CLOSE
    goes_on = (apart[1:] == apart[:-1]) & is_close[1:] & (apart[1:] > 1)
    if goes_on.sum() > _TONE_SHARE * is_close.sum():
        return 0
    return int((np.append(is_close, False) | np.append(False, is_close)).sum())


def corner_at(
    x: NDArray[np.float64], first: int, last: int, level: float, step: float, reach: int = _REACH
) -> float | None:
    """How the wave leaves the ceiling on its steeper side: 1 for a straight line, 2 for a parabola; None at edges.

    It is looked for where it has come down by six steps, within `reach` samples.
    """
    steepest, found = 0.0, None
    for outwards in (x[max(0, first - 2 * reach) : first][::-1], x[last : last + 2 * reach]):
        away = level - outwards
        beyond = np.flatnonzero(away[:reach] > _STEPS * step)
        if not len(beyond):
            continue
        w = int(beyond[0]) + 1
        # A wave of steps goes on level where it has stepped down: that is no corner.
        if 2 * w > len(away) or away[2 * w - 1] <= 0 or away[w] == away[w - 1]:
            continue
        slope = float(away[w - 1]) / w
        if slope > steepest:
            steepest, found = slope, float(np.log2(away[2 * w - 1] / away[w - 1]))
    return found


class _TopHalf:
    """Do the samples in the half below a level take many values, or a few that repeat, as steps do?"""

    def __init__(self, level: float) -> None:
        self._level = level
        self._count = 0
        self._values = np.empty(0)

    def feed(self, x: NDArray[np.float64]) -> None:
        below = x[(x >= _TOP_HALF * self._level) & (x < self._level)]
        self._count += len(below)
        if len(self._values) < _LEVELS:
            self._values = np.union1d(self._values, below)

    @property
    def is_stepped(self) -> bool:
        """Whether they are few, and most of them there more than once; call once all was fed."""
        return len(self._values) < min(self._count / 2, _LEVELS)


class _HalfCycles:
    """Of the half-cycles that reach a quarter of the level, how many touch it?"""

    def __init__(self, level: float) -> None:
        self._level = level
        self._all = self._touching = 0
        self._open_top, self._open_touches = 0.0, False

    def feed(self, x: NDArray[np.float64], at: NDArray[np.bool_]) -> None:
        above = x > 0
        edges = np.flatnonzero(np.diff(above.view(np.int8), prepend=0, append=0))
        starts, stops = edges[0::2], edges[1::2]
        if not len(starts) or starts[0] > 0:
            self._close()
        if not len(starts):
            return
        tops = np.maximum.reduceat(x, np.minimum(edges, len(x) - 1))[0::2]
        touches = np.add.reduceat(at.astype(np.int64), np.minimum(edges, len(x) - 1))[0::2] > 0
        if starts[0] == 0:
            tops[0], touches[0] = max(tops[0], self._open_top), touches[0] or self._open_touches
        self._open_top, self._open_touches = 0.0, False
        if stops[-1] == len(x):
            self._open_top, self._open_touches = float(tops[-1]), bool(touches[-1])
            tops, touches = tops[:-1], touches[:-1]
        high = tops > _QUARTER * self._level
        self._all += int(high.sum())
        self._touching += int((high & touches).sum())

    def _close(self) -> None:
        if self._open_top > _QUARTER * self._level:
            self._all += 1
            self._touching += self._open_touches
        self._open_top, self._open_touches = 0.0, False

    @property
    def share(self) -> float:
        """The share; call once all was fed."""
        self._close()
        return self._touching / self._all if self._all else 0.0
