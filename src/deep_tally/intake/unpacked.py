"""The private folder for a zip's files: gone when its owner ends, swept when its owner crashed."""

from __future__ import annotations

import fcntl
import os
import shutil
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from platformdirs import user_cache_path

_LOCK = "in-use"


def _home() -> Path:
    return user_cache_path("deep-tally") / "unpacked"


class UnpackFolder:
    """A folder under the user's cache that holds a lock as long as its owner lives.

    The lock belongs to the process, so it goes however the process ends; `sweep` then knows an orphan.
    """

    def __init__(self) -> None:
        home = _home()
        home.mkdir(parents=True, exist_ok=True, mode=0o700)
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
    """Delete what crashed owners left; folders in use stay."""
    try:
        left = list(_home().iterdir())
    except OSError:
        return
    for folder in left:
        try:
            lock = os.open(folder / _LOCK, os.O_RDWR | os.O_CLOEXEC)
        except FileNotFoundError:
            # Made a moment ago and not locked yet, or half deleted: only what is old is an orphan.
            if _is_old(folder):
                shutil.rmtree(folder, ignore_errors=True)
            continue
        except OSError:
            continue
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            continue  # its owner lives
        else:
            shutil.rmtree(folder, ignore_errors=True)
        finally:
            os.close(lock)


def _is_old(folder: Path) -> bool:
    try:
        return time.time() - folder.stat().st_mtime > 60
    except OSError:
        return False
