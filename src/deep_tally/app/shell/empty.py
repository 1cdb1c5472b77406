"""The page before anything is open: ruled paper that says what to do next and what the marks mean."""

from __future__ import annotations

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.plain import PlainLabel
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.shell.recent_list import RecentList
from deep_tally.model.findings import QUESTIONS, Action
from deep_tally.reply.action_words import ACTION_MEANINGS, ACTION_WORDS
from deep_tally.session.recent_checks import forget, recent_checks

_RULE_STEP = 27
_MARGIN_X = 52
_FIRST_RULE = 5
_SHEET_WIDTH = 760
_RECENT_MOST = 8


class _Legend(QWidget):
    """One action: its shape, its name, what it means."""

    def __init__(self, action: Action, theme: Theme) -> None:
        super().__init__()
        self._action, self._theme = action, theme
        self.setFixedSize(_SHEET_WIDTH, _RULE_STEP)
        self.setAccessibleName(f"{ACTION_WORDS[action]}: {ACTION_MEANINGS[action]}")
        theme.changed.connect(self.update)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        colours = self._theme.colours
        colour = colours.action(self._action)
        draw_shape(painter, self._action, QPointF(8, _RULE_STEP / 2), 12, colour)
        side = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(font(14, 600))
        painter.setPen(colour)
        painter.drawText(QRectF(26, 0, 160, _RULE_STEP), side, ACTION_WORDS[self._action])
        painter.setFont(font(14))
        painter.setPen(QColor(colours.soft))
        painter.drawText(QRectF(164, 0, _SHEET_WIDTH - 164, _RULE_STEP), side, ACTION_MEANINGS[self._action])


class EmptyPage(QWidget):
    """What to do next: open a folder or files, drop them here, or look at a demo."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        title = PlainLabel("Drop a client's folder or zip here")
        title.setFont(font(26, 700))
        title.setAlignment(Qt.AlignmentFlag.AlignBottom)
        title.setContentsMargins(0, 0, 0, 5)
        text = f"Every file is asked nine questions: {', '.join(QUESTIONS)}."
        self.open_folder = QPushButton("Open a folder…")
        self.open_folder.setProperty("look", "main")
        self.open_files = QPushButton("Open zips or files…")
        self.demo = QPushButton("Open the demo")
        buttons = QHBoxLayout()
        buttons.setSpacing(12)
        for button in (self.open_folder, self.open_files, self.demo):
            button.setMinimumHeight(38)
            buttons.addWidget(button)
        buttons.addStretch()
        column = QVBoxLayout()
        column.setSpacing(0)
        column.setContentsMargins(0, 0, 0, 0)
        for words in (title, self._line(text), self._line("Every problem says who must act:")):
            words.setFixedHeight(_RULE_STEP * (2 if words is title else 1))
            column.addWidget(words)
        for action in Action:
            column.addWidget(_Legend(action, theme))
        column.addSpacing(_RULE_STEP)
        column.addWidget(self._line("Your client's files are never changed, and nothing leaves this machine."))
        column.addSpacing(_RULE_STEP)
        column.addLayout(buttons)
        column.addSpacing(2 * _RULE_STEP - 38)  # the rows stand on the ruled lines again
        self.recent = RecentList(theme, _RULE_STEP, _RECENT_MOST)
        self.recent.forgotten.connect(self._forget)
        column.addWidget(self.recent)
        inside = QWidget()
        inside.setLayout(column)
        inside.setFixedWidth(_SHEET_WIDTH)
        line = QHBoxLayout()
        line.setContentsMargins(_MARGIN_X + 24, 0, 24, 0)
        line.addWidget(inside)
        line.addStretch()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, (_FIRST_RULE - 2) * _RULE_STEP + 1, 0, 0)
        whole.addLayout(line)
        whole.addStretch()
        theme.changed.connect(self.update)

    def show_recent(self) -> None:
        """List the checks that were saved last."""
        self.recent.show_checks(recent_checks())

    def _forget(self, path: str) -> None:
        forget(path)
        self.show_recent()

    def _line(self, words: str) -> PlainLabel:
        label = PlainLabel(words)
        label.setFont(font(14))
        label.setFixedHeight(_RULE_STEP)
        return label

    def paintEvent(self, event: QPaintEvent) -> None:
        """Ruled paper with a margin line."""
        painter = QPainter(self)
        colours = self._theme.colours
        painter.setPen(QPen(QColor(colours.rule), 1))
        for y in range(_FIRST_RULE * _RULE_STEP, self.height(), _RULE_STEP):
            painter.drawLine(QLineF(0, y + 0.5, self.width(), y + 0.5))
        painter.setPen(QPen(colours.action(Action.ASK), 1))
        painter.setOpacity(0.35)
        painter.drawLine(QLineF(_MARGIN_X, 0, _MARGIN_X, self.height()))
