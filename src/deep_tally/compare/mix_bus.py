"""What a mix bus did to the sum: one filter for the whole song, one gain for every moment, the same on both sides.

Found in turns with the files' gains: with two of the three known, the third is least squares.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_frames import MixFrames
from deep_tally.compare.mix_gains import Gains, fit, products

ROUNDS = 5
_OCTAVE_PART = 6
_BETTER = 0.995
_GAIN_LEAST, _GAIN_MOST = 0.05, 20.0
_RIDGE = 1e-9

Spectra = NDArray[np.complex64]
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Bus:
    """A filter and a moving gain.

    Attributes
    ----------
    response : complex128 [shape=(bins,)]
        Its median magnitude is 1.
    gains : float64 [shape=(moments,)]
    """

    response: NDArray[np.complex128]
    gains: Array

    def at_moments(self) -> Spectra:
        """What each bin of each moment and side is multiplied with."""
        whole = (self.gains[:, None, None] * self.response).astype(np.complex64)
        return np.repeat(whole, 2, axis=1)


def bus_between(dry: Spectra, wet: Spectra, hz: Array) -> Bus:
    """The bus that makes of one sum another.

    Parameters
    ----------
    dry, wet : complex64 [shape=(moments, 2, bins)]
    hz : float64 [shape=(bins,)]
    """
    energy = (dry.real**2 + dry.imag**2).astype(np.float64)
    cross = (wet * dry.conj()).astype(np.complex128)
    gains = np.ones(len(dry))
    response = np.ones(len(hz), np.complex128)
    for _ in range(3):
        over = np.einsum("m,msb->b", gains, cross)
        under = np.einsum("m,msb->b", gains**2, energy)
        response = _smooth(over, hz) / (_smooth(under, hz) + _RIDGE * float(under.max()) + 1e-30)
        response /= max(float(np.median(np.abs(response))), 1e-9)
        over = (cross.real * response.real + cross.imag * response.imag).sum(axis=(1, 2))
        under = (energy * (np.abs(response) ** 2)).sum(axis=(1, 2))
        gains = np.where(under > 0, over / np.maximum(under, 1e-30), 1.0)
        middle = float(np.median(gains[under > 0])) if (under > 0).any() else 1.0
        gains = np.clip(gains, _GAIN_LEAST * middle, _GAIN_MOST * middle) if middle > 0 else np.ones(len(dry))
    return Bus(response, gains)


def _smooth(values: NDArray[np.complex128] | Array, hz: Array) -> NDArray[np.complex128]:
    """Running sum over a sixth of an octave, one bin at least on both sides."""
    width = 2 ** (0.5 / _OCTAVE_PART)
    low = np.searchsorted(hz, hz / width)
    high = np.searchsorted(hz, hz * width, side="right")
    at = np.arange(len(hz))
    low, high = np.minimum(low, np.maximum(at - 1, 0)), np.maximum(high, np.minimum(at + 2, len(hz)))
    whole = np.concatenate([[0], np.cumsum(values)])
    summed: NDArray[np.complex128] = whole[high] - whole[low]
    return summed


def fit_through_bus(frames: MixFrames, first: Gains) -> tuple[Gains, Bus] | None:
    """Gains and bus found in turns, from gains to begin with; None where a bus explains hardly more than none does."""
    best, best_left = None, float(first.left.sum())
    gains = first
    for _ in range(ROUNDS):
        dry = np.einsum("msbf,sf->msb", frames.files, gains.gains.astype(np.float32), optimize=True)
        bus = bus_between(dry, frames.mix, frames.hz)
        gains = fit(products(frames, bus.at_moments()))
        left = float(gains.left.sum())
        if left > _BETTER * best_left:
            break
        best, best_left = (gains, bus), left
    return best
