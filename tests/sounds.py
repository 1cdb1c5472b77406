"""Sounds and files for tests, made by hand and not by the code under test."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from deep_tally.intake.reading import open_sound
from deep_tally.intake.sound import Block
from deep_tally.measure.one_pass import measure_sound
from deep_tally.model.files import SoundFormat
from deep_tally.model.measures import Measures

RATE = 48_000


def sine(hz: float, seconds: float, *, peak: float = 1.0, rate: int = RATE, phase: float = 0.0) -> NDArray[np.float64]:
    time = np.arange(round(seconds * rate)) / rate
    return peak * np.sin(2 * np.pi * hz * time + phase)


class ArrayReader:
    """A SoundReader over an array: what measures are tested on without a file."""

    def __init__(self, samples: NDArray[np.float64], *, bits: int | None = None, rate: int = RATE) -> None:
        samples = np.asarray(samples, dtype=np.float64)
        self._samples = samples[:, None] if samples.ndim == 1 else samples
        self._codes = None
        if bits is not None:
            steps = np.clip(np.rint(self._samples * 2.0 ** (bits - 1)), -(2 ** (bits - 1)), 2 ** (bits - 1) - 1)
            self._codes = (steps.astype(np.int64) << (32 - bits)).astype(np.int32)
            self._samples = steps / 2.0 ** (bits - 1)
        self.format = SoundFormat(
            container="wav",
            sample_format="float" if bits is None else "int",
            bits=32 if bits is None else bits,
            rate_hz=rate,
            channels=self._samples.shape[1],
            frames=len(self._samples),
            claimed_frames=len(self._samples),
        )

    def read(self, start: int, frames: int) -> Block:
        cut = slice(start, start + frames)
        codes = self._codes
        bits_set = None
        if codes is not None:
            bits_set = tuple(int(np.bitwise_or.reduce(c)) & 0xFFFFFFFF for c in codes[cut].T)
        return Block(samples=np.asfortranarray(self._samples[cut]), bits_set=bits_set)

    def close(self) -> None:
        pass

    def __enter__(self) -> ArrayReader:
        return self

    def __exit__(self, *args: object) -> None:
        pass


def measured(
    samples: NDArray[np.float64], *, bits: int | None = None, rate: int = RATE, block_frames: int = 65_536
) -> Measures:
    return measure_sound(ArrayReader(samples, bits=bits, rate=rate), block_frames=block_frames)


def measured_file(path: Path) -> Measures:
    with open_sound(path) as reader:
        return measure_sound(reader)


def chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + b"\0" * (len(body) & 1)


def pcm_fmt(*, channels: int = 1, rate: int = RATE, bits: int = 16, tag: int = 1) -> bytes:
    block = channels * ((bits + 7) // 8)
    return struct.pack("<HHIIHH", tag, channels, rate, rate * block, block, bits)


def riff(*chunks: bytes, kind: bytes = b"RIFF") -> bytes:
    body = b"WAVE" + b"".join(chunks)
    return kind + struct.pack("<I", len(body)) + body


def wav_bytes(samples: NDArray[np.int16] | None = None, *, rate: int = RATE) -> bytes:
    """A small mono WAV of 16 bits: a tenth of a second of a tone, unless samples are given."""
    if samples is None:
        samples = np.rint(sine(440, 0.1, peak=8000.0, rate=rate)).astype(np.int16)
    return riff(chunk(b"fmt ", pcm_fmt(rate=rate)), chunk(b"data", samples.astype("<i2").tobytes()))
