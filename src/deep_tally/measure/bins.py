"""Extremes and energy in windows of equal length: the base of edges and overview.

Fed block by block; how the signal is cut into blocks does not matter. Memory is bounded: past a
limit, neighbouring windows are merged and every window covers twice the time.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


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

    def grouped(self, size: int) -> Windows:
        """The same, with `size` neighbours merged to one."""
        starts = np.arange(0, len(self.low), size)
        if not len(starts):
            return Windows(frames=self.frames * size, low=self.low, high=self.high, energy=self.energy)
        return Windows(
            frames=self.frames * size,
            low=np.minimum.reduceat(self.low, starts, axis=0),
            high=np.maximum.reduceat(self.high, starts, axis=0),
            energy=np.add.reduceat(self.energy, starts, axis=0),
        )


def windows_of(samples: NDArray[np.float64], frames: int) -> Windows:
    """Cut samples [shape=(n, channels), Fortran order] into windows; n must be a multiple of `frames`."""
    count = len(samples) // frames
    channels = samples.shape[1]
    low, high, energy = (np.empty((count, channels), np.float32) for _ in range(3))
    for channel in range(channels):
        rows = samples[:, channel].reshape(count, frames)
        rows.min(axis=1, out=low[:, channel])
        rows.max(axis=1, out=high[:, channel])
        energy[:, channel] = np.einsum("ij,ij->i", rows, rows)
    return Windows(frames=frames, low=low, high=high, energy=energy)


class Remainder:
    """Cuts a stream of blocks into whole multiples of `size` frames; what is left waits for the next block."""

    def __init__(self, size: int, channels: int) -> None:
        self.size = size
        self._left = np.empty((0, channels), order="F")

    def feed(self, samples: NDArray[np.float64]) -> NDArray[np.float64]:
        """The whole multiples now at hand, float64 [shape=(k * size, channels), Fortran order]."""
        if len(self._left):
            samples = np.concatenate([self._left.T, samples.T], axis=1).T
        whole = len(samples) // self.size * self.size
        self._left = samples[whole:].copy(order="F")
        return samples[:whole]

    def rest(self) -> NDArray[np.float64]:
        """What is left at the end, shorter than `size`."""
        return self._left


class BoundedWindows:
    """Keeps windows, `group` neighbours merged to one; twice as many each time there are `most` (an even number)."""

    def __init__(self, frames: int, *, most: int, group: int = 1) -> None:
        self._base_frames = frames
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
        while groups := min(self._waiting_count // self._group, self._most - self._count):
            joined, whole = _join(self._waiting, self._base_frames), groups * self._group
            self._keep(_cut(joined, 0, whole).grouped(self._group))
            self._waiting = [_cut(joined, whole, len(joined))]
            self._waiting_count -= whole
            if self._count == self._most:
                merged = _join(self._kept, self._base_frames * self._group).grouped(2)
                self._group *= 2
                self._kept, self._count = [merged], len(merged)

    def result(self) -> Windows:
        """All windows; the last may cover less time than the others."""
        rest = _join(self._waiting, self._base_frames) if self._waiting else None
        if rest is not None and len(rest):
            self._keep(rest.grouped(self._group))
            self._waiting, self._waiting_count = [], 0
        return _join(self._kept, self._base_frames * self._group)

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
