"""Open a sound file and hand out its samples: the one interface every measure reads through.

A reader never converts: the rate, the channels and the codes are the file's own. WAV is parsed here
without a decoder (`wav.py`); everything else goes through libsndfile, which belongs into a disposable
process because a hostile file can crash a C decoder.
"""

from __future__ import annotations

import os
import stat
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import Protocol, Self

import numpy as np
import soundfile
from numpy.typing import NDArray

from deep_tally.intake.wav import WavLayout, read_layout
from deep_tally.model.errors import UnreadableSound
from deep_tally.model.files import SampleFormat, SoundFormat

CHANNELS_MOST = 128
RATE_LEAST_HZ, RATE_MOST_HZ = 1_000, 1_536_000
_CODE_SCALE = 2.0**-31


@dataclass(frozen=True, slots=True, kw_only=True)
class Block:
    """A stretch of samples.

    Attributes
    ----------
    samples : float64 [shape=(frames, channels)]
        Full scale 1.0, each channel contiguous in memory (Fortran order). NaN and infinities as in the file.
    codes : int32 [shape=(frames, channels)] or None
        The integer codes, shifted up to 32 bits, of a fixed-point file; None for float and lossy.
    """

    samples: NDArray[np.float64]
    codes: NDArray[np.int32] | None


class SoundReader(Protocol):
    """An open sound file."""

    @property
    def format(self) -> SoundFormat:
        """What the file is."""

    def read(self, start: int, frames: int) -> Block:
        """Samples from frame `start` on; fewer than `frames` at the end of the file.

        Raises
        ------
        UnreadableSound
            The file vanished, shrank or cannot be decoded there.
        """

    def close(self) -> None:
        """Let go of the file."""

    def __enter__(self) -> Self: ...

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None: ...


class _Closing:
    """`with` for readers."""

    def close(self) -> None:
        raise NotImplementedError

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


def open_sound(path: Path) -> SoundReader:
    """Open a sound file by its bytes, whatever its name ends in.

    Raises
    ------
    UnreadableSound
        No permission, no such file, or no format that can be read.
    """
    try:
        # Without O_NONBLOCK, opening a pipe that nobody writes to would never return.
        file = os.open(path, os.O_RDONLY | os.O_CLOEXEC | os.O_NONBLOCK)
    except OSError as error:
        raise _cannot_open(path, error) from error
    try:
        status = os.fstat(file)
        _require_regular(path, status)
        layout = read_layout(file)
        if layout is not None:
            return _WavReader(path, file, layout)
        head = os.pread(file, 4096, 0)
    except OSError as error:
        os.close(file)
        raise _cannot_open(path, error) from error
    except UnreadableSound:
        os.close(file)
        raise
    os.close(file)
    if status.st_size == 0:
        raise UnreadableSound(path.name, "the file is empty (0 bytes)", "ask for it again")
    try:
        return _DecodedReader(path)
    except (soundfile.LibsndfileError, OSError, ValueError) as error:
        kind = "it holds text, not audio" if _is_text(head) else "no audio format we can read was found in it"
        raise UnreadableSound(path.name, kind, "ask for the file again, as WAV") from error


def _cannot_open(path: Path, error: OSError) -> UnreadableSound:
    if isinstance(error, PermissionError):
        return UnreadableSound(path.name, "there is no permission to read it", "change its permissions and try again")
    if isinstance(error, FileNotFoundError):
        return UnreadableSound(path.name, "the file is gone", "put it back and read the delivery again")
    return UnreadableSound(
        path.name, f"it cannot be opened ({error.strerror})", "copy it to this machine and try again"
    )


def _require_regular(path: Path, status: os.stat_result) -> None:
    if not stat.S_ISREG(status.st_mode):
        raise UnreadableSound(path.name, "it is no ordinary file", "choose the audio files themselves")


def _is_text(head: bytes) -> bool:
    printable = sum(byte in b"\t\n\r" or 32 <= byte < 127 for byte in head)
    return bool(head) and printable > 0.95 * len(head)


def _require_sane(path: Path, channels: int, rate_hz: int) -> None:
    if not 1 <= channels <= CHANNELS_MOST:
        raise UnreadableSound(path.name, f"its header claims {channels} channels", "ask for the file again, as WAV")
    if not RATE_LEAST_HZ <= rate_hz <= RATE_MOST_HZ:
        raise UnreadableSound(path.name, f"its header claims a rate of {rate_hz} Hz", "ask for the file again, as WAV")


class _WavReader(_Closing):
    """PCM and float WAV, read with `preadv` into one buffer: a file that shrinks cannot kill the process."""

    def __init__(self, path: Path, file: int, layout: WavLayout) -> None:
        _require_sane(path, layout.format.channels, layout.format.rate_hz)
        self._path = path
        self._file = file
        self._layout = layout
        self._buffer = bytearray()

    @property
    def format(self) -> SoundFormat:
        return self._layout.format

    def read(self, start: int, frames: int) -> Block:
        layout = self._layout
        channels = layout.format.channels
        frames = max(0, min(frames, layout.format.frames - start))
        frame_bytes = layout.sample_bytes * channels
        wanted = frames * frame_bytes
        # One byte of room before the samples lets 24-bit codes be viewed as 32-bit ones, three bytes apart.
        if len(self._buffer) < wanted + 1:
            self._buffer = bytearray(wanted + 1)
        view = memoryview(self._buffer)[1 : wanted + 1]
        try:
            got = os.preadv(self._file, [view], layout.data_offset + start * frame_bytes) if wanted else 0
        except OSError as error:
            raise UnreadableSound(
                self._path.name, f"reading it failed ({error.strerror})", "copy it to this machine and try again"
            ) from error
        if got < wanted:
            raise UnreadableSound(
                self._path.name, "the file shrank while it was read", "wait until it has arrived and read it again"
            )
        return _block(self._buffer, frames, channels, layout.sample_bytes, layout.format.sample_format)

    def close(self) -> None:
        os.close(self._file)


def _block(raw: bytearray, frames: int, channels: int, sample_bytes: int, sample_format: SampleFormat) -> Block:
    count = frames * channels
    if sample_format == "float":
        stored = np.frombuffer(raw, dtype=f"<f{sample_bytes}", count=count, offset=1)
        return Block(samples=stored.reshape(frames, channels).astype(np.float64, order="F"), codes=None)
    codes: NDArray[np.int32] = np.empty((frames, channels), dtype=np.int32, order="F")
    if sample_bytes == 3:
        # The low byte of each view belongs to the sample before: mask it away.
        stored = np.ndarray(shape=(count,), dtype="<i4", buffer=raw, offset=0, strides=(3,))
        np.bitwise_and(stored.reshape(frames, channels), np.int32(-256), out=codes)
    elif sample_bytes == 1:
        stored = np.frombuffer(raw, dtype=np.uint8, count=count, offset=1)
        np.subtract(stored.reshape(frames, channels), np.int32(128), out=codes, casting="unsafe")
        np.left_shift(codes, 24, out=codes)
    else:
        stored = np.frombuffer(raw, dtype=f"<i{sample_bytes}", count=count, offset=1)
        np.copyto(codes, stored.reshape(frames, channels))
        if sample_bytes == 2:
            np.left_shift(codes, 16, out=codes)
    return Block(samples=np.multiply(codes, _CODE_SCALE, order="F"), codes=codes)


_FIXED_BITS = {"PCM_S8": 8, "PCM_U8": 8, "PCM_16": 16, "PCM_24": 24, "PCM_32": 32}
_FIXED_BITS |= {f"ALAC_{bits}": bits for bits in (16, 20, 24, 32)}
_FLOAT_BITS = {"FLOAT": 32, "DOUBLE": 64}
_CONTAINER_NAMES = {"WAVEX": "wav", "RF64": "rf64", "W64": "w64", "AIFF": "aiff", "MPEG": "mp3"}


class _DecodedReader(_Closing):
    """Everything libsndfile decodes."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._file = soundfile.SoundFile(path)
        info = self._file
        subtype = info.subtype
        sample_format: SampleFormat = "lossy"
        bits = None
        if subtype in _FIXED_BITS:
            sample_format, bits = "int", _FIXED_BITS[subtype]
        elif subtype in _FLOAT_BITS:
            sample_format, bits = "float", _FLOAT_BITS[subtype]
        try:
            _require_sane(path, info.channels, info.samplerate)
        except UnreadableSound:
            info.close()
            raise
        texts = (info.copy_metadata().get(key, "").strip() for key in ("title", "comment"))
        self._format = SoundFormat(
            container=_CONTAINER_NAMES.get(info.format, info.format.lower()),
            sample_format=sample_format,
            bits=bits,
            rate_hz=info.samplerate,
            channels=info.channels,
            frames=info.frames,
            claimed_frames=info.frames,
            comments=tuple(t for t in texts if t),
        )

    @property
    def format(self) -> SoundFormat:
        return self._format

    def read(self, start: int, frames: int) -> Block:
        fixed = self._format.sample_format == "int"
        try:
            if self._file.tell() != start:
                self._file.seek(start)
            read = self._file.read(frames, dtype="int32" if fixed else "float64", always_2d=True)
        except (soundfile.LibsndfileError, OSError) as error:
            raise UnreadableSound(
                self._path.name, "its audio cannot be decoded to the end", "ask for the file again"
            ) from error
        if fixed:
            codes = np.asfortranarray(read)
            return Block(samples=np.multiply(codes, _CODE_SCALE, order="F"), codes=codes)
        return Block(samples=np.asfortranarray(read), codes=None)

    def close(self) -> None:
        self._file.close()
