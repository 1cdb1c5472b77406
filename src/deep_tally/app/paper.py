"""A page on paper: white by day and by night, since the client will see it so."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtGui import QColor, QGuiApplication, QTextCursor
from PySide6.QtWidgets import QFileDialog, QFrame, QTextEdit, QWidget

from deep_tally.app.page_text import PageText
from deep_tally.app.settings import Settings
from deep_tally.app.theme import DAY, Theme
from deep_tally.reply.action_words import readable
from deep_tally.reply.page import Page, to_text
from deep_tally.reply.save import FORMS

_MARGIN = 44


class Paper(QTextEdit):
    """Shows a page, and gives it back as it was edited."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setAcceptRichText(False)
        self.setTabChangesFocus(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.document().setDocumentMargin(_MARGIN)
        self._page_text = PageText(self.document())
        theme.changed.connect(self._colour)
        self._colour()

    def show_page(self, page: Page) -> None:
        """Show a page from its beginning."""
        self._page_text.show(page, DAY)
        self.moveCursor(QTextCursor.MoveOperation.Start)

    @property
    def page(self) -> Page:
        """The page as it stands, with all edits."""
        return self._page_text.page()

    def copy_page(self) -> None:
        """Put the whole page on the clipboard, as plain text."""
        QGuiApplication.clipboard().setText(to_text(self.page))

    def _colour(self) -> None:
        palette = self.palette()
        palette.setColor(palette.ColorRole.Text, QColor(DAY.ink))
        self.setPalette(palette)
        self.setStyleSheet(
            f"QTextEdit {{ background: #FFFFFF; color: {DAY.ink}; border: 1px solid {self._theme.colours.rule};"
            f" selection-background-color: {DAY.fix}; selection-color: #FFFFFF; padding: 0; }}"
        )


def ask_where(
    parent: QWidget, settings: Settings, title: str, name: str, kinds: Sequence[tuple[str, str]]
) -> Path | None:
    """Ask where to save a page; None when the user did not choose.

    Parameters
    ----------
    parent, settings
    title : str
        Over the dialog.
    name : str
        Proposed, without ending.
    kinds : sequence of (words, ending)
        The forms to choose from, the first one proposed; a name without a known ending gets the chosen one's.
    """
    proposed = settings.folder("reply") / f"{readable(name.replace('/', '-'))}{kinds[0][1]}"
    filters = ";;".join(f"{words} (*{ending})" for words, ending in kinds)
    chosen, kind = QFileDialog.getSaveFileName(parent, title, str(proposed), filters)
    if not chosen:
        return None
    path = Path(chosen)
    if path.suffix.casefold() not in FORMS:
        path = path.with_name(path.name + kind.rpartition("*")[2].rstrip(")"))
    return path
