"""Did a lossy encoder end the content? Such an edge is abrupt, and takes what lies between the tones with it.

A low-pass filter falls slowly, a row of harmonics ends in a single tone with nothing around it. Limits: measured, see
docs/measures.md.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.spectral_fall import FAR_HZ, NEAR_HZ, SMOOTHED_HZ, greatest_fall
from deep_tally.model.measures import SpectralEdge

CODED_HZ = ((15_700.0, 17_700.0), (18_300.0, 20_700.0))
"""Where common encoders end the content (measured: docs/measures.md)."""
_BAND_HZ = 3000.0
_FINE_HZ, _ABRUPT_HZ = 60.0, 300.0
_FLOOR_DB, _OVER_FLOOR_DB, _UNDER_GREATEST_DB = -150.0, 25.0, 40.0
_LOOKS_LEAST = 2
_SEEN_DB = -110.0
_DROP_DB, _BETWEEN_DB, _ABRUPT_DB = 25.0, 25.0, 25.0
_UNEVEN_DB = 42.0
_SHALLOW_LEAST_HZ, _DEEP_LEAST_HZ = 30.0, 50.0
_WANDERS_HZ, _NOISE_DB = 25.0, 8.0
_BEYOND_HZ = 600.0

Levels = NDArray[np.float64]


def find_coder_edge(power: Levels, bin_hz: float) -> SpectralEdge | None:
    """The edge at which an encoder ended the content; None where there is none, or too little to see it by.

    Parameters
    ----------
    power : float64 [shape=(looks, bins)]
        Of short spectra; a sine at full scale is 1.
    bin_hz : float
    """
    return _edge_in(_of_power, power, bin_hz) or _edge_in(_of_levels, power, bin_hz)


def _of_power(power: Levels) -> Levels:
    mean: Levels = power.mean(axis=0)
    return mean


def _of_levels(power: Levels) -> Levels:
    """The mean of the decibels, to which a single look with a click in it hardly adds."""
    mean: Levels = 10 ** (_db(power).mean(axis=0) / 10)
    return mean


def _edge_in(average: Callable[[Levels], Levels], power: Levels, bin_hz: float) -> SpectralEdge | None:
    mean = average(power)
    whole = _db(_smoothed(mean, round(SMOOTHED_HZ / bin_hz)))
    fall = greatest_fall(whole, bin_hz, CODED_HZ[0][0] - _BEYOND_HZ, CODED_HZ[-1][1] + _BEYOND_HZ)
    if fall is None or fall.drop_db <= _DROP_DB:
        return None
    place, drop = fall.place, fall.drop_db
    near, far = round(NEAR_HZ / bin_hz), round(FAR_HZ / bin_hz)
    under, over = slice(place - far, place - near), slice(place + near, place + far)
    fallen = np.flatnonzero(whole[place - near : place + near] < whole[under].mean() - drop / 2)
    edge_hz = (place - near + int(fallen[0]) if len(fallen) else place) * bin_hz
    if whole[under].mean() <= _SEEN_DB or not any(low <= edge_hz <= high for low, high in CODED_HZ):
        return None
    looks = _db(_smoothed(power, round(SMOOTHED_HZ / bin_hz)))  # most files end here, before what takes time
    levels = looks[:, under].mean(axis=1)
    seen = (levels > _FLOOR_DB + _OVER_FLOOR_DB) & (levels > levels.max() - _UNDER_GREATEST_DB)
    if int(seen.sum()) < _LOOKS_LEAST:
        return None
    mean = average(power[seen])
    fine = _db(mean)
    between = float(np.percentile(fine[under], 25) - np.percentile(fine[over], 75))
    if between <= _BETWEEN_DB or not _is_abrupt(mean, place, far, bin_hz):
        return None
    band = whole[place - round(_BAND_HZ / bin_hz) : place - near]
    if float(band.max() - band.min()) > _UNEVEN_DB:
        return None  # lumps with nothing between them: tones, not a band
    if average is _of_levels or _is_a_tone(fine, place, near, far, drop, bin_hz):
        # As steep as a tone's skirt is an encoder's end only under noise, and where it stays in its place.
        is_noise = _unevenness(_db(power[seen][:, under])) < _NOISE_DB
        if not is_noise or _wanders(looks[seen], levels[seen], place, near, far, bin_hz):
            return None
    return SpectralEdge(edge_hz=edge_hz, drop_db=drop, kind="coded")


def _db(power: Levels) -> Levels:
    return 10 * np.log10(np.maximum(power, 10 ** (_FLOOR_DB / 10)))


def _smoothed(power: Levels, bins: int) -> Levels:
    """The mean of an odd number of neighbouring bins along the last axis."""
    width = max(1, bins) | 1
    padded = np.pad(power, [(0, 0)] * (power.ndim - 1) + [(width // 2, width // 2)], mode="edge")
    mean: Levels = np.lib.stride_tricks.sliding_window_view(padded, width, axis=-1).mean(axis=-1)
    return mean


def _is_abrupt(mean: Levels, place: int, far: int, bin_hz: float) -> bool:
    fine = _db(_smoothed(mean, round(_FINE_HZ / bin_hz)))[place - far : place + far]
    step = round(_ABRUPT_HZ / bin_hz)
    return float((fine[:-step] - fine[step:]).max()) > _ABRUPT_DB


def _is_a_tone(fine: Levels, place: int, near: int, far: int, drop: float, bin_hz: float) -> bool:
    """Whether what falls is no band, but the skirt of one tone: it takes no longer than a window's main lobe."""
    under = fine[place - far : place - near]
    fall = fine[place - far : place + far] - 10 * np.log10(np.mean(10 ** (under / 10)))
    over_0, over_8, over_18 = (np.flatnonzero(fall > level) for level in (0, -8, -18))
    under_4, under_30 = (np.flatnonzero(fall < level) for level in (-4, max(-30, 3 - drop)))
    if not (len(over_0) and len(over_8)):
        return True
    under_4, under_30 = under_4[under_4 > over_0[-1]], under_30[under_30 > over_8[-1]]
    if not (len(under_4) and len(under_30)):
        return True
    shallow, deep = over_18[-1] - under_4[0], under_30[0] - over_8[-1]
    return bool(shallow * bin_hz <= _SHALLOW_LEAST_HZ or deep * bin_hz <= _DEEP_LEAST_HZ)


def _unevenness(looks: Levels) -> float:
    """How far the ninth decile of the bins lies over their median, in the middle look: 5 dB in noise (exponential)."""
    return float(np.median(np.percentile(looks, 90, axis=1) - np.percentile(looks, 50, axis=1)))


def _wanders(looks: Levels, levels: Levels, place: int, near: int, far: int, bin_hz: float) -> bool:
    """Whether the edge moves with the sound: the quartiles of where each look has fallen by 15 dB lie apart."""
    fallen = looks[:, place - near : place + far] < levels[:, None] - 15.0
    edges = np.where(fallen.any(axis=1), fallen.argmax(axis=1), near + far) * bin_hz
    quarter, three_quarters = np.percentile(edges, (25, 75))
    return bool(three_quarters - quarter > _WANDERS_HZ)
