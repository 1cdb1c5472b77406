"""The checks that were saved last, on the ruled lines of the first page: name, tally, date."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import QEvent, QLocale, QPointF, QRectF, QSize, Qt, QTime, Signal
from PySide6.QtGui import QAction, QColor, QContextMenuEvent, QEnterEvent, QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QMenu, QVBoxLayout, QWidget

from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.model.findings import Action
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.numbers import count
from deep_tally.session.recent_checks import RecentCheck

_TALLY_WIDTH, _DATE_WIDTH, _NAME_WIDTH = 62, 132, 380


class RecentList(QWidget):
    """The rows, or nothing where no check was saved yet."""

    chosen = Signal(str)
    """The path of a check that is to be opened."""
    forgotten = Signal(str)
    """The path of one that is to be taken off the list."""

    def __init__(self, theme: Theme, row_height: int, most: int) -> None:
        super().__init__()
        self._theme, self._height, self._most = theme, row_height, most
        self.rows: list[RecentRow] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)
        self._title = PlainLabel("Recent checks")
        self._title.setFont(font(14, 600))
        self._title.setFixedHeight(row_height)
        self._column.addWidget(self._title)
        self.setAccessibleName("Recent checks")
        self.hide()

    def show_checks(self, checks: tuple[RecentCheck, ...]) -> None:
        """Show the first of these checks."""
        for row in self.rows:
            self._column.removeWidget(row)
            row.hide()
            row.deleteLater()
        self.rows = [RecentRow(check, self._theme, self._height) for check in checks[: self._most]]
        for row in self.rows:
            row.clicked.connect(lambda checked=False, path=row.check.path: self.chosen.emit(path))
            row.left.connect(lambda path=row.check.path: self.forgotten.emit(path))
            row.stepped.connect(lambda by, r=row: self._step(r, by))
            self._column.addWidget(row)
        self.setVisible(bool(self.rows))

    def _step(self, row: RecentRow, by: int) -> None:
        place = self.rows.index(row) + by
        if 0 <= place < len(self.rows):
            self.rows[place].setFocus()


class RecentRow(QAbstractButton):
    """One check: opened by a click, Enter or Space; taken off the list by Delete or its menu."""

    left = Signal()
    stepped = Signal(int)

    def __init__(self, check: RecentCheck, theme: Theme, height: int) -> None:
        super().__init__()
        self.check, self._theme = check, theme
        self._is_under = False
        self.setFixedHeight(height)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        tallies = ", ".join(f"{n} {ACTION_WORDS[action].lower()}" for action, n in self._tallies())
        self.setAccessibleName(f"{self._name()}: {tallies}; {self._date()}; {self._more()}")
        self.setToolTip(as_plain(f"{readable(check.path)}\n{self._more()}"))
        theme.follow(self, self.update)

    def sizeHint(self) -> QSize:
        return QSize(_NAME_WIDTH + 3 * _TALLY_WIDTH + _DATE_WIDTH, self.height())

    def _name(self) -> str:
        client = f" ({self.check.client})" if self.check.client else ""
        return readable(f"{self.check.name}{client}")

    def _more(self) -> str:
        rounds = f", {count(self.check.rounds, 'round')}" if self.check.rounds > 1 else ""
        return f"{count(self.check.files, 'file')}{rounds}"

    def _tallies(self) -> tuple[tuple[Action, int], ...]:
        return (Action.ASK, self.check.ask), (Action.FIX, self.check.fix), (Action.NOTE, self.check.note)

    def _date(self) -> str:
        try:
            when = datetime.fromisoformat(self.check.saved_at).astimezone()
        except ValueError:
            return ""
        return when_words(when, datetime.now().astimezone())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        elif event.key() == Qt.Key.Key_Delete:
            self.left.emit()
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.stepped.emit(1 if event.key() == Qt.Key.Key_Down else -1)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = QMenu(self)
        self._theme.style(menu)
        action = QAction("Remove from this list", menu)
        action.triggered.connect(self.left)
        menu.addAction(action)
        menu.popup(event.globalPos())

    def enterEvent(self, event: QEnterEvent) -> None:
        self._is_under = True
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self._is_under = False
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        colours = self._theme.colours
        painter = QPainter(self)
        if self._is_under or self.hasFocus():
            painter.fillRect(self.rect().adjusted(-6, 1, 0, -1), QColor(colours.raised))
        if self.hasFocus():
            painter.setPen(QPen(QColor(colours.ink), 1))
            painter.drawRect(self.rect().adjusted(0, 1, -1, -1))
        middle = Qt.AlignmentFlag.AlignVCenter
        width = self.width() - 3 * _TALLY_WIDTH - _DATE_WIDTH
        painter.setFont(font(14))
        painter.setPen(QColor(colours.ink))
        words = painter.fontMetrics().elidedText(self._name(), Qt.TextElideMode.ElideMiddle, width - 20)
        painter.drawText(QRectF(8, 0, width - 16, self.height()), middle, words)
        for place, (action, number) in enumerate(self._tallies()):
            left = width + place * _TALLY_WIDTH
            colour = colours.action(action) if number else QColor(colours.soft)
            draw_shape(painter, action, QPointF(left + 8, self.height() / 2), 12, colour)
            painter.setPen(colour)
            painter.drawText(QRectF(left + 20, 0, _TALLY_WIDTH - 20, self.height()), middle, str(number))
        painter.setPen(QColor(colours.soft))
        right = QRectF(self.width() - _DATE_WIDTH, 0, _DATE_WIDTH - 8, self.height())
        painter.drawText(right, middle | Qt.AlignmentFlag.AlignRight, self._date())
        painter.end()


def when_words(when: datetime, now: datetime) -> str:
    """A moment as it is said on the same day, the day before, and later: "today 14:05", "yesterday 14:05", a date."""
    time = QLocale.system().toString(QTime(when.hour, when.minute), QLocale.FormatType.ShortFormat)
    days = (now.date() - when.date()).days
    if days in (0, 1):
        return f"{'yesterday' if days else 'today'} {time}"
    return f"{when.day} {when:%b} {when.year}"
