"""Take a zip's files out into a private folder, within limits and under safe names.

References
----------
APPNOTE.TXT (the .ZIP file format specification): general purpose flags, 4.4.4; Unicode path extra field, appendix D.
"""

from __future__ import annotations

import math
import os
import shutil
import stat
import struct
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from deep_tally.intake.signatures import Kind, kind_of
from deep_tally.model.errors import LeftOut

ENTRIES_MOST = 20_000
NESTED_MOST = 3
_FREE_LEFT = 1 << 30
_BOMB_FROM = 1 << 30
_RATIO_MOST = 250
"""Audio that is mostly digital silence packs to a fiftieth; past this, and over a gigabyte, it is a trap."""

_PIECE = 1 << 20
_NAME_BYTES_MOST = 240
_NO_SPACE = ("there is not enough free space for its files", "free some and read it again")
_LOCKED = ("it is locked with a password", "ask for it without one")
_CODE_PAGES = ("cp437", "cp1252", "cp850", "cp866", "shift_jis")
_COMMON_LETTERS = frozenset("äöüßÄÖÜéèàçñ")
_OFFICE_MEMBERS = frozenset({"[Content_Types].xml", "mimetype"})

OnBytes = Callable[[int, int], None]
"""(bytes unpacked, bytes in all)."""


@dataclass
class Unpacked:
    """What came out of a zip.

    Attributes
    ----------
    identities : dict of Path to str
        For every file: the member and its checksum, so that what was measured can be found again.
    troubles : list of LeftOut
        Whatever was left out.
    """

    identities: dict[Path, str] = field(default_factory=dict)
    troubles: list[LeftOut] = field(default_factory=list)


@dataclass
class Budget:
    """What may still be unpacked, for an archive and all that is nested in it."""

    entries: int = ENTRIES_MOST
    bytes: int = 0
    packed: int = 0
    unpacked: int = 0

    @classmethod
    def for_folder(cls, folder: Path, packed: int) -> Budget:
        """All the free space but a gigabyte."""
        return cls(bytes=max(0, shutil.disk_usage(folder).free - _FREE_LEFT), packed=packed)

    def take(self, count: int) -> None:
        """Count bytes that were unpacked; raises `_Stop` when that is too much."""
        self.unpacked += count
        if self.unpacked > self.bytes:
            raise _Stop(*_NO_SPACE)
        if self.unpacked > _BOMB_FROM and self.unpacked > _RATIO_MOST * max(1, self.packed):
            raise _Stop("it unpacks to far more than audio can", "ask what it is")


class _Stop(Exception):
    """Unpacking cannot go on: what is wrong, what to do."""


def is_document(archive: zipfile.ZipFile) -> bool:
    """Whether this is a text document that is stored as a zip."""
    return bool(_OFFICE_MEMBERS & set(archive.namelist()[:3]))


def unpack(
    path: Path, into: Path, *, shown: str, budget: Budget, on_bytes: OnBytes = lambda done, total: None, depth: int = 0
) -> Unpacked | None:
    """Take out all files of a zip.

    Parameters
    ----------
    path : Path
        The zip; it is only read.
    into : Path
        A private folder that exists.
    shown : str
        What sentences call it.
    budget : Budget
        Shared with the zips inside.

    Returns
    -------
    Unpacked or None
        None when it is a document and no archive.
    """
    result = Unpacked()
    try:
        with zipfile.ZipFile(path) as archive:
            if is_document(archive):
                return None
            _take_out(archive, into, shown, budget, on_bytes, result)
    except _Stop as stop:
        result.troubles.append(LeftOut(shown, *stop.args))
    except (zipfile.BadZipFile, struct.error, EOFError, ValueError, IndexError, NotImplementedError):
        problem = "the archive is damaged or only a part of it arrived"
        result.troubles.append(LeftOut(shown, problem, "ask for it again"))
    except OSError as error:
        result.troubles.append(
            LeftOut(shown, f"it cannot be unpacked ({error.strerror})", "copy it to this machine and try again")
        )
    _open_nested(into, shown, budget, depth, result)
    return result


def _take_out(
    archive: zipfile.ZipFile, into: Path, shown: str, budget: Budget, on_bytes: OnBytes, result: Unpacked
) -> None:
    members = [m for m in archive.infolist() if not m.is_dir()]
    total = sum(m.file_size for m in members)
    budget.entries -= len(members)
    if budget.entries < 0:
        raise _Stop(f"it holds more than {ENTRIES_MOST} files", "ask for an archive of the audio alone")
    if total > budget.bytes - budget.unpacked:
        raise _Stop(*_NO_SPACE)
    locked = [m for m in members if m.flag_bits & 1]
    if locked and len(locked) == len(members):
        raise _Stop(*_LOCKED)
    begun = budget.unpacked
    for member in members:
        name = member_name(member)
        told = f"{shown}/{name}"
        target = safe_path(into, name)
        if target is None:
            continue
        if member.flag_bits & 1:
            result.troubles.append(LeftOut(told, *_LOCKED))
        elif stat.S_ISLNK(member.external_attr >> 16):
            result.troubles.append(LeftOut(told, "it is a link to another file", "ask for the file itself"))
        else:
            _write(archive, member, target, told, budget, lambda: on_bytes(budget.unpacked - begun, total), result)


def _write(
    archive: zipfile.ZipFile,
    member: zipfile.ZipInfo,
    target: Path,
    told: str,
    budget: Budget,
    moved: Callable[[], None],
    result: Unpacked,
) -> None:
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
    except (FileExistsError, NotADirectoryError):
        problem = "one of its folders has the name of a file"
        result.troubles.append(LeftOut(told, problem, "ask for it under another name"))
        return
    target = _free(target)
    written = checksum = 0
    damaged = False
    try:
        with archive.open(member) as packed, target.open("xb") as file:
            # Its own check would throw the last piece away; what came out is kept, and the checksum taken here.
            packed._expected_crc = None  # type: ignore[attr-defined]
            while piece := packed.read(_PIECE):
                written += len(piece)
                checksum = zlib.crc32(piece, checksum)
                budget.take(len(piece))  # the directory may claim less than what comes out
                file.write(piece)
                moved()
    except _Stop:
        target.unlink()
        raise
    except (NotImplementedError, RuntimeError):
        problem = "it is packed in a way that cannot be unpacked here"
        result.troubles.append(LeftOut(told, problem, "ask for a plain zip"))
        target.unlink(missing_ok=True)
        return
    except (zipfile.BadZipFile, zlib.error, EOFError):
        damaged = True
    if damaged or checksum != member.CRC:
        problem = "its checksum is wrong, it was damaged on the way"
        result.troubles.append(LeftOut(told, problem, "ask for it again"))
    if written or not member.file_size:
        os.utime(target, ns=(0, 0))
        result.identities[target] = f"{told}:{checksum:08x}:{written}"
    else:
        target.unlink(missing_ok=True)


def _open_nested(into: Path, shown: str, budget: Budget, depth: int, result: Unpacked) -> None:
    for inner in [p for p in result.identities if _is_zip(p)]:
        told = f"{shown}/{inner.relative_to(into).as_posix()}"
        if depth + 1 >= NESTED_MOST:
            problem = "it is an archive in an archive in an archive"
            result.troubles.append(LeftOut(told, problem, "unpack it by hand and open the folder"))
            continue
        folder = _free(inner.with_name(f"{inner.stem or 'archive'} (unpacked)"))
        folder.mkdir()
        inside = unpack(inner, folder, shown=told, budget=budget, depth=depth + 1)
        if inside is None:
            folder.rmdir()
            continue
        result.identities |= inside.identities
        result.troubles += inside.troubles
        # Its files stand in a folder of its name; the archive itself is not one of them.
        inner.unlink()
        del result.identities[inner]
        folder.rename(inner)
        result.identities = {_moved(p, folder, inner): i for p, i in result.identities.items()}


def _moved(path: Path, old: Path, new: Path) -> Path:
    return new / path.relative_to(old) if path.is_relative_to(old) else path


def _is_zip(path: Path) -> bool:
    with path.open("rb") as file:
        return kind_of(file.read(4096)) is Kind.ZIP


def member_name(member: zipfile.ZipInfo) -> str:
    """A member's name as the client's system showed it, with forward slashes.

    Marked as UTF-8, or given in the Unicode path field, or else UTF-8 by its bytes; at last the code page that makes
    letters of all of them.
    """
    if member.flag_bits & 0x800:
        return member.filename.replace("\\", "/")
    raw = member.orig_filename.encode("cp437", "replace")
    for candidate in (_unicode_path(member.extra, raw), _utf8(raw)):
        if candidate is not None:
            return candidate.replace("\\", "/")
    return max((_decoded(raw, page) for page in _CODE_PAGES), key=_letters).replace("\\", "/")


def _utf8(raw: bytes) -> str | None:
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError:
        return None


def _decoded(raw: bytes, page: str) -> str:
    try:
        return raw.decode(page)
    except UnicodeDecodeError:
        return ""


def _letters(text: str) -> float:
    """How much a guess reads as a name: letters of few alphabets, no capital within a word."""
    if not text:
        return -math.inf
    points = 0.0
    for before, letter in zip(f" {text}", text, strict=False):
        if ord(letter) > 127:
            fits = letter.isalpha() and (ord(letter) < 0x180 or ord(letter) >= 0x400)
            points += 1.0 if fits and not (before.islower() and letter.isupper()) else -2.0
            points += 0.5 * (letter in _COMMON_LETTERS)
    return points


def _unicode_path(extra: bytes, raw: bytes) -> str | None:
    position = 0
    while position + 4 <= len(extra):
        kind, size = struct.unpack_from("<HH", extra, position)
        body = extra[position + 4 : position + 4 + size]
        if kind == 0x7075 and len(body) > 5 and struct.unpack_from("<I", body, 1)[0] == zlib.crc32(raw):
            return _utf8(body[5:])
        position += 4 + size
    return None


def safe_path(into: Path, name: str) -> Path | None:
    """Where a member is written: always inside `into`, whatever its name says; None when nothing is left of it."""
    parts = []
    for part in name.split("/"):
        part = "".join(c for c in part if c.isprintable()).strip()
        if part in ("", ".", "..") or (len(part) == 2 and part[1] == ":"):
            continue
        while len(part.encode("utf-8", "surrogateescape")) > _NAME_BYTES_MOST:
            stem, dot, ending = part.rpartition(".")
            part = f"{stem[:-8]}{dot}{ending}" if stem else part[:-8]
        parts.append(part)
    return into.joinpath(*parts) if parts else None


def _free(target: Path) -> Path:
    """The path itself, or with a number where two members have one name."""
    number = 2
    free = target
    while free.exists():
        free = target.with_name(f"{target.stem} ({number}){target.suffix}")
        number += 1
    return free
