"""Write an output: whole or not at all, and never over a client's file."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from types import MappingProxyType

from deep_tally.model.errors import CannotWrite
from deep_tally.reply.page import Page, to_html, to_markdown, to_text

FORMS: Mapping[str, Callable[[Page], str]] = MappingProxyType({".txt": to_text, ".md": to_markdown, ".html": to_html})
"""A reply file's ending -> how the page is written in that form."""


def save_reply(page: Page, path: Path, *, client_files: Iterable[Path] = ()) -> None:
    """Save a reply in the form its ending names.

    Raises
    ------
    CannotWrite
        The ending names no form, or the file cannot be written.
    """
    require_form(path)
    save_text(FORMS[path.suffix.casefold()](page), path, client_files=client_files)


def require_form(path: Path) -> None:
    """Raise CannotWrite when the ending of a reply's name tells no form."""
    if path.suffix.casefold() not in FORMS:
        raise CannotWrite(str(path), "its ending does not tell the form", f"end it in {', '.join(FORMS)}")


def save_text(text: str, path: Path, *, client_files: Iterable[Path] = ()) -> None:
    """Write UTF-8 text atomically: a failure leaves what was there before.

    Raises
    ------
    CannotWrite
        The folder is missing or read-only, the disk is full, or `path` is one of the client's files.
    """
    with contextlib.suppress(OSError):
        if any(path.exists() and path.samefile(file) for file in client_files):
            raise CannotWrite(str(path), "it is one of the client's files", "choose another name")
    unfinished: str | None = None
    try:
        handle, unfinished = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name[:32]}.")
        with os.fdopen(handle, "w", encoding="utf-8", errors="surrogateescape") as file:
            file.write(text)
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
