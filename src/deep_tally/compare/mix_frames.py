"""A mix and the files on its time axis as spectra of the same moments, spread over the song.

Some hundred moments show gains, pans and who is in the mix as well as all samples do, and can be weighted by frequency:
above 15 kHz encoders cut, below 25 Hz is nothing, and a bass is not all that counts.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_timeline import SIDES, OnTimeline

SPAN = 4096
_HOP_LEAST = 8192
_BYTES_MOST = 120 << 20
_LOW_HZ, _HIGH_HZ = 25.0, 15_000.0
_FLOOR = 1e-5
_READERS = 2
_AT_ONCE = 16

Spectra = NDArray[np.complex64]


@dataclass(frozen=True, slots=True)
class MixFrames:
    """Weighted spectra of moments.

    Attributes
    ----------
    mix : complex64 [shape=(moments, 2, bins)]
    files : complex64 [shape=(moments, 2, bins, files)]
    firsts : int [shape=(moments,)]
        The first frame of each moment on the mix's time axis.
    hz : float64 [shape=(bins,)]
    weights : float32 [shape=(bins,)]
        What the spectra were multiplied with: the inverse root of the mix's mean power, with a floor.
    """

    mix: Spectra
    files: Spectra
    firsts: NDArray[np.int64]
    hz: NDArray[np.float64]
    weights: NDArray[np.float32]

    def with_file(self, number: int, spectra: Spectra) -> None:
        """Put another placement's spectra of one file in their place."""
        self.files[..., number] = spectra

    def reweight(self, floor: float) -> None:
        """Weight by another floor (of the mix's greatest mean power), in place: higher, and weak bands count less."""
        if not self.weights.any():
            return  # the mix is silent
        power = 1 / np.square(self.weights, dtype=np.float64)
        greatest = float(power.max()) / (1 + _FLOOR)
        reweighted = 1 / np.sqrt(power + (floor - _FLOOR) * greatest)
        factor = (reweighted / self.weights).astype(np.float32)
        self.mix[:] *= factor
        self.files[:] *= factor[:, None]
        self.weights[:] = reweighted


def moments_of(frames: int, columns: int, rate_hz: int) -> NDArray[np.int64]:
    """The first frames of the moments, as many as memory allows."""
    bins = int((_HIGH_HZ - _LOW_HZ) * SPAN / rate_hz) + 1
    most = max(48, _BYTES_MOST // (8 * bins * SIDES * (columns + 1)))
    hop = max(_HOP_LEAST, -(-frames // most))
    return np.arange(0, max(1, frames - SPAN + 1), hop)


def _bins(rate_hz: int) -> slice:
    return slice(max(1, round(_LOW_HZ * SPAN / rate_hz)), min(SPAN // 2, round(_HIGH_HZ * SPAN / rate_hz)) + 1)


def spectra_of(sound: OnTimeline, firsts: NDArray[np.int64]) -> Spectra:
    """[shape=(moments, 2, bins)], unweighted; a mono file is on both sides."""
    window = np.hanning(SPAN).astype(np.float32)
    bins = _bins(sound.rate_hz)
    out = np.zeros((len(firsts), SIDES, bins.stop - bins.start), np.complex64)
    for start in range(0, len(firsts), _AT_ONCE):
        some = firsts[start : start + _AT_ONCE]
        inside = [n for n, first in enumerate(some) if -SPAN < first - sound.start < sound.frames]
        if not inside:
            continue
        read = np.stack([sound.read(int(some[n]), SPAN) for n in inside])
        spectra = np.fft.rfft(read * window[:, None], axis=1)[:, bins].transpose(0, 2, 1)
        out[start + np.array(inside)] = spectra if spectra.shape[1] == SIDES else np.repeat(spectra, SIDES, axis=1)
    return out


def gather(
    mix: OnTimeline, files: Sequence[OnTimeline], frames: int, on_file: Callable[[int], None] = lambda number: None
) -> MixFrames:
    """The spectra of the same moments of a mix and of its files.

    Parameters
    ----------
    mix, files : OnTimeline
    frames : int
        How much of the time axis, from its frame 0.
    on_file : callable
        Called with the number of files read; may raise to end the work.

    Raises
    ------
    UnreadableSound, NotCheckedHere
    """
    firsts = moments_of(frames, len(files), mix.rate_hz)
    of_mix = spectra_of(mix, firsts)
    power = (of_mix.real**2 + of_mix.imag**2).mean(axis=(0, 1), dtype=np.float64)
    greatest = float(power.max())
    weights = (1 / np.sqrt(power + _FLOOR * greatest) if greatest else np.zeros_like(power)).astype(np.float32)
    bins = of_mix.shape[2]
    all_files = np.empty((len(firsts), SIDES, bins, len(files)), np.complex64)

    def take(number: int) -> int:
        all_files[..., number] = spectra_of(files[number], firsts) * weights
        return number

    with ThreadPoolExecutor(_READERS) as pool:
        for done, _ in enumerate(pool.map(take, range(len(files))), 1):
            on_file(done)
    where = _bins(mix.rate_hz)
    hz = np.arange(where.start, where.stop) * mix.rate_hz / SPAN
    return MixFrames(of_mix * weights, all_files, firsts, hz, weights)
