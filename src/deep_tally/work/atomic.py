"""Files that are written whole or not at all, and never over a client's. Beside the rooms: whatever saves, saves so.

What is unfinished lies in the output's own folder under a hidden name until it is renamed. A note in the user's cache
says where, so that what a killed process left is swept at the next start.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path

from platformdirs import user_cache_path

from deep_tally.model.errors import CannotWrite, InsideDelivery
from deep_tally.model.files import NO_CLIENT, ClientFiles
from deep_tally.model.phrase import Phrase

_UNFINISHED = ".deep-tally-unfinished-"


def write_atomically(
    content: str | bytes, path: Path, *, client: ClientFiles = NO_CLIENT, into_delivery: bool = False
) -> None:
    """Write UTF-8 text or bytes atomically: a failure leaves what was there before. A link's target is written.

    Parameters
    ----------
    content : str or bytes
    path : Path
    client : ClientFiles
        What must not be written over, or into.
    into_delivery : bool
        Whether the user wants the output inside the client's folder.

    Raises
    ------
    InsideDelivery
        `path` lies in the client's folder, and that was not asked for.
    CannotWrite
        The folder is missing or read-only, the disk is full, or `path` is one of the client's files.
    """
    target = _target_of(path)
    require_not_the_clients(target, client, into_delivery=into_delivery)
    data = content.encode("utf-8", "surrogateescape") if isinstance(content, str) else content
    try:
        with unfinished_in(target.parent) as (handle, unfinished):
            with open(handle, "wb", closefd=False) as file:
                file.write(data)
                file.flush()
                os.fsync(handle)
            mask = os.umask(0)
            os.umask(mask)
            os.fchmod(handle, 0o666 & ~mask)  # a temporary file is private; an output is not
            os.replace(unfinished, target)
    except OSError as error:
        raise CannotWrite(str(path), Phrase("write.failed", why=error.strerror), Phrase("do.other-place")) from error


def require_not_the_clients(path: Path, client: ClientFiles, *, into_delivery: bool = False) -> None:
    """Refuse an output that is one of the client's files, by its path or as the same file on disk, or is among them.

    Every file is compared by itself: one that is gone, or a broken link, must not hide the others.

    Raises
    ------
    InsideDelivery
        `path` lies in the client's folder, and that was not asked for.
    CannotWrite
        `path` is one of the client's files.
    """
    target = _target_of(path)
    there = _identity(target)
    for file in client.files:
        if _same(target, there, file):
            raise CannotWrite(str(path), Phrase("write.clients-file"), Phrase("do.other-name"))
    if not into_delivery and is_inside_delivery(target, client):
        raise InsideDelivery(str(path), Phrase("write.in-delivery"), Phrase("do.outside"))


def is_inside_delivery(path: Path, client: ClientFiles) -> bool:
    """Whether a path lies in a folder that the client sent, whatever links lead there."""
    target = _target_of(path)
    for above in (target, *target.parents):
        there = _identity(above)
        if any(_same(above, there, folder) for folder in client.folders):
            return True
    return False


def _target_of(path: Path) -> Path:
    """Where a path leads when all its links are followed.

    Raises
    ------
    CannotWrite
        Its links lead in a circle, or through a folder that cannot be read.
    """
    try:
        return path.resolve()
    except (OSError, RuntimeError) as error:
        raise CannotWrite(str(path), Phrase("write.links"), Phrase("do.other-place")) from error


def _same(path: Path, there: tuple[int, int] | None, other: Path) -> bool:
    if there is not None and there == _identity(other):
        return True
    with contextlib.suppress(OSError, RuntimeError):
        return path == other.resolve()
    return False


def _identity(path: Path) -> tuple[int, int] | None:
    """(device, inode) of a file, which hard links share; None when it is not there."""
    try:
        status = path.stat()
    except OSError:
        return None
    return status.st_dev, status.st_ino


# -- what is not finished ---------------------------------------------------------------------


@contextlib.contextmanager
def unfinished_in(folder: Path) -> Iterator[tuple[int, Path]]:
    """A new file in a folder, open for writing and locked; deleted at the end unless it was renamed."""
    handle, name = tempfile.mkstemp(dir=folder, prefix=_UNFINISHED)
    path = Path(name)
    note = None
    try:
        with contextlib.suppress(OSError):  # some network drives know no locks
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        with contextlib.suppress(OSError):
            note = _notes() / path.name
            note.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            note.symlink_to(path)
        yield handle, path
    finally:
        os.close(handle)
        for left in (path, note):
            if left is not None:
                with contextlib.suppress(OSError):
                    left.unlink(missing_ok=True)


def sweep_unfinished() -> None:
    """Delete the unfinished files of processes that were killed while they wrote."""
    with contextlib.suppress(OSError):
        for note in list(_notes().iterdir()):
            with contextlib.suppress(OSError):
                unfinished = Path(os.readlink(note))
                if unfinished.name.startswith(_UNFINISHED) and _is_abandoned(unfinished):
                    unfinished.unlink(missing_ok=True)
                    note.unlink()


def _is_abandoned(path: Path) -> bool:
    """Whether nobody writes to it any more: its writer's lock is gone with its process."""
    try:
        handle = os.open(path, os.O_RDWR | os.O_NOFOLLOW | os.O_CLOEXEC)
    except FileNotFoundError:
        return True
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    else:
        return True
    finally:
        os.close(handle)


def _notes() -> Path:
    return user_cache_path("deep-tally") / "unfinished"
