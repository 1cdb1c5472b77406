"""An action in a menu, with its key."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu


def add_action(
    menu: QMenu, words: str, what: Callable[[], object], key: QKeySequence.StandardKey | str | None = None
) -> QAction:
    """Add an action to a menu. It belongs to the menu, so that it goes when the menu is filled again."""
    action = QAction(words, menu)
    if key is not None:
        action.setShortcut(QKeySequence(key))
    action.triggered.connect(lambda: what())
    menu.addAction(action)
    return action
