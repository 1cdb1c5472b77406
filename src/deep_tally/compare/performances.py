"""Do two files hear one performance, or were they played twice?

A player never begins every note at the same moment twice, to a few milliseconds; two microphones always hear it so.
Limits measured on doubles and pairs of recordings (docs/measures.md).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_LEVEL_MS = 5.0
_LOWEST_HZ = 150.0
_RISE_DB, _RISE_WINDOWS = 12.0, 4
_DOWN_TO_DB = 60.0
_PAIRED_WITHIN_MS = 60.0
_LAGS_LEAST = 5
_SPECTRUM = 4096
_BAND_HZ = (400.0, 2500.0)


def entries_ms(samples: NDArray[np.float32], rate_hz: int) -> NDArray[np.float64]:
    """When notes begin: where the level rises by 12 dB within 20 ms, at half the rise [shape=(entries,)], in ms."""
    width = max(1, round(rate_hz * _LEVEL_MS / 1000))
    # Twice: a single pass leaves a sixteenth of 30 Hz.
    sound = _without_lows(_without_lows(samples.astype(np.float64), rate_hz), rate_hz)
    late_ms = _LEVEL_MS / 2 + 1000 * (len(samples) - len(sound)) / 2 / rate_hz
    windows = len(sound) // width
    if windows <= _RISE_WINDOWS:
        return np.empty(0)
    power = (sound[: windows * width].reshape(windows, width) ** 2).mean(axis=1)
    return rises_ms(power, window_ms=_LEVEL_MS) + late_ms


def rises_ms(power: NDArray[np.float64], *, window_ms: float) -> NDArray[np.float64]:
    """When a level rises by 12 dB within four windows, at half the rise [shape=(rises,)], in ms.

    Parameters
    ----------
    power : float64 [shape=(windows,)]
        Of windows of `window_ms`.
    """
    loudest = power.max(initial=0.0)
    if loudest <= 0 or len(power) <= _RISE_WINDOWS:
        return np.empty(0)
    level = 10 * np.log10(np.maximum(power / loudest, 10 ** (-_DOWN_TO_DB / 10)))
    rise = level[_RISE_WINDOWS:] - level[:-_RISE_WINDOWS]
    found = []
    at = 0
    while at < len(rise):
        if rise[at] < _RISE_DB:
            at += 1
            continue
        top = at + int(rise[at : at + 2 * _RISE_WINDOWS].argmax())
        low, high = level[top], level[top + _RISE_WINDOWS]
        middle = (low + high) / 2
        step = next(k for k in range(top + 1, top + _RISE_WINDOWS + 1) if level[k] >= middle)
        before, after = level[step - 1], level[step]
        part = (middle - before) / (after - before) if after > before else 0.0
        found.append((step - 1 + part) * window_ms)
        at = top + 3 * _RISE_WINDOWS
    return np.array(found)


def _without_lows(sound: NDArray[np.float64], rate_hz: int) -> NDArray[np.float64]:
    """The sound less its mean over a period of the lowest frequency that counts; shorter by that period."""
    width = max(1, round(rate_hz / _LOWEST_HZ))
    total = np.concatenate([[0.0], np.cumsum(sound)])
    mean = (total[width:] - total[:-width]) / width
    rest: NDArray[np.float64] = sound[width // 2 :][: len(mean)] - mean
    return rest


def entry_spread_ms(one: NDArray[np.float64], other: NDArray[np.float64]) -> float | None:
    """The median absolute deviation of the lags between entries that are near each other; None for fewer than five."""
    if not len(one) or not len(other):
        return None
    nearest = np.abs(one[:, None] - other[None, :]).argmin(axis=1)
    lags = other[nearest] - one
    lags = lags[np.abs(lags) <= _PAIRED_WITHIN_MS]
    return float(np.median(np.abs(lags - np.median(lags)))) if len(lags) >= _LAGS_LEAST else None


def coherence(one: NDArray[np.float32], other: NDArray[np.float32], rate_hz: int) -> float | None:
    """How far the long-term spectra of two files are one: 0 to 1, weighed by their power, 400 to 2500 Hz.

    Welch's averaged periodograms (IEEE Trans. Audio Electroacoust. 15, 1967), half overlapping, Hann. None where one is
    silent there.
    """
    frames = min(len(one), len(other))
    begins = range(0, frames - _SPECTRUM + 1, _SPECTRUM // 2)
    window = np.hanning(_SPECTRUM)
    low, high = (round(hz * _SPECTRUM / rate_hz) for hz in _BAND_HZ)
    cross = np.zeros(high - low, complex)
    power = np.zeros((2, high - low))
    for begin in begins:
        a, b = (np.fft.rfft(x[begin : begin + _SPECTRUM] * window)[low:high] for x in (one, other))
        cross += a * b.conj()
        power += np.abs(np.stack([a, b])) ** 2
    both = np.sqrt(power[0] * power[1])
    return float(np.abs(cross).sum() / both.sum()) if both.sum() > 0 else None
