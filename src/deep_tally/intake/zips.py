"""Take a zip's files out into a private folder, within limits; what each is called there is our own affair."""

from __future__ import annotations

import os
import shutil
import stat
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import BinaryIO

from deep_tally.intake.endings import SOUND_ENDINGS
from deep_tally.intake.signatures import Kind, kind_of
from deep_tally.intake.zip_reader import DamagedZip, Member, UnknownPacking, read_members, unpacked
from deep_tally.model.errors import LeftOut, NotCheckedHere
from deep_tally.model.files import Damage
from deep_tally.model.phrase import Phrase

ENTRIES_MOST = 20_000
NESTED_MOST = 3
_FREE_LEFT = 1 << 30
_BOMB_FROM = 1 << 30
_RATIO_MOST = 250
"""Audio that is mostly digital silence packs to a fiftieth; past this, and over a gigabyte, it is a trap."""

_CLAIM_RATIO_MOST = 1100
"""Deflate packs to no less than a 1032nd (zlib's documentation)."""

_NO_SPACE = (Phrase("here.no-space"), Phrase("do.free-some"))
_LOCKED = Damage(problem=Phrase("member.locked"), remedy=Phrase("ask.unlocked"))
_BROKEN = Damage(problem=Phrase("member.checksum"), remedy=Phrase("ask.again"))
_STRANGE = Damage(problem=Phrase("member.packing"), remedy=Phrase("ask.plain-zip"))
_NAME_MOST = 240
"""Characters of a name; file systems hold 255 bytes of one (common practice)."""

_FOLDERS_MOST = 64
_OFFICE_MEMBERS = frozenset({"[Content_Types].xml", "mimetype"})

OnBytes = Callable[[int, int], None]
"""(bytes unpacked, bytes in all)."""


@dataclass(frozen=True, slots=True, kw_only=True)
class UnpackedFile:
    """One file that came out of a zip.

    Attributes
    ----------
    shown : str
        Its path inside the zip, as the client sees it; no two files of a zip share one.
    source : Path
        Where its bytes are; empty where nothing came out.
    identity : str
        The member and its checksum, so that what was measured can be found again.
    damage : Damage or None
        Why it is not whole.
    """

    shown: str
    source: Path
    identity: str
    damage: Damage | None = None


@dataclass
class Unpacked:
    """What came out of a zip: its files, and whatever was left out, by the client's doing or by this machine's."""

    files: list[UnpackedFile] = field(default_factory=list)
    troubles: list[LeftOut | NotCheckedHere] = field(default_factory=list)


@dataclass
class Budget:
    """What may still be unpacked, for an archive and all that is nested in it."""

    entries: int = ENTRIES_MOST
    bytes: int = 0
    packed: int = 0
    unpacked: int = 0
    files: int = 0

    @classmethod
    def for_folder(cls, folder: Path, packed: int) -> Budget:
        """All the free space but a gigabyte."""
        return cls(bytes=max(0, shutil.disk_usage(folder).free - _FREE_LEFT), packed=packed)

    def number(self) -> int:
        """A number for the next file."""
        self.files += 1
        return self.files

    def take(self, count: int, shown: str) -> None:
        """Count bytes that were unpacked; raises `_Stop` when that is too much."""
        self.unpacked += count
        if self.unpacked > self.bytes:
            raise _Stop(NotCheckedHere(shown, *_NO_SPACE))
        if self.unpacked > _BOMB_FROM and self.unpacked > _RATIO_MOST * max(1, self.packed):
            raise _Stop(LeftOut(shown, Phrase("out.bomb"), Phrase("ask.what")))


class _Stop(Exception):
    """Unpacking an archive cannot go on."""

    def __init__(self, trouble: LeftOut | NotCheckedHere) -> None:
        super().__init__(trouble)
        self.trouble = trouble


def unpack(
    path: Path, into: Path, *, shown: str, budget: Budget, on_bytes: OnBytes = lambda done, total: None, depth: int = 0
) -> Unpacked | None:
    """Take out all files of a zip; a member that is damaged costs itself alone.

    Parameters
    ----------
    path : Path
        The zip; it is only read.
    into : Path
        A private folder that exists. Files get names of our own in it: none of the client's can be too long there, or
        lead out of it.
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
        with path.open("rb") as archive:
            members, is_whole = read_members(archive)
            if {m.name for m in members[:3]} & _OFFICE_MEMBERS:
                return None
            if not is_whole:
                problem = Phrase("out.directory", count=len(members))
                result.troubles.append(LeftOut(shown, problem, Phrase("ask.again")))
            _take_out(archive, [m for m in members if not m.is_folder], into, shown, budget, on_bytes, result)
    except _Stop as stop:
        result.troubles.append(stop.trouble)
    except DamagedZip:
        problem = Phrase("out.partial")
        result.troubles.append(LeftOut(shown, problem, Phrase("ask.again")))
    except OSError as error:
        remedy = Phrase("do.copy-here")
        result.troubles.append(NotCheckedHere(shown, Phrase("here.unreadable", why=error.strerror), remedy))
    _open_nested(into, shown, budget, depth, result)
    return result


def _take_out(
    archive: BinaryIO,
    members: list[Member],
    into: Path,
    shown: str,
    budget: Budget,
    on_bytes: OnBytes,
    result: Unpacked,
) -> None:
    # What one damaged member claims must not keep the others in.
    size = archive.seek(0, 2)
    total = sum(min(m.bytes, _CLAIM_RATIO_MOST * min(m.packed_bytes, size)) for m in members)
    budget.entries -= len(members)
    if budget.entries < 0:
        raise _Stop(LeftOut(shown, Phrase("out.too-many", count=ENTRIES_MOST), Phrase("ask.audio-alone")))
    if total > budget.bytes - budget.unpacked:
        raise _Stop(NotCheckedHere(shown, *_NO_SPACE))
    if members and all(m.is_locked for m in members):
        raise _Stop(LeftOut(shown, _LOCKED.problem, _LOCKED.remedy))
    begun = budget.unpacked
    names = FreeNames()
    for member in members:
        name = safe_name(member.name)
        if not name:
            continue
        name = names.free(name)
        if stat.S_ISLNK(member.mode):
            trouble = LeftOut(f"{shown}/{name}", Phrase("out.link"), Phrase("ask.file-itself"))
            result.troubles.append(trouble)
        else:
            moved = lambda: on_bytes(budget.unpacked - begun, total)  # noqa: E731 - called within this turn only
            result.files.append(_write(archive, member, name, into, shown, budget, moved))


def _write(
    archive: BinaryIO, member: Member, name: str, into: Path, shown: str, budget: Budget, moved: Callable[[], None]
) -> UnpackedFile:
    """Write one member to a file; raises `_Stop` when no more can be written at all."""
    ending = Path(name).suffix.casefold()
    # A decoder may look at the ending where the bytes leave a doubt.
    target = into / f"{budget.number()}{ending if ending.removeprefix('.') in SOUND_ENDINGS else ''}"
    written = checksum = 0
    damage = _LOCKED if member.is_locked else None
    try:
        with target.open("xb") as file:
            for piece in () if member.is_locked else _pieces(archive, member, f"{shown}/{name}"):
                if isinstance(piece, Damage):
                    damage = piece
                    break
                written += len(piece)
                checksum = zlib.crc32(piece, checksum)
                budget.take(len(piece), shown)  # the directory may claim less than what comes out
                file.write(piece)
                moved()
        os.utime(target, ns=(0, 0))
    except _Stop:
        target.unlink(missing_ok=True)
        raise
    except OSError as error:
        target.unlink(missing_ok=True)
        remedy = Phrase("do.free-space")
        raise _Stop(NotCheckedHere(shown, Phrase("here.unpack-to-disk", why=error.strerror), remedy)) from error
    if damage is None and checksum != member.checksum:
        damage = _BROKEN
    return UnpackedFile(shown=name, source=target, identity=f"{shown}/{name}:{checksum:08x}:{written}", damage=damage)


def _pieces(archive: BinaryIO, member: Member, shown: str) -> Iterator[bytes | Damage]:
    """What comes out of a member, and at last what kept the rest from coming."""
    try:
        yield from unpacked(archive, member)
    except DamagedZip:
        yield _BROKEN
    except UnknownPacking:
        yield _STRANGE
    except MemoryError as error:
        problem, remedy = Phrase("here.memory-unpack"), Phrase("do.close-programs-it")
        raise _Stop(NotCheckedHere(shown, problem, remedy)) from error
    except OSError as error:
        remedy = Phrase("do.copy-here")
        raise _Stop(NotCheckedHere(shown, Phrase("here.unreadable", why=error.strerror), remedy)) from error


def _open_nested(into: Path, shown: str, budget: Budget, depth: int, result: Unpacked) -> None:
    """Put what is in zips of this zip in their places, each in a folder of the zip's name."""
    files: list[UnpackedFile] = []
    for file in result.files:
        inside = None
        if _is_zip(file.source):
            inner = f"{shown}/{file.shown}"
            if depth + 1 >= NESTED_MOST:
                problem = Phrase("out.nested")
                result.troubles.append(LeftOut(inner, problem, Phrase("do.unpack-by-hand")))
            else:
                inside = unpack(file.source, into, shown=inner, budget=budget, depth=depth + 1)
        if inside is None:
            files.append(file)
            continue
        files += [replace(f, shown=f"{file.shown}/{f.shown}") for f in inside.files]
        result.troubles += inside.troubles
        file.source.unlink()
    result.files = files


def _is_zip(path: Path) -> bool:
    with path.open("rb") as file:
        return kind_of(file.read(4096)) is Kind.ZIP


def safe_name(name: str) -> str:
    """A member's name without whatever would lead elsewhere or cannot be shown; empty when nothing is left of it.

    What no file system could hold is cut: nobody typed it, and reading it takes long.
    """
    parts = []
    for part in name.split("/")[-_FOLDERS_MOST:]:
        part = "".join(c for c in part if c.isprintable()).strip()
        if len(part) > _NAME_MOST:
            stem, dot, ending = part.rpartition(".")
            part = f"{stem[: _NAME_MOST - 8]}{dot}{ending[:7]}" if stem else part[:_NAME_MOST]
        if part not in ("", ".", "..") and not (len(part) == 2 and part[1] == ":"):
            parts.append(part)
    return "/".join(parts)


class FreeNames:
    """Gives a number to names that a zip has several times."""

    def __init__(self) -> None:
        self.taken: set[str] = set()
        self._numbers: dict[str, int] = {}

    def free(self, name: str) -> str:
        """The name itself, or with the next number that is free."""
        free = name
        while free in self.taken:
            number = self._numbers[name] = self._numbers.get(name, 1) + 1
            folder, slash, file = name.rpartition("/")
            stem, dot, ending = file.rpartition(".")
            free = f"{folder}{slash}{stem} ({number}){dot}{ending}" if stem else f"{name} ({number})"
        self.taken.add(free)
        return free
