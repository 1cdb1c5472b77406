"""Read plain samples, fixed point or float, straight from a file's bytes: no decoder in between.

`preadv` into one buffer, never a memory map: a file that shrinks while it is read is an error, not the end of the
process.
"""

from __future__ import annotations

import os
from pathlib import Path
from types import TracebackType
from typing import Self

import numpy as np
from numpy.typing import NDArray

from deep_tally.intake.layout import PcmLayout
from deep_tally.intake.sound import Block, require_sane
from deep_tally.model.errors import NotCheckedHere
from deep_tally.model.files import SoundFormat
from deep_tally.model.phrase import Phrase
from deep_tally.work.compiled import compiled

_CODE_SCALE = 2.0**-31
_LEAD = 8
"""Bytes before the samples in the buffer: 24 bits are read as 32, of which the lowest eight are the byte before."""


class PcmReader:
    """A SoundReader over a `PcmLayout`; it owns the file descriptor."""

    def __init__(self, path: Path, file: int, layout: PcmLayout) -> None:
        require_sane(path, layout.format.channels, layout.format.rate_hz)
        self._path = path
        self._file = file
        self._layout = layout
        self._room(0)

    def _room(self, frames: int) -> None:
        channels = self._layout.format.channels
        self._raw = np.empty(_LEAD + frames * channels * self._layout.sample_bytes, np.uint8)
        self._samples = np.empty((channels, frames))

    @property
    def format(self) -> SoundFormat:
        """What the file is."""
        return self._layout.format

    @property
    def layout(self) -> PcmLayout:
        """Where the samples lie, and how they are stored."""
        return self._layout

    def read_bytes(self, start: int, frames: int) -> NDArray[np.uint8]:
        """The bytes of these frames as they are stored; they belong to the reader and change with its next read.

        Raises
        ------
        NotCheckedHere
            The file shrank meanwhile, or the system cannot read it.
        """
        layout = self._layout
        channels = layout.format.channels
        frames = max(0, min(frames, layout.format.frames - start))
        if frames > self._samples.shape[1]:
            self._room(frames)
        raw = self._raw[_LEAD : _LEAD + frames * channels * layout.sample_bytes]
        try:
            offset = layout.data_offset + start * channels * layout.sample_bytes
            got = os.preadv(self._file, [raw.data], offset) if frames else 0
        except OSError as error:
            problem = Phrase("here.unreadable", why=error.strerror)
            remedy = Phrase("do.copy-here")
            raise NotCheckedHere(self._path.name, problem, remedy) from error
        if got < len(raw):
            remedy = Phrase("do.wait")
            raise NotCheckedHere(self._path.name, Phrase("here.shrank"), remedy)
        return raw

    def read(self, start: int, frames: int) -> Block:
        """See `SoundReader.read`."""
        layout = self._layout
        channels = layout.format.channels
        raw = self.read_bytes(start, frames)
        frames = len(raw) // (channels * layout.sample_bytes)
        samples = self._samples[:, :frames]
        order = ">" if layout.big_endian else "<"
        if layout.format.sample_format != "int":  # what was decoded from a lossy format is float, too
            with np.errstate(invalid="ignore"):  # NaN of any make are for the meters to note
                np.copyto(samples, raw.view(f"{order}f{layout.sample_bytes}").reshape(frames, channels).T)
            return Block(samples=samples.T, bits_set=None)
        if layout.sample_bytes == 3:
            bits_set = [0] * channels
            for channel in range(channels):
                if layout.big_endian:
                    bits_set[channel] = _unpack_big_24(raw[3 * channel :], 3 * channels, samples[channel])
                elif frames:
                    step = (3 * channels,)
                    begin = _LEAD - 1 + 3 * channel
                    codes = np.ndarray((frames,), "<i4", buffer=self._raw.data, offset=begin, strides=step)
                    bits_set[channel] = _unpack_24(codes, samples[channel])
            return Block(samples=samples.T, bits_set=tuple(b & 0xFFFFFFFF for b in bits_set))
        stored = raw.view(f"{order}i{layout.sample_bytes}").reshape(frames, channels)
        if layout.unsigned:
            stored = np.bitwise_xor(stored, np.int8(-128), out=stored)
        shift = 32 - 8 * layout.sample_bytes
        # Channel by channel: NumPy is slow along a short last axis.
        ored = tuple(int(np.bitwise_or.reduce(channel)) << shift & 0xFFFFFFFF for channel in stored.T)
        np.multiply(stored.T, 2.0 ** (1 - 8 * layout.sample_bytes), out=samples)
        return Block(samples=samples.T, bits_set=ored)

    def will_need(self, start: int, frames: int) -> None:
        """Tell the system that these frames are read soon, so that it fetches them meanwhile."""
        size = self._layout.format.channels * self._layout.sample_bytes
        os.posix_fadvise(self._file, self._layout.data_offset + start * size, frames * size, os.POSIX_FADV_WILLNEED)

    def close(self) -> None:
        """Let go of the file."""
        os.close(self._file)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


@compiled("i4", "unaligned i4[:]", "f8[::1]", finite=True)
def _unpack_24(codes: NDArray[np.int32], samples: NDArray[np.float64]) -> int:
    """One channel of little-endian 24-bit samples; returns the OR of its codes, shifted up.

    `codes` are 32 bits each, of which the lower eight are those before the sample.
    """
    bits_set = np.int32(0)
    for i in range(len(samples)):
        code = np.int32(codes[i] & np.int32(-256))
        bits_set = np.int32(bits_set | code)
        samples[i] = code * _CODE_SCALE
    return int(bits_set)


@compiled("i4", "u1[::1]", "i8", "f8[::1]", finite=True)
def _unpack_big_24(raw: NDArray[np.uint8], step: int, samples: NDArray[np.float64]) -> int:
    """The same for big-endian samples, `step` bytes apart."""
    at = np.uint64(0)  # unsigned: no index can be meant from the end
    bits_set = np.int32(0)
    for i in range(len(samples)):
        code = np.int32(
            (np.uint32(raw[at + np.uint64(2)]) << np.uint32(8))
            | (np.uint32(raw[at + np.uint64(1)]) << np.uint32(16))
            | (np.uint32(raw[at]) << np.uint32(24))
        )
        bits_set = np.int32(bits_set | code)
        samples[i] = code * _CODE_SCALE
        at += np.uint64(step)
    return int(bits_set)
