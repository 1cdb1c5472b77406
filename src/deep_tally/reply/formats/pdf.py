"""A page as a tagged PDF in the shipped typeface; one that is nearly one sheet long is set to fit it."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, cast

from deep_tally.model.paper import Paper
from deep_tally.reply.page import Block, BlockKind, Page

if TYPE_CHECKING:
    from deep_tally.reply.formats.tagged_pdf import Tag, TaggedPdf

_FAMILY = "Atkinson Hyperlegible Next"
_MARGIN_MM = 20.0
_SIZES_PT = (11.0, 10.5, 10.0, 9.5, 9.0, 8.5)
"""Sizes of the text that are tried for one page; smaller is not read with ease."""
_INK, _SOFT, _RULE = (0x22, 0x30, 0x3C), (0x59, 0x65, 0x6F), (0xDE, 0xD7, 0xC6)
_PT_MM = 0.3528
_LEADING = 1.32
_ITEM_INDENT_MM = 5.0
_PICTURE_MM = 120.0
_ROOM_MM = 45.0

_LOOKS: dict[BlockKind, tuple[float, str, float]] = {
    # size against the text's, style, space above against the text's size
    "title": (1.9, "B", 0.0),
    "section": (1.22, "B", 1.0),
    "heading": (1.08, "B", 0.9),
    "text": (1.0, "", 0.45),
    "question": (1.0, "", 0.45),
    "item": (1.0, "", 0.2),
    "hint": (0.9, "", 0.2),
    "picture": (0.85, "", 0.5),
}


_TAGS: tuple[Tag, ...] = ("P", "H1", "H2", "H3")
"""By level."""


def to_pdf(page: Page, paper: Paper = "A4") -> bytes:
    """The page as a PDF file: of the largest text that fits one sheet, else of the normal size on several."""
    largest = _set(page, _SIZES_PT[0], paper)
    if largest.pages_count > 1 and _set(page, _SIZES_PT[-1], paper).pages_count == 1:
        sizes = (_set(page, size, paper) for size in _SIZES_PT[1:])
        return bytes(next(made for made in sizes if made.pages_count == 1).output())
    return bytes(largest.output())


def _set(page: Page, size: float, paper: Paper) -> TaggedPdf:
    from deep_tally.reply.formats.tagged_pdf import TaggedPdf  # only needed when a PDF is written

    pdf = TaggedPdf(paper, title=page.title, language=page.language, margin_mm=_MARGIN_MM)
    for block, level in page.outline:
        _put(pdf, block, size, _TAGS[level])
    return pdf


def _put(pdf: TaggedPdf, block: Block, size: float, tag: Tag) -> None:
    share, style, above = _LOOKS[block.kind]
    height = size * share * _PT_MM * _LEADING
    if block.kind in ("heading", "section") and pdf.get_y() > pdf.h - _ROOM_MM:
        pdf.add_page()  # a heading stands over what it is about
    if pdf.get_y() > _MARGIN_MM:
        pdf.ln(above * size * _PT_MM * 1.4)
    if block.kind == "section":
        pdf.set_draw_color(*_RULE)
        with pdf.decoration():
            pdf.line(_MARGIN_MM, pdf.get_y(), pdf.w - _MARGIN_MM, pdf.get_y())
        pdf.ln(size * _PT_MM * 0.5)
    pdf.set_font(_FAMILY, style, size * share)
    pdf.set_text_color(*(_SOFT if block.kind in ("hint", "picture") else _INK))
    if block.kind == "picture" and block.picture is not None:
        if pdf.get_y() + _PICTURE_MM / 4 > pdf.h - _MARGIN_MM:
            pdf.add_page()
        with pdf.tagged("Figure", alt=block.picture.words):
            pdf.image(io.BytesIO(block.picture.svg.encode()), x=_MARGIN_MM + _ITEM_INDENT_MM, w=_PICTURE_MM)
    sign, left = "", _MARGIN_MM
    if block.kind in ("question", "item", "hint", "picture"):
        left += _ITEM_INDENT_MM
    if block.kind == "item":
        sign = "–"
    elif block.kind == "question" and block.number:
        sign = f"{block.number}."
    _write(pdf, pdf.printable(block.text), sign, left, height, tag)


def _write(pdf: TaggedPdf, text: str, sign: str, left: float, height: float, tag: Tag) -> None:
    """One paragraph with what stands before it, on one page; one that is longer than a page line by line."""
    width = pdf.w - _MARGIN_MM - left
    pdf.set_x(left)
    lines = cast("list[str]", pdf.multi_cell(width, height, text, align="L", dry_run=True, output="LINES"))
    if len(lines) * height > pdf.room_mm and len(lines) * height <= pdf.h - 2 * _MARGIN_MM:
        pdf.add_page()
    pieces = [text] if len(lines) * height <= pdf.room_mm else list(lines)
    for place, piece in enumerate(pieces):
        if height > pdf.room_mm:
            pdf.add_page()
        with pdf.tagged(tag):
            if sign and place == 0:
                pdf.set_x(_MARGIN_MM + (1 if sign == "–" else 0))
                pdf.cell(_ITEM_INDENT_MM, height, sign)
            pdf.set_x(left)
            pdf.multi_cell(width, height, piece, align="L", new_x="LMARGIN", new_y="NEXT")
