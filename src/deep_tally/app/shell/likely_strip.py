"""A question to the engineer over the sheet: is a file what it seems to be?"""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QWidget

from deep_tally.app.base.buttons import plain_button
from deep_tally.app.base.elided import ElidedLabel
from deep_tally.app.base.theme import Theme, font
from deep_tally.model.delivery import Delivery
from deep_tally.model.files import Role
from deep_tally.reply.role_texts import likely_tracks, likely_words


class LikelyStrip(QWidget):
    """Shown while the role of any file is likely only."""

    confirmed = Signal(dict)
    """Files that are what they seem to be: path -> role."""
    refused = Signal(list)
    """The paths of files that are tracks like any other."""
    shown = Signal(list)
    """The paths to be shown in the sheet."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._roles: dict[str, Role] = {}
        self.words = ElidedLabel()
        self.words.setFont(font(13, 600))
        self.yes = plain_button("Yes", "It is what it seems to be (Ctrl+Shift+R in the sheet); undo takes it back")
        self.no = plain_button("No, a track", "It is a track like any other; undo takes it back")
        self.show_files = plain_button("Show them", "Show only these files in the sheet")
        self.yes.clicked.connect(lambda: self.confirmed.emit(self._roles))
        self.no.clicked.connect(lambda: self.refused.emit(list(self._roles)))
        self.show_files.clicked.connect(lambda: self.shown.emit(list(self._roles)))
        line = QHBoxLayout(self)
        line.setContentsMargins(16, 6, 16, 6)
        line.setSpacing(8)
        line.addWidget(self.words, 1)
        for button in (self.show_files, self.yes, self.no):
            line.addWidget(button)
        self.setAccessibleName("Files that are probably no plain tracks")
        theme.follow(self, self.update)
        self.hide()

    def show_likely(self, delivery: Delivery | None) -> None:
        """Ask about the files of a delivery whose role is likely only; hidden where there are none."""
        likely = likely_tracks(delivery)
        self._roles = {t.path: t.role for t in likely}
        self.words.setText(likely_words(likely) if likely else "")
        self.yes.setText("Yes" if len(likely) == 1 else "Yes, all of them")
        self.no.setText("No, a track" if len(likely) == 1 else "No, all are tracks")
        self.show_files.setText("Show it" if len(likely) == 1 else "Show them")
        self.setVisible(bool(likely))

    def paintEvent(self, event: QPaintEvent) -> None:
        colours = self._theme.colours
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(colours.raised))
        painter.fillRect(0, 0, 4, self.height(), QColor(colours.soft))
        painter.end()
