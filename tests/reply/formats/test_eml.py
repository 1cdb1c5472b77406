"""A letter as a mail draft, read by Python's own parser (RFC 5322, RFC 2046)."""

from __future__ import annotations

import email
from datetime import UTC, datetime
from email.message import EmailMessage
from email.policy import default

import pytest

from deep_tally.reply.formats.eml import Sender, to_eml
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.page import Block, Page

PAGE = Page((Block("title", "Your files for “Tide\nHarbour”"), Block("text", "Grüße <b>&amp; more")))
NOW = datetime(2026, 12, 1, 12, 0, tzinfo=UTC)


def parsed(**said: str) -> EmailMessage:
    message = email.message_from_bytes(to_eml(PAGE, now=NOW, sender=Sender(**said)), policy=default)
    assert isinstance(message, EmailMessage)
    assert message.defects == []
    return message


def test_both_forms_say_the_same_and_the_headers_are_whole() -> None:
    message = parsed()
    assert message.get_content_type() == "multipart/alternative"
    plain, rich = message.iter_parts()
    assert isinstance(plain, EmailMessage)
    assert isinstance(rich, EmailMessage)
    assert plain.get_content().replace("\r\n", "\n") == to_text(PAGE)
    assert "Grüße &lt;b&gt;&amp;amp; more" in rich.get_content()
    assert "<svg" not in rich.get_content()
    assert message["Subject"] == "Your files for “Tide Harbour”"
    assert message["Date"].datetime == NOW


def test_every_line_ends_as_mail_wants_it() -> None:
    raw = to_eml(PAGE, now=NOW)
    assert raw.count(b"\n") == raw.count(b"\r\n")
    assert max(len(line) for line in raw.split(b"\r\n")) <= 998  # RFC 5322, 2.1.1


def test_who_writes_stands_in_it_or_that_it_was_not_sent() -> None:
    known = parsed(name="Ada Lark", address="ada@example.org")
    assert (known["From"], known["X-Unsent"]) == ("Ada Lark <ada@example.org>", None)
    unknown = parsed(name="Ada Lark")
    assert (unknown["From"], unknown["X-Unsent"]) == (None, "1")


@pytest.mark.parametrize("address", ["no address", "@", "a@b@c", "a\r\nBcc: x@example.org", "  "])
def test_what_is_no_address_is_left_out(address: str) -> None:
    message = parsed(name="Ada", address=address)
    assert message["Bcc"] is None
    assert (message["From"], message["X-Unsent"]) == (None, "1")


def test_a_name_with_line_breaks_is_one_line() -> None:
    assert parsed(name="Ada\r\nBcc: x@example.org", address="ada@example.org")["Bcc"] is None
