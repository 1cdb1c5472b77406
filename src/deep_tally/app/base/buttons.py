"""Buttons that are hardly more than their words."""

from __future__ import annotations

from typing import Literal

from PySide6.QtWidgets import QPushButton

from deep_tally.app.base.plain import as_plain


def plain_button(words: str, tip: str, look: Literal["quiet", "small"] = "small") -> QPushButton:
    """A button without a frame; `look` is one of the theme's."""
    button = QPushButton(words)
    button.setProperty("look", look)
    button.setToolTip(as_plain(tip))
    return button
