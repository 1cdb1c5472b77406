"""A page as a draft that any mail program opens (RFC 5322): text and HTML of the same words (RFC 2046, RFC 3282)."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from email.errors import MessageError
from email.headerregistry import Address
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime

from deep_tally.model.paper import Paper
from deep_tally.reply.formats.html import to_html
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.page import Page


@dataclass(frozen=True, slots=True, kw_only=True)
class Sender:
    """Name and mail address of who writes, which may be empty, and the paper they print on."""

    name: str = ""
    address: str = ""
    paper: Paper = "A4"


NOBODY = Sender()


def to_eml(page: Page, *, now: datetime, sender: Sender = NOBODY) -> bytes:
    """The draft.

    Parameters
    ----------
    page : Page
    now : datetime
        With a time zone; the draft's date.
    sender : Sender
        Without an address the draft says that it was not sent yet, and the mail program fills it in.
    """
    message = EmailMessage(policy=SMTP)
    message["Subject"] = " ".join(page.title.split())
    message["Date"] = format_datetime(now)
    if (writer := _address(sender)) is not None:
        message["From"] = writer
    else:
        message["X-Unsent"] = "1"
    message.set_content(to_text(page))
    # Mail programs drop pictures that are drawn inside of a message; their words stay.
    message.add_alternative(to_html(page, is_drawn=False), subtype="html")
    message["Content-Language"] = page.language  # before, it would go to the first of the two
    return message.as_bytes()


def _address(sender: Sender) -> Address | None:
    address = sender.address.strip()
    try:
        return Address(display_name=" ".join(sender.name.split()), addr_spec=address) if address else None
    except (ValueError, LookupError, MessageError):
        return None  # what is no address must not keep the letter from being written
