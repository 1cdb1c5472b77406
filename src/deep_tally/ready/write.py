"""What a worker process does for one copy: write it beside its name, read it back, prove it, and give it its name."""

from __future__ import annotations

import hashlib
import math
import os
from collections.abc import Callable, Iterator, Mapping
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from deep_tally.intake.fingerprint import fingerprint
from deep_tally.model.errors import CannotWrite, DeepTallyError
from deep_tally.model.phrase import Phrase
from deep_tally.model.ready import Copy
from deep_tally.ready.chunks import wave_file
from deep_tally.ready.raw import can_be_raw, raw_blocks
from deep_tally.ready.render import Rendered, render
from deep_tally.ready.rounding import Rounder
from deep_tally.work.isolated import OnProgress, run_isolated

if TYPE_CHECKING:
    from deep_tally.intake.sound import SoundReader

_Readers = Mapping[str, "SoundReader"]
UNFINISHED = ".part"
"""What the name of a file ends in until it is whole."""
_READ = 1 << 20
_FLOAT_ERROR = {32: 2.0**-24, 64: 0.0}
"""How far a stored float can be off, as a share of it: half of its last place (IEEE 754)."""
_FLOAT_LEAST = 2.0**-149
_STEPS_OFF = 2.0
"""Steps that a dithered sample can be off: one and a half, and half a one where it is held under full scale."""


@dataclass(frozen=True, slots=True, kw_only=True)
class CopyJob:
    """One copy to be written.

    Attributes
    ----------
    copy : Copy
    sources : mapping of path to Path
        Where the sources are.
    contents : mapping of path to str
        What identifies their contents since they were measured.
    folder : Path
    made : datetime
    """

    copy: Copy
    sources: Mapping[str, Path]
    contents: Mapping[str, str]
    folder: Path
    made: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class Proved:
    """A copy that was read back: the digests of its file and its sources (SHA-256), and how far it is off.

    `error_dbfs` is the RMS of what separates it from what it was made of, full scale 0 dB; -inf for nothing.
    """

    name: str
    sha256_copy: str
    sha256_sources: tuple[str, ...]
    error_dbfs: float


class SourceChanged(DeepTallyError):
    """A file of the client's is not what it was when it was measured."""


def write_copy(progress: OnProgress, job: CopyJob) -> Proved | DeepTallyError:
    """Write one copy; one that is there already is proved, and written again where it is not what it should be.

    What goes wrong with the files is returned: a worker that raises is taken for one that failed by itself.
    """
    from deep_tally.intake.reading import open_plain

    try:
        for path in job.copy.sources:
            content = fingerprint(job.sources[path])  # None: opening it says why it cannot be read
            if content is not None and content != job.contents.get(path):
                raise SourceChanged(path, Phrase("ready.changed"), Phrase("ready.check-again"))
        plain = []
        for path in job.copy.sources:
            with ExitStack() as stack:
                reader = open_plain(job.sources[path])
                plain.append(reader is not None)
                if reader is not None:
                    stack.enter_context(reader)
        if all(plain) and job.copy.container == "wav":
            return _write(progress, job.folder, job)
        return run_isolated(_write, progress, job.folder, job)
    except DeepTallyError as error:
        return error


def _write(progress: OnProgress, folder: Path, job: CopyJob) -> Proved:
    target = folder / job.copy.name
    unfinished = target.with_name(target.name + UNFINISHED)
    work = 2 * job.copy.frames
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        if target.is_file():  # of a write that was interrupted
            try:
                return _proved(target, job, lambda done: progress(job.copy.frames + done, work))
            except CannotWrite:
                target.unlink()
        with _open(job) as readers:
            put_samples(unfinished, job, readers, lambda done: progress(done, work))
        proved = _proved(unfinished, job, lambda done: progress(job.copy.frames + done, work))
        os.replace(unfinished, target)
        _sync(target.parent)
    except OSError as error:
        raise CannotWrite(str(target), Phrase("write.failed", why=error.strerror), Phrase("do.other-place")) from error
    return proved


@contextmanager
def _open(job: CopyJob) -> Iterator[dict[str, SoundReader]]:
    from deep_tally.intake.reading import open_sound

    with ExitStack() as stack:
        yield {path: stack.enter_context(open_sound(job.sources[path])) for path in job.copy.sources}


def put_samples(path: Path, job: CopyJob, readers: _Readers, on_done: Callable[[int], None]) -> None:
    """Write all of a copy to a file, and to the disk."""
    if job.copy.container == "flac":
        _put_flac(path, job, render(job.copy, readers), on_done)
    else:
        around = wave_file(job.copy, job.made)
        with path.open("wb", buffering=0) as file:
            file.write(around.header)
            for at, stored in _stored(job.copy, readers):
                file.write(stored.data)
                on_done(at)
            file.write(around.trailer)
    handle = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _stored(copy: Copy, readers: _Readers) -> Iterator[tuple[int, NDArray[np.uint8]]]:
    """(first frame, bytes) of a WAV file's samples: those of the sources, or what is made of them."""
    if can_be_raw(copy, readers):
        yield from raw_blocks(copy, readers)
        return
    rounder = Rounder(copy)
    for block in render(copy, readers):
        yield block.at, rounder.stored(block.samples, block.sounding)


def _put_flac(path: Path, job: CopyJob, blocks: Iterator[Rendered], on_done: Callable[[int], None]) -> None:
    import soundfile

    copy, rounder = job.copy, Rounder(job.copy)
    subtype = {8: "PCM_S8", 16: "PCM_16", 24: "PCM_24"}[copy.bits]
    with soundfile.SoundFile(
        path, "w", samplerate=copy.rate_hz, channels=copy.channels, format="FLAC", subtype=subtype
    ) as file:
        for block in blocks:
            codes = rounder.codes(block.samples, block.sounding)
            file.write(np.ascontiguousarray(codes, dtype=np.int32) << (32 - copy.bits))
            on_done(block.at)


def _sync(folder: Path) -> None:
    """A name is as safe as its folder."""
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        os.fsync(handle)
    except OSError:
        pass  # some network drives cannot
    finally:
        os.close(handle)


def _proved(path: Path, job: CopyJob, on_done: Callable[[int], None]) -> Proved:
    """Read a copy back and hold it against what it is made of, sample by sample.

    Raises
    ------
    CannotWrite
        It is not what it should be.
    """
    from deep_tally.intake.pcm import PcmReader
    from deep_tally.intake.reading import open_sound

    copy = job.copy
    with open_sound(path) as back, _open(job) as readers:
        sound = back.format
        there = (sound.frames, sound.claimed_frames, sound.channels, sound.rate_hz, sound.sample_format == "float")
        wanted = (copy.frames, copy.frames, copy.channels, copy.rate_hz, copy.is_float)
        rms: float | None = None
        if there == wanted:
            is_raw = can_be_raw(copy, readers) and isinstance(back, PcmReader)
            rms = _same_bytes(copy, back, readers, on_done) if is_raw else _error(copy, back, readers, on_done)
    if rms is None:
        raise CannotWrite(copy.name, Phrase("ready.proof"), Phrase("ready.try-disk"))
    return Proved(
        name=copy.name,
        sha256_copy=sha256_of(path),
        sha256_sources=tuple(sha256_of(job.sources[source]) for source in copy.sources),
        error_dbfs=20 * math.log10(rms) if rms > 0 else -math.inf,
    )


def _same_bytes(copy: Copy, back: SoundReader, readers: _Readers, on_done: Callable[[int], None]) -> float | None:
    """0 where every byte is the source's; None where one is not."""
    from deep_tally.intake.pcm import PcmReader

    assert isinstance(back, PcmReader)
    each = copy.channels * copy.bits // 8
    for at, stored in raw_blocks(copy, readers):
        if not np.array_equal(back.read_bytes(at, len(stored) // each), stored):
            return None
        on_done(at)
    return 0.0


def _error(copy: Copy, back: SoundReader, readers: _Readers, on_done: Callable[[int], None]) -> float | None:
    """The RMS of what separates a copy from what it is made of; None where that is more than rounding makes."""
    step = Rounder(copy).step
    squares, samples_in_all = 0.0, 0
    for block in render(copy, readers):
        error = np.abs(back.read(block.at, len(block.samples)).samples - block.samples)
        if copy.is_float:
            allowed = np.abs(block.samples) * _FLOAT_ERROR[copy.bits] + _FLOAT_LEAST
        else:
            allowed = np.zeros_like(error)
            for begin, end in block.sounding if not copy.is_exact else ():
                allowed[begin:end] = _STEPS_OFF * step
        if not bool((error <= allowed).all()):
            return None
        squares += float(np.square(error).sum())
        samples_in_all += error.size
        on_done(block.at)
    return math.sqrt(squares / samples_in_all) if samples_in_all else 0.0


def sha256_of(path: Path) -> str:
    """The digest of a file (FIPS 180-4)."""
    with path.open("rb", buffering=0) as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
