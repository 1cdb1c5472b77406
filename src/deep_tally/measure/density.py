"""How densely does the level sit under the peak? A limited level, and a file that hardly sounds at all."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.decibels import SINE_CREST_DB, amplitude, power_db
from deep_tally.measure.windows import Windows
from deep_tally.model.measures import Density

STRETCH_MS = 50
_SOUNDING_UNDER_LOUDEST_DB = 30.0
_SOUNDING_DBFS = -70.0
_NEAR_PEAK_DB = 0.3
_ACTIVE_DBFS = -66.0
_ACTIVE_SHARE = 1e-3
_STEP_STRETCHES = 4


def sounding_stretches(windows: Windows, rate_hz: int) -> tuple[NDArray[np.bool_], Windows]:
    """Which stretches of 50 ms sound (within 30 dB of the loudest and over -70 dBFS), and the stretches.

    Parameters
    ----------
    windows : Windows
        Of the whole file, all channels together.
    rate_hz : int
    """
    stretches = windows.grouped(max(1, round(STRETCH_MS * rate_hz / 1000 / windows.frames)))
    square = stretches.energy[:, 0] / np.float32(stretches.frames)
    least = 10 ** ((_SOUNDING_DBFS - SINE_CREST_DB) / 10)
    loudest = float(square.max(initial=0.0))
    return square > max(least, loudest * 10 ** (-_SOUNDING_UNDER_LOUDEST_DB / 10)), stretches


def density(windows: Windows, sounding: NDArray[np.bool_], stretches: Windows) -> Density:
    """Shares and crest over the sounding stretches, and for how long the file sounds at all."""
    peak = np.maximum(stretches.high[:, 0], -stretches.low[:, 0])
    highest = float(peak.max(initial=0.0))
    near = peak[sounding] >= highest * amplitude(-_NEAR_PEAK_DB)
    square = stretches.energy[:, 0] / np.float32(stretches.frames)
    # A stretch that a gate opens or shuts in is as loud as the part of it that sounds.
    active = windows.energy > _ACTIVE_SHARE * windows.energy.max(initial=0.0)
    ones = active.astype(np.float32)
    counts = replace(windows, low=ones, high=ones, energy=ones).grouped(stretches.frames // windows.frames)
    levels = 10 * np.log10(square[sounding][near] / np.maximum(1.0, counts.energy[:, 0][sounding][near]))
    # Over a fifth of a second, so that the periods of a low tone do not count as movement.
    whole = len(levels) // _STEP_STRETCHES * _STEP_STRETCHES
    steps = np.abs(np.diff(levels[:whole].reshape(-1, _STEP_STRETCHES).mean(axis=1)))
    loud = np.flatnonzero(sounding)
    loud = loud[np.argsort(-square[loud], kind="stable")][: -(-len(loud) // 4)]
    crest = None
    if len(loud):
        crest = power_db(float((peak[loud] ** 2 / square[loud]).mean()))
    least = 10 ** ((_ACTIVE_DBFS - SINE_CREST_DB) / 10) * windows.frames
    return Density(
        sounding=int(sounding.sum()),
        near_peak_share=float(near.mean()) if len(near) else 0.0,
        near_peak_step_db=float(np.median(steps)) if len(steps) else 0.0,
        crest_db=crest,
        active_windows=int((windows.energy[:, 0] > least).sum()),
        window_frames=windows.frames,
    )
