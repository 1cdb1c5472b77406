"""Extremes and energy in windows of equal length: the base of edges and overview.

Fed block by block; how the signal is cut into blocks does not matter. Memory is bounded: past a
limit, neighbouring windows are merged and every window covers twice the time.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deep_tally.work.compiled import compiled


@dataclass(frozen=True, slots=True, kw_only=True)
class Windows:
    """Windows in order of time. The last one may be shorter than `frames`.

    `low`, `high`: float32 [shape=(windows, channels)], extremes; `energy`: float32, sum of squares.
    """

    frames: int
    low: NDArray[np.float32]
    high: NDArray[np.float32]
    energy: NDArray[np.float32]

    def __len__(self) -> int:
        return len(self.low)

    def together(self) -> Windows:
        """The extremes of all channels and the energy of the strongest, as one channel."""
        low, high, energy = self.low[:, :1], self.high[:, :1], self.energy[:, :1]
        # Column by column: NumPy is slow along a short last axis.
        for channel in range(1, self.low.shape[1]):
            one = slice(channel, channel + 1)
            low = np.minimum(low, self.low[:, one])
            high = np.maximum(high, self.high[:, one])
            energy = np.maximum(energy, self.energy[:, one])
        return Windows(frames=self.frames, low=low, high=high, energy=energy)

    def grouped(self, size: int) -> Windows:
        """The same, with `size` neighbours merged to one."""
        if size == 1:
            return self
        shape = -(-len(self) // size), self.low.shape[1]
        low, high, energy = (np.empty(shape, np.float32) for _ in range(3))
        _merge_windows(self.low, self.high, self.energy, size, low, high, energy)
        return Windows(frames=self.frames * size, low=low, high=high, energy=energy)


class WindowCutter:
    """Cuts a stream of blocks into windows of `size` frames; what is left waits for the next block."""

    def __init__(self, size: int, channels: int) -> None:
        self._size = size
        self._filled = 0
        self._open = np.zeros((channels, 4))
        self.totals = np.zeros((channels, 2))
        """Sum and sum of squares of each channel so far."""
        self.low, self.high = np.zeros(channels), np.zeros(channels)
        """The extremes of each channel in the latest block, 0 included."""
        self.highest = np.zeros(channels)
        """The greatest absolute value of each channel in the latest block."""
        self.begun = 0
        """How many frames of the first window that the latest block completed came before that block."""
        self.sums = np.empty((0, channels), np.float32)
        """The sum of each window that the latest block completed."""

    def feed(self, samples: NDArray[np.float64]) -> Windows:
        """The windows now complete; samples are finite float64 [shape=(frames, channels), Fortran order]."""
        count = (self._filled + len(samples)) // self._size
        channels = samples.shape[1]
        low, high, energy, sums = (np.empty((count, channels), np.float32) for _ in range(4))
        for channel in range(channels):
            self.low[channel], self.high[channel] = _cut_windows(
                samples[:, channel],
                self._size,
                self._filled,
                self._open[channel],
                self.totals[channel],
                low[:, channel],
                high[:, channel],
                energy[:, channel],
                sums[:, channel],
            )
        np.maximum(self.high, -self.low, out=self.highest)
        self.sums = sums
        self.begun = self._filled
        self._filled = (self._filled + len(samples)) % self._size
        return Windows(frames=self._size, low=low, high=high, energy=energy)

    def rest(self) -> Windows:
        """What is left at the end: one shorter window or none."""
        low, high, energy, self.sums = self._open.T[:, None, :].astype(np.float32)[:, : int(self._filled > 0)]
        return Windows(frames=self._size, low=low, high=high, energy=energy)


_BATCH = 16_384


class BoundedWindows:
    """Keeps windows, `group` neighbours merged to one; twice as many each time there are `most` (an even number).

    Windows wait until there are enough of them to be worth merging.
    """

    def __init__(self, frames: int, *, most: int, group: int = 1) -> None:
        self.base_frames = frames
        self._most = most
        self._group = group
        self._kept: list[Windows] = []
        self._count = 0
        self._waiting: list[Windows] = []
        self._waiting_count = 0

    def feed(self, windows: Windows) -> None:
        """Add windows of the base length."""
        if not len(windows):
            return
        self._waiting.append(windows)
        self._waiting_count += len(windows)
        if self._waiting_count >= _BATCH:
            self._settle()

    def _settle(self) -> None:
        while groups := min(self._waiting_count // self._group, self._most - self._count):
            joined, whole = _join(self._waiting, self.base_frames), groups * self._group
            self._keep(_cut(joined, 0, whole).grouped(self._group))
            self._waiting = [_cut(joined, whole, len(joined))]
            self._waiting_count -= whole
            if self._count == self._most:
                merged = _join(self._kept, self.base_frames * self._group).grouped(2)
                self._group *= 2
                self._kept, self._count = [merged], len(merged)

    def result(self) -> Windows:
        """All windows; the last may cover less time than the others."""
        self._settle()
        rest = _join(self._waiting, self.base_frames) if self._waiting else None
        if rest is not None and len(rest):
            self._keep(rest.grouped(self._group))
            self._waiting, self._waiting_count = [], 0
        return _join(self._kept, self.base_frames * self._group)

    def _keep(self, windows: Windows) -> None:
        self._kept.append(windows)
        self._count += len(windows)


def _join(parts: list[Windows], frames: int) -> Windows:
    if len(parts) == 1:
        return parts[0]
    if not parts:
        empty = np.empty((0, 1), np.float32)
        return Windows(frames=frames, low=empty, high=empty, energy=empty)
    return Windows(
        frames=frames,
        low=np.concatenate([p.low for p in parts]),
        high=np.concatenate([p.high for p in parts]),
        energy=np.concatenate([p.energy for p in parts]),
    )


def _cut(windows: Windows, start: int, stop: int) -> Windows:
    return Windows(
        frames=windows.frames,
        low=windows.low[start:stop],
        high=windows.high[start:stop],
        energy=windows.energy[start:stop],
    )


@compiled("f8*2", "f8[::1]", "i8", "i8", "f8[::1]", "f8[::1]", "f4[:]", "f4[:]", "f4[:]", "f4[:]", finite=True)
def _cut_windows(
    samples: NDArray[np.float64],
    size: int,
    filled: int,
    open_window: NDArray[np.float64],
    totals: NDArray[np.float64],
    lows: NDArray[np.float32],
    highs: NDArray[np.float32],
    energies: NDArray[np.float32],
    sums: NDArray[np.float32],
) -> tuple[float, float]:
    """One channel's windows; returns its extremes, 0 included.

    `open_window` is low, high, energy and sum of the window that is not full yet, `totals` sum and sum of squares.
    """
    window = 0
    position = 0
    lowest = highest = 0.0
    while position < len(samples):
        stop = min(len(samples), position + size - filled)
        piece = samples[position:stop]
        low = high = piece[0]
        energy = 0.0
        total = 0.0
        for i in range(len(piece)):
            x = piece[i]
            low = min(low, x)
            high = max(high, x)
            energy += x * x
            total += x
        totals[0] += total
        totals[1] += energy
        lowest, highest = min(lowest, low), max(highest, high)
        if filled > 0:
            low = min(low, open_window[0])
            high = max(high, open_window[1])
            energy += open_window[2]
            total += open_window[3]
        filled += stop - position
        position = stop
        if filled == size:
            lows[window], highs[window], energies[window], sums[window] = low, high, energy, total
            window += 1
            filled = 0
        else:
            open_window[0], open_window[1], open_window[2], open_window[3] = low, high, energy, total
    return lowest, highest


@compiled("i8", "f4[:, :]", "f4[:, :]", "f4[:, :]", "i8", "f4[:, ::1]", "f4[:, ::1]", "f4[:, ::1]")
def _merge_windows(
    low: NDArray[np.float32],
    high: NDArray[np.float32],
    energy: NDArray[np.float32],
    size: int,
    lows: NDArray[np.float32],
    highs: NDArray[np.float32],
    energies: NDArray[np.float32],
) -> int:
    """Extremes and energy of each `size` windows, every channel for itself; the last may be made of fewer."""
    for channel in range(low.shape[1]):
        for merged in range(len(lows)):
            first = merged * size
            lowest, highest, total = low[first, channel], high[first, channel], 0.0
            for i in range(first, min(first + size, len(low))):
                lowest = min(lowest, low[i, channel])
                highest = max(highest, high[i, channel])
                total += energy[i, channel]
            lows[merged, channel], highs[merged, channel], energies[merged, channel] = lowest, highest, total
    return 0
