"""Files on the time axis of a mix: each read as if it began where it belongs, in blocks, none of them held in memory."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from types import TracebackType
from typing import Self

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_lags import THIN_HZ, Thin
from deep_tally.intake.reading import open_decoded, open_plain
from deep_tally.intake.sound import SoundReader

SIDES = 2
_BLOCK = 1 << 18


def open_sound(path: Path) -> SoundReader:
    """Open a file of any kind; in a worker, which may die of a hostile one.

    Raises
    ------
    UnreadableSound, NotCheckedHere
    """
    return open_plain(path) or open_decoded(path)


class OnTimeline:
    """A file's samples by the frames of a mix; silence before it begins and after it ends.

    Parameters
    ----------
    path : Path
    start : int
        The frame of the mix at which the file begins; may be negative.
    """

    def __init__(self, path: Path, start: int = 0) -> None:
        self._reader = open_sound(path)
        self.start = start
        sound = self._reader.format
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


def thinned(path: Path) -> Thin:
    """A file from its first frame to its last at `THIN_HZ`, [shape=(frames, sides)]."""
    with OnTimeline(path) as sound:
        blocks = (sound.read(at, min(_BLOCK, sound.frames - at)) for at in range(0, sound.frames, _BLOCK))
        return thin_blocks(blocks, sound.rate_hz, sound.sides)


def thin_blocks(blocks: Iterator[NDArray[np.float32]], rate_hz: int, sides: int) -> Thin:
    """Blocks of one sound [shape=(frames, sides)], joined at `THIN_HZ`."""
    import soxr

    stream = soxr.ResampleStream(rate_hz, THIN_HZ, sides, dtype="float32", quality="MQ")
    pieces = [stream.resample_chunk(np.ascontiguousarray(block)) for block in blocks]
    pieces.append(stream.resample_chunk(np.empty((0, sides), np.float32), last=True))
    return np.concatenate(pieces).reshape(-1, sides)
