"""Gaps: where does sound stop dead and go on, or repeat a block, as no instrument does?

Candidates come from the stream: stretches in which no channel's sample changes, and stretches that are equal to the
block before them, bit for bit. Whether there is sound around them is settled at the file's end from its windows.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.decibels import amplitude, rms_dbfs
from deep_tally.measure.runs import PLACES_KEPT
from deep_tally.measure.windows import Windows
from deep_tally.model.measures import Gap, Gaps
from deep_tally.work.compiled import compiled

LEAST_FRAMES = 16
_LONGEST_S = 0.5
_PROBE = 8
KEPT_MOST = 1 << 16
"""So many candidates are the steps of a waveform: past them no more are kept."""
_AROUND_MS = 5
_SOUND_DBFS = -50.0
_HARD_SHARE = 0.1
"""The step into or out of a gap against the RMS there: over a tenth, sound was cut off in full swing."""
_STEP_REACH = 4
"""Samples before a gap among which the greatest step counts: sound that is cut off may just cross zero there, but not
for so long; a fade of a millisecond has come down by then."""
_SAME_LEVEL_DB = 12.0
_TOP_SHARE = 0.89  # a value that stays there is a clipped or square top, no gap
REPEATED_BLOCKS = (64, 128, 256, 512, 1024, 2048)
"""Frames of the blocks that sound drivers move (common practice: powers of two)."""
_ANCHOR = 32
_TIMES_MOST = 4  # a tone whose period fits a block repeats for far longer


class GapFinder:
    """Collects candidates over a stream of blocks."""

    def __init__(self, channels: int, rate_hz: int) -> None:
        self._longest = round(_LONGEST_S * rate_hz)
        self._previous = np.full((_STEP_REACH, channels), np.nan)
        self._open = np.zeros(3)
        self._position = 0
        self.still: list[NDArray[np.float64]] = []
        self._still_count = 0
        self._before = np.empty(0)
        self._anchors = np.full(REPEATED_BLOCKS[-1] // _ANCHOR, np.nan)
        self._matching = np.zeros(len(REPEATED_BLOCKS), np.int64)
        self._repeated: list[tuple[int, int]] = []

    def feed(self, samples: NDArray[np.float64]) -> None:
        """Take in float64 [shape=(frames, channels), Fortran order]."""
        if not len(samples):
            return
        room = np.empty((len(samples) // LEAST_FRAMES + 2, 5))
        count = _still_runs(samples, samples[:, 0], self._previous, self._open, LEAST_FRAMES, self._longest, room)
        found = room[:count].copy()
        if len(found) and self._still_count < KEPT_MOST:
            found[:, 0] += self._position
            self.still.append(found)
            self._still_count += len(found)
        self._look_for_repeats(samples[:, 0])
        self._previous = np.ascontiguousarray(np.concatenate([self._previous, samples[-_STEP_REACH:]])[-_STEP_REACH:])
        self._position += len(samples)

    def _look_for_repeats(self, signal: NDArray[np.float64]) -> None:
        longest = REPEATED_BLOCKS[-1]
        reach = longest * (_TIMES_MOST + 2)
        begin = self._position - len(self._before)
        hopeful = self._hopeful_blocks(signal)
        if hopeful.any():
            room = np.empty(((len(self._before) + len(signal)) // _ANCHOR + 1, 2), np.int64)
            matching = self._matching[hopeful]
            count = _repeats(self._before, signal, begin, _BLOCKS[hopeful], matching, room)
            self._matching[hopeful] = matching
            for start, frames in room[:count].tolist():
                if len(self._repeated) < KEPT_MOST:
                    self._repeated.append((start + begin, frames))
        kept = signal if len(signal) >= reach else np.concatenate([self._before, signal])
        self._before = kept[-reach:].copy()

    def _hopeful_blocks(self, signal: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Of which block lengths an anchor matches the one a block before, or did when the signal began."""
        known = len(self._anchors)
        anchors = np.concatenate([self._anchors, signal[-self._position % _ANCHOR :: _ANCHOR]])
        self._anchors = anchors[len(anchors) - known :]
        here = anchors[known:]
        matches = [
            bool(((here == anchors[known - back : len(anchors) - back]) & (here != 0)).any())
            for back in (_BLOCKS // _ANCHOR).tolist()
        ]
        return np.array(matches) | (self._matching > 0)

    def result(self, windows: Windows, frames: int, peak: float) -> Gaps:
        """The gaps inside sound.

        Parameters
        ----------
        windows : Windows
            Of the whole file, all channels together.
        frames : int
            The file's length.
        peak : float
            The file's sample peak.
        """
        around = _Around(windows, frames)
        gaps = [*self._still_gaps(around, peak), *_repeated_gaps(self._repeated, around)]
        kept = sorted(gaps, key=lambda g: g.frame)[:PLACES_KEPT]
        return Gaps(count=len(gaps), places=tuple(kept))

    def _still_gaps(self, around: _Around, peak: float) -> list[Gap]:
        if not self.still:
            return []
        start, length, value, step_in, step_out = np.concatenate(self.still).T
        level_before, level_after = around.levels(start.astype(int), (start + length).astype(int))
        hard_before = step_in > _HARD_SHARE * level_before
        hard_after = step_out > _HARD_SHARE * level_after
        least, ratio = amplitude(_SOUND_DBFS) / np.sqrt(2), amplitude(_SAME_LEVEL_DB)
        is_gap = (
            (np.minimum(level_before, level_after) > least)
            & (hard_before | hard_after)
            & (np.maximum(level_before, level_after) < ratio * np.minimum(level_before, level_after))
            & (np.abs(value) < _TOP_SHARE * peak)
        )
        return [
            Gap(
                frame=int(start[i]),
                frames=int(length[i]),
                kind="zeros" if value[i] == 0 else "held",
                before_dbfs=rms_dbfs(float(level_before[i] ** 2)),
                after_dbfs=rms_dbfs(float(level_after[i] ** 2)),
            )
            for i in np.flatnonzero(is_gap).tolist()
        ]


class _Around:
    """The level just before and just after a place, from windows of about 1 ms."""

    def __init__(self, windows: Windows, frames: int) -> None:
        self._size = windows.frames
        self._frames = frames
        self._energy = np.concatenate([[0.0], np.cumsum(windows.energy[:, 0], dtype=np.float64)])

    def levels(
        self, start: NDArray[np.int_], stop: NDArray[np.int_]
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Plain RMS of about 5 ms before `start` and after `stop`, the windows the borders lie in left out."""
        count, size = _AROUND_MS, self._size
        first, last = start // size, np.minimum(-(-stop // size), len(self._energy) - 1)
        return self._rms(np.maximum(0, first - count), first), self._rms(
            last, np.minimum(len(self._energy) - 1, last + count)
        )

    def _rms(self, begin: NDArray[np.int_], end: NDArray[np.int_]) -> NDArray[np.float64]:
        frames = np.maximum(1, np.minimum(end * self._size, self._frames) - begin * self._size)
        rms: NDArray[np.float64] = np.sqrt(np.maximum(0.0, self._energy[end] - self._energy[begin]) / frames)
        return rms


def _repeated_gaps(repeated: Sequence[tuple[int, int]], around: _Around) -> list[Gap]:
    if not repeated:
        return []
    start, length = np.array(repeated).T
    before, after = around.levels(start, start + length)
    least = amplitude(_SOUND_DBFS) / np.sqrt(2)
    return [
        Gap(
            frame=int(start[i]),
            frames=int(length[i]),
            kind="repeated",
            before_dbfs=rms_dbfs(float(before[i] ** 2)),
            after_dbfs=rms_dbfs(float(after[i] ** 2)),
        )
        for i in np.flatnonzero(np.minimum(before, after) > least).tolist()
    ]


_BLOCKS = np.array(REPEATED_BLOCKS, np.int64)


def _step_into(x: NDArray[np.float64], previous: NDArray[np.float64], start: int) -> float:
    """The greatest step of any channel into the sample at `start` from one of those before it."""
    reach, channels = previous.shape
    greatest = 0.0
    for c in range(channels):
        for back in range(1, reach + 1):
            at = start - back
            step = abs(x[start, c] - (x[at, c] if at >= 0 else previous[reach + at, c]))
            if step > greatest:  # never so for what is no number: before the file's start
                greatest = step
    return greatest


def _still_until(x: NDArray[np.float64], first: NDArray[np.float64], previous: NDArray[np.float64], i: int) -> int:
    """The sample from `i` on at which some channel changes from the one before `i`."""
    frames, channels = x.shape
    latest = len(previous) - 1
    end = i
    value = previous[latest, 0] if i == 0 else first[i - 1]
    while end < frames and first[end] == value:
        end += 1
    for c in range(1, channels):
        value = previous[latest, c] if i == 0 else x[i - 1, c]
        k = i
        while k < end and x[k, c] == value:
            k += 1
        end = k
    return end


def _maybe_still_from(x: NDArray[np.float64], first: NDArray[np.float64], i: int) -> int:
    """From where on something may be still, when nothing is at `i`: every eighth sample is looked at."""
    frames, channels = x.shape
    probe = i
    while probe + _PROBE < frames:
        if first[probe] == first[probe + _PROBE]:
            same = True
            for c in range(1, channels):
                same = same and x[probe, c] == x[probe + _PROBE, c]
            if same:
                break
        probe += _PROBE
    # A run of sixteen cannot lie wholly before the last probe; it can begin up to eight samples earlier.
    return max(i, probe - _PROBE + 1) if probe > i else i


_HELPERS = (_step_into, _still_until, _maybe_still_from)


@compiled("i8", "f8[:, :]", "f8[::1]", "f8[:, ::1]", "f8[::1]", "i8", "i8", "f8[:, ::1]", helpers=_HELPERS)
def _still_runs(
    x: NDArray[np.float64],
    first: NDArray[np.float64],
    previous: NDArray[np.float64],
    open_run: NDArray[np.float64],
    least: int,
    longest: int,
    found: NDArray[np.float64],
) -> int:
    """Runs in which no channel changes; returns how many there are.

    `found` is filled with rows of start, length, the first channel's value, and the greatest steps into and out of the
    run.

    `first` is the first channel of `x`. `previous` [shape=(samples, channels)] are those before it; `open_run` is
    the length of the run that reaches its start, the step into it, and whether it began at the file's start; the latter
    is updated.
    """
    frames, channels = x.shape
    latest = len(previous) - 1
    start = -1  # where the run begins in this block; -1 when before it
    count = 0
    i = 0
    length = open_run[0]
    before = open_run[1]
    from_start = open_run[2] > 0
    if length == 0:
        # The file's first sample: whatever runs from there has nothing before it.
        length, from_start, i = 1.0, True, 1
        for c in range(channels):
            previous[latest, c] = x[0, c]
    while i < frames:
        end = _still_until(x, first, previous, i)
        length += end - i
        i = end
        if i == frames:
            break
        if length >= least and length <= longest and not from_start:
            after = 0.0
            for c in range(channels):
                after = max(after, abs(x[i, c] - (previous[latest, c] if i == 0 else x[i - 1, c])))
            found[count, 0] = i - length
            found[count, 1] = length
            found[count, 2] = previous[latest, 0] if i == 0 else x[i - 1, 0]
            found[count, 3] = before if start < 0 else _step_into(x, previous, start)
            found[count, 4] = after
            count += 1
        from_start = False
        i = _maybe_still_from(x, first, i)
        length = 1.0
        start = i
        i += 1
    if start >= 0:
        before = _step_into(x, previous, start)
    open_run[0], open_run[1], open_run[2] = length, before, 1.0 if from_start else 0.0
    return count


def _at(before: NDArray[np.float64], x: NDArray[np.float64], index: int) -> float:
    """The sample at an index that counts from the start of `before`."""
    return float(before[index] if index < len(before) else x[index - len(before)])


@compiled("i8", "f8[::1]", "f8[::1]", "i8", "i8[::1]", "i8[::1]", "i8[:, ::1]", helpers=(_at,))
def _repeats(
    before: NDArray[np.float64],
    x: NDArray[np.float64],
    begin: int,
    blocks: NDArray[np.int64],
    matching: NDArray[np.int64],
    found: NDArray[np.int64],
) -> int:
    """Stretches that repeat the block before them; returns how many there are.

    `found` is filled with their starts, counted from the start of `before`, and lengths.

    `before` are the samples before `x`, which were looked at already, from frame `begin` of the file on. `matching`
    counts how many anchors in a row matched up to there, for each block length. A stretch is reported where it ends.
    """
    known = len(before)
    length = known + len(x)
    count = 0
    first = known + (-(begin + known)) % _ANCHOR
    for b in range(len(blocks)):
        block = blocks[b]
        row = matching[b]
        least = block // _ANCHOR - 1
        for i in range(first, length, _ANCHOR):
            here = x[i - known]
            earlier = i - block - known
            if i >= block and here != 0 and here == (x[earlier] if earlier >= 0 else before[earlier + known]):
                row += 1
                continue
            if row < least:
                row = 0
                continue
            frames = row * _ANCHOR
            if frames < _TIMES_MOST * block:
                # The anchors matched: do all samples, and from where to where?
                start = i - _ANCHOR
                while start > block and _at(before, x, start) == _at(before, x, start - block):
                    start -= 1
                start += 1
                stop = i - _ANCHOR
                while stop < length and _at(before, x, stop) == _at(before, x, stop - block):
                    stop += 1
                moves = False
                for k in range(start + 1, min(stop, start + block)):
                    moves = moves or _at(before, x, k) != _at(before, x, k - 1)
                if moves and stop - start >= block and stop - start < _TIMES_MOST * block and count < len(found):
                    found[count, 0], found[count, 1] = start, stop - start
                    count += 1
            row = 0
        matching[b] = row
    return count
