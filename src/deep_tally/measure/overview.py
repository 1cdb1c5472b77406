"""The pyramid a waveform is drawn from: extremes and RMS in bins that get wider level by level."""

from __future__ import annotations

import numpy as np

from deep_tally.measure.windows import Windows
from deep_tally.model.measures import OverviewLevel

_STEP = 4
_LEAST_BINS = 64
_MOST = float(np.finfo(np.float16).max)


def pyramid(windows: Windows, frames: int) -> tuple[OverviewLevel, ...]:
    """Levels from the finest to one of under 64 * 4 bins; empty for a file without frames."""
    levels: list[OverviewLevel] = []
    while len(windows):
        lengths = np.full(len(windows), windows.frames)
        lengths[-1] = frames - windows.frames * (len(windows) - 1)
        rms = np.sqrt(windows.energy / lengths[:, None])
        low, high, rms = (np.clip(v, -_MOST, _MOST).astype(np.float16) for v in (windows.low, windows.high, rms))
        levels.append(OverviewLevel(bin_frames=windows.frames, low=low, high=high, rms=rms))
        if len(windows) < _LEAST_BINS * _STEP:
            break
        windows = windows.grouped(_STEP)
    return tuple(levels)
