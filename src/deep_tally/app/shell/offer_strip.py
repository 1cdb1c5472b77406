"""A question under the line of steps about what was opened, with an answer a button; it never stands in the way."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from deep_tally.app.base.buttons import plain_button
from deep_tally.app.base.elided import ElidedLabel
from deep_tally.app.base.theme import Theme, font

Answer = tuple[str, str, Callable[[], None] | None]
"""(what the button says, its tip, what it does beside putting the question away)."""


class OfferStrip(QWidget):
    """Hidden until something is asked; any answer hides it again."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.words = ElidedLabel()
        self.words.setFont(font(13, 600))
        self.buttons: list[QPushButton] = []
        self._line = QHBoxLayout(self)
        self._line.setContentsMargins(24, 6, 24, 6)
        self._line.setSpacing(8)
        self._line.addWidget(self.words, 1)
        theme.follow(self, self.update)
        self.hide()

    def ask(self, words: str, answers: Sequence[Answer]) -> None:
        """Ask one question; the last one is put away."""
        self.put_away()
        self.words.setText(words)
        self.setAccessibleName(words)
        for said, tip, do in answers:
            button = plain_button(said, tip)
            button.clicked.connect(lambda checked=False, done=do: self._answer(done))
            self.buttons.append(button)
            self._line.addWidget(button)
        self.show()

    def put_away(self) -> None:
        """Ask nothing any more."""
        for button in self.buttons:
            self._line.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.buttons = []
        self.hide()

    def _answer(self, do: Callable[[], None] | None) -> None:
        self.put_away()
        if do is not None:
            do()

    def paintEvent(self, event: QPaintEvent) -> None:
        colours = self._theme.colours
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(colours.raised))
        painter.fillRect(0, 0, 4, self.height(), QColor(colours.soft))
        painter.end()
