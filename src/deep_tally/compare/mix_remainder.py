"""What is left of a mix when the files are taken away at their places and gains, in one pass through all of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_lags import THIN_HZ, Thin
from deep_tally.compare.mix_timeline import SIDES, OnTimeline, thin_blocks

BAND_EDGES_HZ = (25.0, 60.0, 120.0, 200.0, 400.0, 800.0, 1600.0, 3000.0, 6000.0, 10_000.0, 15_000.0)
_SPAN = 4096
_BLOCK = 8 * _SPAN  # every open file keeps a buffer of that many frames
_READERS = 2

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Remainder:
    """What no file gives.

    Attributes
    ----------
    of_mix, left : float64 [shape=(moments, bands)]
        Energy of the mix and of what is left, in each moment of 4096 frames and each band.
    direct_mix, direct_left : float64 [shape=(moments,)]
        The same of all samples, without bands and without a bus: direct subtraction in double precision.
    thin : float32 [shape=(frames, 2)]
        What direct subtraction leaves, at `THIN_HZ`.
    moment_frames : int
    """

    of_mix: Array
    left: Array
    direct_mix: Array
    direct_left: Array
    thin: Thin
    moment_frames: int = _SPAN


def remainder(
    mix: OnTimeline,
    files: Sequence[OnTimeline],
    gains: Array,
    frames: int,
    *,
    response: NDArray[np.complex128] | None = None,
    hz: Array | None = None,
    on_block: Callable[[int, int], None] = lambda done, total: None,
) -> Remainder:
    """Read everything once and subtract.

    Parameters
    ----------
    mix, files : OnTimeline
    gains : float64 [shape=(2, files)]
    frames : int
        How much of the time axis, from its frame 0.
    response : complex128 [shape=(bins,)], optional
        The filter of a bus at the frequencies `hz`; its gain is then found for every moment.
    on_block : callable
        Called with (blocks done, blocks in all); may raise to end the work.

    Raises
    ------
    UnreadableSound, NotCheckedHere
    """
    used = [n for n in range(len(files)) if gains[:, n].any()]
    blocks = -(-frames // _BLOCK)
    bands = _Bands(mix.rate_hz, response, hz)
    found: list[tuple[Array, Array, Array, Array]] = []

    def share(numbers: Sequence[int], first: int) -> Array:
        total = np.zeros((_BLOCK, SIDES))
        for number in numbers:
            total += files[number].read(first, _BLOCK) * gains[:, number]
        return total

    def each() -> Iterator[NDArray[np.float32]]:
        with ThreadPoolExecutor(_READERS) as pool:
            for block in range(blocks):
                first = block * _BLOCK
                parts = pool.map(share, [used[n::_READERS] for n in range(_READERS)], [first] * _READERS)
                whole = mix.read(first, _BLOCK).astype(np.float64)
                whole = np.repeat(whole, SIDES, axis=1) if whole.shape[1] == 1 else whole
                dry = sum(parts, np.zeros((_BLOCK, SIDES)))
                left = whole - dry
                moments = _BLOCK // _SPAN
                direct = [np.square(x).reshape(moments, -1).sum(axis=1) for x in (whole, left)]
                found.append((*bands.of(whole, dry, left), direct[0], direct[1]))
                on_block(block + 1, blocks)
                yield left.astype(np.float32)

    thin = thin_blocks(each(), mix.rate_hz, SIDES)[: -(-frames * THIN_HZ // mix.rate_hz)]
    count = -(-frames // _SPAN)
    of_mix, of_left, direct_mix, direct_left = (np.concatenate(column)[:count] for column in zip(*found, strict=True))
    return Remainder(of_mix, of_left, direct_mix, direct_left, thin)


class _Bands:
    """Energies of spectra in bands, without or through a bus."""

    def __init__(self, rate_hz: int, response: NDArray[np.complex128] | None, hz: Array | None) -> None:
        own = np.arange(_SPAN // 2 + 1) * rate_hz / _SPAN
        self._edges = np.minimum(np.searchsorted(own, BAND_EDGES_HZ), len(own) - 1)
        self._window = np.hanning(_SPAN)[:, None]
        self._response: NDArray[np.complex128] | None = None
        if response is not None and hz is not None:
            self._response = np.interp(own, hz, response.real) + 1j * np.interp(own, hz, response.imag)

    def of(self, whole: Array, dry: Array, left: Array) -> tuple[Array, Array]:
        """Of a block: energy of the mix, and of what is left [shape=(moments, bands)] both."""
        of_mix = self._spectra(whole)
        if self._response is None:
            remains = self._spectra(left)
        else:
            model = self._spectra(dry) * self._response[:, None]
            over = (of_mix * model.conj()).real.sum(axis=(1, 2))
            under = (model.real**2 + model.imag**2).sum(axis=(1, 2))
            remains = of_mix - (over / np.maximum(under, 1e-30))[:, None, None] * model
        return self._energies(of_mix), self._energies(remains)

    def _spectra(self, x: Array) -> NDArray[np.complex128]:
        return np.fft.rfft(x.reshape(-1, _SPAN, SIDES) * self._window, axis=1)

    def _energies(self, spectra: NDArray[np.complex128]) -> Array:
        power = (spectra.real**2 + spectra.imag**2).sum(axis=2)
        pairs = zip(self._edges[:-1].tolist(), self._edges[1:].tolist(), strict=True)
        return np.stack([power[:, a:b].sum(axis=1) for a, b in pairs], axis=1)
