"""The language that words are said in: GNU gettext catalogues, one folder a language, in `deep_tally/locale`.

English is what stands in the code. Beside a language's catalogue there may be a second one ("de@formal"), with only
those messages that are worded otherwise in a formal letter.
"""

from __future__ import annotations

import gettext as catalogues
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import lru_cache
from importlib import resources
from importlib.resources.abc import Traversable

_DOMAIN = "deep_tally"
_SPOKEN: ContextVar[tuple[str, bool]] = ContextVar("spoken", default=("en", False))


def gettext(text: str) -> str:
    """A text in the language that is spoken."""
    return _catalogue(*_SPOKEN.get()).gettext(text) if text else ""  # an empty one is a catalogue's own header


def pgettext(context: str, text: str) -> str:
    """A text that means several things, by what it means here."""
    return _catalogue(*_SPOKEN.get()).pgettext(context, text)


def ngettext(one: str, many: str, number: int, /, **named: object) -> str:
    """A text for a number of things, with the number in it where it says {number}, and whatever else it names."""
    return _catalogue(*_SPOKEN.get()).ngettext(one, many, number).format(number=number, **named)


def marked(text: str) -> str:
    """A text that is listed here and worded where it is used."""
    return text


def marked_plural(text: str) -> str:
    """A text for several things that is listed here and worded where their number is known."""
    return text


@contextmanager
def in_language(language: str, *, is_formal: bool = False) -> Iterator[None]:
    """All words inside are said in a language ("en", "de"); English where there is no catalogue of it."""
    token = _SPOKEN.set((language, is_formal))
    try:
        yield
    finally:
        _SPOKEN.reset(token)


@lru_cache(maxsize=1)
def languages() -> tuple[str, ...]:
    """All languages there are, English first."""
    return ("en", *sorted(f.name for f in _folder().iterdir() if f.is_dir() and "@" not in f.name))


@lru_cache(maxsize=8)
def name_of_language(language: str) -> str:
    """What a language is called in itself: "Deutsch"."""
    with in_language(language):
        return pgettext("the name of this language, in itself", "English")


def _folder() -> Traversable:
    return resources.files("deep_tally").joinpath("locale")


@lru_cache(maxsize=8)
def _catalogue(language: str, is_formal: bool) -> catalogues.NullTranslations:
    made = catalogues.NullTranslations()
    for name in (f"{language}@formal", language) if is_formal else (language,):
        if (found := _read(name)) is not None:
            made.add_fallback(found)
    return made


def _read(name: str) -> catalogues.GNUTranslations | None:
    file = _folder().joinpath(name, "LC_MESSAGES", f"{_DOMAIN}.mo")
    if not file.is_file():
        return None
    with file.open("rb") as stream:
        return catalogues.GNUTranslations(stream)
