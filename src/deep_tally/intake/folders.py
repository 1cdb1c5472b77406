"""The files of a folder, to its depths."""

from __future__ import annotations

import os
import re
import stat
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

from deep_tally.model.errors import LeftOut

_SYSTEM_NAMES = frozenset({"desktop.ini", "thumbs.db", "__macosx", "$recycle.bin", "system volume information"})


@lru_cache(maxsize=20_000)
def natural_key(path: str) -> tuple[tuple[int, int, str], ...]:
    """Sort key that puts "2 Bass" before "10 Voice" and ignores case."""
    parts = re.split(r"([0-9]+)", path.casefold())
    return tuple((0, int(p), "") if p.isascii() and p.isdigit() else (1, 0, p) for p in parts if p)


def files_in(folder: Path, troubles: list[LeftOut], on_count: Callable[[int], None] = lambda count: None) -> list[Path]:
    """All ordinary files in a folder; hidden and system files are left out.

    Linked folders are looked into, each folder once: a link that leads back up ends there. Pipes, sockets and devices
    are no client's files; a link to nowhere is listed, and told when it is read.

    Parameters
    ----------
    folder : Path
    troubles : list of LeftOut
        Folders that cannot be read are added to it.
    on_count : callable
        Told how many files are found so far, folder by folder.
    """

    def note(error: OSError) -> None:
        remedy = "change its permissions and read it again"
        troubles.append(LeftOut(str(error.filename), "the folder cannot be read", remedy))

    found: list[Path] = []
    seen: set[tuple[int, int]] = set()
    for here, folders, names in os.walk(folder, onerror=note, followlinks=True):
        if not _is_new(here, seen):
            folders.clear()
            continue
        folders[:] = [name for name in folders if not is_hidden(name)]
        found += [path for name in names if not is_hidden(name) and not _is_special(path := Path(here, name))]
        on_count(len(found))
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
