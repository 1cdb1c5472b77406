"""Was a file's first or last moment cut out of a sound that goes on? What its samples there show."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.decibels import amplitude_db

_LOUD_MS, _LAST_MS, _VERY_LAST_MS = 5.0, 1.0, 0.25
_LAST_DB, _VERY_LAST_DB = 9.0, 20.0
"""A straight fade of 2 ms to zero comes down by 11 dB in its last millisecond and 23 in its last quarter of one."""
_HEAD_MS = 100.0

Samples = NDArray[np.float64]


def fades_to_zero(tail: Samples, rate_hz: int) -> bool:
    """Whether the end comes down to digital zero, if only within 2 ms.

    Parameters
    ----------
    tail : float64 [shape=(frames, channels)]
        The last 40 ms.
    rate_hz : int
    """
    if not len(tail) or tail[-1].any():
        return False
    square = (tail * tail).sum(axis=1)

    def last(ms: float) -> float:
        return float(square[-max(1, round(ms * rate_hz / 1000)) :].mean())

    size = max(1, round(_LOUD_MS * rate_hz / 1000))
    whole = square[len(square) % size :].reshape(-1, size) if len(square) >= size else square[None]
    loud = float(whole.mean(axis=1).max())
    comes_down = last(_LAST_MS) <= loud * 10 ** (-_LAST_DB / 10)
    return bool(comes_down and last(_VERY_LAST_MS) <= loud * 10 ** (-_VERY_LAST_DB / 10))


def head_jump_db(head: Samples) -> float | None:
    """How far the first sample lies from zero, against the greatest step that the next 100 ms take; None for silence.

    A sound of its own takes no greater step when it begins than while it goes on; one that was cut does.

    Parameters
    ----------
    head : float64 [shape=(frames, channels)]
        The first 100 ms.
    """
    if len(head) < 2:
        return None
    channel = int(np.abs(head[0]).argmax())
    step = float(np.abs(np.diff(head[:, channel])).max())
    first = float(abs(head[0, channel]))
    return amplitude_db(first) - amplitude_db(step) if first > 0 and step > 0 else None
