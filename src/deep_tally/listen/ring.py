"""The frames between the mixer and the output: filled by one thread, emptied by another, with meters on the way out."""

from __future__ import annotations

import math
import threading
from collections import deque
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

_RMS_S = 0.3
_SINE_DB = 10 * math.log10(2)
"""A sine's crest factor: RMS after AES17 reads a full-scale sine as 0 dBFS."""


@dataclass(slots=True)
class _Block:
    start: int
    samples: NDArray[np.float32]
    over: int
    used: int = 0


class Ring:
    """Blocks of frames in the order in which they are to be heard, each with the frame of the song it begins with."""

    def __init__(self, rate_hz: int, at: int) -> None:
        self._rate_hz = rate_hz
        self._lock = threading.Lock()
        self._blocks: deque[_Block] = deque()
        self._ready = 0
        self._heard = at
        self._is_last = False
        self._is_begun = False
        self._gaps = self._over = 0
        self._is_gap = False
        self._peaks = np.zeros(2)
        self._energies: deque[tuple[int, NDArray[np.float64]]] = deque()

    @property
    def ready_frames(self) -> int:
        """Frames that wait to be heard."""
        return self._ready

    @property
    def is_drained(self) -> bool:
        """Whether the last frame was taken."""
        return self._is_last and not self._ready

    def put(self, start: int, samples: NDArray[np.float32], over: int) -> None:
        """Add what was mixed."""
        with self._lock:
            self._blocks.append(_Block(start, samples, over))
            self._ready += len(samples)

    def end(self) -> None:
        """Nothing follows."""
        self._is_last = True

    def drop_after(self, frames: int) -> int | None:
        """Forget what lies more than `frames` ahead, to be mixed anew; the frame to go on from, None if none went."""
        with self._lock:
            kept, went = 0, None
            blocks: deque[_Block] = deque()
            for block in self._blocks:
                if kept >= frames:
                    went = block.start if went is None else went
                else:
                    blocks.append(block)
                    kept += len(block.samples) - block.used
            self._blocks, self._ready = blocks, kept
            if went is not None:
                self._is_last = False
            return went

    def take(self, frames: int) -> NDArray[np.float32]:
        """The next frames for the output; silence, counted as a gap, where they are not mixed in time."""
        out = np.zeros((frames, 2), np.float32)
        with self._lock:
            done = 0
            while done < frames and self._blocks:
                block = self._blocks[0]
                part = block.samples[block.used : block.used + frames - done]
                out[done : done + len(part)] = part
                block.used += len(part)
                done += len(part)
                self._heard = block.start + block.used
                if block.used == len(block.samples):
                    self._over += block.over
                    self._blocks.popleft()
            self._ready -= done
            self._is_begun = self._is_begun or done > 0
            lacks = done < frames and self._is_begun and not self._is_last
            self._gaps += lacks and not self._is_gap
            self._is_gap = lacks
            self._meter(out)
        return out

    def _meter(self, out: NDArray[np.float32]) -> None:
        samples = out.astype(np.float64)
        np.maximum(self._peaks, np.abs(samples).max(axis=0, initial=0.0), out=self._peaks)
        self._energies.append((len(out), (samples**2).sum(axis=0)))
        while sum(n for n, _ in self._energies) > _RMS_S * self._rate_hz and len(self._energies) > 1:
            self._energies.popleft()

    def heard(self) -> tuple[int, tuple[float, float], tuple[float, float], int, int]:
        """(frame, peaks since the last call, RMS, gaps, frames limited to full scale) of the song as taken so far."""
        with self._lock:
            peaks, self._peaks = self._peaks, np.zeros(2)
            frames = sum(n for n, _ in self._energies)
            mean = sum((e for _, e in self._energies), np.zeros(2)) / max(1, frames)
            return self._heard, _levels(peaks**2, 0.0), _levels(mean, _SINE_DB), self._gaps, self._over


def _levels(powers: NDArray[np.float64], add_db: float) -> tuple[float, float]:
    left, right = (10 * math.log10(p) + add_db if p > 0 else -math.inf for p in powers.tolist())
    return left, right
