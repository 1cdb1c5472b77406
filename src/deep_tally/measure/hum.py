"""Mains hum in a file's quiet passages: tones at 50 or 60 Hz and their multiples."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.decibels import power_db, rms_dbfs
from deep_tally.model.measures import Hum

_MAINS_HZ = (50, 60)
_MULTIPLES = range(1, 9)
_OFF_MOST = 0.008
"""Mains wander by well under a hertz; a note a quarter tone away is at 1.5 %."""
_AROUND_HZ, _SKIRT_HZ = 20.0, 4.0
_PROTRUDES_DB = 15.0
_MULTIPLES_LEAST = 3
_UNDER_LOUD_DB = 20.0
_EXCERPTS_LEAST = 2
_STEADY_DB = 6.0


def find_hum(excerpts: list[NDArray[np.float64]], rate_hz: int, *, loud_dbfs: float) -> Hum | None:
    """The hum that all quiet stretches share; None where there is none or nothing is quiet.

    Parameters
    ----------
    excerpts : list of float64 [shape=(frames, channels)]
        The quietest stretches, at least half a second each.
    loud_dbfs : float
        The level of the file's loudest second: a stretch is quiet when it lies 20 dB under it.
    """
    under_dbfs = loud_dbfs - _UNDER_LOUD_DB
    quiet = [excerpt for excerpt in excerpts if rms_dbfs(float((excerpt * excerpt).mean())) < under_dbfs]
    if len(quiet) < _EXCERPTS_LEAST:
        return None
    window = np.hanning(len(quiet[0]))
    powers = [np.abs(np.fft.rfft(excerpt * window[:, None], axis=0)).max(axis=1) ** 2 for excerpt in quiet]
    power = np.min(powers, axis=0)
    # Hum is in all of them, and as strong: a note dies away.
    steady = np.max(powers, axis=0) <= power * 10 ** (_STEADY_DB / 10)
    bin_hz = rate_hz / len(window)
    scale = 2 / window.sum() ** 2
    found = []
    for mains in _MAINS_HZ:
        tones = [
            _tone(power, steady, mains * m, bin_hz) for m in _MULTIPLES if mains * m * (1 + _OFF_MOST) < rate_hz / 2
        ]
        protruding = [tone for tone in tones if tone is not None]
        if len(protruding) >= _MULTIPLES_LEAST and (tones[0] is not None or tones[1] is not None):
            found.append(Hum(mains_hz=mains, dbfs=power_db(2 * sum(protruding) * scale), tones=len(protruding)))
    return max(found, key=lambda hum: (hum.tones, hum.dbfs), default=None)


def _tone(power: NDArray[np.float64], steady: NDArray[np.bool_], hz: float, bin_hz: float) -> float | None:
    """The power at one frequency when it is steady and stands out of what lies around it."""
    reach = max(1, round(hz * _OFF_MOST / bin_hz))
    middle = round(hz / bin_hz)
    around, skirt = round(_AROUND_HZ / bin_hz), round(_SKIRT_HZ / bin_hz)
    begin, end = max(1, middle - around), min(len(power), middle + around + 1)
    beside = np.concatenate([power[begin : max(begin, middle - skirt)], power[middle + skirt + 1 : end]])
    at = max(0, middle - reach)
    at += int(power[at : middle + reach + 1].argmax())
    highest = float(power[at])
    if not steady[at] or not len(beside) or highest <= float(np.median(beside)) * 10 ** (_PROTRUDES_DB / 10):
        return None
    # A tone that is as strong a little further away is another tone.
    return highest if highest >= float(beside.max()) else None
