"""The files of a folder, to its depths."""

from __future__ import annotations

import os
import stat
from collections.abc import Callable
from pathlib import Path

from deep_tally.model.errors import LeftOut, NotCheckedHere
from deep_tally.model.phrase import Phrase

_SYSTEM_NAMES = frozenset({"desktop.ini", "thumbs.db", "__macosx", "$recycle.bin", "system volume information"})

_NAMED_MOST = 5


def files_in(
    folder: Path, troubles: list[LeftOut | NotCheckedHere], on_count: Callable[[int], None] = lambda count: None
) -> list[Path]:
    """All ordinary files in a folder; hidden and system files are left out.

    Links inside the folder are followed, each folder once: a link that leads back up ends there. Links that lead out
    of it are not: what lies there was not sent. Pipes, sockets and devices are no client's files; a link to nowhere is
    listed, and said to be so when it is read.

    Parameters
    ----------
    folder : Path
    troubles : list of LeftOut and NotCheckedHere
        Folders that cannot be read are added to it, and once all links that lead out.
    on_count : callable
        Called with how many files are found so far, folder by folder.
    """

    def note(error: OSError) -> None:
        problem = Phrase("here.folder", why=error.strerror)
        remedy = Phrase("do.permissions")
        troubles.append(NotCheckedHere(str(error.filename), problem, remedy))

    home = os.path.realpath(folder)
    leading_out: list[str] = []

    def is_ours(here: str, name: str) -> bool:
        path = os.path.join(here, name)
        if is_hidden(name):
            return False
        if os.path.islink(path) and not Path(os.path.realpath(path)).is_relative_to(home):
            leading_out.append(os.path.relpath(path, folder))
            return False
        return True

    found: list[Path] = []
    seen: set[tuple[int, int]] = set()
    for here, folders, names in os.walk(folder, onerror=note, followlinks=True):
        if not _is_new(here, seen):
            folders.clear()
            continue
        folders[:] = [name for name in folders if is_ours(here, name)]
        found += [path for name in names if is_ours(here, name) and not _is_special(path := Path(here, name))]
        on_count(len(found))
    if leading_out:
        named = (*sorted(leading_out)[:_NAMED_MOST], *(("…",) if len(leading_out) > _NAMED_MOST else ()))
        key = "out.link-out" if len(leading_out) == 1 else "out.links-out"
        problem = Phrase(key, count=len(leading_out), names=named)
        troubles.append(LeftOut(str(folder), problem, Phrase("do.put-files")))
    return found


def is_hidden(name: str) -> bool:
    """Whether a name is one that systems put beside a user's files."""
    return name.startswith(".") or name.casefold() in _SYSTEM_NAMES


def _is_new(folder: str, seen: set[tuple[int, int]]) -> bool:
    try:
        status = os.stat(folder)
    except OSError:
        return False
    key = status.st_dev, status.st_ino
    if key in seen:
        return False
    seen.add(key)
    return True


def _is_special(path: Path) -> bool:
    try:
        return not stat.S_ISREG(path.stat().st_mode)
    except OSError:
        return False
