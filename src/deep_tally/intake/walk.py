"""Find the files of a delivery: folders walked, zips opened, loose files; each with its role and song."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from deep_tally.intake.corrected import with_rough_mix
from deep_tally.intake.endings import SOUND_ENDINGS
from deep_tally.intake.folders import files_in, is_hidden
from deep_tally.intake.midi import read_midi
from deep_tally.intake.notes import read_notes
from deep_tally.intake.signatures import Kind, kind_of
from deep_tally.intake.song_lengths import apart_by_length
from deep_tally.intake.video import is_film
from deep_tally.intake.zips import Budget, unpack
from deep_tally.model.errors import LeftOut, NotCheckedHere, NothingToCheck
from deep_tally.model.files import Damage, Entry, Incomplete, Intake, Role
from deep_tally.model.phrase import Phrase
from deep_tally.names.facts import title_of
from deep_tally.names.prefix import shared_prefix
from deep_tally.names.roles import RoleReading, read_role, settle_roles
from deep_tally.names.songs import group_songs
from deep_tally.names.words import natural_key

_DOCUMENT_ENDINGS = frozenset(".txt .md .pdf .rtf .doc .docx .odt .csv .html .htm .xls .xlsx .ods".split())
_HEAD = 4096
_CLOSED_ARCHIVES = {Kind.RAR: "RAR", Kind.SEVEN_ZIP: "7z"}

Trouble = LeftOut | NotCheckedHere
"""What could not be looked into: by the client's doing, or by this machine's."""

OnStep = Callable[[int, int], None]
"""(bytes unpacked, bytes in all), or (files found, 0) while folders are walked."""


@dataclass(frozen=True, slots=True)
class _File:
    """One file: where its bytes are, where the client sees it, and what its first bytes say."""

    source: Path
    shown: Path
    kind: Kind
    head: bytes
    archived: str = ""
    damage: Damage | None = None

    @property
    def ending(self) -> str:
        return self.shown.suffix.casefold()


def take_in(
    paths: Sequence[Path],
    *,
    rough_mix: Path | None = None,
    unpack_into: Path | None = None,
    on_step: OnStep = lambda done, total: None,
) -> Intake:
    """List what the client sent.

    Parameters
    ----------
    paths : sequence of Path
        One folder or zip, or one or more files.
    rough_mix : Path, optional
        The rough mix, when its name does not say it; it may lie outside the folder.
    unpack_into : Path, optional
        A private folder for what is in zips; without one they stay closed.
    on_step : callable
        Called at every step, for progress.

    Returns
    -------
    Intake
        Hidden and system files are left out; a file that is not audio is listed with its role.

    Raises
    ------
    NothingToCheck
        A path is missing or cannot be read, or no audio file was found.
    """
    for path in paths:
        _require_there(path)
    # Not resolved: a link keeps the name that the client gave it.
    paths = [Path(os.path.abspath(path)) for path in paths]
    troubles: list[Trouble] = []
    found: list[Path] = []
    for path in paths:
        found += files_in(path, troubles, lambda count: on_step(count, 0)) if path.is_dir() else [path]
    if rough_mix is not None:
        if not rough_mix.is_file():
            raise NothingToCheck(str(rough_mix), Phrase("open.no-mix"), Phrase("do.check-path"))
        rough_mix = Path(os.path.abspath(rough_mix))
        found.append(rough_mix)
    files, archives = _open_zips([_look_at(path) for path in dict.fromkeys(found)], unpack_into, troubles, on_step)
    source, base, name = _home(paths, files, archives)
    entries = _entries(files, base, name, troubles)
    if rough_mix is not None:
        entries = with_rough_mix(entries, next(e.path for e in entries if e.source == rough_mix))
    entries.sort(key=lambda e: natural_key(e.path))
    named = [_named_inside(t, base) for t in troubles]
    intake = Intake(
        source=source,
        name=name,
        entries=tuple(_placed(entries, name)),
        archives=tuple(archives),
        folders=tuple(path for path in paths if path.is_dir()),
        troubles=tuple(t.sentence for t in named if isinstance(t, LeftOut)),
        incomplete=tuple(_incomplete(t) for t in named if isinstance(t, NotCheckedHere)),
    )
    if not intake.sounds:
        raise _nothing(paths, intake, troubles)
    return intake


def _require_there(path: Path) -> None:
    try:
        there = path.exists()
    except OSError as error:
        problem = Phrase("file.unreadable", why=error.strerror)
        raise NothingToCheck(str(path), problem, Phrase("do.permissions-again")) from error
    if not there:
        raise NothingToCheck(str(path), Phrase("open.nothing"), Phrase("do.check-the-path"))


def _nothing(paths: Sequence[Path], intake: Intake, troubles: list[Trouble]) -> NothingToCheck:
    where = ", ".join(str(p) for p in paths)
    if troubles:
        first = troubles[0]
        return NothingToCheck(first.subject or where, first.problem, first.remedy)
    if not intake.entries:
        return NothingToCheck(where, Phrase("open.empty"), Phrase("do.choose-folder"))
    return NothingToCheck(where, Phrase("open.no-audio", count=len(intake.entries)), Phrase("do.choose-audio"))


def _named_inside(trouble: Trouble, base: Path) -> Trouble:
    """A trouble that names its file as the sheet does."""
    subject = Path(trouble.subject)
    inside = subject.relative_to(base).as_posix() if subject.is_relative_to(base) else trouble.subject
    return type(trouble)(inside if inside != "." else base.name, trouble.problem, trouble.remedy)


def _incomplete(trouble: NotCheckedHere) -> Incomplete:
    return Incomplete(what="opening", files=(trouble.subject,), problem=trouble.problem, remedy=trouble.remedy)


def _look_at(path: Path) -> _File:
    head = _first_bytes(path)
    return _File(source=path, shown=path, kind=kind_of(head), head=head)


def _first_bytes(path: Path) -> bytes:
    """The first bytes, or none: a file that cannot be read shows up when it is measured."""
    try:
        if not path.is_file():
            return b""
        with path.open("rb") as opened:
            return opened.read(_HEAD)
    except OSError:
        return b""


# -- zips -------------------------------------------------------------------------------------


def _open_zips(
    files: list[_File], into: Path | None, troubles: list[Trouble], on_step: OnStep
) -> tuple[list[_File], list[Path]]:
    """What is in zips in the zips' places; a zip that cannot be opened stays as a file."""
    packed_all = sum(_size(f.source) for f in files if f.kind is Kind.ZIP)
    packed_done = 0
    opened: list[_File] = []
    archives: list[Path] = []
    for file in files:
        if file.kind is not Kind.ZIP:
            opened.append(file)
            continue
        size = _size(file.source)
        inside = _open_zip(file, into, troubles, _scaled(on_step, packed_done, size, packed_all))
        packed_done += size
        opened += inside or [file]
        archives += [file.source] if inside else []
    for file in opened:
        if file.kind in _CLOSED_ARCHIVES:
            problem = Phrase("out.archive", kind=_CLOSED_ARCHIVES[file.kind])
            troubles.append(LeftOut(str(file.shown), problem, Phrase("do.unpack-or-zip")))
    return opened, archives


def _scaled(on_step: OnStep, before: int, size: int, total: int) -> OnStep:
    """Steps of one zip as steps of all, in packed bytes."""
    return lambda done, whole: on_step(before + size * done // max(1, whole), total)


def _open_zip(file: _File, into: Path | None, troubles: list[Trouble], on_step: OnStep) -> list[_File]:
    by_hand = Phrase("do.unpack")
    if into is None:
        problem = Phrase("here.no-cache")
        troubles.append(NotCheckedHere(str(file.shown), problem, by_hand))
        return []
    try:
        folder = into / str(sum(1 for _ in into.iterdir()))
        folder.mkdir()
        budget = Budget.for_folder(folder, _size(file.source))
        inside = unpack(file.source, folder, shown=str(file.shown), budget=budget, on_bytes=on_step)
    except OSError as error:
        troubles.append(NotCheckedHere(str(file.shown), Phrase("here.cannot-unpack", why=error.strerror), by_hand))
        return []
    if inside is None:
        return [_File(source=file.source, shown=file.shown, kind=Kind.DOCUMENT, head=file.head)]
    troubles += inside.troubles
    found = []
    for member in inside.files:
        if not any(is_hidden(part) for part in member.shown.split("/")):
            look = _look_at(member.source)
            identity = f"{file.source}: {member.identity}"
            shown = file.shown / member.shown
            found.append(_File(member.source, shown, look.kind, look.head, identity, member.damage))
    return found


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return 0


# -- where it all lies ------------------------------------------------------------------------


def _home(paths: Sequence[Path], files: Sequence[_File], archives: Sequence[Path]) -> tuple[Path, Path, str]:
    """(what was opened, what paths are relative to, the delivery's name)."""
    whole = paths[0]
    is_whole = len(paths) == 1 and (whole.is_dir() or whole in archives)
    if not is_whole or not all(f.shown.is_relative_to(whole) for f in files):
        source = Path(os.path.commonpath([f.shown.parent for f in files])) if files else whole.parent
        # A rough mix from elsewhere moves the common folder up, but not the delivery's name.
        return source, source, _delivery_name(whole, archives) if is_whole else source.name or "Delivery"
    if whole not in archives:
        return whole, whole, whole.name or "Delivery"
    base, name = whole, _delivery_name(whole, archives)
    while len(tops := {f.shown.relative_to(base).parts[0] for f in files}) == 1:
        top = base / tops.pop()
        if any(f.shown == top for f in files):
            break
        # What was packed as one folder is that folder: it has the client's name for it.
        base = top
        name = top.name if title_of(top.name) or not title_of(name) else name
    return whole, base, name


def _delivery_name(whole: Path, archives: Sequence[Path]) -> str:
    return (whole.stem if whole in archives else whole.name) or "Delivery"


# -- roles and songs --------------------------------------------------------------------------


def _entries(files: Sequence[_File], base: Path, name: str, troubles: list[Trouble]) -> list[Entry]:
    stems = {f.shown.with_suffix("").as_posix(): f.shown.name for f in files if f.kind.is_sound}
    prefix = shared_prefix(f.shown.stem for f in files if f.kind.is_sound)
    entries = []
    for file in files:
        path = file.shown.relative_to(base).as_posix()
        try:
            status = file.source.stat()
        except OSError as error:
            if not file.source.is_symlink():  # a link to nowhere is said when it is to be read
                remedy = Phrase("do.copy-here")
                troubles.append(NotCheckedHere(path, Phrase("here.no-size", why=error.strerror), remedy))
            status = None
        reading = _role(file, path, name, prefix)
        role = reading.role
        if file.damage is not None and not role.is_audio:
            troubles.append(LeftOut(path, file.damage.problem, file.damage.remedy))
        entries.append(
            Entry(
                path=path,
                source=file.source,
                role=role,
                bytes=status.st_size if status else 0,
                mtime_ns=status.st_mtime_ns if status and not file.archived else 0,
                archived=file.archived,
                text=read_notes(file.source) if role is Role.DOCUMENT and file.kind is Kind.TEXT else "",
                midi=read_midi(file.source) if role is Role.MIDI else None,
                beside=_beside(file.shown, stems) if role is Role.STRAY else "",
                damage=file.damage,
                basis=reading.basis,
            )
        )
    return entries


def _role(file: _File, path: str, delivery_name: str, prefix: str) -> RoleReading:
    if file.kind is Kind.MIDI:
        return RoleReading(Role.MIDI)
    if file.kind.is_sound and is_film(file.source, file.head):
        return RoleReading(Role.REFERENCE)
    if file.kind.is_sound or (file.ending.removeprefix(".") in SOUND_ENDINGS and file.kind not in _CLOSED_ARCHIVES):
        return read_role(path, delivery_name, prefix=prefix)
    if file.ending in _DOCUMENT_ENDINGS or file.kind is Kind.DOCUMENT:
        return RoleReading(Role.DOCUMENT)
    # A project's or a cache's text is markup; what a person writes is not.
    is_prose = file.kind is Kind.TEXT and not file.head.lstrip(b"\xef\xbb\xbf \t\r\n").startswith((b"<", b"{", b"["))
    return RoleReading(Role.DOCUMENT if is_prose and not file.ending else Role.STRAY)


def _beside(shown: Path, sounds: dict[str, str]) -> str:
    """The audio file that a waveform cache stands beside: "Kick.abc" or "Kick.wav.abc" beside "Kick.wav"."""
    stem = shown.with_suffix("")
    return sounds.get(stem.as_posix()) or sounds.get(stem.with_suffix("").as_posix(), "")


def _placed(entries: list[Entry], name: str) -> list[Entry]:
    """Songs first, then what only a song's files together say of their roles."""
    grouped = group_songs(entries, name)
    songs = list(dict.fromkeys(e.song for e in grouped))
    if len(songs) == 1:
        grouped = apart_by_length(grouped, name)
        songs = list(dict.fromkeys(e.song for e in grouped))
    if len(songs) > 1:
        # A song's title does not count against its mix.
        grouped = [_read_again(e) if e.role is Role.TRACKOUT else e for e in grouped]
    settled: dict[str, Entry] = {}
    for song in songs:
        settled |= {e.path: e for e in settle_roles([e for e in grouped if e.song == song])}
    return [settled[e.path] for e in grouped]


def _read_again(entry: Entry) -> Entry:
    reading = read_role(entry.path, entry.song)
    return replace(entry, role=reading.role, basis=reading.basis)
