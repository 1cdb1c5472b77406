"""What tests of several modules of the room share."""

from __future__ import annotations

import numpy as np
from scipy.signal import butter, lfilter

from deep_tally.measure.spectrum import FRAMES
from deep_tally.measure.windows import Windows
from sounds import RATE

NOISE_5 = np.random.default_rng(5)


WINDOW = 48
"""Frames of a millisecond."""


def windows(levels_dbfs: np.ndarray, *, peaks: np.ndarray | float = 0.5, frames: int = WINDOW) -> Windows:
    """Windows of given RMS levels, as AES17 reads them: a level of 0 dBFS is a mean square of a half."""
    levels = np.asarray(levels_dbfs, float)
    energy = frames * 0.5 * 10 ** (levels / 10)
    high = np.broadcast_to(np.asarray(peaks, np.float32), levels.shape)
    return Windows(frames=frames, low=-high[:, None], high=high[:, None], energy=energy.astype(np.float32)[:, None])


def strokes(at_ms: list[int], *, milliseconds: int = 6000, length_ms: int = 5) -> Windows:
    levels = np.full(milliseconds, -np.inf)
    for at in at_ms:
        levels[at : at + length_ms] = -10.0
    return windows(levels)


NOISE_77 = np.random.default_rng(77)


def levels(ripple_db: float = 0.0, spread_db: float = 3.0) -> np.ndarray:
    """Levels of content that ends at 15 kHz: [shape=(excerpts, bins)], rippled over frequency, spread within each."""
    bins = np.arange(FRAMES // 2 + 1)
    hz = bins * RATE / FRAMES
    shape = np.where(hz < 15_000, -40.0, -100.0) + np.where(hz < 15_000, ripple_db / 2 * np.sin(hz / 130), 0.0)
    return shape + np.random.default_rng(1).normal(0, spread_db, (64, len(bins)))


NOISE_21 = np.random.default_rng(21)


def _music() -> np.ndarray:
    low = lfilter(*butter(1, 2000, fs=RATE), NOISE_21.standard_normal(3 * RATE))
    return low * 0.6 / np.abs(low).max()


MUSIC = _music()


class Progress:
    """Notes what a job says of how far it is."""

    def __init__(self) -> None:
        self.calls: list[tuple[int, int]] = []

    def __call__(self, done: int, total: int) -> None:
        self.calls.append((done, total))
