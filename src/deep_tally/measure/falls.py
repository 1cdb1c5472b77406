"""How do a file's earlier notes end? Whoever ends hard throughout ends hard at the end as well."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_LEVEL_MS = 5.0
_FROM_DB, _BY_DB = 6.0, 20.0
_HARD_WINDOWS = 3


def falls_before_end(square: NDArray[np.float32], window_ms: float) -> tuple[int, int]:
    """How often the level fell before a file's end as far as it would have to fall there, and how often at once.

    A fall runs from the last 5 ms at no more than 6 dB under the file's last to the first that are 20 dB lower; it is
    hard within three such windows.

    Parameters
    ----------
    square : float32 [shape=(windows,)]
        Mean squares.
    window_ms : float
        Of each.

    Returns
    -------
    (falls, hard falls)
    """
    per = max(1, round(_LEVEL_MS / window_ms))
    count = len(square) // per
    if count < 2:
        return 0, 0
    # Counted from the end, so that the last one is whole.
    levels = square[len(square) - count * per :].reshape(count, per).mean(axis=1)
    last = float(levels[-1])
    if last <= 0:
        return 0, 0
    high = levels >= last * 10 ** (-_FROM_DB / 10)
    low = levels <= last * 10 ** (-(_FROM_DB + _BY_DB) / 10)
    events = np.flatnonzero(high | low)
    is_fall = high[events[:-1]] & low[events[1:]]
    lengths = (events[1:] - events[:-1])[is_fall]
    return len(lengths), int((lengths <= _HARD_WINDOWS).sum())
