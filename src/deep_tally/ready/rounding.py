"""Samples as they are stored: exactly where they fit, else rounded with dither."""

from __future__ import annotations

import zlib
from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from deep_tally.model.errors import CannotWrite
from deep_tally.model.phrase import Phrase
from deep_tally.model.ready import Copy


class Rounder:
    """Makes the bytes of one copy, in order.

    Where bits are lost, dither of a triangular distribution, two steps wide, keeps the error independent of the sound
    (Lipshitz, Wannamaker and Vanderkooy, J. Audio Eng. Soc. 40 (1992) 355): its power is 1/4 of a squared step with the
    rounding, 4.77 dB over rounding alone. Padding is exactly zero all the same. A copy gets the same dither each time
    it is written: it can be proved afterwards.
    """

    def __init__(self, copy: Copy) -> None:
        self._copy = copy
        self._scale = 2.0 ** (copy.bits - 1)
        self._noise = None if copy.is_exact or copy.is_float else np.random.default_rng(zlib.crc32(copy.name.encode()))

    @property
    def step(self) -> float:
        """What one step of its samples is, full scale 1.0; 0 for float."""
        return 0.0 if self._copy.is_float else 1 / self._scale

    def codes(self, samples: NDArray[np.float64], sounding: Iterable[tuple[int, int]]) -> NDArray[np.float64]:
        """The whole numbers that a stretch is stored as, for fixed point.

        Raises
        ------
        CannotWrite
            A sample is over full scale and cannot be stored.
        """
        codes = samples * self._scale
        if self._noise is not None:
            for begin, end in sounding:
                shape = (end - begin, codes.shape[1])
                codes[begin:end] += self._noise.random(shape) - self._noise.random(shape)
        np.rint(codes, out=codes)
        self._require_room(codes)
        return codes

    def stored(self, samples: NDArray[np.float64], sounding: Iterable[tuple[int, int]]) -> NDArray[np.uint8]:
        """The bytes of a stretch as a WAV file has them: little-endian, side by side.

        Raises
        ------
        CannotWrite
            As for `codes`.
        """
        if not self._copy.is_float:
            return _packed(self.codes(samples, sounding), self._copy.bits)
        with np.errstate(over="ignore"):
            floats = samples.astype(f"<f{self._copy.bits // 8}")
        return np.ascontiguousarray(floats).view(np.uint8).reshape(-1)

    def _require_room(self, codes: NDArray[np.float64]) -> None:
        """The topmost code is one less than full scale: what dither alone lifts there is held, what is over is not."""
        highest = self._scale - 1
        if len(codes) and (codes.max() > highest + 2 or codes.min() < -self._scale - 2):
            raise CannotWrite(self._copy.name, Phrase("ready.over"), Phrase("ready.turn-down"))
        np.clip(codes, -self._scale, highest, out=codes)


def _packed(codes: NDArray[np.float64], bits: int) -> NDArray[np.uint8]:
    if bits == 8:
        return (codes + 128).astype(np.uint8).reshape(-1)
    if bits == 24:
        wide = np.ascontiguousarray(codes.astype("<i4")).view(np.uint8).reshape(-1, 4)
        return np.ascontiguousarray(wide[:, :3]).reshape(-1)
    return np.ascontiguousarray(codes.astype(f"<i{bits // 8}")).view(np.uint8).reshape(-1)
