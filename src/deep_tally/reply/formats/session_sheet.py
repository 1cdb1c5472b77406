"""The sheet for the mix session as HTML, PDF and CSV."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Mapping, Sequence
from types import MappingProxyType
from typing import TYPE_CHECKING

from deep_tally.model.paper import Paper
from deep_tally.reply.formats.csv import plain
from deep_tally.reply.session_sheet import COLUMNS, SongSheet

if TYPE_CHECKING:
    from deep_tally.reply.formats.tagged_pdf import Tag, TaggedPdf

_NUMBERS = frozenset({3, 4, 5})
"""The columns of numbers."""
_WIDTHS = (50, 26, 20, 17, 17, 20, 16, 103)
"""Of the columns, against each other."""
_MARGIN_MM, _SIZES_PT, _PT_MM = 12.0, (9.0, 8.0, 7.0, 6.2, 5.6), 0.3528
_PADDING = (0, 1, 0, 0)


def sheet_to_html(sheets: Sequence[SongSheet], paper: Paper = "A4") -> str:
    """One self-contained page, without script."""
    import jinja2  # only needed when a sheet is saved

    environment = jinja2.Environment(
        loader=jinja2.PackageLoader("deep_tally.reply", "templates"), autoescape=True, undefined=jinja2.StrictUndefined
    )
    title = sheets[0].title if sheets else "Session sheet"
    return environment.get_template("session.html").render(
        title=title, sheets=sheets, columns=COLUMNS, numbers=_NUMBERS
    )


def sheet_to_csv(sheets: Sequence[SongSheet], paper: Paper = "A4") -> str:
    """A row for each file (RFC 4180)."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow(("Song", *COLUMNS))
    for sheet in sheets:
        for row in sheet.rows:
            writer.writerow([plain(sheet.title), *(c if n in _NUMBERS else plain(c) for n, c in enumerate(row.cells))])
    return text.getvalue()


def sheet_to_pdf(sheets: Sequence[SongSheet], paper: Paper = "A4") -> bytes:
    """A sheet a song, of the largest text that fits one page, else on several."""
    for size in _SIZES_PT:
        made = _set(sheets, size, paper)
        if made.pages_count <= len(sheets):
            return bytes(made.output())
    return bytes(_set(sheets, _SIZES_PT[1], paper).output())


def _set(sheets: Sequence[SongSheet], size: float, paper: Paper) -> TaggedPdf:
    from deep_tally.reply.formats.tagged_pdf import TaggedPdf  # only needed when a PDF is written

    title = sheets[0].title if sheets else "Session sheet"
    pdf = TaggedPdf(paper, title=title, language="en", margin_mm=_MARGIN_MM, landscape=True)
    for number, sheet in enumerate(sheets):
        if number:
            pdf.add_page()
        _put(pdf, sheet, size)
    return pdf


def _put(pdf: TaggedPdf, sheet: SongSheet, size: float) -> None:
    from deep_tally.reply.formats.tagged_pdf import FAMILY

    line = size * _PT_MM * 1.3
    _line(pdf, sheet.title, size * 1.7, bold=True, tag="H1")
    _line(pdf, "   ".join(f"{label}: {value}" for label, value in sheet.facts), size, bold=False, tag="P")
    pdf.ln(line / 2)
    share = (pdf.w - 2 * _MARGIN_MM) / sum(_WIDTHS)
    widths = [width * share for width in _WIDTHS]
    for place, row in enumerate((COLUMNS, *(row.cells for row in sheet.rows))):
        pdf.set_font(FAMILY, "B" if place == 0 else "", size)
        texts = [pdf.printable(cell) for cell in row]
        lines = [len(_lines(pdf, width, line, text)) for width, text in zip(widths, texts, strict=True)]
        height = line * max(1, *lines) + 0.6
        if height > pdf.room_mm:
            pdf.add_page()
        left, top = _MARGIN_MM, pdf.get_y()
        with pdf.tagged("P"):
            for number, (width, text) in enumerate(zip(widths, texts, strict=True)):
                pdf.set_font(FAMILY, "B" if place == 0 or number == 0 else "", size)
                pdf.set_xy(left, top)
                pdf.multi_cell(width, line, text, align="R" if number in _NUMBERS else "L", padding=_PADDING)
                left += width
        with pdf.decoration():
            pdf.set_draw_color(0x22 if place == 0 else 0xDE, 0x30 if place == 0 else 0xD7, 0x3C if place == 0 else 0xC6)
            pdf.line(_MARGIN_MM, top + height - 0.3, pdf.w - _MARGIN_MM, top + height - 0.3)
        pdf.set_xy(_MARGIN_MM, top + height)
    if sheet.open:
        pdf.ln(line / 2)
        _line(pdf, "Still open besides", size * 1.1, bold=True, tag="H2")
        for text in sheet.open:
            _line(pdf, f"– {text}", size, bold=False, tag="P")


def _lines(pdf: TaggedPdf, width: float, line: float, text: str) -> Sequence[str]:
    found = pdf.multi_cell(width, line, text, align="L", padding=_PADDING, dry_run=True, output="LINES")
    return found if isinstance(found, list) else ()


def _line(pdf: TaggedPdf, text: str, size: float, *, bold: bool, tag: Tag) -> None:
    from deep_tally.reply.formats.tagged_pdf import FAMILY

    pdf.set_font(FAMILY, "B" if bold else "", size)
    pdf.set_text_color(0x22, 0x30, 0x3C)
    line, width = size * _PT_MM * 1.3, pdf.w - 2 * _MARGIN_MM
    text = pdf.printable(text)
    if line * max(1, len(_lines(pdf, width, line, text))) > pdf.room_mm:
        pdf.add_page()
    pdf.set_x(_MARGIN_MM)
    with pdf.tagged(tag):
        pdf.multi_cell(width, line, text, align="L", new_x="LMARGIN", new_y="NEXT")


SHEET_FORMS: Mapping[str, Callable[[Sequence[SongSheet], Paper], str | bytes]] = MappingProxyType(
    {".html": sheet_to_html, ".pdf": sheet_to_pdf, ".csv": sheet_to_csv}
)
"""A sheet file's ending -> how it is written."""
