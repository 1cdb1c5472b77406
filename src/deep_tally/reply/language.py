"""The language a page is written in: gettext catalogues, one folder for each language (docs/translating.md)."""

from __future__ import annotations

import gettext as _gettext
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import cache
from importlib import resources
from typing import Literal, get_args

Language = Literal["en", "de"]
LANGUAGES: tuple[Language, ...] = get_args(Language)
DOMAIN = "letter"

_spoken: ContextVar[Language] = ContextVar("_spoken", default="en")


@contextmanager
def speaking(language: Language) -> Iterator[None]:
    """Everything that is worded inside is in this language."""
    token = _spoken.set(language)
    try:
        yield
    finally:
        _spoken.reset(token)


@cache
def _catalogue(language: Language) -> _gettext.NullTranslations:
    if language == "en":
        return _gettext.NullTranslations()  # what stands in the code
    file = resources.files("deep_tally").joinpath("locale", language, "LC_MESSAGES", f"{DOMAIN}.mo")
    with file.open("rb") as opened:
        return _gettext.GNUTranslations(opened)


def spoken() -> Language:
    """The language in force."""
    return _spoken.get()


def gettext(text: str) -> str:
    """A text in the language in force."""
    return _catalogue(spoken()).gettext(text)


def ngettext(one: str, many: str, number: int, /, **named: object) -> str:
    """A text for a number of things, with the number in it where it says {number}, and whatever else it names."""
    return _catalogue(spoken()).ngettext(one, many, number).format(number=number, **named)


def marked(text: str) -> str:
    """A text that is to be translated where it is used, and is only listed here."""
    return text
