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
_MULTIPLES_LEAST, _CLEAR_LEAST = 3, 2
_PROTRUDES_ALONE_DB = 25.0
"""Two tones are hum where both stand out by so much and one is the mains' own."""
_UNDER_LOUD_DB = 12.0
_EXCERPTS_LEAST = 2
_STEADY_DB = 6.0
_READ_WITHIN_HZ = 0.15


def find_hum(excerpts: list[NDArray[np.float64]], rate_hz: int, *, loud_dbfs: float) -> Hum | None:
    """The hum that all quiet stretches share; None where there is none or nothing is quiet.

    Parameters
    ----------
    excerpts : list of float64 [shape=(frames, channels)]
        The quietest stretches, at least half a second each.
    loud_dbfs : float
        The level of the file's loudest second: a stretch is quiet when it lies 12 dB under it.
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
        is_row = len(protruding) >= _MULTIPLES_LEAST and any(tone is not None for tone in tones[:2])
        clear = sum(over_db >= _PROTRUDES_ALONE_DB for _, over_db in protruding)
        if is_row or (clear >= _CLEAR_LEAST and tones[0] is not None and tones[0][1] >= _PROTRUDES_ALONE_DB):
            power_of_all = sum(tone for tone, _ in protruding)
            found.append(Hum(mains_hz=mains, dbfs=power_db(2 * power_of_all * scale), tones=len(protruding)))
    return max(found, key=lambda hum: (hum.tones, hum.dbfs), default=None)


def _tone(
    power: NDArray[np.float64], steady: NDArray[np.bool_], hz: float, bin_hz: float
) -> tuple[float, float] | None:
    """The power at one frequency, and by how many decibels it stands out, when it is steady and does so."""
    reach = max(1, round(hz * _OFF_MOST / bin_hz))
    middle = round(hz / bin_hz)
    around, skirt = round(_AROUND_HZ / bin_hz), round(_SKIRT_HZ / bin_hz)
    begin, end = max(1, middle - around), min(len(power), middle + around + 1)
    beside = np.concatenate([power[begin : max(begin, middle - skirt)], power[middle + skirt + 1 : end]])
    at = max(0, middle - reach)
    at += int(power[at : middle + reach + 1].argmax())
    highest = float(power[at])
    if not steady[at] or not len(beside):
        return None
    over_db = power_db(highest) - power_db(float(np.median(beside)))
    if over_db <= _PROTRUDES_DB:
        return None
    # A tone that is as strong a little further away is another tone, and so is one that lies beside its place.
    if abs(_peak_bin(power, at) * bin_hz - hz) > hz * _OFF_MOST + _READ_WITHIN_HZ:
        return None
    return (highest, over_db) if highest >= float(beside.max()) else None


def _peak_bin(power: NDArray[np.float64], at: int) -> float:
    """Where a peak lies between the bins, by a parabola through three levels."""
    if not 0 < at < len(power) - 1:
        return float(at)
    before, here, after = (power_db(float(p)) for p in power[at - 1 : at + 2])
    bend = before - 2 * here + after
    return at + (0.5 * (before - after) / bend if bend < 0 else 0.0)
