"""A page on paper, to be read, copied and saved: the brief as the client gets it."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from deep_tally.app.base.plain import PlainLabel
from deep_tally.app.base.settings import Settings
from deep_tally.app.base.theme import Theme
from deep_tally.app.pages.paper import PageView, ask_where
from deep_tally.reply.page import Page

_WIDTH = 820
KINDS = (("PDF", ".pdf"), ("Web page", ".html"), ("Text", ".txt"), ("Markdown", ".md"))


class PaperView(PageView):
    """The client's page. `left` says that the user goes back."""

    left = Signal()

    def __init__(self, theme: Theme, settings: Settings) -> None:
        super().__init__(theme, settings)
        self.text.setReadOnly(True)
        self.text.setAccessibleName("The client's page")
        self._name = ""
        self.words = PlainLabel("What to send, for the client: it follows the brief.")
        self.back = self.button("Back", "Back to the sheet (Esc)", self.left.emit)
        self.copy = self.button("Copy as text", "Copy the whole page as plain text", self.copy_text)
        self.save = self.button("Save the page…", "As PDF, web page, text or Markdown", self.save_as)
        self.save.setProperty("look", "main")
        line = QHBoxLayout()
        line.setContentsMargins(0, 8, 0, 8)
        line.setSpacing(8)
        line.addWidget(self.words)
        line.addStretch()
        for button in (self.back, self.copy, self.save):
            line.addWidget(button)
        paper = QWidget()
        paper.setMaximumWidth(_WIDTH)
        column = QVBoxLayout(paper)
        column.setContentsMargins(0, 0, 0, 16)
        column.setSpacing(0)
        column.addLayout(line)
        column.addWidget(self.text, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(24, 0, 24, 0)
        whole.addStretch(1)
        whole.addWidget(paper, 100)
        whole.addStretch(1)
        theme.follow(self, self._colour)
        self._colour()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)

    def show_page(self, page: Page, name: str) -> None:
        """Show a page; `name` is proposed for its file."""
        self._name = name
        self.text.show_page(page)

    def save_as(self) -> None:
        """Ask where, and save in the form the ending names."""
        path = ask_where(self, self._settings, "Save the client's page", self._name, KINDS)
        if path is not None:
            self.save_to(path)

    def _colour(self) -> None:
        self.words.setStyleSheet(f"color: {self._theme.colours.soft}")
