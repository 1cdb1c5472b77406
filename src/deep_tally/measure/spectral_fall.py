"""Where a long-term spectrum falls most, with nothing of weight above: what every kind of edge begins with."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

NEAR_HZ, FAR_HZ = 250.0, 1000.0
"""A fall is the mean from so far to so near below a place, less that above it."""
SMOOTHED_HZ = 150.0
_NOTHING_ABOVE_DB = 17.0


class Fall(NamedTuple):
    """The bin over which a spectrum falls, by how many decibels, and the level below it."""

    place: int
    drop_db: float
    below_db: float


def greatest_fall(smooth: NDArray[np.float64], bin_hz: float, low_hz: float, high_hz: float) -> Fall | None:
    """The greatest fall between two frequencies above which nothing comes within 17 dB of what lies below.

    Parameters
    ----------
    smooth : float64 [shape=(bins,)]
        Decibels, smoothed.
    bin_hz : float
    low_hz, high_hz : float
        Between which its place is looked for, as far as the bins reach.
    """
    near, far = max(1, round(NEAR_HZ / bin_hz)), max(2, round(FAR_HZ / bin_hz))
    at = np.arange(max(far, round(low_hz / bin_hz)), min(len(smooth) - 1 - far, round(high_hz / bin_hz)))
    if not len(at):
        return None
    sums = np.concatenate([[0.0], np.cumsum(smooth)])
    below = (sums[at - near] - sums[at - far]) / (far - near)
    above = (sums[at + far] - sums[at + near]) / (far - near)
    # The loudest that comes anywhere above each place.
    highest = np.maximum.accumulate(smooth[::-1])[::-1][np.minimum(at + near, len(smooth) - 1)]
    drops = np.where(highest <= below - _NOTHING_ABOVE_DB, below - above, -np.inf)
    best = int(drops.argmax())
    return Fall(int(at[best]), float(drops[best]), float(below[best])) if np.isfinite(drops[best]) else None
