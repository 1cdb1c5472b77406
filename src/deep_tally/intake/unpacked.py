"""The private folder for a zip's files: gone when its owner ends, swept when its owner crashed."""

from __future__ import annotations

import fcntl
import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from platformdirs import user_cache_path

_LOCK = "in-use"
_DOOR = ".door"
"""A file that is locked while a folder is made or orphans are told apart: a folder is never seen without its lock."""

_DEAD = ".dead-"


def _home() -> Path:
    return user_cache_path("deep-tally") / "unpacked"


@contextmanager
def _door() -> Iterator[Path]:
    """The home of the folders, with nobody else making or sweeping any.

    Raises
    ------
    OSError
        The user's cache cannot be written.
    """
    home = _home()
    home.mkdir(parents=True, exist_ok=True, mode=0o700)
    handle = os.open(home / _DOOR, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        yield home
    finally:
        os.close(handle)


class UnpackFolder:
    """A folder under the user's cache that holds a lock as long as its owner lives.

    The lock belongs to the process, so it goes however the process ends; `sweep` then knows an orphan.

    Raises
    ------
    OSError
        The user's cache cannot be written.
    """

    def __init__(self) -> None:
        with _door() as home:
            self.path = Path(tempfile.mkdtemp(dir=home))
            self._lock = os.open(self.path / _LOCK, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        self.files = self.path / "files"
        self.files.mkdir()

    def remove(self) -> None:
        """Delete it with all that is in it; a second call does nothing."""
        if self._lock >= 0:
            shutil.rmtree(self.path, ignore_errors=True)
            os.close(self._lock)
            self._lock = -1


@contextmanager
def unpack_folder() -> Iterator[Path | None]:
    """A private folder for as long as the block runs; None where none can be made."""
    try:
        folder = UnpackFolder()
    except OSError:
        yield None
        return
    try:
        yield folder.files
    finally:
        folder.remove()


def sweep() -> None:
    """Delete what crashed owners left; folders in use stay.

    Orphans are renamed while nobody makes a folder, and deleted after that: gigabytes must keep nobody waiting.
    """
    dead = []
    with suppress(OSError), _door() as home:
        for folder in [f for f in home.iterdir() if f.is_dir()]:
            if folder.name.startswith(_DEAD):
                dead.append(folder)
            elif not _is_owned(folder):
                with suppress(OSError):
                    dead.append(folder.rename(folder.with_name(f"{_DEAD}{folder.name}")))
    for folder in dead:
        shutil.rmtree(folder, ignore_errors=True)


def _is_owned(folder: Path) -> bool:
    """Whether a process holds the folder's lock, or that cannot be known."""
    try:
        lock = os.open(folder / _LOCK, os.O_RDWR | os.O_CLOEXEC)
    except (FileNotFoundError, NotADirectoryError):
        return False
    except OSError:
        return True
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return True
    else:
        return False
    finally:
        os.close(lock)


def new_unpack_folder() -> UnpackFolder | None:
    """A folder of one's own; None where none can be made: then zips are said to be unpacked by hand."""
    try:
        return UnpackFolder()
    except OSError:
        return None
