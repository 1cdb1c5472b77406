"""Where in a mix does a file lie? By correlation, each frequency counted by how little else the mix has there.

The cross-spectrum over the smoothed power spectrum of the mix is the matched filter in coloured noise; Knapp and
Carter, IEEE Trans. ASSP 24 (1976), call weights of this kind the Roth processor. Under 12 kHz of rate loops land on
wrong bars (measured: docs/mix-match.md).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

THIN_HZ = 12_000
_WELCH, _FLOOR = 2048, 1e-7
_FFT_MOST = 1 << 21
_EXCERPT_MOST = 1 << 20
_PEAKS, _APART_S = 12, 0.01
_MAD_SIGMA, _SAMPLED = 1.4826, 200_000

Thin = NDArray[np.float32]
"""Samples at `THIN_HZ` [shape=(frames,) or (frames, 2)]."""


@dataclass(frozen=True, slots=True)
class LagPeak:
    """A place where a file may lie.

    Attributes
    ----------
    lag : int
        Frames at `THIN_HZ` by which the file begins later than the mix.
    height : float
        Its correlation, in standard deviations of all others.
    """

    lag: int
    height: float


def middle_or_left(sound: Thin) -> tuple[Thin, bool]:
    """One channel that stands for all: the middle, or the left where folding would lose more than it keeps."""
    if sound.ndim == 1 or sound.shape[1] == 1:
        return sound.reshape(len(sound)), False
    middle, side = sound[:, 0] + sound[:, 1], sound[:, 0] - sound[:, 1]
    is_wide = float(np.dot(side, side)) > float(np.dot(middle, middle))
    return (sound[:, 0].copy(), True) if is_wide else (middle * np.float32(0.5), False)


def smoothed_power(sound: Thin) -> NDArray[np.float64]:
    """Welch's mean power spectrum, [shape=(1025,)], with a floor."""
    count = max(1, len(sound) // (_WELCH // 2) - 1)
    window = np.hanning(_WELCH)
    total = np.zeros(_WELCH // 2 + 1)
    padded = np.pad(sound, (0, max(0, _WELCH - len(sound))))
    for start in range(0, count, 512):
        at = np.arange(start, min(count, start + 512)) * (_WELCH // 2)
        looks = np.fft.rfft(padded[at[:, None] + np.arange(_WELCH)] * window, axis=1)
        total += (looks.real**2 + looks.imag**2).sum(axis=0)
    total /= count
    return np.maximum(total, _FLOOR * max(float(total.max()), 1e-30))


class MixCorrelation:
    """One channel of a mix, ready to be correlated with many files.

    Parameters
    ----------
    mix : float32 [shape=(frames,)]
        At `THIN_HZ`.
    power : float64 [shape=(1025,)], optional
        The power spectrum to weight by; the mix's own where it is not given.
    """

    def __init__(self, mix: Thin, power: NDArray[np.float64] | None = None) -> None:
        self._mix = mix
        self._power = smoothed_power(mix) if power is None else power
        self._spectra: dict[tuple[int, int], NDArray[np.complex64]] = {}

    def peaks(self, sound: Thin) -> list[LagPeak]:
        """The places where a file may lie, the likeliest first; empty for silence."""
        first, heights = self.against(sound)
        found: list[LagPeak] = []
        apart = round(_APART_S * THIN_HZ)
        for _ in range(_PEAKS if len(heights) else 0):
            at = int(heights.argmax())
            if heights[at] <= 0:
                break
            found.append(LagPeak(first + at, float(heights[at])))
            heights[max(0, at - apart) : at + apart + 1] = 0
        return found

    def against(self, sound: Thin) -> tuple[int, NDArray[np.float32]]:
        """The first lag, and the correlation there and at all lags that follow, in standard deviations.

        Of a long file only a loud stretch is used.
        """
        from scipy.fft import irfft, next_fast_len, rfft

        begin, excerpt = _loud_excerpt(sound)
        if not excerpt.any() or not self._mix.any():
            return 0, np.empty(0, np.float32)
        span = len(self._mix) + len(excerpt)
        size = int(next_fast_len(min(max(2 * len(self._mix), span), _FFT_MOST), real=True))
        hop = size - len(excerpt)
        theirs = np.conj(rfft(excerpt, size))
        # Of a piece of the mix that begins at a frame, the lags from that frame on are whole.
        starts = range(-len(excerpt), len(self._mix), hop)
        pieces = [irfft(self._spectrum(start, size) * theirs, size)[:hop] for start in starts]
        heights = (np.concatenate(pieces) if len(pieces) > 1 else pieces[0])[:span]
        spread = _MAD_SIGMA * float(np.median(np.abs(heights[:: max(1, len(heights) // _SAMPLED)])))
        heights *= np.float32(1 / max(spread, 1e-30))
        return -len(excerpt) - begin, heights

    def _spectrum(self, start: int, size: int) -> NDArray[np.complex64]:
        """The weighted spectrum of the mix from a frame on."""
        from scipy.fft import rfft

        if (start, size) not in self._spectra:
            piece = np.zeros(size, np.float32)
            begin, stop = max(0, start), min(len(self._mix), start + size)
            piece[begin - start : stop - start] = self._mix[begin:stop]
            spectrum = rfft(piece)
            at = np.linspace(0, len(self._power) - 1, len(spectrum), dtype=np.float32)
            spectrum *= np.interp(at, np.arange(len(self._power)), 1 / self._power).astype(np.float32)
            self._spectra[start, size] = spectrum
        return self._spectra[start, size]


def _loud_excerpt(sound: Thin) -> tuple[int, Thin]:
    """The loudest stretch of at most a minute and a half, and where it begins; without silence at its ends."""
    heard = np.flatnonzero(sound)
    if not len(heard):
        return 0, sound[:0]
    first, stop = int(heard[0]), int(heard[-1]) + 1
    if stop - first > _EXCERPT_MOST:
        energy = np.cumsum(np.square(sound[first:stop], dtype=np.float64))
        sums = energy[_EXCERPT_MOST:] - energy[:-_EXCERPT_MOST]
        first += int(sums.argmax()) + 1
        stop = first + _EXCERPT_MOST
    return first, sound[first:stop]
