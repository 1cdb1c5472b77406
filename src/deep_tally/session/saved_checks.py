"""Saved checks: one open JSON document each (docs/saved-check.md), written whole or not at all.

A document is never written over another's work: each save has a revision of its own, and whoever saves says which one
its work rests on. Where somebody else has saved since, the work goes beside.
"""

from __future__ import annotations

import fcntl
import json
import os
import uuid
from collections.abc import Mapping
from contextlib import ExitStack, suppress
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING, Any

from platformdirs import user_data_path

from deep_tally.model.errors import CannotWrite, SavedCheckRefused
from deep_tally.model.files import NO_CLIENT, ClientFiles, Entry
from deep_tally.model.phrase import Phrase
from deep_tally.work.atomic import write_atomically

if TYPE_CHECKING:
    from deep_tally.model.saved_check import SavedCheck

KIND, SCHEMA = "deep-tally check", 1
ENDING = ".deeptally"
MIME_TYPE = "application/vnd.deep-tally.check+json"
_HEAD = 64


@dataclass(frozen=True, slots=True, kw_only=True)
class SavedAs:
    """Where a check was saved, and as which revision; `is_beside` where somebody else had saved there meanwhile."""

    path: Path
    revision: str
    is_beside: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Base:
    """What a check takes over from a document that is there, so that it need not be at hand.

    Attributes
    ----------
    path : Path
    rounds : int
        How many rounds stand before the one that is written.
    with_tracks : bool
        Whether what was measured in that round is taken over too.
    """

    path: Path
    rounds: int
    with_tracks: bool


def home() -> Path:
    """Where checks are saved unless the user says otherwise (XDG data folder)."""
    return user_data_path("deep-tally") / "checks"


def is_saved_check(path: Path) -> bool:
    """Whether a file says of itself that it is a saved check, be it damaged or newer."""
    try:
        if not path.is_file():
            return False
        with path.open("rb") as file:
            return json.dumps(KIND).encode() in file.read(_HEAD)
    except OSError:
        return False


def require_saved_check(path: Path) -> None:
    """Refuse to save a check over anything that is none.

    Raises
    ------
    CannotWrite
        Something else lies there.
    """
    if os.path.lexists(path) and not is_saved_check(path):
        raise CannotWrite(str(path), Phrase("saved.other-file"), Phrase("do.other-name"))


def now() -> str:
    """This moment, as it is written in saved checks (ISO 8601, to the second, with the offset from UTC)."""
    return datetime.now().astimezone().isoformat(timespec="seconds")


def save_check(
    check: SavedCheck,
    path: Path,
    *,
    rests_on: str | None = None,
    base: Base | None = None,
    client: ClientFiles = NO_CLIENT,
    into_delivery: bool = False,
) -> SavedAs:
    """Write a check.

    Parameters
    ----------
    check : SavedCheck
        Its `saved_at` and `revision` are set here.
    path : Path
    rests_on : str, optional
        The revision it is to replace: where another one lies there, the check goes beside it. None replaces any.
    base : Base, optional
        What is taken over from a document that is there.
    client : ClientFiles
    into_delivery : bool

    Raises
    ------
    CannotWrite
        As `write_atomically`; or something that is no saved check lies there.
    SavedCheckRefused
        The document to take over from is not what it was.
    """
    check = replace(check, saved_at=now(), revision=uuid.uuid4().hex)
    require_saved_check(path)
    content = _document(check, base)
    with ExitStack() as held:
        with suppress(OSError):  # nothing there yet, or a drive that knows no locks
            fcntl.flock(held.enter_context(path.open("rb")), fcntl.LOCK_EX)
        require_saved_check(path)
        target = path
        if rests_on is not None and path.exists() and revision_of(path) not in (None, rests_on):
            target = free_place(path)
        write_atomically(content, target, client=client, into_delivery=into_delivery)
    return SavedAs(path=target, revision=check.revision, is_beside=target != path)


def _document(check: SavedCheck, base: Base | None) -> str:
    """The document: every top-level value on a line of its own, the small ones first."""
    from deep_tally import __version__
    from deep_tally.session.codec import encode

    said = {"kind": KIND, "schema": SCHEMA, "program": __version__, **encode(check)}
    if base is not None:
        there, this = _loaded(base.path).get("rounds"), said["rounds"][-1]
        if not isinstance(there, list) or len(there) < base.rounds + base.with_tracks:
            raise SavedCheckRefused(str(base.path), Phrase("saved.damaged"), Phrase("saved.check-again"))
        if base.with_tracks:
            if there[base.rounds]["contents"] != this["contents"]:
                raise SavedCheckRefused(str(base.path), Phrase("saved.damaged"), Phrase("saved.check-again"))
            this["tracks"] = there[base.rounds]["tracks"]
        said["rounds"] = [*there[: base.rounds], this]
    lines = [f"{json.dumps(key)}: {json.dumps(value, separators=(',', ':'))}" for key, value in said.items()]
    return "{" + ",\n".join(lines) + "}\n"


def revision_of(path: Path) -> str | None:
    """The revision a document says it is; None for one that cannot be read."""
    try:
        return str(_loaded(path).get("revision"))
    except SavedCheckRefused:
        return None


def free_place(path: Path) -> Path:
    """The path, or one beside it where something lies there."""
    number, free = 2, path
    while os.path.lexists(free):
        free = path.with_name(f"{path.stem} {number}{path.suffix}")
        number += 1
    return free


def read_check(path: Path, *, last_tracks: bool = True) -> SavedCheck:
    """Read a saved check, or all of it but what was measured in its last round, which is most of it.

    Raises
    ------
    SavedCheckRefused
        It cannot be read, is cut short or no saved check, was written by a newer version, holds a value that is none,
        or names files outside of the delivery.
    """
    from deep_tally.model.saved_check import SavedCheck
    from deep_tally.session.codec import Refused, decode

    data = _loaded(path)
    schema = data.get("schema")
    if data.get("kind") != KIND or not isinstance(schema, int) or isinstance(schema, bool) or schema < 1:
        raise SavedCheckRefused(str(path), Phrase("saved.none"), Phrase("saved.open-another"))
    if schema > SCHEMA:
        raise SavedCheckRefused(str(path), Phrase("saved.newer"), Phrase("do.update"))
    try:
        if not last_tracks:
            _leave_out_last_tracks(data)
        check = decode(data, SavedCheck)
    except Refused as refused:
        problem = Phrase("saved.wrong-value", where=str(refused))
        raise SavedCheckRefused(str(path), problem, Phrase("saved.check-again")) from refused
    if not check.rounds:
        raise SavedCheckRefused(str(path), Phrase("saved.wrong-value", where="rounds"), Phrase("saved.check-again"))
    for entry in (e for saved in check.rounds for e in saved.found.entries):
        if not is_in_delivery(entry):
            raise SavedCheckRefused(str(path), Phrase("saved.outside", name=entry.path), Phrase("saved.check-again"))
    return check


def _loaded(path: Path) -> Mapping[str, Any]:
    try:
        text = path.read_text("utf-8")
    except OSError as error:
        problem = Phrase("saved.unreadable", why=error.strerror)
        raise SavedCheckRefused(str(path), problem, Phrase("do.check-path")) from error
    except UnicodeDecodeError as error:
        raise SavedCheckRefused(str(path), Phrase("saved.none"), Phrase("saved.open-another")) from error
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        problem = Phrase("saved.damaged" if json.dumps(KIND) in text[:_HEAD] else "saved.none")
        raise SavedCheckRefused(str(path), problem, Phrase("saved.check-again")) from error
    if not isinstance(data, dict):
        raise SavedCheckRefused(str(path), Phrase("saved.none"), Phrase("saved.open-another"))
    return data


def _leave_out_last_tracks(data: Mapping[str, Any]) -> None:
    rounds = data.get("rounds")
    if isinstance(rounds, list) and rounds and isinstance(rounds[-1], dict):
        rounds[-1]["tracks"] = []


def is_in_delivery(entry: Entry) -> bool:
    """Whether a file lies where its path in the delivery says, and that leads nowhere else."""
    steps = PurePosixPath(entry.path)
    is_inside = bool(entry.path) and not steps.is_absolute() and ".." not in steps.parts
    return is_inside and (bool(entry.archived) or str(entry.source).endswith(f"/{entry.path}"))
