"""The folder that a ready copy is written to: empty, outside the delivery, or the same plan's, to be gone on with."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
from pathlib import Path

from deep_tally.model.errors import CannotWrite
from deep_tally.model.files import ClientFiles
from deep_tally.model.phrase import Phrase
from deep_tally.model.ready import ReadyPlan
from deep_tally.ready.manifest import copies_document
from deep_tally.work.atomic import require_not_the_clients, write_atomically

JOURNAL = ".deep-tally-unfinished"
_SPARE = 64 << 20
"""Bytes that are left free, for headers and what lies beside the copies."""


def digest_of(plan: ReadyPlan) -> str:
    """What tells one plan from another."""
    said = json.dumps(copies_document(plan), sort_keys=True, ensure_ascii=True)
    return hashlib.sha256(said.encode()).hexdigest()


def require_target(folder: Path, plan: ReadyPlan, client: ClientFiles) -> None:
    """Refuse a folder that the plan cannot be written to.

    Raises
    ------
    CannotWrite
        There is nothing to copy; the folder lies in the delivery, or the delivery in it; it holds something else; the
        disk has too little room.
    """
    if not plan.copies:
        raise CannotWrite(str(folder), Phrase("ready.nothing"), Phrase("ready.see-plan"))
    require_not_the_clients(folder, client)
    try:
        target = folder.resolve()
        around = [p for p in (*client.files, *client.folders) if target in p.resolve().parents or target == p.resolve()]
        if around:
            raise CannotWrite(str(folder), Phrase("ready.around"), Phrase("ready.empty-folder"))
        if folder.exists() and not folder.is_dir():
            raise CannotWrite(str(folder), Phrase("ready.no-folder"), Phrase("ready.empty-folder"))
        there = {entry.name for entry in folder.iterdir()} if folder.is_dir() else set()
        if there and JOURNAL not in there:
            raise CannotWrite(str(folder), Phrase("ready.not-empty"), Phrase("ready.empty-folder"))
        if there and (folder / JOURNAL).read_text("utf-8", "replace").strip() != digest_of(plan):
            raise CannotWrite(str(folder), Phrase("ready.other-plan"), Phrase("ready.empty-folder"))
        written = sum(f.stat().st_size for f in folder.rglob("*") if f.is_file()) if there else 0
        free = shutil.disk_usage(_existing(target)).free
    except OSError as error:
        raise CannotWrite(str(folder), Phrase("write.failed", why=error.strerror), Phrase("do.other-folder")) from error
    needed = plan.frame_bytes + _SPARE - written
    if needed > free:
        problem = Phrase("ready.space", needed=needed, free=free)
        raise CannotWrite(str(folder), problem, Phrase("do.free-some"))


def _existing(path: Path) -> Path:
    """The folder itself, or the nearest one above it that is there."""
    return next(p for p in (path, *path.parents) if p.exists())


def begin(folder: Path, plan: ReadyPlan) -> None:
    """Make the folder and say in it which plan is being written.

    Raises
    ------
    CannotWrite
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        problem = Phrase("write.no-folder", why=error.strerror)
        raise CannotWrite(str(folder), problem, Phrase("do.other-folder")) from error
    write_atomically(digest_of(plan) + "\n", folder / JOURNAL)


def end(folder: Path) -> None:
    """The copy is whole: what says otherwise goes."""
    os.unlink(folder / JOURNAL)
