"""The samples of a source, from its beginning on, at its own rate or at another."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    import soxr

    from deep_tally.intake.sound import SoundReader

_BLOCK = 1 << 16
_QUALITY = "VHQ"


class Stream(Protocol):
    """Samples in order."""

    def take(self, frames: int) -> NDArray[np.float64]:
        """The next frames [shape=(frames, sides)], full scale 1.0; silence past the end."""


class Plain:
    """A source at its own rate, from a frame on."""

    def __init__(self, reader: SoundReader, skip: int = 0) -> None:
        self._reader, self._at = reader, skip

    def take(self, frames: int) -> NDArray[np.float64]:
        """See `Stream`."""
        samples = self._reader.read(self._at, frames).samples
        self._at += frames
        if len(samples) == frames:
            return samples
        whole = np.zeros((frames, samples.shape[1]))
        whole[: len(samples)] = samples
        return whole


class Converted:
    """A source at another rate (soxr, very high quality), from a frame of that rate on."""

    def __init__(self, reader: SoundReader, to_hz: int, skip: int = 0) -> None:
        import soxr  # only needed where a rate is converted

        sound = reader.format
        self._reader, self._at = reader, 0
        self._channels, self._frames = sound.channels, sound.frames
        self._made: soxr.ResampleStream = soxr.ResampleStream(
            sound.rate_hz, to_hz, sound.channels, dtype="float64", quality=_QUALITY
        )
        self._left: NDArray[np.float64] = np.zeros((0, sound.channels))
        self._is_over = False
        while skip > 0:
            skip -= len(self.take(min(skip, _BLOCK)))

    def take(self, frames: int) -> NDArray[np.float64]:
        """See `Stream`."""
        while len(self._left) < frames and not self._is_over:
            samples = self._reader.read(self._at, _BLOCK).samples
            self._at += len(samples)
            self._is_over = self._at >= self._frames or not len(samples)
            made = self._made.resample_chunk(np.ascontiguousarray(samples), last=self._is_over)
            self._left = np.concatenate([self._left, made.reshape(-1, self._channels)])
        out = np.zeros((frames, self._channels))
        found = self._left[:frames]
        out[: len(found)] = found
        self._left = self._left[len(found) :]
        return out


def stream_of(reader: SoundReader, rate_hz: int, skip: int) -> Stream:
    """A source at a rate, from a frame of that rate on."""
    return Plain(reader, skip) if reader.format.rate_hz == rate_hz else Converted(reader, rate_hz, skip)
