"""How do a file's earlier notes end? Whoever ends hard throughout ends hard at the end as well."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

_LEVEL_MS = 5.0
_FROM_DB, _BY_DB = 6.0, 20.0
_HARD_WINDOWS = 3
_STOP_FROM_DB, _STOP_BY_DB = 25.0, 40.0


class Falls(NamedTuple):
    """How often the level fell, how often at once, and how often the sound stopped dead."""

    all: int
    hard: int
    stops: int


def falls_before_end(square: NDArray[np.float32], window_ms: float) -> Falls:
    """How often the level fell before a file's end as far as it would have to fall there, and how often at once.

    A fall runs from the last 5 ms at no more than 6 dB under the file's last to the first that are 20 dB lower; it is
    hard within three such windows. A stop is 40 dB lower from one such window to the next, from no more than 25 dB
    under the file's last: a gate that shuts while a note decays, where a fall would begin too low to be counted.

    Parameters
    ----------
    square : float32 [shape=(windows,)]
        Mean squares.
    window_ms : float
        Of each.

    Returns
    -------
    Falls
    """
    per = max(1, round(_LEVEL_MS / window_ms))
    count = len(square) // per
    if count < 2:
        return Falls(0, 0, 0)
    # Counted from the end, so that the last one is whole.
    levels = square[len(square) - count * per :].reshape(count, per).mean(axis=1)
    last = float(levels[-1])
    if last <= 0:
        return Falls(0, 0, 0)
    high = levels >= last * 10 ** (-_FROM_DB / 10)
    low = levels <= last * 10 ** (-(_FROM_DB + _BY_DB) / 10)
    events = np.flatnonzero(high | low)
    is_fall = high[events[:-1]] & low[events[1:]]
    lengths = (events[1:] - events[:-1])[is_fall]
    is_stop = (levels[:-1] >= last * 10 ** (-_STOP_FROM_DB / 10)) & (
        levels[1:] <= levels[:-1] * 10 ** (-_STOP_BY_DB / 10)
    )
    return Falls(len(lengths), int((lengths <= _HARD_WINDOWS).sum()), int(is_stop.sum()))
