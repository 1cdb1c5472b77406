"""Buttons that are hardly more than their words."""

from __future__ import annotations

from typing import Literal

from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QDialogButtonBox, QPushButton

from deep_tally.app.base.plain import as_plain


def plain_button(words: str, tip: str, look: Literal["quiet", "small"] = "small") -> QPushButton:
    """A button without a frame; `look` is one of the theme's."""
    button = QPushButton(words)
    button.setProperty("look", look)
    button.setToolTip(as_plain(tip))
    return button


def dialog_buttons(*buttons: QDialogButtonBox.StandardButton) -> QDialogButtonBox:
    """The buttons of a dialog in the order of the desktop, without its pictures: words are enough."""
    box = QDialogButtonBox()
    for each in buttons:
        box.addButton(each).setIcon(QIcon())
    return box
