"""The long-term spectrum, and where its content ends: what a conversion or an encoder leaves behind.

The mean, in decibels, of Blackman-windowed spectra of the file's loudest moments. 0 dB is a sine at full scale.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.coder_edge import find_coder_edge
from deep_tally.measure.mirror import find_mirror
from deep_tally.measure.spectral_fall import FAR_HZ, NEAR_HZ, SMOOTHED_HZ, greatest_fall
from deep_tally.model.measures import SpectralEdge, Spectrum

FRAMES = 4096
EXCERPTS = 64
FLOOR_DB = -150.0
_LOWEST_HZ = 5000.0
_HIGHEST_SHARE = 0.93
"""Of half the rate: above it the edge is the converter's own filter."""
_LEAST_DROP_DB = 20.0
_DENSE_DB, _NOISE_DB = 15.0, 22.0
"""How far the content under an edge may rise again in the mean, and vary within one excerpt (noise: 13 dB from the
tenth to the ninetieth of a hundred bins): more, and it is a row of harmonics that ends there, not the band."""


def spectra_of(excerpts: list[NDArray[np.float64]]) -> NDArray[np.complex128]:
    """Spectra of `FRAMES` frames each, complex128 [shape=(excerpts, channels, bins)]; a full-scale sine is 1."""
    window = np.blackman(FRAMES)
    stacked = np.array([excerpt.T for excerpt in excerpts]) if excerpts else np.empty((0, 1, FRAMES))
    spectra: NDArray[np.complex128] = np.fft.rfft(stacked * (2 * window / window.sum()), axis=2)
    return spectra


def long_term(spectra: NDArray[np.complex128], rate_hz: int) -> Spectrum | None:
    """The mean of spectra as `spectra_of` gives them; None without any."""
    if not len(spectra):
        return None
    power = (spectra.real**2 + spectra.imag**2).mean(axis=1)
    levels = 10 * np.log10(np.maximum(power, 10 ** (FLOOR_DB / 10)))
    edge = find_coder_edge(power, rate_hz / FRAMES) or find_mirror(levels, rate_hz) or find_edge(levels, rate_hz)
    return Spectrum(bin_hz=rate_hz / FRAMES, levels_db=levels.mean(axis=0).astype(np.float16), edge=edge)


def find_edge(levels: NDArray[np.float64], rate_hz: int) -> SpectralEdge | None:
    """The sharpest end of the content; None where it fades out, reaches the converter's filter, or is a comb.

    Parameters
    ----------
    levels : float64 [shape=(excerpts, FRAMES // 2 + 1)]
        Decibels.
    """
    bin_hz = rate_hz / FRAMES
    excerpts, levels = levels, levels.mean(axis=0)
    width = max(1, round(SMOOTHED_HZ / bin_hz)) | 1
    padded = np.pad(levels, width // 2, mode="edge")
    smooth = np.convolve(padded, np.ones(width) / width, "valid")
    near, far = max(1, round(NEAR_HZ / bin_hz)), max(2, round(FAR_HZ / bin_hz))
    fall = greatest_fall(smooth, bin_hz, _LOWEST_HZ, _HIGHEST_SHARE * rate_hz / 2)
    if fall is None or fall.drop_db < _LEAST_DROP_DB:
        return None
    place = fall.place
    under = slice(place - far, place - near)
    if float((smooth[under] - np.minimum.accumulate(smooth[under])).max()) > _DENSE_DB:
        return None
    high, low = np.percentile(excerpts[:, under] - smooth[under], (90, 10), axis=1)
    if float(np.median(high - low)) > _NOISE_DB:
        return None
    # Half way down: that is where a filter's name says it cuts, however steep it is.
    middle = fall.below_db - fall.drop_db / 2
    fallen = np.flatnonzero(smooth[place - near : place + near] < middle)
    edge = place - near + int(fallen[0]) if len(fallen) else place
    return SpectralEdge(edge_hz=edge * bin_hz, drop_db=fall.drop_db)
