"""A page on paper, to be read, copied and saved: the brief as the client gets it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor, QGuiApplication, QKeyEvent, QTextCursor
from PySide6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QLabel, QPushButton, QTextEdit, QVBoxLayout, QWidget

from deep_tally.app.page_text import PageText
from deep_tally.app.settings import Settings
from deep_tally.app.theme import DAY, Theme
from deep_tally.model.errors import DeepTallyError
from deep_tally.reply.action_words import readable
from deep_tally.reply.page import Page, to_text
from deep_tally.reply.save import FORMS, save_reply

_WIDTH = 820
KINDS = (("PDF", ".pdf"), ("Web page", ".html"), ("Text", ".txt"), ("Markdown", ".md"))


class PaperView(QWidget):
    """The client's page. `said` tells what happened, in one sentence; `left` that the user goes back."""

    said = Signal(str)
    left = Signal()

    def __init__(self, theme: Theme, settings: Settings) -> None:
        super().__init__()
        self._theme, self._settings = theme, settings
        self.text = QTextEdit()
        self.text.setReadOnly(True)
        self.text.setAccessibleName("The client's page")
        self.text.setTabChangesFocus(True)
        self.text.setFrameShape(QFrame.Shape.NoFrame)
        self.text.document().setDocumentMargin(44)
        self._page_text = PageText(self.text.document())
        self._name = ""
        self.words = QLabel("What to send, for the client: it follows the brief.")
        self.back = self._button("Back", "Back to the sheet (Esc)", self.left.emit)
        self.copy = self._button("Copy as text", "Copy the whole page as plain text", self.copy_text)
        self.save = self._button("Save the page…", "As PDF, web page, text or Markdown", self.save_as)
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
        theme.changed.connect(self._colour)
        self._colour()

    def _button(self, words: str, tip: str, what: object) -> QPushButton:
        button = QPushButton(words)
        button.setToolTip(tip)
        button.clicked.connect(what)
        return button

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)

    def show_page(self, page: Page, name: str) -> None:
        """Show a page; `name` is proposed for its file."""
        self._name = name
        self._page_text.show(page, DAY)
        self.text.moveCursor(QTextCursor.MoveOperation.Start)

    @property
    def page(self) -> Page:
        """The page as it is shown."""
        return self._page_text.page()

    def copy_text(self) -> None:
        """Put the page on the clipboard as plain text."""
        QGuiApplication.clipboard().setText(to_text(self.page))
        self.said.emit("The page is on the clipboard, as plain text.")

    def save_as(self) -> None:
        """Ask where, and save in the form the ending names."""
        proposed = self._settings.folder("reply") / f"{readable(self._name.replace('/', '-'))}.pdf"
        kinds = ";;".join(f"{words} (*{ending})" for words, ending in KINDS)
        chosen, kind = QFileDialog.getSaveFileName(self, "Save the client's page", str(proposed), kinds)
        if chosen:
            path = Path(chosen)
            if path.suffix.casefold() not in FORMS:
                path = path.with_name(path.name + kind.rpartition("*")[2].rstrip(")"))
            self.save_to(path)

    def save_to(self, path: Path) -> bool:
        """Save the page; says what happened and tells whether it worked."""
        try:
            save_reply(self.page, path)
        except DeepTallyError as error:
            self.said.emit(str(error))
            return False
        self._settings.set_folder("reply", path.parent)
        self.said.emit(f"Saved: {path}")
        return True

    def _colour(self) -> None:
        # Paper: the same by day and by night.
        palette = self.text.palette()
        palette.setColor(palette.ColorRole.Text, QColor(DAY.ink))
        self.text.setPalette(palette)
        self.text.setStyleSheet(
            f"QTextEdit {{ background: #FFFFFF; color: {DAY.ink}; border: 1px solid {self._theme.colours.rule};"
            f" selection-background-color: {DAY.fix}; selection-color: #FFFFFF; padding: 0; }}"
        )
        self.words.setStyleSheet(f"color: {self._theme.colours.soft}")
