"""Files that are written whole or not at all. Beside the rooms: whatever saves, saves so."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Iterable
from pathlib import Path

from deep_tally.model.errors import CannotWrite


def write_whole(content: str | bytes, path: Path, *, client_files: Iterable[Path] = ()) -> None:
    """Write UTF-8 text or bytes atomically: a failure leaves what was there before.

    Raises
    ------
    CannotWrite
        The folder is missing or read-only, the disk is full, or `path` is one of the client's files.
    """
    with contextlib.suppress(OSError):
        if any(path.exists() and path.samefile(file) for file in client_files):
            raise CannotWrite(str(path), "it is one of the client's files", "choose another name")
    data = content.encode("utf-8", "surrogateescape") if isinstance(content, str) else content
    unfinished: str | None = None
    try:
        handle, unfinished = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name[:32]}.")
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        mask = os.umask(0)
        os.umask(mask)
        os.chmod(unfinished, 0o666 & ~mask)  # a temporary file is private; an output is not
        os.replace(unfinished, path)
    except OSError as error:
        if unfinished is not None:
            with contextlib.suppress(OSError):
                os.unlink(unfinished)
        raise CannotWrite(str(path), f"it cannot be written ({error.strerror})", "choose another place") from error
