"""All decisions in one place, each with a way to take it back."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.plain import PlainLabel
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.shell.dialogs import finish
from deep_tally.model.decisions import Decision
from deep_tally.reply.action_words import readable
from deep_tally.reply.decision_words import decision_words, reach_words
from deep_tally.reply.wording.speaker import wording_of_code
from deep_tally.session.client_decisions import all_clients

if TYPE_CHECKING:
    from deep_tally.app.shell.deciding import Deciding
    from deep_tally.app.shell.state import CheckState


class DecisionsPage(QDialog):
    """What was decided about this delivery, and what holds for each client for good."""

    def __init__(self, parent: QWidget, theme: Theme, state: CheckState, deciding: Deciding) -> None:
        super().__init__(parent)
        theme.style(self)
        self._theme, self._state, self._deciding = theme, state, deciding
        self.setWindowTitle("Decisions")
        self.resize(680, 480)
        self.buttons: list[QPushButton] = []
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._area.setAccessibleName("All decisions")
        inside = QVBoxLayout()
        inside.addWidget(self._area, 1)
        finish(self, inside)
        state.assessed.connect(self.fill)
        self.fill()

    def fill(self) -> None:
        """Show the decisions as they are now."""
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(4)
        self.buttons = []
        decisions = self._state.corrections.decisions
        if self._state.delivery is not None:
            self._head(column, "About this delivery")
            for decision in reversed(decisions):
                self._line(column, decision, "Take back", lambda checked=False, d=decision: self._take_back(d))
            if not decisions:
                column.addWidget(self._soft("Nothing yet: each finding on the bench has a menu (…) for it."))
        for client, said in all_clients().items():
            self._head(column, f"Always for {readable(client)}")
            for decision in said:
                self._line(column, decision, "Forget", lambda checked=False, c=client, d=decision: self._forget(c, d))
        column.addStretch()
        self._area.setWidget(inside)

    def _take_back(self, decision: Decision) -> None:
        self._deciding.take_back(decision, of_client=False)
        self.fill()

    def _forget(self, client: str, decision: Decision) -> None:
        self._deciding.forget(client, decision)
        self.fill()

    def _head(self, column: QVBoxLayout, words: str) -> None:
        head = PlainLabel(words)
        head.setFont(font(15, 700))
        head.setContentsMargins(0, 8, 0, 4)
        column.addWidget(head)

    def _soft(self, words: str) -> PlainLabel:
        label = PlainLabel(words)
        label.setWordWrap(True)
        label.setStyleSheet(f"color: {self._theme.colours.soft}")
        return label

    def _line(self, column: QVBoxLayout, decision: Decision, said: str, do: object) -> None:
        words = readable(f"{_headline(decision)}, {reach_words(decision)}")
        text = QVBoxLayout()
        text.setSpacing(0)
        first = PlainLabel(words)
        first.setWordWrap(True)
        text.addWidget(first)
        text.addWidget(self._soft(readable(decision_words(decision))))
        button = QPushButton(said)
        button.setAccessibleName(f"{said}: {words}")
        button.clicked.connect(do)
        self.buttons.append(button)
        line = QHBoxLayout()
        line.addLayout(text, 1)
        line.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(line)


def _headline(decision: Decision) -> str:
    """What the finding says of itself."""
    try:
        return wording_of_code(decision.code).headline
    except KeyError:  # a code that another version knew
        return decision.code
