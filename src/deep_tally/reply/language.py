"""Where the words of a letter pass on their way to the page, so that a catalogue can stand there (gettext's names)."""

from __future__ import annotations


def gettext(text: str) -> str:
    """A text in the language of the page; English is what stands in the code."""
    return text


def ngettext(one: str, many: str, number: int, /, **named: object) -> str:
    """A text for a number of things, with the number in it where it says {number}, and whatever else it names."""
    return (one if number == 1 else many).format(number=number, **named)


def marked(text: str) -> str:
    """A text that is listed here and worded where it is used."""
    return text
