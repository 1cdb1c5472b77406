"""Does a file that is nowhere in a mix lie in it at another speed: of a rate that its header does not say, or drifting?

A speed is what a file has to be played at to run with the mix; over 1 it is too slow as it was sent.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_lags import THIN_HZ, Thin, smoothed_power

KNOWN_SPEEDS = (44_100 / 48_000, 48_000 / 44_100, 1001 / 1000, 1000 / 1001)
"""A header that says 48 kHz of samples at 44.1, or 44.1 of samples at 48; video pulled up or down (common practice)."""
_SEGMENT_S, _SEGMENTS = 6.0, 24
_SEARCHED_S = 3.0
_LEAST, _SHARE = 5, 0.6
_WITHIN = 2.0  # frames at `THIN_HZ`
_DRIFT_LEAST, _DRIFT_MOST = 4e-6, 4e-4
"""Two good clocks differ by 100 millionths at most, poor ones by some hundred (common practice)."""


@dataclass(frozen=True, slots=True)
class Drift:
    """A file that runs away from a mix: its speed, and the lag of its first frame, at `THIN_HZ`."""

    speed: float
    lag: float


def at_speed(thin: Thin, speed: float) -> Thin:
    """A sound at `THIN_HZ` as it is at another speed."""
    import soxr

    played: Thin = soxr.resample(thin, THIN_HZ * speed, THIN_HZ, quality="MQ")
    return played


def drift_of(mix: Thin, file: Thin, lag: int) -> Drift | None:
    """How a file runs away from a mix, near the place where most files lie; None where it does not, surely.

    Each of some stretches is looked for by itself; that most of them lie on one line is no chance.

    Parameters
    ----------
    mix, file : float32 [shape=(frames,)]
        Of one channel, at `THIN_HZ`.
    lag : int
        Where the file should begin in the mix.
    """
    power = smoothed_power(mix)
    first = _drift(mix, file, power, lag)
    if first is None or abs(first.speed - 1) < _DRIFT_LEAST:
        return None
    # A stretch that drifts is blurred itself: once more with what is left of the drift.
    rest = _drift(mix, at_speed(file, first.speed), power, lag)
    return Drift(first.speed * rest.speed, rest.lag) if rest is not None else None


def _drift(mix: Thin, file: Thin, power: NDArray[np.float64], lag: int) -> Drift | None:
    span = round(_SEGMENT_S * THIN_HZ)
    places = np.linspace(0, max(0, len(file) - span), _SEGMENTS).round().astype(int)
    found = [
        (place, at)
        for place in dict.fromkeys(places.tolist())
        if (at := _lag(mix, file, power, place, lag)) is not None
    ]
    if len(found) < _LEAST:
        return None
    times, lags = (np.array(column, dtype=np.float64) for column in zip(*found, strict=True))
    slope, at, inliers = _line(times, lags)
    # A stretch that comes later by its lag's slope is played too fast as it is: it has to be slowed down.
    return Drift(1 / (1 + slope), at) if inliers >= max(_LEAST, _SHARE * len(found)) else None


def _lag(mix: Thin, file: Thin, power: NDArray[np.float64], place: int, lag: int) -> float | None:
    """By how much one stretch of a file comes later in the mix than in the file; None where it is silent."""
    from scipy.fft import irfft, next_fast_len, rfft

    reach = round(_SEARCHED_S * THIN_HZ)
    stretch = file[place : place + round(_SEGMENT_S * THIN_HZ)]
    begin = place + lag - reach
    here = np.zeros(len(stretch) + 2 * reach, np.float32)
    first, stop = max(0, begin), min(len(mix), begin + len(here))
    if stop <= first or not stretch.any():
        return None
    here[first - begin : stop - begin] = mix[first:stop]
    size = int(next_fast_len(len(here) + len(stretch), real=True))
    spectrum = rfft(here, size) * np.conj(rfft(stretch, size))
    weight = np.interp(np.linspace(0, len(power) - 1, len(spectrum)), np.arange(len(power)), 1 / power)
    heights = irfft(spectrum * weight, size)[: 2 * reach]
    return float(int(heights.argmax()) + lag - reach)


def _line(times: NDArray[np.float64], lags: NDArray[np.float64]) -> tuple[float, float, int]:
    """Slope, lag at 0 and inliers of the line on which most lie; none is steeper than drifts are."""
    best: NDArray[np.bool_] = np.zeros(len(times), bool)
    for i in range(len(times)):
        for j in range(i + 1, len(times)):
            slope = (lags[j] - lags[i]) / (times[j] - times[i])
            if abs(slope) > _DRIFT_MOST:
                continue
            within = _WITHIN + abs(slope) * _SEGMENT_S * THIN_HZ / 2
            near = np.abs(lags - lags[i] - slope * (times - times[i])) <= within
            if near.sum() > best.sum():
                best = near
    slope, first = np.polyfit(times[best], lags[best], 1) if best.sum() > 1 else (0.0, 0.0)
    return float(slope), float(first), int(best.sum())


def speeds_worth_trying(mix: Thin, file: Thin, lag: int) -> Sequence[float]:
    """The speeds at which a file may lie in a mix: that of its drift where it has one, else the usual mistakes."""
    drift = drift_of(mix, file, lag)
    return (drift.speed,) if drift is not None else KNOWN_SPEEDS
