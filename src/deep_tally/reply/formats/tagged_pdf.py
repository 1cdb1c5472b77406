"""PDF pages whose text is tagged (ISO 32000-1, 14.8): screen readers read headings, paragraphs and figures in order.

fpdf2 tags figures only, and keeps how it does that to itself: what is used of it here is held by the tests of the PDF.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from importlib import resources
from typing import Literal

from fpdf import FPDF
from fpdf.prefs import ViewerPreferences

from deep_tally.model.paper import Paper

Tag = Literal["H1", "H2", "H3", "P", "Figure"]

FAMILY = "Atkinson Hyperlegible Next"
_WEIGHTS = {"": "Regular", "B": "Bold"}


class TaggedPdf(FPDF):
    """A document in the shipped typeface.

    Parameters
    ----------
    paper : "A4" or "Letter"
    title, language : str
        The language as in RFC 5646.
    margin_mm : float
    landscape : bool
    """

    def __init__(self, paper: Paper, *, title: str, language: str, margin_mm: float, landscape: bool = False) -> None:
        super().__init__(format=paper, orientation="landscape" if landscape else "portrait")
        self.set_margin(margin_mm)
        self.set_auto_page_break(auto=True, margin=margin_mm * 0.8)
        fonts = resources.files("deep_tally").joinpath("fonts")
        for style, weight in _WEIGHTS.items():
            with resources.as_file(fonts.joinpath(f"AtkinsonHyperlegibleNext-{weight}.ttf")) as file:
                self.add_font(FAMILY, style, file)
        self.set_title(title)
        self.set_creator("Deep Tally")
        self.set_lang(language)
        self.viewer_preferences = ViewerPreferences(display_doc_title=True)
        self.add_page()

    @contextmanager
    def tagged(self, tag: Tag, alt: str | None = None) -> Iterator[None]:
        """What is written inside is one element of the document; it must not run over to another page."""
        mcid = self.struct_builder.next_mcid_for_page(self.page)
        self._add_marked_content(struct_type=f"/{tag}", mcid=mcid, alt_text=alt)
        self._out(f"/{tag} <</MCID {mcid}>> BDC")
        yield
        self._out("EMC")

    @contextmanager
    def decoration(self) -> Iterator[None]:
        """What is drawn inside says nothing."""
        self._out("/Artifact BMC")
        yield
        self._out("EMC")

    @property
    def room_mm(self) -> float:
        """How much height is left on this page."""
        return float(self.h - self.b_margin - self.get_y())

    def printable(self, text: str) -> str:
        """Characters the typeface lacks are shown by their numbers: a page must not lose part of a file's name."""
        known = self.current_font.cmap  # type: ignore[union-attr]
        return "".join(c if ord(c) in known or c in " \n" else f"[U+{ord(c):04X}]" for c in text)
