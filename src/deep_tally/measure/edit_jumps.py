"""Jumps at edits: does one sample leap away from where those before and after it are heading?

From both sides of a step a parabola through three samples foretells the next one. Where two sounds were joined without
a fade, both are wrong, each in the other's direction, and nothing like it happens nearby: an attack or the edge of a
square wave comes again. Half of all such joins can be found in this way, the others make no jump (docs/measures.md).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.decibels import amplitude
from deep_tally.measure.windows import Windows
from deep_tally.model.measures import EditJump, EditJumps
from deep_tally.work.compiled import compiled

PLACES_KEPT = 5
_WINDOW_MS, _AROUND = 10, 5
_OVER_NEXT = 6.0
_PEAK_SHARE = 0.003
_LEVEL_DB = 12.0
_BEFORE, _AFTER = 3, 2
_ACROSS = 2
_BESIDE = 4  # samples: what belongs to the same step
_LEVEL_MS = 5
_KEPT_MOST = 4096


class EditJumpFinder:
    """Jumps of a stream that comes in blocks.

    Parameters
    ----------
    channels, rate_hz : int
    """

    def __init__(self, channels: int, rate_hz: int) -> None:
        self._window = max(8, round(_WINDOW_MS * rate_hz / 1000))
        self._rest = np.zeros((channels, _BEFORE))
        self._done = 0
        # Rows of jump, its frame, the next greatest: five windows on either side are looked at.
        self._tops = [np.zeros((_AROUND, 3)) for _ in range(channels)]
        self._found: list[tuple[int, int, float]] = []

    def feed(self, samples: NDArray[np.float64]) -> None:
        """Take in float64 [shape=(frames, channels), Fortran order]."""
        # Two windows across the border to the block before are copied, all others looked at where they are.
        across = _ACROSS * self._window - (self._rest.shape[1] - _BEFORE)
        whole = max(0, (len(samples) - across - _AFTER) // self._window)
        head = samples[: across + _AFTER] if whole else samples
        signals = np.concatenate([self._rest, head.T], axis=1)
        count = _ACROSS if whole else max(0, (signals.shape[1] - _BEFORE - _AFTER) // self._window)
        for channel, signal in enumerate(signals):
            tops = [self._greatest(channel, signal, count, self._done)]
            if whole:
                inside = samples[across - _BEFORE :, channel]
                before = np.concatenate([self._tops[channel][-2:], tops[0]])[-2:]
                tops.append(self._greatest(channel, inside, whole, self._done + count * self._window, before))
            self._tops[channel] = self._judged(channel, np.concatenate([self._tops[channel], *tops]))
        last = across + whole * self._window - _BEFORE
        self._rest = samples[last:].T.copy() if whole else signals[:, count * self._window :].copy()
        self._done += (count + whole) * self._window

    def _greatest(
        self,
        channel: int,
        signal: NDArray[np.float64],
        count: int,
        begin: int,
        before: NDArray[np.float64] | None = None,
    ) -> NDArray[np.float64]:
        """The greatest jumps of `count` windows that begin at frame `begin`; `before` are those of the two before."""
        tops = np.empty((count + 2, 3))
        tops[:2] = self._tops[channel][-2:] if before is None else before
        _greatest_jumps(signal, self._window, tops)
        tops[2:, 1] += begin
        return tops[2:]

    def _judged(self, channel: int, tops: NDArray[np.float64]) -> NDArray[np.float64]:
        """Note the jumps unlike all around them; returns the windows whose surroundings are still to come."""
        ready = len(tops) - 2 * _AROUND
        if ready <= 0:
            return tops
        room = np.empty(ready, np.int64)
        for i in room[: _unlike_around(tops, ready, room)].tolist():
            if len(self._found) < _KEPT_MOST:
                self._found.append((int(tops[i, 1]), channel, float(tops[i, 0])))
        return tops[ready:]

    def result(self, windows: Windows, peak: float) -> EditJumps:
        """The jumps that no attack explains.

        Parameters
        ----------
        windows : Windows
            Of the whole file, all channels together, of about a millisecond.
        peak : float
            The file's sample peak.
        """
        for channel, tops in enumerate(self._tops):
            self._judged(channel, np.concatenate([tops, np.zeros((_AROUND, 3))]))
        kept: list[tuple[int, int, float]] = []
        for frame, channel, jump in sorted(self._found):
            is_new = not kept or frame - kept[-1][0] > _BESIDE
            if jump > _PEAK_SHARE * peak and is_new and _is_level(frame, windows):
                kept.append((frame, channel, jump))
        greatest = sorted(kept, key=lambda found: -found[2])[:PLACES_KEPT]
        places = tuple(EditJump(frame=frame, channel=channel) for frame, channel, _ in sorted(greatest))
        return EditJumps(count=len(kept), places=places)


def _is_level(frame: int, windows: Windows) -> bool:
    """Whether the level before and after is about the same: else it is where something begins or stops."""
    at = frame // windows.frames
    before = windows.energy[max(0, at - _LEVEL_MS) : at, 0].mean(dtype=np.float64) if at else 0.0
    after = windows.energy[at + 1 : at + 1 + _LEVEL_MS, 0]
    later = after.mean(dtype=np.float64) if len(after) else 0.0
    ratio = amplitude(_LEVEL_DB) ** 2
    return bool(before > 0 and later > 0 and before < ratio * later and later < ratio * before)


def _jump(late: float, early: float) -> float:
    """The smaller of two errors in opposite directions; below 0 where they err in the same one."""
    return max(min(late, -early), min(-late, early))


@compiled("i8", "f8[::1]", "i8", "f8[:, ::1]", finite=True, helpers=(_jump,))
def _greatest_jumps(x: NDArray[np.float64], window: int, tops: NDArray[np.float64]) -> int:
    """Fill `tops`, from its third row on, with every window's greatest jump, where it is, and the next greatest.

    Its first two rows are the windows before. Where a window's jump cannot stand out from those, the next greatest is
    taken to be as great. `x` begins three samples before the first window and reaches at least two beyond the last.
    """
    for w in range(2, len(tops)):
        begin = (w - 2) * window
        # Slices that are read at one index are what the compiler can do several samples at a time.
        before3, before2, before1 = x[begin : begin + window], x[begin + 1 :], x[begin + 2 :]
        here, after1, after2 = x[begin + 3 :], x[begin + 4 :], x[begin + 5 :]
        top = 0.0
        for i in range(len(before3)):
            late = here[i] - 3.0 * (before1[i] - before2[i]) - before3[i]
            early = before1[i] - 3.0 * (here[i] - after1[i]) - after2[i]
            top = max(top, _jump(late, early))
        at = -1
        second = top
        if top > 6.0 * min(tops[w - 1, 0], tops[w - 2, 0]):
            second = 0.0
            for i in range(len(before3)):
                late = here[i] - 3.0 * (before1[i] - before2[i]) - before3[i]
                early = before1[i] - 3.0 * (here[i] - after1[i]) - after2[i]
                jump = _jump(late, early)
                if at < 0 and jump >= 0.999999 * top:
                    at = i
                elif at >= 0 and i > at + 4:
                    second = max(second, jump)
            for i in range(at - 4):
                late = here[i] - 3.0 * (before1[i] - before2[i]) - before3[i]
                early = before1[i] - 3.0 * (here[i] - after1[i]) - after2[i]
                second = max(second, _jump(late, early))
        tops[w, 0] = top
        tops[w, 1] = begin + at
        tops[w, 2] = second
    return 0


@compiled("i8", "f8[:, ::1]", "i8", "i8[::1]", finite=True)
def _unlike_around(tops: NDArray[np.float64], ready: int, found: NDArray[np.int64]) -> int:
    """Which windows have a jump far greater than any other of their surroundings; returns how many.

    Of the `ready` windows after the first five; `found` is filled with their rows in `tops`.
    """
    count = 0
    for w in range(_AROUND, _AROUND + ready):
        next_greatest = tops[w, 2]
        for other in range(w - _AROUND, w + _AROUND + 1):
            if other != w:
                is_same = abs(tops[other, 1] - tops[w, 1]) <= _BESIDE
                next_greatest = max(next_greatest, tops[other, 2] if is_same else tops[other, 0])
        if tops[w, 0] > _OVER_NEXT * next_greatest:
            found[count] = w
            count += 1
    return count
