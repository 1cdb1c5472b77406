"""Formats that need a decoder: libsndfile for most, PyAV's bundled decoders for the rest.

A hostile file can crash a decoder written in C: these readers belong into a process that may die.
"""

from __future__ import annotations

import errno
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from types import TracebackType
from typing import IO, Any, Self

import numpy as np
import soundfile
from platformdirs import user_cache_path

from deep_tally.intake.codec_delay import Stated, read_mp3, read_mp4, read_opus
from deep_tally.intake.layout import PcmLayout
from deep_tally.intake.ogg import walk_pages
from deep_tally.intake.pcm import PcmReader
from deep_tally.intake.sound import Block, require_sane
from deep_tally.intake.tags import flac_tags, tags_in
from deep_tally.model.errors import NotCheckedHere, UnreadableSound
from deep_tally.model.files import SampleFormat, SoundFormat
from deep_tally.model.phrase import Phrase

_CODE_SCALE = 2.0**-31
_FIXED_BITS = {"PCM_S8": 8, "PCM_U8": 8, "PCM_16": 16, "PCM_24": 24, "PCM_32": 32}
_FIXED_BITS |= {f"ALAC_{bits}": bits for bits in (16, 20, 24, 32)}
_FLOAT_BITS = {"FLOAT": 32, "DOUBLE": 64}
_CONTAINER_NAMES = {"WAVEX": "wav", "RF64": "rf64", "W64": "w64", "AIFF": "aiff"}
_PIECE = 4096
"""Frames decoded at once: where a file breaks off, no more than this much before the break is lost."""

_SECONDS_MOST = 12 * 3600
_DECODED_SAMPLE_BYTES = 4
_ROOM_LEFT = 256 << 20
"""Free space that decoding leaves to others on the disk."""

_EXPANSION = 12
"""Decoded floats take up to so many times an encoded file's bytes (128 kbit/s stereo at 48 kHz: 24; 320: 10)."""

_SHORT_OF = frozenset({errno.ENOMEM, errno.EMFILE, errno.ENFILE})
_READ_AT_ONCE = 1 << 20
_OPUS_RATE_HZ = 48_000  # of granule positions, whatever went in (RFC 7845, 4)
_NO_END = Phrase("header.no-end")

OnDecoded = Callable[[int, int], None]


class LibsndfileReader:
    """A SoundReader over what libsndfile decodes. It raises libsndfile's own errors on opening."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._spooled: PcmReader | None = None
        self._file = soundfile.SoundFile(path)
        info = self._file
        subtype = info.subtype
        self.is_mpeg = subtype.startswith("MPEG")
        """Whether it is MPEG audio, which this reader does not read to the sample."""
        sample_format: SampleFormat = "lossy"
        bits = None
        if subtype in _FIXED_BITS:
            sample_format, bits = "int", _FIXED_BITS[subtype]
        elif subtype in _FLOAT_BITS:
            sample_format, bits = "float", _FLOAT_BITS[subtype]
        try:
            require_sane(path, info.channels, info.samplerate)
            stated, contradictions, losses, sound_frames = _stated_by_file(path, info.format, subtype, info.samplerate)
        except UnreadableSound:
            info.close()
            raise
        texts = (info.copy_metadata().get(key, "").strip() for key in ("title", "comment"))
        container = "opus" if subtype == "OPUS" else _CONTAINER_NAMES.get(info.format, info.format.lower())
        self._format = SoundFormat(
            container=container,
            sample_format=sample_format,
            bits=bits,
            rate_hz=info.samplerate,
            channels=info.channels,
            # Past a damaged page decoders lose their place, and search for it at every read.
            frames=min(info.frames, sound_frames) if losses else info.frames,
            claimed_frames=min(info.frames, sound_frames) if losses else max(info.frames, stated.frames or 0),
            comments=tuple(t for t in texts if t),
            contradictions=contradictions,
            codec_delay_frames=stated.delay_frames,
            losses=losses,
            import_tags=_flac_tags(path) if info.format == "FLAC" else (),
        )

    @property
    def format(self) -> SoundFormat:
        """What the file is."""
        return self._format

    def read(self, start: int, frames: int) -> Block:
        """See `SoundReader.read`."""
        if self._spooled is None and self._file.tell() != start and not self._can_seek(start):
            self._spooled = self._spool()
        if self._spooled is not None:
            return self._spooled.read(start, frames)
        fixed = self._format.sample_format == "int"
        channels = self._format.channels
        frames = max(0, min(frames, self._format.frames - start))
        whole = np.empty((frames, channels), np.int32 if fixed else np.float64)
        got = 0
        try:
            while got < frames:
                piece = self._file.read(out=whole[got : got + _PIECE])
                got += len(piece)
                if not len(piece):
                    break
        except (soundfile.LibsndfileError, OSError, RuntimeError) as error:
            if is_the_systems(error, self._path):
                remedy = Phrase("do.copy-here")
                raise NotCheckedHere(self._path.name, Phrase("here.unreadable-unsaid"), remedy) from error
            if not got:
                raise UnreadableSound(self._path.name, Phrase("sound.ends-early"), Phrase("ask.file-again")) from error
        read = np.asfortranarray(whole[:got])
        if fixed:
            bits_set = tuple(int(np.bitwise_or.reduce(channel)) & 0xFFFFFFFF for channel in read.T)
            return Block(samples=np.multiply(read, _CODE_SCALE, order="F"), bits_set=bits_set)
        return Block(samples=read, bits_set=None)

    def _can_seek(self, start: int) -> bool:
        try:
            self._file.seek(start)
        except (soundfile.LibsndfileError, RuntimeError):
            return False
        return True

    def _spool(self) -> PcmReader:
        """Decode the file once, to a nameless temporary file that can be searched; as far as it can be decoded.

        A file that is damaged, or whose end is missing, cannot be searched: to decode it anew up to every place that is
        looked at took a minute.

        Raises
        ------
        NotCheckedHere
            There is no room for it.
        """
        fixed = self._format.sample_format == "int"
        width = 4 if fixed else 8
        frames = 0
        needed = self._format.frames * self._format.channels * width
        with _temporary(self._path.name, needed) as decoded, soundfile.SoundFile(self._path) as file:
            try:
                while len(piece := file.read(_PIECE, dtype="int32" if fixed else "float64", always_2d=True)):
                    _write_all(decoded.fileno(), np.ascontiguousarray(piece).tobytes(), self._path.name)
                    frames += len(piece)
            except (soundfile.LibsndfileError, RuntimeError):
                pass  # what was decoded before the damage can be read
            spooled = replace(self._format, frames=min(frames, self._format.frames))
            layout = PcmLayout(format=spooled, sample_bytes=width, data_offset=0)
            return PcmReader(self._path, os.dup(decoded.fileno()), layout)

    def close(self) -> None:
        """Let go of the file."""
        self._file.close()
        if self._spooled is not None:
            self._spooled.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


def _flac_tags(path: Path) -> tuple[Phrase, ...]:
    file = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
    try:
        return tuple(flac_tags(file))
    finally:
        os.close(file)


def _stated_by_file(
    path: Path, container: str, codec: str, rate_hz: int
) -> tuple[Stated, tuple[Phrase, ...], tuple[Phrase, ...], int]:
    """What an Ogg stream says of itself, where it contradicts that, what of it is lost, and the frames before that."""
    if container != "OGG":
        return Stated(), (), (), 0
    file = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
    try:
        stated = read_opus(file) if codec == "OPUS" else Stated()
        pages = walk_pages(file)
    finally:
        os.close(file)
    contradictions = () if pages.has_end else (_NO_END,)
    if not pages.breaks:
        return stated, contradictions, (), 0
    granules_hz = _OPUS_RATE_HZ if codec == "OPUS" else rate_hz
    seconds = max(0, pages.first_break_granule - (stated.delay_frames or 0)) / granules_hz
    key = "sound.damaged-once" if pages.breaks == 1 else "sound.damaged"
    lost = Phrase(key, places=pages.breaks, first_s=seconds)
    return stated, contradictions, (lost,), int(seconds * rate_hz)


def is_the_systems(error: Exception, path: Path) -> bool:
    """Whether the operating system failed at a file, and not the decoder at what is in it.

    Decoders say "input/output error" or "not permitted" of damaged data too: whether all bytes can be read tells.
    """
    if isinstance(error, MemoryError) or (isinstance(error, OSError) and error.errno in _SHORT_OF):
        return True
    if isinstance(error, soundfile.LibsndfileError) and "malloc" in error.error_string:
        return True  # it has a number for that, but not one that its header promises
    try:
        with path.open("rb") as file:
            while file.read(_READ_AT_ONCE):
                pass
    except OSError:
        return True
    return False


def open_with_av(path: Path, on_decoded: OnDecoded = lambda done, total: None) -> PcmReader:
    """Decode a file with PyAV into a nameless temporary file and read that.

    Its seeking is not exact to the sample, and an edge of sound must be. The temporary file has no name, so nothing
    is left behind however the process ends.

    Parameters
    ----------
    path : Path
    on_decoded : callable
        Called with (frames decoded, frames in all as far as the file says) as it goes on.

    Raises
    ------
    UnreadableSound
        No audio in it can be decoded.
    NotCheckedHere
        There is no room to decode it to, or the system fails at it.
    """
    import av

    try:
        with av.open(str(path), metadata_errors="replace") as container:
            needed = _decoded_bytes(container, path.stat().st_size)
            with _temporary(path.name, needed) as decoded:
                layout = _decode(av, container, path, decoded.fileno(), on_decoded)
                return PcmReader(path, os.dup(decoded.fileno()), layout)
    except (av.FFmpegError, OSError, ValueError, IndexError, EOFError) as error:
        if is_the_systems(error, path):
            remedy = Phrase("do.copy-here")
            raise NotCheckedHere(path.name, Phrase("here.unreadable", why=str(error)), remedy) from error
        raise UnreadableSound(path.name, Phrase("sound.undecodable"), Phrase("ask.as-wav")) from error


def _decoded_bytes(container: Any, file_bytes: int) -> int:
    """How much room the decoded samples take, as far as the file says; a guess by its size where it does not."""
    stream = container.streams.audio[0]
    codec = stream.codec_context
    if codec is None or not stream.duration:
        return file_bytes * _EXPANSION
    seconds = min(float(stream.duration * stream.time_base), _SECONDS_MOST)
    return int(seconds * codec.rate * codec.layout.nb_channels * _DECODED_SAMPLE_BYTES)


@contextmanager
def _temporary(name: str, needed: int) -> Iterator[IO[bytes]]:
    """A nameless file on the first of the disks at hand that has the room: the user's cache, the temporary folder.

    Raises
    ------
    NotCheckedHere
        None has.
    """
    free = 0
    for folder in (user_cache_path("deep-tally"), Path(tempfile.gettempdir())):
        try:
            folder.mkdir(parents=True, exist_ok=True)
            free = max(free, shutil.disk_usage(folder).free)
            if shutil.disk_usage(folder).free - _ROOM_LEFT < needed:
                continue
            made = tempfile.TemporaryFile(dir=folder)  # noqa: SIM115 - closed below
        except OSError:
            continue
        with made:
            yield made
        return
    problem = Phrase("here.disk-space", needed=needed, free=free)
    raise NotCheckedHere(name, problem, Phrase("do.free-space"))


def _write_all(out: int, data: bytes, name: str) -> None:
    """Write all of it: the system may take it in pieces.

    Raises
    ------
    NotCheckedHere
        The disk is full, or a file may not grow so large.
    """
    left = memoryview(data)
    try:
        while left:
            left = left[os.write(out, left) :]
    except OSError as error:
        problem = Phrase("here.disk-write", why=error.strerror)
        raise NotCheckedHere(name, problem, Phrase("do.free-space")) from error


def _decode(av: Any, container: Any, path: Path, out: int, on_decoded: OnDecoded) -> PcmLayout:
    stream = container.streams.audio[0]
    codec = stream.codec_context
    if codec is None:
        problem = Phrase("sound.kind", kind=container.format.name.split(",")[0].upper())
        raise UnreadableSound(path.name, problem, Phrase("ask.as-wav"))
    rate_hz, channels = codec.rate, codec.layout.nb_channels
    require_sane(path, channels, rate_hz)
    is_alac = codec.name == "alac"
    bits = _alac_bits(codec.extradata) if is_alac else None
    floating = not is_alac
    resampler = av.AudioResampler(format="flt" if floating else "s32")
    expected = round(float(stream.duration * stream.time_base) * rate_hz) if stream.duration else 0
    frames = 0
    broken = False
    try:
        for decoded in container.decode(stream):
            for piece in resampler.resample(decoded):
                samples = piece.to_ndarray().reshape(-1, channels)
                _write_all(out, np.ascontiguousarray(samples).tobytes(), path.name)
                frames += len(samples)
            on_decoded(frames, max(frames, expected))
            if frames > _SECONDS_MOST * rate_hz:
                raise UnreadableSound(path.name, Phrase("sound.too-long"), Phrase("ask.file-again"))
    except av.FFmpegError as error:
        broken = True
        if not frames or is_the_systems(error, path):
            raise
    claimed = max(frames, expected) if is_alac else frames
    kind = container.format.name.split(",")
    texts = (container.metadata.get(key, "").strip() for key in ("title", "comment"))
    comments = tuple(t for t in texts if t)
    stated = _stated_by_av(path, kind) if not is_alac else Stated()
    return PcmLayout(
        format=SoundFormat(
            container="m4a" if "mp4" in kind else kind[0],
            sample_format="int" if is_alac else "lossy",
            bits=bits,
            rate_hz=rate_hz,
            channels=channels,
            frames=frames,
            claimed_frames=max(claimed, stated.frames or 0),
            comments=comments,
            contradictions=(_NO_END,) if broken else (),
            codec_delay_frames=stated.delay_frames,
            import_tags=tuple(tags_in(container.metadata)),
        ),
        sample_bytes=_DECODED_SAMPLE_BYTES,
        data_offset=0,
    )


def _stated_by_av(path: Path, kind: list[str]) -> Stated:
    file = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
    try:
        return read_mp4(file) if "mp4" in kind else read_mp3(file) if "mp3" in kind else Stated()
    finally:
        os.close(file)


def _alac_bits(cookie: bytes | None) -> int:
    """The depth in ALAC's magic cookie: byte 5 of its configuration, which may stand in a box of 12 bytes."""
    cookie = cookie or b""
    if cookie[4:8] == b"alac":
        cookie = cookie[12:]
    return cookie[5] if len(cookie) > 5 and cookie[5] in (16, 20, 24, 32) else 16
