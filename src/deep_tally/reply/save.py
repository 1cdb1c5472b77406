"""Write an output: whole or not at all, and never over a client's file."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from types import MappingProxyType

from deep_tally.model.errors import CannotWrite
from deep_tally.model.files import NO_CLIENT, ClientFiles
from deep_tally.model.phrase import Phrase
from deep_tally.reply.formats.html import to_html
from deep_tally.reply.formats.markdown import to_markdown
from deep_tally.reply.formats.pdf import to_pdf
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.page import Page
from deep_tally.work.atomic import write_atomically

FORMS: Mapping[str, Callable[[Page], str | bytes]] = MappingProxyType(
    {".txt": to_text, ".md": to_markdown, ".html": to_html, ".pdf": to_pdf}
)
"""A reply file's ending -> how the page is written in that form."""


def save_reply(page: Page, path: Path, *, client: ClientFiles = NO_CLIENT, into_delivery: bool = False) -> None:
    """Save a reply in the form its ending names; the rest as for `write_atomically`.

    Raises
    ------
    CannotWrite
        The ending names no form, or the file cannot be written.
    """
    require_form(path)
    write_atomically(FORMS[path.suffix.casefold()](page), path, client=client, into_delivery=into_delivery)


def require_form(path: Path) -> None:
    """Raise CannotWrite when the ending of a reply's name names no form."""
    if path.suffix.casefold() not in FORMS:
        raise CannotWrite(str(path), Phrase("write.no-form"), Phrase("write.end-in", endings=tuple(FORMS)))
