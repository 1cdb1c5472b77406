"""Write an output: whole or not at all, and never over a client's file."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime
from pathlib import Path
from types import MappingProxyType

from deep_tally.model.errors import CannotWrite
from deep_tally.model.files import NO_CLIENT, ClientFiles
from deep_tally.model.phrase import Phrase
from deep_tally.reply.formats.eml import NOBODY, Sender, to_eml
from deep_tally.reply.formats.html import to_html
from deep_tally.reply.formats.markdown import to_markdown
from deep_tally.reply.formats.pdf import to_pdf
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.page import Page
from deep_tally.work.atomic import write_atomically

FORMS: Mapping[str, Callable[[Page, Sender], str | bytes]] = MappingProxyType(
    {
        ".txt": lambda page, _: to_text(page),
        ".md": lambda page, _: to_markdown(page),
        ".html": lambda page, _: to_html(page),
        ".pdf": lambda page, sender: to_pdf(page, sender.paper),
        ".eml": lambda page, sender: to_eml(page, now=datetime.now().astimezone(), sender=sender),
    }
)
"""A reply file's ending -> how the page is written in that form."""


def save_reply(
    page: Page,
    path: Path,
    *,
    sender: Sender = NOBODY,
    client: ClientFiles = NO_CLIENT,
    into_delivery: bool = False,
) -> None:
    """Save a reply in the form its ending names; the rest as for `write_atomically`.

    Raises
    ------
    CannotWrite
        The ending names no form, or the file cannot be written.
    """
    require_form(path)
    write_atomically(FORMS[path.suffix.casefold()](page, sender), path, client=client, into_delivery=into_delivery)


def require_form(path: Path) -> None:
    """Raise CannotWrite when the ending of a reply's name names no form."""
    if path.suffix.casefold() not in FORMS:
        raise CannotWrite(str(path), Phrase("write.no-form"), Phrase("write.end-in", endings=tuple(FORMS)))
