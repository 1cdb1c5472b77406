"""One sentence for the user at the foot of the window; it goes again by itself."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer

from deep_tally.app.base.plain import PlainLabel
from deep_tally.app.base.theme import Theme

_SHOWN_MS = 8000


class MessageLine(PlainLabel):
    """The latest message."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setContentsMargins(24, 6, 24, 6)
        self.setWordWrap(True)
        self.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.hide()
        theme.follow(self, self._colour)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)

    def say(self, words: str) -> None:
        """Show one sentence; nothing where there is none."""
        if words:
            self.setText(words)
            self._colour()
            self.show()
            self._timer.start(_SHOWN_MS)

    def _colour(self) -> None:
        colours = self._theme.colours
        self.setStyleSheet(f"background: {colours.ink}; color: {colours.raised}; font-weight: 600")
