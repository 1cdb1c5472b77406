"""Find the files of a delivery: a folder walked to its depths, or loose files."""

from __future__ import annotations

import os
import re
import stat
from collections.abc import Iterable, Sequence
from dataclasses import replace
from pathlib import Path

from deep_tally.intake.roles import guess_role
from deep_tally.model.errors import NothingToCheck
from deep_tally.model.files import Entry, Intake, Role

_SYSTEM_NAMES = frozenset({"desktop.ini", "thumbs.db", "__macosx", "$recycle.bin", "system volume information"})
_SOUND_STARTS = (b"RIFF", b"RF64", b"BW64", b"RIFX", b"FORM", b"fLaC", b"OggS", b"ID3", b"caff", b"riff", b".snd")
_SOUND_ENDINGS = frozenset(
    ".wav .wave .bwf .rf64 .w64 .aif .aiff .aifc .flac .ogg .oga .opus .mp3 .caf .au .snd .m4a .aac".split()
)
_DOCUMENT_ENDINGS = frozenset(".txt .md .pdf .rtf .doc .docx .odt .csv .html .htm .xls .xlsx .ods".split())
_UNPACK_FIRST = {b"PK\x03\x04": "zip", b"Rar!": "RAR", b"7z\xbc\xaf": "7z"}


def natural_key(path: str) -> list[tuple[int, int, str]]:
    """Sort key that puts "2 Bass" before "10 Voice" and ignores case."""
    parts = re.split(r"([0-9]+)", path.casefold())
    return [(0, int(p), "") if p.isascii() and p.isdigit() else (1, 0, p) for p in parts if p]


def take_in(paths: Sequence[Path], *, rough_mix: Path | None = None) -> Intake:
    """List what the client sent.

    Parameters
    ----------
    paths : sequence of Path
        One folder, or one or more files.
    rough_mix : Path, optional
        The rough mix, when its name does not say it; it may lie outside the folder.

    Returns
    -------
    Intake
        Hidden and system files are left out; a file that is not audio is listed with its role.

    Raises
    ------
    NothingToCheck
        A path is missing or cannot be read, or no audio file was found.
    """
    files: list[Path] = []
    troubles: list[str] = []
    for path in paths:
        _require_there(path)
    # Not resolved: a link keeps the name that the client gave it.
    paths = [Path(os.path.abspath(path)) for path in paths]
    for path in paths:
        files += _walk(path, troubles) if path.is_dir() else [path]
    if rough_mix is not None:
        if not rough_mix.is_file():
            raise NothingToCheck(str(rough_mix), "the rough mix is not there", "check its path")
        rough_mix = Path(os.path.abspath(rough_mix))
        files.append(rough_mix)
    files = list(dict.fromkeys(files))
    source = _common_folder(paths, files)
    # A rough mix from elsewhere moves the common folder up, but not the delivery's name.
    name = paths[0].name if len(paths) == 1 and paths[0].is_dir() else source.name
    entries = [_entry(file, source, name, told_mix=file == rough_mix, troubles=troubles) for file in files]
    if rough_mix is not None:
        entries = tell_rough_mix(entries, next(e.path for e in entries if e.source == rough_mix))
    entries.sort(key=lambda e: natural_key(e.path))
    intake = Intake(source=source, name=name or "Delivery", entries=tuple(entries), troubles=tuple(troubles))
    if not intake.sounds:
        raise _nothing(paths, intake)
    return intake


def tell_rough_mix(entries: Iterable[Entry], path: str) -> list[Entry]:
    """Say which file is the rough mix. That settles it: what only looked like the mix is a reference then."""
    told = []
    for entry in entries:
        role = entry.role
        if entry.path == path:
            role = Role.ROUGH_MIX
        elif role is Role.ROUGH_MIX:
            role = Role.REFERENCE
        told.append(replace(entry, role=role))
    return told


def _require_there(path: Path) -> None:
    try:
        there = path.exists()
    except OSError as error:
        problem = f"it cannot be read ({error.strerror})"
        raise NothingToCheck(str(path), problem, "change its permissions and try again") from error
    if not there:
        raise NothingToCheck(str(path), "there is no such file or folder", "check the path")


def _nothing(paths: Sequence[Path], intake: Intake) -> NothingToCheck:
    where = ", ".join(str(p) for p in paths)
    if intake.troubles:
        return NothingToCheck(where, "it cannot be read", "change its permissions and try again")
    for entry in intake.entries:
        with_start = _first_bytes(entry.source)
        for start, kind in _UNPACK_FIRST.items():
            if with_start.startswith(start):
                return NothingToCheck(where, f"{entry.path} is a {kind} archive", "unpack it and open the folder")
    if not intake.entries:
        return NothingToCheck(where, "the folder is empty", "choose the folder that holds the files")
    return NothingToCheck(
        where, f"none of its {len(intake.entries)} files is audio", "choose the folder that holds the audio files"
    )


def _walk(folder: Path, troubles: list[str]) -> list[Path]:
    def note(error: OSError) -> None:
        troubles.append(f"{error.filename}: the folder cannot be read; change its permissions and read it again.")

    found = []
    for here, folders, names in os.walk(folder, onerror=note):
        folders[:] = [name for name in folders if not _is_hidden(name)]
        found += [Path(here, name) for name in names if not _is_hidden(name)]
    return [path for path in found if not _is_special(path)]


def _is_special(path: Path) -> bool:
    """Pipes, sockets and devices are no client's files; a link to nowhere is listed, and told when it is read."""
    try:
        return not stat.S_ISREG(path.stat().st_mode)
    except OSError:
        return False


def _is_hidden(name: str) -> bool:
    return name.startswith(".") or name.casefold() in _SYSTEM_NAMES


def _common_folder(paths: Sequence[Path], files: Sequence[Path]) -> Path:
    if len(paths) == 1 and paths[0].is_dir():
        folder = paths[0]
        if all(file.is_relative_to(folder) for file in files):
            return folder
    return Path(os.path.commonpath([file.parent for file in files]))


def _entry(file: Path, source: Path, delivery_name: str, *, told_mix: bool, troubles: list[str]) -> Entry:
    path = file.relative_to(source).as_posix()
    try:
        size = file.stat().st_size
    except OSError as error:
        troubles.append(f"{path}: its size cannot be read ({error.strerror}); copy it to this machine and try again.")
        size = 0
    role = Role.ROUGH_MIX if told_mix else _role(file, path, delivery_name)
    return Entry(path=path, source=file, role=role, bytes=size)


def _role(file: Path, path: str, delivery_name: str) -> Role:
    start = _first_bytes(file)
    ending = file.suffix.casefold()
    if start.startswith(b"MThd"):
        return Role.MIDI
    if start.startswith(_SOUND_STARTS) or ending in _SOUND_ENDINGS:
        return guess_role(path, delivery_name)
    return Role.DOCUMENT if ending in _DOCUMENT_ENDINGS else Role.STRAY


def _first_bytes(file: Path) -> bytes:
    """The first bytes, or none: a file that cannot be read shows up when it is measured."""
    try:
        if not file.is_file():
            return b""
        with file.open("rb") as opened:
            return opened.read(4)
    except OSError:
        return b""
