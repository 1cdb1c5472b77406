"""Open a sound file and hand out its samples: the one interface every measure reads through.

A reader never converts: the rate, the channels and the codes are the file's own. The reader is chosen by the file's
bytes, never by its name's ending. Plain samples (WAV, RF64, BW64, Wave64, AIFF, CAF, AU) are read by us; everything
else goes through a decoder, which belongs into a disposable process.
"""

from __future__ import annotations

import os
import stat
from pathlib import Path

import soundfile

from deep_tally.intake import aiff, au, caf, w64, wav
from deep_tally.intake.codec_delay import after_id3
from deep_tally.intake.decoded import LibsndfileReader, OnDecoded, is_the_systems, open_with_av
from deep_tally.intake.pcm import PcmReader
from deep_tally.intake.signatures import Kind, kind_of, unread_sound
from deep_tally.intake.sound import SoundReader
from deep_tally.model.errors import NotCheckedHere, UnreadableSound
from deep_tally.model.phrase import Phrase

_LAYOUTS = (wav.read_layout, aiff.read_layout, w64.read_layout, caf.read_layout, au.read_layout)
_HEAD = 4096 + 12


def open_sound(path: Path) -> SoundReader:
    """Open a sound file by its bytes, whatever its name ends in.

    Raises
    ------
    UnreadableSound
        No format that can be read.
    NotCheckedHere
        No permission, no such file, or the system cannot read it.
    """
    return open_plain(path) or open_decoded(path)


def open_plain(path: Path) -> PcmReader | None:
    """Open a file of plain samples, which is read by us; None for what needs a decoder.

    Raises
    ------
    UnreadableSound
        Nothing in it, or plain samples under a header that makes no sense.
    NotCheckedHere
        No permission, no such file, or the system cannot read it.
    """
    try:
        # Without O_NONBLOCK, opening a pipe that nobody writes to would never return.
        file = os.open(path, os.O_RDONLY | os.O_CLOEXEC | os.O_NONBLOCK)
    except OSError as error:
        raise _cannot_open(path, error) from error
    try:
        status = os.fstat(file)
        _require_regular(path, status)
        for read_layout in _LAYOUTS:
            layout = read_layout(file)
            if layout is not None:
                return PcmReader(path, file, layout)
    except OSError as error:
        os.close(file)
        raise _cannot_open(path, error) from error
    except (UnreadableSound, NotCheckedHere):
        os.close(file)
        raise
    os.close(file)
    if status.st_size == 0:
        raise UnreadableSound(path.name, Phrase("sound.empty"), Phrase("ask.again"))
    return None


def open_decoded(path: Path, on_decoded: OnDecoded = lambda done, total: None) -> SoundReader:
    """Open a file with a decoder. A hostile file can crash it: this belongs into a process that may die.

    Parameters
    ----------
    path : Path
    on_decoded : callable
        Called with (frames decoded, frames in all) while a file is decoded before it can be read.

    Raises
    ------
    UnreadableSound
        No format that can be read.
    NotCheckedHere
        The system cannot read it, or there is no room to decode it to.
    """
    try:
        with path.open("rb") as file:
            head = file.read(_HEAD)
            file.seek(after_id3(head))
            is_tagged_flac = head.startswith(b"ID3") and file.read(4) == b"fLaC"
    except OSError as error:
        raise _cannot_open(path, error) from error
    kind = kind_of(head)
    if (name := unread_sound(head)) is not None:
        raise UnreadableSound(path.name, Phrase("sound.kind", kind=name), Phrase("ask.as-wav"))
    if kind is Kind.AV_SOUND and not is_tagged_flac:
        return open_with_av(path, on_decoded)
    try:
        reader = LibsndfileReader(path)
        if not reader.is_mpeg:
            return reader
        reader.close()
        return open_with_av(path, on_decoded)
    except (soundfile.LibsndfileError, OSError, ValueError, RuntimeError) as error:
        if is_the_systems(error, path):
            raise NotCheckedHere(path.name, Phrase("here.unreadable-unsaid"), Phrase("do.copy-here")) from error
        if (coding := wav.unread_coding(head)) is not None:
            problem = Phrase("sound.kind", kind=f"WAV, coding 0x{coding:04X}")
        elif kind is Kind.SOUND:
            problem = Phrase("sound.bad-header")
        elif not head.strip(b"\0"):
            problem = Phrase("sound.zeros")
        elif kind is Kind.TEXT:
            problem = Phrase("sound.text")
        else:
            problem = Phrase("sound.unknown")
        raise UnreadableSound(path.name, problem, Phrase("ask.as-wav")) from error


def _cannot_open(path: Path, error: OSError) -> NotCheckedHere:
    """What the system says when it opens a file is about this machine: the client's part begins with the bytes."""
    if isinstance(error, PermissionError):
        problem, remedy = Phrase("here.permission"), Phrase("do.permissions")
    elif isinstance(error, FileNotFoundError):
        problem, remedy = Phrase("here.gone"), Phrase("do.put-back")
    else:
        problem, remedy = Phrase("here.cannot-open", why=error.strerror), Phrase("do.copy-here")
    return NotCheckedHere(path.name, problem, remedy)


def _require_regular(path: Path, status: os.stat_result) -> None:
    if not stat.S_ISREG(status.st_mode):
        raise UnreadableSound(path.name, Phrase("sound.no-file"), Phrase("choose.files"))
