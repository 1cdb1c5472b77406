"""Files on the time axis of a mix: each is read as if it began where it belongs, in blocks."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from copy import copy
from dataclasses import replace
from types import TracebackType
from typing import Self

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_lags import THIN_HZ, Thin
from deep_tally.intake.sound import Block, SoundReader

SIDES = 2
_BLOCK = 1 << 18
_BYTES = 4


class OnTimeline:
    """A file's samples by the frames of a mix; silence before it begins and after it ends.

    Parameters
    ----------
    reader : SoundReader
        Closed with this.
    start : int
        The frame of the mix at which the file begins; may be negative.
    """

    def __init__(self, reader: SoundReader, start: int = 0) -> None:
        self._reader = reader
        self.start = start
        sound = reader.format
        self.frames, self.rate_hz = sound.frames, sound.rate_hz
        self.sides = min(SIDES, sound.channels)
        self._is_float = sound.sample_format == "float"

    def read(self, first: int, frames: int) -> NDArray[np.float32]:
        """[shape=(frames, sides)]."""
        out = np.zeros((frames, self.sides), np.float32, order="F")
        begin, stop = max(0, first - self.start), min(self.frames, first - self.start + frames)
        if stop > begin:
            samples = self._reader.read(begin, stop - begin).samples[:, : self.sides]
            if self._is_float:
                samples = np.nan_to_num(samples, nan=0.0, posinf=0.0, neginf=0.0)
            at = begin + self.start - first
            out[at : at + len(samples)] = samples
        return out

    def close(self) -> None:
        self._reader.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


class Converted:
    """A sound at another rate, as a reader; kept in a temporary file that is gone when it is closed.

    Parameters
    ----------
    reader : SoundReader
    rate_hz : int
    speed : float
        What it is to be played at: over 1, and it becomes shorter.

    Raises
    ------
    UnreadableSound, NotCheckedHere
    OSError
        The temporary file cannot be written.
    """

    def __init__(self, reader: SoundReader, rate_hz: int, *, speed: float = 1.0) -> None:
        import soxr

        sound = reader.format
        sides = min(SIDES, sound.channels)
        self._file = tempfile.TemporaryFile(prefix="deep-tally-")  # noqa: SIM115 - closed by `close`
        self._keeps_file = False
        stream = soxr.ResampleStream(sound.rate_hz * speed, rate_hz, sides, dtype="float32", quality="VHQ")
        frames = 0
        for first in range(0, sound.frames, _BLOCK):
            block = reader.read(first, min(_BLOCK, sound.frames - first)).samples[:, :sides]
            clean = np.nan_to_num(block, nan=0.0, posinf=0.0, neginf=0.0).astype(np.float32, order="C")
            is_last = first + _BLOCK >= sound.frames
            frames += self._keep(stream.resample_chunk(clean, last=is_last), sides)
        self.format = replace(sound, rate_hz=rate_hz, frames=frames, channels=sides, sample_format="float")

    def _keep(self, samples: NDArray[np.float32], sides: int) -> int:
        self._file.write(np.ascontiguousarray(samples).tobytes())
        return samples.size // sides

    def read(self, start: int, frames: int) -> Block:
        """See `SoundReader.read`."""
        sides = self.format.channels
        self._file.seek(start * sides * _BYTES)
        samples = np.frombuffer(self._file.read(frames * sides * _BYTES), np.float32).reshape(-1, sides)
        return Block(samples=samples.astype(np.float64, order="F"), bits_set=None)

    def shared(self) -> Converted:
        """The same for a user that closes it; what it is kept in stays open."""
        kept = copy(self)
        kept._keeps_file = True
        return kept

    def close(self) -> None:
        """Let go of the temporary file, unless another one keeps it."""
        if not self._keeps_file:
            self._file.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


def thin_of(sound: OnTimeline) -> Thin:
    """A file from its first frame to its last at `THIN_HZ`, [shape=(frames, sides)]."""
    firsts = range(0, sound.frames, _BLOCK)
    blocks = (sound.read(sound.start + at, min(_BLOCK, sound.frames - at)) for at in firsts)
    return thin_blocks(blocks, sound.rate_hz, sound.sides)


def thin_blocks(blocks: Iterator[NDArray[np.float32]], rate_hz: int, sides: int) -> Thin:
    """Blocks of one sound [shape=(frames, sides)], joined at `THIN_HZ`."""
    import soxr

    stream = soxr.ResampleStream(rate_hz, THIN_HZ, sides, dtype="float32", quality="MQ")
    pieces = [stream.resample_chunk(np.ascontiguousarray(block)) for block in blocks]
    pieces.append(stream.resample_chunk(np.empty((0, sides), np.float32), last=True))
    return np.concatenate(pieces).reshape(-1, sides)
