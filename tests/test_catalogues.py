"""The message catalogues: complete, in step with the code, and with the same things to fill in as the English."""

from __future__ import annotations

import gettext
import io
from collections.abc import Iterable
from pathlib import Path
from string import Formatter

import catalogues
import pytest
from babel.messages.catalog import Catalog, Message

FILES = catalogues.catalogue_files()
WHOLE = [file for file in FILES if not catalogues.is_overlay(file)]
OVERLAYS = [file for file in FILES if catalogues.is_overlay(file)]


def folder_of(file: Path) -> str:
    return file.parent.parent.name


def keys(catalogue: Catalog) -> set[tuple[str | None, str]]:
    return {(m.context, m.id[0] if isinstance(m.id, tuple) else m.id) for m in catalogue if m.id}


def texts(said: str | Iterable[str]) -> tuple[str, ...]:
    return (said,) if isinstance(said, str) else tuple(said)


def fields(text: str) -> set[str]:
    """What is to be filled in; what a number is called may be left out of the words for one."""
    return {name for _, name, _, _ in Formatter().parse(text) if name} - {"number", "count"}


def wrong_in(message: Message) -> list[str]:
    """Words whose fields are not those of the English, or that end a list of files otherwise."""
    english = texts(message.id)
    wanted = set().union(*map(fields, english))
    said = texts(message.string)
    wrong = [text for text in said if fields(text) != wanted]
    if any(text.endswith(": {files}") for text in english):
        wrong += [text for text in said if not text.endswith(": {files}")]
    return wrong


@pytest.fixture(scope="module")
def english() -> Catalog:
    return catalogues.template()


def test_there_is_a_german_one() -> None:
    assert [folder_of(file) for file in WHOLE] == ["de"]
    assert [folder_of(file) for file in OVERLAYS] == ["de@formal"]


def test_enough_is_extracted(english: Catalog) -> None:
    """A message of each way in which they are marked."""
    said = keys(english)
    for message in (
        (None, "has gaps in the sound"),  # marked
        (None, "Please send these {count} files again"),  # marked_plural
        (None, "One question:"),  # ngettext
        (None, "sample"),  # count
        ("decimal sign", "."),  # pgettext
        (None, "Details"),  # _
        (None, "lead voice"),  # a term in data
    ):
        assert message in said
    assert len(said) > 1000


@pytest.mark.parametrize("file", WHOLE, ids=folder_of)
def test_every_message_has_words_and_none_is_left_over(file: Path, english: Catalog) -> None:
    catalogue = catalogues.read(file)
    assert keys(catalogue) == keys(english)
    without = [m.id for m in catalogue if m.id and (m.fuzzy or not all(texts(m.string)))]
    assert without == []
    assert all(len(m.string) == catalogue.num_plurals for m in catalogue if isinstance(m.id, tuple))


@pytest.mark.parametrize("file", OVERLAYS, ids=folder_of)
def test_a_formal_one_words_only_what_there_is(file: Path, english: Catalog) -> None:
    assert keys(catalogues.read(file)) <= keys(english)


@pytest.mark.parametrize("file", FILES, ids=folder_of)
def test_words_fill_in_what_the_english_ones_do(file: Path) -> None:
    assert [wrong for m in catalogues.read(file) if m.id for wrong in wrong_in(m)] == []


@pytest.mark.parametrize("file", FILES, ids=folder_of)
def test_what_is_compiled_is_what_is_written(file: Path) -> None:
    assert file.with_suffix(".mo").read_bytes() == catalogues.compiled(catalogues.read(file))
    gettext.GNUTranslations(io.BytesIO(file.with_suffix(".mo").read_bytes()))


def test_a_field_that_is_lost_and_a_list_that_ends_otherwise_are_seen() -> None:
    assert wrong_in(Message("ends {time} before {files}", "endet {time} davor")) == ["endet {time} davor"]
    assert wrong_in(Message("These clip: {files}", "{files} übersteuern")) == ["{files} übersteuern"]
    assert wrong_in(Message("only {bits} bit", "nur {bits} Bit")) == []
