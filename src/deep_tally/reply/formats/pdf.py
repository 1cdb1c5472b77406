"""A page as PDF (A4), made by fpdf2 in the shipped typeface; one that is nearly one sheet long is set to fit it."""

from __future__ import annotations

import io
from importlib import resources
from typing import TYPE_CHECKING

from deep_tally.reply.page import Block, BlockKind, Page

if TYPE_CHECKING:
    from fpdf import FPDF

_FAMILY = "Atkinson Hyperlegible Next"
_WEIGHTS = {"": "Regular", "B": "Bold"}
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


def to_pdf(page: Page) -> bytes:
    """The page as a PDF file: of the largest text that fits one sheet, else of the normal size on several."""
    largest = _set(page, _SIZES_PT[0])
    if largest.pages_count > 1 and _set(page, _SIZES_PT[-1]).pages_count == 1:
        fitting = (made for size in _SIZES_PT[1:] if (made := _set(page, size)).pages_count == 1)
        return bytes(next(fitting).output())
    return bytes(largest.output())


def _set(page: Page, size: float) -> FPDF:
    from fpdf import FPDF  # only needed when a PDF is written

    pdf = FPDF(format="A4")
    pdf.set_margin(_MARGIN_MM)
    pdf.set_auto_page_break(auto=True, margin=_MARGIN_MM * 0.8)
    fonts = resources.files("deep_tally").joinpath("fonts")
    for style, weight in _WEIGHTS.items():
        with resources.as_file(fonts.joinpath(f"AtkinsonHyperlegibleNext-{weight}.ttf")) as file:
            pdf.add_font(_FAMILY, style, file)
    pdf.set_title(page.title)
    pdf.set_creator("Deep Tally")
    pdf.set_lang("en")
    pdf.add_page()
    for block in page.blocks:
        _put(pdf, block, size)
    return pdf


def _put(pdf: FPDF, block: Block, size: float) -> None:
    share, style, above = _LOOKS[block.kind]
    height = size * share * _PT_MM * _LEADING
    if block.kind in ("heading", "section") and pdf.get_y() > pdf.h - _ROOM_MM:
        pdf.add_page()  # a heading stands over what it is about
    if pdf.get_y() > _MARGIN_MM:
        pdf.ln(above * size * _PT_MM * 1.4)
    if block.kind == "section":
        pdf.set_draw_color(*_RULE)
        pdf.line(_MARGIN_MM, pdf.get_y(), pdf.w - _MARGIN_MM, pdf.get_y())
        pdf.ln(size * _PT_MM * 0.5)
    pdf.set_font(_FAMILY, style, size * share)
    pdf.set_text_color(*(_SOFT if block.kind in ("hint", "picture") else _INK))
    if block.kind == "picture" and block.picture is not None:
        if pdf.get_y() + _PICTURE_MM / 4 > pdf.h - _MARGIN_MM:
            pdf.add_page()
        pdf.image(io.BytesIO(block.picture.svg.encode()), x=_MARGIN_MM + _ITEM_INDENT_MM, w=_PICTURE_MM)
    left = _MARGIN_MM
    if block.kind in ("question", "item", "hint", "picture"):
        left += _ITEM_INDENT_MM
    if block.kind == "item":
        pdf.set_x(_MARGIN_MM + 1)
        pdf.cell(_ITEM_INDENT_MM - 1, height, "–")
    if block.kind == "question" and block.number:
        pdf.set_x(_MARGIN_MM)
        pdf.cell(_ITEM_INDENT_MM, height, f"{block.number}.")
    text = f"{block.number}  {block.text}" if block.number and block.kind != "question" else block.text
    pdf.set_x(left)
    pdf.multi_cell(pdf.w - _MARGIN_MM - left, height, _printable(pdf, text), align="L", new_x="LMARGIN", new_y="NEXT")


def _printable(pdf: FPDF, text: str) -> str:
    """Characters the typeface lacks are shown by their numbers: a page must not lose part of a file's name."""
    known = pdf.current_font.cmap  # type: ignore[union-attr]
    return "".join(c if ord(c) in known or c in " \n" else f"[U+{ord(c):04X}]" for c in text)
