"""Levels of files in a mix, read where the mix is as good as nothing but the files.

An encoder leaves noise in every band and drops what is weak; a part that nobody sent fills the bands in which it plays.
So every bin of every moment counts by how little is left around it, and not at all where much is: generalised least
squares, whose weights are the inverse of what was left before (Aitken 1935; Carroll and Ruppert 1988, chapter 2).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_frames import MixFrames
from deep_tally.compare.mix_gains import Gains, fit, products

_ROUNDS = 2
_AROUND = 12
"""Bins on either side over which energy is averaged."""
_LEFT_MOST, _LEFT_STRICT = 0.05, 0.02
"""Of the mix: where more than that is left, a bin does not count. The strict limit leaves out what an encoder thinned,
and with it, in cymbals, too much: it is taken where it still leaves a gain sure to 0.06 dB, out of several moments."""
_SURE_T, _MOMENTS_LEAST = 150.0, 6.0
_AT_ONCE = 16


def levels(frames: MixFrames, gains: Gains) -> Gains:
    """The gains once more; where a file plays nowhere in what counts, the gain it had.

    Parameters
    ----------
    frames : MixFrames
    gains : Gains
        Of all moments and bins.
    """
    (loose, _), (strict, moments) = (_refined(frames, gains, left_most) for left_most in (_LEFT_MOST, _LEFT_STRICT))
    is_sure = (np.abs(strict.certainty) >= _SURE_T) & (moments >= _MOMENTS_LEAST)
    return Gains(
        np.where(is_sure, strict.gains, loose.gains), np.where(is_sure, strict.errors, loose.errors), gains.left
    )


def _refined(frames: MixFrames, gains: Gains, left_most: float) -> tuple[Gains, NDArray[np.float64]]:
    """The gains, and in how many moments, counted by their energy, each file is heard there [shape=(files,)]."""
    for _ in range(_ROUNDS):
        known = products(frames, trust=_trust(frames, gains, left_most))
        gains = fit(known, alike=False).or_else(gains)
    energy = np.einsum("msff->mf", known.among)
    return gains, energy.sum(axis=0) ** 2 / np.maximum((energy**2).sum(axis=0), 1e-30)


def _trust(frames: MixFrames, gains: Gains, left_most: float) -> NDArray[np.float32]:
    """The root of each bin's weight [shape=(moments, 2, bins)]."""
    factors = gains.gains.astype(np.float32)
    out = np.empty(frames.mix.shape, np.float32)
    least = 1e-12 * float((frames.mix.real**2 + frames.mix.imag**2).mean(dtype=np.float64))
    for first in range(0, len(out), _AT_ONCE):
        at = slice(first, first + _AT_ONCE)
        mix = frames.mix[at]
        left = mix - np.einsum("msbf,sf->msb", frames.files[at], factors, optimize=True)
        around_mix, around_left = _around(mix), _around(left)
        weight = (around_left < left_most * around_mix) / (around_left + least + 1e-30)
        out[at] = np.sqrt(weight)
    return out


def _around(spectra: NDArray[np.complex64]) -> NDArray[np.float64]:
    """Mean energy of each bin and its neighbours."""
    power = (spectra.real**2 + spectra.imag**2).astype(np.float64)
    bins = power.shape[-1]
    summed = np.concatenate([np.zeros((*power.shape[:-1], 1)), np.cumsum(power, axis=-1)], axis=-1)
    low = np.maximum(0, np.arange(bins) - _AROUND)
    high = np.minimum(bins, np.arange(bins) + _AROUND + 1)
    averaged: NDArray[np.float64] = (summed[..., high] - summed[..., low]) / (high - low)
    return averaged
