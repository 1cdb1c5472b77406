"""The round at hand against the one before: what was met, what was not, what is new, and file by file what changed."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.plain import PlainLabel
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.rounds.round_tree import RoundTree
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.delivery import Delivery
from deep_tally.model.rounds import RequestState, Rounds
from deep_tally.reply.action_words import readable
from deep_tally.views.round_rows import (
    REQUEST_WORDS,
    PlaceRow,
    new_rows,
    place_rows,
    places_to_choose,
    request_rows,
    summary_words,
)

_LEFT_WIDTH = 400
_SIGNS: dict[RequestState, str] = {"met": "✓", "partly": "◐", "not-met": "✗"}


class RoundsView(QWidget):
    """`corrected` sends (the corrections now, words); `partial_wanted` whether what did not come is kept."""

    corrected = Signal(object, str)
    partial_wanted = Signal(bool)
    history_wanted = Signal()
    file_wanted = Signal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._said: Corrections = NO_CORRECTIONS
        self._rows: tuple[PlaceRow, ...] = ()
        self.summary = PlainLabel()
        self.summary.setFont(font(15, 700))
        self.summary.setWordWrap(True)
        self.kept = QComboBox()
        self.kept.addItem("With the files kept from the round before", True)
        self.kept.addItem("Only the files sent now", False)
        self.kept.setAccessibleName("What is judged")
        self.kept.activated.connect(lambda: self.partial_wanted.emit(bool(self.kept.currentData())))
        self.history = QPushButton("Save the &history…")
        self.history.setToolTip("All rounds with their dates, letters and decisions, as one web page")
        self.history.clicked.connect(self.history_wanted)
        self.tree = RoundTree(theme)
        self.tree.moved.connect(self._stand_for)
        self.tree.menu_wanted.connect(self._offer)
        self.tree.itemDoubleClicked.connect(lambda *_: self._show_file())
        hint = PlainLabel(
            "Drag a file onto the one it replaces, or press Enter on it; Delete marks it as new. Ctrl+Z undoes that."
        )
        hint.setWordWrap(True)
        self._list = QScrollArea()
        self._list.setWidgetResizable(True)
        self._list.setFixedWidth(_LEFT_WIDTH)
        self._list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._list.setAccessibleName("What became of the requests")
        top = QHBoxLayout()
        top.setSpacing(12)
        top.addWidget(self.summary, 1)
        top.addWidget(self.kept)
        top.addWidget(self.history)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self.tree, 1)
        right.addWidget(hint)
        below = QHBoxLayout()
        below.setSpacing(24)
        below.addWidget(self._list)
        below.addLayout(right, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(24, 12, 24, 12)
        whole.setSpacing(12)
        whole.addLayout(top)
        whole.addLayout(below, 1)
        theme.follow(self, self._colour)
        self._shown: tuple[Rounds, Delivery, int, Sequence[str]] | None = None

    def show_all(self, rounds: Rounds, after: Delivery, said: Corrections, number: int, earlier: Sequence[str]) -> None:
        """Show the round of this number against the one before; `earlier` is a line about each round."""
        self._said, self._shown = said, (rounds, after, number, earlier)
        self.summary.setText(summary_words(rounds, number))
        self.kept.setCurrentIndex(self.kept.findData(rounds.is_partial))
        self._rows = place_rows(rounds)
        self.tree.show_rows(self._rows)
        self._fill(rounds, after, earlier)

    def _fill(self, rounds: Rounds, after: Delivery, earlier: Sequence[str]) -> None:
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 12, 8)
        column.setSpacing(4)
        colours = self._theme.colours
        state: RequestState | None = None
        for row in request_rows(rounds):
            if row.state != state:
                state = row.state
                colour = colours.ask if state != "met" else colours.soft
                self._head(column, f"{_SIGNS[state]}  {REQUEST_WORDS[state]}", colour)
            self._line(column, row.headline, row.files)
        new = new_rows(rounds, after)
        if new:
            self._head(column, "New in this round", colours.ask)
            for finding, words in new:
                self._line(column, words, ", ".join(readable(p.rpartition("/")[2]) for p in finding.files[:3]))
        if not rounds.requests and not new:
            self._line(column, "Nothing was asked, and nothing is new.", "")
        self._head(column, "History", colours.ink)
        for line in earlier:
            self._line(column, line, "")
        column.addStretch()
        self._list.setWidget(inside)

    def _head(self, column: QVBoxLayout, words: str, colour: str) -> None:
        head = PlainLabel(words)
        head.setFont(font(14, 700))
        head.setStyleSheet(f"color: {colour}")
        head.setContentsMargins(0, 10, 0, 2)
        column.addWidget(head)

    def _line(self, column: QVBoxLayout, words: str, more: str) -> None:
        line = PlainLabel(readable(words))
        line.setWordWrap(True)
        line.setContentsMargins(24, 2, 0, 0)
        column.addWidget(line)
        if more:
            second = PlainLabel(more)
            second.setFont(font(12))
            second.setStyleSheet(f"color: {self._theme.colours.soft}")
            second.setWordWrap(True)
            second.setContentsMargins(24, 0, 0, 2)
            column.addWidget(second)

    def _stand_for(self, path: str, was: str) -> None:
        name = path.rpartition("/")[2]
        words = f"{name} replaces {was.rpartition('/')[2]}" if was else f"{name} is new"
        self.corrected.emit(self._said.with_successor(path, was), words)

    def _offer(self, path: str) -> None:
        """Which file the chosen one replaces, by keyboard."""
        menu = QMenu(self)
        self._theme.style(menu)
        for was in places_to_choose(self._rows):
            action = QAction(readable(was.rpartition("/")[2]).replace("&", "&&"), menu)
            action.triggered.connect(lambda checked=False, w=was: self._stand_for(path, w))
            menu.addAction(action)
        menu.addSeparator()
        none = QAction("None: it is new", menu)
        none.triggered.connect(lambda: self._stand_for(path, ""))
        menu.addAction(none)
        menu.aboutToHide.connect(menu.deleteLater)
        item = self.tree.currentItem()
        place = self.tree.visualItemRect(item).bottomLeft() if item is not None else self.tree.rect().topLeft()
        menu.popup(self.tree.viewport().mapToGlobal(place))

    def _show_file(self) -> None:
        if path := self.tree.current_path:
            self.file_wanted.emit(path)

    def _colour(self) -> None:
        if self._shown is not None:
            rounds, after, number, earlier = self._shown
            self.show_all(rounds, after, self._said, number, earlier)
