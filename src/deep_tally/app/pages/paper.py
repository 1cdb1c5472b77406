"""A page on paper: white by day and by night, since the client will see it so; and what is done with one."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QEvent, QMimeData, Signal
from PySide6.QtGui import QColor, QGuiApplication, QKeyEvent, QKeySequence, QTextCursor
from PySide6.QtWidgets import QFileDialog, QFrame, QPushButton, QTextEdit, QWidget

from deep_tally.app.base.client_folder import may_save
from deep_tally.app.base.plain import as_plain
from deep_tally.app.base.settings import Settings
from deep_tally.app.base.theme import DAY, Theme
from deep_tally.app.pages.page_text import PageText
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.files import NO_CLIENT, ClientFiles
from deep_tally.reply.formats.eml import NOBODY
from deep_tally.reply.formats.html import to_html
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.page import Block, Page
from deep_tally.reply.save import FORMS, save_reply

_MARGIN = 44


class Paper(QTextEdit):
    """Shows a page, and gives it back as it was edited."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setAcceptRichText(False)
        self.setTabChangesFocus(True)
        self.setUndoRedoEnabled(False)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.document().setDocumentMargin(_MARGIN)
        self._page_text = PageText(self.document())
        theme.follow(self, self._colour)
        self._colour()

    def show_page(self, page: Page) -> None:
        """Show a page: where the cursor is in a block that is still there, it stays."""
        key, column = self._page_text.key_at(self.textCursor()), self.textCursor().positionInBlock()
        index = self._page_text.index_at(self.textCursor())
        scrolled = self.verticalScrollBar().value()
        self._page_text.show(page, DAY)
        cursor = self._page_text.cursor_in(key, column)
        if cursor is None and not key and 0 <= index < len(page.blocks) and not page.blocks[index].key:
            cursor = self._page_text.cursor_at(index, column)  # a line of the user's own
        if cursor is None:
            self.moveCursor(QTextCursor.MoveOperation.Start)
            return
        self.setTextCursor(cursor)
        self.verticalScrollBar().setValue(scrolled)

    def move_block(self, by: int) -> None:
        """Move the paragraph with the cursor up (-1) or down (1)."""
        at, blocks = self._at, list(self.page.blocks)
        other = at + by
        if 0 <= at < len(blocks) and 0 <= other < len(blocks):
            blocks[at], blocks[other] = blocks[other], blocks[at]
            self._put(blocks, other)

    def join_block(self) -> None:
        """Join the paragraph with the cursor to the one above it, which keeps its kind."""
        at, blocks = self._at, list(self.page.blocks)
        if 0 < at < len(blocks) and not (blocks[at].picture or blocks[at - 1].picture):
            joined = f"{blocks[at - 1].text} {blocks[at].text}"
            blocks[at - 1 : at + 1] = [replace(blocks[at - 1], text=joined)]
            self._put(blocks, at - 1)

    def leave_out_block(self) -> None:
        """Leave the paragraph with the cursor out."""
        at, blocks = self._at, list(self.page.blocks)
        if 0 <= at < len(blocks):
            del blocks[at]
            self._put(blocks, min(at, len(blocks) - 1))

    def add_line(self) -> None:
        """Begin a line of the user's own under the paragraph with the cursor."""
        cursor = self.textCursor()
        cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock)
        self._page_text.insert_line(cursor, DAY)
        self.setTextCursor(cursor)
        self.setFocus()

    @property
    def _at(self) -> int:
        """Which block the cursor is in."""
        return self._page_text.index_at(self.textCursor())

    def _put(self, blocks: list[Block], at: int) -> None:
        """Show changed blocks, as something the user did, with the cursor in one of them."""
        column, scrolled = self.textCursor().positionInBlock(), self.verticalScrollBar().value()
        self._page_text.show(replace(self.page, blocks=tuple(blocks)), DAY)
        if blocks:
            self.setTextCursor(self._page_text.cursor_at(at, column))
        self.verticalScrollBar().setValue(scrolled)
        self.document().setModified(True)

    def event(self, event: QEvent) -> bool:
        """Undo and redo are the window's: every change is kept with the delivery, and undone there."""
        undoing = (QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo)
        if isinstance(event, QKeyEvent) and event.type() is QEvent.Type.ShortcutOverride:
            return super().event(event) if not any(map(event.matches, undoing)) else False
        return super().event(event)

    @property
    def page(self) -> Page:
        """The page as it stands, with all edits."""
        return self._page_text.page()

    def copy_page(self) -> None:
        """Put the whole page on the clipboard, as plain text and as rich text: what it is pasted into takes its own."""
        data = QMimeData()
        data.setText(to_text(self.page))
        data.setData("text/html", to_html(self.page, is_drawn=False).encode("utf-8", "replace"))
        QGuiApplication.clipboard().setMimeData(data)

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
    proposed = settings.folder("reply") / f"{plain_name(name)}{kinds[0][1]}"
    filters = ";;".join(f"{words} (*{ending})" for words, ending in kinds)
    chosen, kind = QFileDialog.getSaveFileName(parent, title, str(proposed), filters)
    if not chosen:
        return None
    path = Path(chosen)
    if path.suffix.casefold() not in FORMS:
        path = path.with_name(path.name + kind.rpartition("*")[2].rstrip(")"))
    return path


def plain_name(name: str) -> str:
    """A file's name that every system and every mail program takes: plain ASCII, no signs."""
    letters = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
    return " ".join(re.sub(r"[^A-Za-z0-9 ._-]", " ", letters).split()).strip(". ") or "Letter"


class PageView(QWidget):
    """A view about one page. `said` carries what happened, in one sentence; `what` names the page in it."""

    what = "page"
    said = Signal(str)
    written = Signal(str, str)
    """(form, plain text): the page was copied, saved, or given to `slow_to_save`."""
    saved_to = Signal(object)
    """The path of the page that was saved."""
    slow_to_save = Signal(object, object, object)
    """(Page, Path, Sender): to be saved where the window does not wait; in the client's folder, the user agreed."""

    def __init__(self, theme: Theme, settings: Settings) -> None:
        super().__init__()
        self._theme, self._settings = theme, settings
        self.text = Paper(theme)
        self.protected: ClientFiles = NO_CLIENT
        """What nothing may be written over, or into."""
        self.writer = NOBODY
        """Who writes, for a mail draft."""

    @property
    def page(self) -> Page:
        """The page as it stands, with all edits."""
        return self.text.page

    def copy_text(self) -> None:
        """Put the page on the clipboard, as plain text and as rich text."""
        self.text.copy_page()
        self.written.emit("copied", to_text(self.page))
        self.said.emit(f"The {self.what} is on the clipboard.")

    def save_to(self, path: Path) -> bool:
        """Save the page; says what happened and returns whether it worked. A PDF is left to `slow_to_save`."""
        if not may_save(self, path, self.protected):
            return False
        if path.suffix.casefold() == ".pdf":
            self.said.emit(f"Writing {path.name}…")
            self.slow_to_save.emit(self.page, path, self.writer)
        else:
            try:
                save_reply(self.page, path, sender=self.writer, client=self.protected, into_delivery=True)
            except DeepTallyError as error:
                self.said.emit(str(error))
                return False
            self.saved_to.emit(path)
        self._settings.set_folder("reply", path.parent)
        self.written.emit(path.suffix.removeprefix("."), to_text(self.page))
        return True

    def button(self, words: str, tip: str, what: object) -> QPushButton:
        """A button of the view."""
        made = QPushButton(words)
        made.setToolTip(as_plain(tip))
        made.clicked.connect(what)
        return made
