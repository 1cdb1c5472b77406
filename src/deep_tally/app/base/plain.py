"""Foreign words are shown as they are: labels and tooltips that are never read as markup.

Qt takes the text of a label, a tooltip or a message for rich text where it looks like some, and then reads the files
that its `<img>` tags name. A client's file name must not decide that.
"""

from __future__ import annotations

import html

from PySide6.QtCore import Qt
from PySide6.QtGui import Qt as GuiQt
from PySide6.QtWidgets import QInputDialog, QLabel, QMessageBox, QWidget


class PlainLabel(QLabel):
    """A QLabel that shows any text as plain text."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)


def as_plain(text: str) -> str:
    """Text for a place that guesses its format, such as a tooltip: escaped where it would be taken for markup."""
    if not GuiQt.mightBeRichText(text):
        return text
    return f'<p style="white-space: pre-wrap">{html.escape(text, quote=False)}</p>'


def ask_whether(parent: QWidget, title: str, question: str, yes: str) -> bool:
    """Ask a question whose answer is `yes` or to leave it; Escape and Return leave it."""
    box = QMessageBox(parent)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setWindowTitle(title)
    box.setText(question)
    agree = box.addButton(yes, QMessageBox.ButtonRole.AcceptRole)
    leave = box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(leave)
    box.setEscapeButton(leave)
    try:
        box.exec()
        return box.clickedButton() is agree
    finally:
        box.deleteLater()


def ask_text(parent: QWidget, title: str, question: str, text: str = "") -> tuple[str, bool]:
    """Ask for a line of text: (what was typed, whether it was agreed to)."""
    return QInputDialog.getText(parent, title, as_plain(question), text=text)
