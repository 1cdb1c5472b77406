"""The PDF by another library: its pages, its words, and the tags that screen readers follow (ISO 32000-1, 14.8)."""

from __future__ import annotations

import ctypes
from collections.abc import Iterator
from dataclasses import replace

import pypdfium2
import pypdfium2.raw as pdfium
import pytest

from deep_tally.reply.formats.pdf import to_pdf
from deep_tally.reply.page import Block, Page
from deep_tally.reply.picture import Picture

PICTURE = Picture(
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 640 64"><rect width="640" height="64" fill="#ccc"/></svg>',
    "Drum.wav: the whole file as sent",
)
PAGE = Page(
    (
        Block("title", "Your files"),
        Block("text", "Hello Marit, thank you for the files."),
        Block("section", "Details"),
        Block("heading", "Turn it down"),
        Block("item", "Drum: distorts"),
        Block("picture", PICTURE.words, picture=PICTURE),
        Block("question", "Is that on purpose?", number=1),
        Block("hint", "seen at 0:10"),
    )
)


def elements(data: bytes) -> list[tuple[str, str]]:
    """(tag, alternative text) of every element of the document, in order."""
    document = pypdfium2.PdfDocument(data)
    return [found for page in document for found in _of_page(page)]


def _of_page(page: pypdfium2.PdfPage) -> Iterator[tuple[str, str]]:
    tree = pdfium.FPDF_StructTree_GetForPage(page)
    assert tree
    for number in range(pdfium.FPDF_StructTree_CountChildren(tree)):
        yield from _walk(pdfium.FPDF_StructTree_GetChildAtIndex(tree, number))
    pdfium.FPDF_StructTree_Close(tree)


def _walk(element: object) -> Iterator[tuple[str, str]]:
    kind = _text(pdfium.FPDF_StructElement_GetType, element)
    if kind != "Document":
        yield kind, _text(pdfium.FPDF_StructElement_GetAltText, element)
    for number in range(max(0, pdfium.FPDF_StructElement_CountChildren(element))):
        child = pdfium.FPDF_StructElement_GetChildAtIndex(element, number)
        if child:
            yield from _walk(child)


def _text(read: object, element: object) -> str:
    buffer = ctypes.create_string_buffer(1024)
    read(element, buffer, 1024)  # type: ignore[operator]
    return buffer.raw.decode("utf-16-le").partition("\0")[0]


def test_every_paragraph_and_picture_is_tagged_in_order() -> None:
    assert elements(to_pdf(PAGE)) == [
        ("H1", ""),
        ("P", ""),
        ("H2", ""),
        ("H3", ""),
        ("P", ""),
        ("Figure", PICTURE.words),
        ("P", ""),
        ("P", ""),
        ("P", ""),
    ]


def test_it_says_its_title_and_language_and_that_it_is_tagged() -> None:
    for language in ("en", "de"):
        data = to_pdf(replace(PAGE, language=language))
        document = pypdfium2.PdfDocument(data)
        assert document.get_metadata_value("Title") == "Your files"
        assert f"/Lang ({language})".encode() in data
        assert b"/MarkInfo" in data
        assert b"/DisplayDocTitle true" in data


@pytest.mark.parametrize(("paper", "size_pt"), [("A4", (595, 842)), ("Letter", (612, 792))])
def test_it_is_as_large_as_the_paper(paper: str, size_pt: tuple[int, int]) -> None:
    page = pypdfium2.PdfDocument(to_pdf(PAGE, paper))[0]  # type: ignore[arg-type]
    assert tuple(round(side) for side in page.get_size()) == size_pt


def test_long_texts_go_on_over_pages_without_a_word_lost() -> None:
    words = [f"word{n}" for n in range(3000)]
    blocks = [Block("title", "Long"), Block("text", " ".join(words)), *(Block("item", f"item{n}") for n in range(120))]
    data = to_pdf(Page(tuple(blocks)))
    document = pypdfium2.PdfDocument(data)
    assert len(document) > 4
    text = " ".join(page.get_textpage().get_text_range() for page in document).split()
    assert [w for w in text if w.startswith("word")] == words
    assert [w for w in text if w.startswith("item")] == [f"item{n}" for n in range(120)]
    assert {kind for kind, _ in elements(data)} == {"H1", "P"}
