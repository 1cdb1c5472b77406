"""The samples of a copy, block by block: its sources in their places, without their offsets, at their levels."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deep_tally.intake.sound import SoundReader
from deep_tally.model.ready import Copy, Piece
from deep_tally.ready.sources import Stream, stream_of

BLOCK = 1 << 16


@dataclass(frozen=True, slots=True)
class Rendered:
    """A stretch of a copy.

    Attributes
    ----------
    at : int
        Its first frame.
    samples : float64 [shape=(frames, channels)]
        Full scale 1.0.
    sounding : tuple of (int, int)
        Where any source plays, in frames of the stretch: the rest is padding, and stays exactly zero.
    """

    at: int
    samples: NDArray[np.float64]
    sounding: tuple[tuple[int, int], ...]


def render(copy: Copy, readers: Mapping[str, SoundReader], block: int = BLOCK) -> Iterator[Rendered]:
    """All of a copy, in order.

    Parameters
    ----------
    copy : Copy
    readers : mapping of path to SoundReader
        Its sources, open.
    block : int
        Frames at once.
    """
    streams: list[tuple[Piece, Stream]] = [
        (piece, stream_of(readers[piece.path], copy.rate_hz, piece.skip)) for piece in copy.pieces
    ]
    shift = {path: _shift(reader.format.rate_hz, copy.rate_hz) for path, reader in readers.items()}
    for at in range(0, copy.frames, block):
        frames = min(block, copy.frames - at)
        samples = np.zeros((frames, copy.channels))
        sounding = []
        for piece, stream in streams:
            begin, end = max(at, piece.at), min(at + frames, piece.at + piece.frames)
            if begin >= end:
                continue
            source = stream.take(end - begin)
            own = _without_offset(source, piece, begin - piece.at + piece.skip, shift[piece.path])
            part = samples[begin - at : end - at]
            for side, of_source in enumerate(piece.sides):
                if of_source is not None:
                    part[:, side] += own[:, of_source] * piece.gain if piece.gain != 1.0 else own[:, of_source]
            sounding.append((begin - at, end - at))
        yield Rendered(at, samples, tuple(_joined(sounding)))


def _joined(spans: list[tuple[int, int]]) -> Iterator[tuple[int, int]]:
    """Spans without those parts that lie in others."""
    reached = 0
    for begin, end in sorted(spans):
        if end > reached:
            yield max(begin, reached), end
            reached = end


def _shift(own_hz: int, to_hz: int) -> Callable[[int], int]:
    return lambda frame: frame if own_hz == to_hz else round(frame * to_hz / own_hz)


def _without_offset(
    source: NDArray[np.float64], piece: Piece, first: int, shift: Callable[[int], int]
) -> NDArray[np.float64]:
    """The samples from frame `first` of the source on, without what is taken off them."""
    if not piece.offsets:
        return source
    own = source.copy()
    for offset in piece.offsets:
        steps = min(len(own), max(0, shift(offset.frame) - first))
        own[:steps, offset.side] -= offset.before
        own[steps:, offset.side] -= offset.after
    return own
