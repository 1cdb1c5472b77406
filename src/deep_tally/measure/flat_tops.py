"""Flat tops: was the waveform clipped before it was stored the way it is now?

A clipped top that was turned down, dithered or converted to float lies under full scale, but it is still flat with a
corner at both ends, and all of them lie at one level. A natural top is round: what is nearly level for four samples has
fallen by no more than nine times as much one such length further out, where a clipped wave has dropped away.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.ceiling import Read, corner_at
from deep_tally.measure.decibels import amplitude_db
from deep_tally.measure.runs import PLACES_KEPT
from deep_tally.model.measures import FlatTops, Run, Runs
from deep_tally.work.compiled import compiled

_LEAST, _LONGEST = 4, 512
_NEAR_PEAK = 0.89
_LEVEL_WITHIN = 3 * 2.0**-15
"""How far the samples of one flat top may differ: what triangular dither of 16 bits and rounding make of a level."""
_CORNER_STEPS, _CORNER_SHARE = 16.0, 0.01
_AT_ONE_LEVEL_SHARE = 0.7
_KEPT_MOST = 1 << 17
_AT_ONCE = 256
_LOOKED_AT = 64
_REACH = 64
_DITHERED_STEP, _SEEN_SHARE = 2.0**-14, 1 / 600


class FlatTopFinder:
    """Collects flat tops near the peak of each channel and polarity over a stream of blocks."""

    def __init__(self, channels: int) -> None:
        self._before = [np.empty(0) for _ in range(channels)]
        self._scanned = [0] * channels
        self._peaks = np.zeros((channels, 2))
        self._position = 0
        self._kept: list[NDArray[np.float64]] = []
        self._count = 0

    def feed(
        self, samples: NDArray[np.float64], low: NDArray[np.float64], high: NDArray[np.float64], *, last: bool = False
    ) -> None:
        """Take in float64 [shape=(frames, channels), Fortran order] and each channel's extremes in it."""
        for channel, before in enumerate(self._before):
            signal = samples[:, channel]
            peaks = self._peaks[channel]
            peaks[0], peaks[1] = max(peaks[0], high[channel]), max(peaks[1], -low[channel])
            upper, lower = _NEAR_PEAK * peaks
            near_here = high[channel] >= upper or -low[channel] >= lower
            near_before = bool(before.size) and (before.max() >= upper or -before.min() >= lower)
            start = self._position - len(before)
            if last or len(signal) < 4 * _LONGEST:
                # A short block, or the end: all that is at hand, as one piece.
                joined = np.concatenate([before, signal])
                stop = len(joined) if last else max(0, len(joined) - 2 * _LONGEST)
                if near_here or near_before:
                    self._look(joined, channel, start, stop)
            else:
                # Across the border from a copy, then the block itself.
                joined = np.concatenate([before, signal[: 3 * _LONGEST]])
                if near_here or near_before:
                    self._look(joined, channel, start, len(before) + _LONGEST)
                if near_here:
                    self._look(signal, channel, self._position, len(signal) - 2 * _LONGEST)
                joined = signal
            self._before[channel] = joined[-3 * _LONGEST :].copy()
        self._position += len(samples)

    def _look(self, x: NDArray[np.float64], channel: int, start: int, stop: int) -> None:
        """Scan `x`, which begins at frame `start`, for tops that begin before its sample `stop`."""
        upper, lower = _NEAR_PEAK * self._peaks[channel]
        begin = self._scanned[channel] - start
        if not (upper > 0 and lower > 0) or begin >= stop:
            return
        begin = max(0, begin)
        room = np.empty((max(1, (stop - begin) // _LEAST + 1), 3))
        count, reached = _scan(x, begin, stop, upper, lower, room)
        found = room[:count].copy()
        # A top that was taken in whole is not looked at again.
        self._scanned[channel] = start + max(stop, reached)
        if len(found):
            found[:, 0] += start
            self._keep(np.column_stack([found, np.full(len(found), channel)]))

    def _keep(self, found: NDArray[np.float64]) -> None:
        self._kept.append(found)
        self._count += len(found)
        if self._count > _KEPT_MOST:
            kept = self._near_peak()
            if len(kept) > _KEPT_MOST // 2:
                # So many that only their share of time matters: every second one shows that as well.
                kept = kept[::2]
            self._kept, self._count = [kept], len(kept)

    def _near_peak(self) -> NDArray[np.float64]:
        """Rows of start, length, level and channel, of tops near the peak of their own channel and polarity."""
        if not self._kept:
            return np.empty((0, 4))
        kept = np.concatenate(self._kept)
        side = (kept[:, 2] < 0).astype(int)
        near: NDArray[np.bool_] = np.abs(kept[:, 2]) >= _NEAR_PEAK * self._peaks[kept[:, 3].astype(int), side]
        return kept[near]

    def result(self) -> tuple[Runs, float, NDArray[np.float64]]:
        """Runs at one level, that level in dBFS, and the frames they start at; call once, at the end."""
        nothing = np.empty((0, len(self._before)), order="F")
        zeros = np.zeros(len(self._before))
        self.feed(nothing, zeros, zeros, last=True)
        kept = self._near_peak()
        sides = [(channel, sign) for channel in range(len(self._before)) for sign in (1, -1)]
        tops = np.concatenate([_at_one_level(kept[(kept[:, 3] == c) & (np.sign(kept[:, 2]) == s)]) for c, s in sides])
        tops = tops[np.argsort(tops[:, 0], kind="stable")]
        if not len(tops):
            return Runs(), -np.inf, np.empty(0)
        lengths, counts = np.unique(tops[:, 1].astype(int), return_counts=True)
        longest_first = tops[np.lexsort((tops[:, 0], -tops[:, 1]))][:PLACES_KEPT]
        places = [Run(frame=int(f), frames=int(n), channel=int(c)) for f, n, _, c in longest_first]
        runs = Runs(
            lengths=dict(zip(lengths.tolist(), counts.tolist(), strict=True)),
            places=tuple(sorted(places, key=lambda r: (r.frame, r.channel))),
            longest=places[0],
        )
        return runs, amplitude_db(float(np.abs(tops[:, 2]).max())), tops[:, 0]


def _at_one_level(tops: NDArray[np.float64]) -> NDArray[np.float64]:
    """The tops of one channel and polarity that share a level, if most of them do and there are two at least."""
    if len(tops) < 2:
        return tops[:0]
    ordered = tops[np.argsort(tops[:, 2], kind="stable")]
    ends = np.searchsorted(ordered[:, 2], ordered[:, 2] + _LEVEL_WITHIN, side="right")
    first = int((ends - np.arange(len(ordered))).argmax())
    shared = ordered[first : ends[first]]
    return shared if len(shared) >= max(2, _AT_ONE_LEVEL_SHARE * len(tops)) else tops[:0]


def share_of_time(starts: NDArray[np.float64], sounding: NDArray[np.bool_], stretch: float) -> float:
    """In which share of the sounding stretches (each `stretch` frames long) at least one of `starts` lies."""
    if not sounding.any():
        return 0.0
    hit = np.zeros(len(sounding), bool)
    hit[np.minimum((starts / stretch).astype(int), len(hit) - 1)] = True
    return float((hit & sounding).sum() / sounding.sum())


def flat_tops(finder: FlatTopFinder, sounding: NDArray[np.bool_], stretch: float, read: Read, frames: int) -> FlatTops:
    """What the finder found, with the share of the file's sounding stretches that hold any.

    Parameters
    ----------
    finder : FlatTopFinder
    sounding : bool [shape=(stretches,)]
    stretch : float
        Frames of each.
    read : callable
        (first frame, frames) -> float64 [shape=(frames, channels)]; the longest tops are read again.
    frames : int
        The file's length.
    """
    runs, dbfs, starts = finder.result()
    if not len(starts):
        return FlatTops(runs=runs, dbfs=dbfs)
    longest = sorted(runs.places, key=lambda r: -r.frames)[:_LOOKED_AT]
    corners = [c for run in longest if (c := _corner_of(run, read, frames)) is not None]
    return FlatTops(
        runs=runs,
        dbfs=dbfs,
        share=share_of_time(starts, sounding, stretch),
        corner=float(np.median(corners)) if corners else None,
    )


def _corner_of(run: Run, read: Read, frames: int) -> float | None:
    """How the wave leaves one top, once it has come down by a hundredth: nearer, dither decides."""
    begin, stop = max(0, run.frame - 2 * _REACH), min(frames, run.frame + run.frames + 2 * _REACH)
    x = read(begin, stop - begin)[:, run.channel]
    first = run.frame - begin
    level = float(x[first : first + run.frames].mean())
    step = max(_DITHERED_STEP, _SEEN_SHARE * abs(level))
    return corner_at(np.sign(level) * x, first, first + run.frames, abs(level), step, reach=_REACH)


@compiled("i8*2", "f8[::1]", "i8", "i8", "f8", "f8", "f8[:, ::1]", finite=True)
def _scan(
    x: NDArray[np.float64], begin: int, stop: int, upper: float, lower: float, found: NDArray[np.float64]
) -> tuple[int, int]:
    """Find the flat tops that start in [begin, stop); returns how many there are, and where looking ended.

    `upper` and `lower` are how far a top must reach at least. `found` is filled with start, length and mean level.
    """
    count = 0
    i = begin
    while i < stop:
        # Most samples are nowhere near the peak: many at once, which the compiler can do.
        while i + _AT_ONCE <= stop:
            highest = lowest = 0.0
            piece = x[i : i + _AT_ONCE]
            for k in range(_AT_ONCE):
                highest, lowest = max(highest, piece[k]), min(lowest, piece[k])
            if highest >= upper or -lowest >= lower:
                break
            i += _AT_ONCE
        while i < stop and not (x[i] >= upper or -x[i] >= lower):
            i += 1
        if i >= stop:
            break
        low = high = x[i]
        total = x[i]
        j = i + 1
        while j < len(x) and j - i <= _LONGEST:
            low, high = min(low, x[j]), max(high, x[j])
            if high - low > _LEVEL_WITHIN:
                break
            total += x[j]
            j += 1
        n = j - i
        if n < _LEAST or n > _LONGEST or j >= len(x) or i == 0:
            i = j if n > _LONGEST else i + 1
            continue
        level = total / n
        sign = 1.0 if level > 0 else -1.0
        need = max(_CORNER_STEPS * _LEVEL_WITHIN, _CORNER_SHARE * abs(level))
        left = sign * (level - x[max(0, i - n)])
        right = sign * (level - x[min(len(x) - 1, j - 1 + n)])
        if left >= need and right >= need and sign * level >= (upper if level > 0 else lower):
            found[count, 0], found[count, 1], found[count, 2] = i, n, level
            count += 1
        i = j
    return count, i
