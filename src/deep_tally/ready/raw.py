"""The bytes of a copy in which no sample changes: those of its sources, rearranged and never computed with."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, cast

import numpy as np
from numpy.typing import NDArray

from deep_tally.intake.sound import SoundReader
from deep_tally.model.ready import Copy

if TYPE_CHECKING:
    from deep_tally.intake.pcm import PcmReader

BLOCK = 1 << 18


def can_be_raw(copy: Copy, readers: Mapping[str, SoundReader]) -> bool:
    """Whether a copy is made of the very bytes of its sources: of plain samples that are stored as wide as they are."""
    return copy.is_exact and copy.container == "wav" and all(_fits(copy, reader) for reader in readers.values())


def _fits(copy: Copy, reader: SoundReader) -> bool:
    from deep_tally.intake.pcm import PcmReader  # its machine code takes long to load: workers have it

    if not isinstance(reader, PcmReader):
        return False
    layout = reader.layout
    return (
        layout.sample_bytes * 8 == copy.bits
        and (layout.format.sample_format == "float") == copy.is_float
        and layout.format.rate_hz == copy.rate_hz
        and layout.unsigned == (copy.bits == 8)
    )


def raw_blocks(copy: Copy, readers: Mapping[str, SoundReader]) -> Iterator[tuple[int, NDArray[np.uint8]]]:
    """(first frame, bytes) of a copy, in order; `readers` are such that `can_be_raw`."""
    width = copy.bits // 8
    silence = 128 if copy.bits == 8 else 0
    for at in range(0, copy.frames, BLOCK):
        frames = min(BLOCK, copy.frames - at)
        whole: NDArray[np.uint8] | None = None
        out: NDArray[np.uint8] | None = None
        for piece in copy.pieces:
            begin, end = max(at, piece.at), min(at + frames, piece.at + piece.frames)
            if begin >= end:
                continue
            reader = cast("PcmReader", readers[piece.path])
            layout, sides = reader.layout, reader.format.channels
            stored = reader.read_bytes(begin - piece.at + piece.skip, end - begin)
            is_as_it_is = not layout.big_endian and piece.sides == tuple(range(sides))
            if is_as_it_is and end - begin == frames:
                whole = stored
                break
            samples = stored.reshape(-1, sides, width)
            samples = samples[:, :, ::-1] if layout.big_endian else samples
            if out is None:
                out = np.full((frames, copy.channels, width), silence, np.uint8)
            for side, of_source in enumerate(piece.sides):
                if of_source is not None:
                    out[begin - at : end - at, side] = samples[:, of_source]
        if whole is None:
            whole = (np.full(frames * copy.channels * width, silence, np.uint8) if out is None else out).reshape(-1)
        yield at, whole
