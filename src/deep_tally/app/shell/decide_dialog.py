"""What is decided about findings, with a note, and how far that reaches."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import (
    QButtonGroup,
    QDialog,
    QDialogButtonBox,
    QLineEdit,
    QRadioButton,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.buttons import dialog_buttons
from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.model.decisions import DecisionKind
from deep_tally.reply.decision_words import DECISION_MEANINGS, DECISION_WORDS


class DecideDialog(QDialog):
    """Asks for a decision; `kind`, `note` and `reach` (an index into the given reaches) are what was chosen."""

    def __init__(
        self, parent: QWidget, theme: Theme, headline: str, reaches: Sequence[str], kind: DecisionKind = "meant"
    ) -> None:
        super().__init__(parent)
        theme.style(self)
        self.setWindowTitle("Decide")
        self.kinds = {k: QRadioButton(words) for k, words in DECISION_WORDS.items()}
        self.reaches = [QRadioButton(words) for words in reaches]
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(6)
        title = PlainLabel(headline)
        title.setFont(font(15, 700))
        title.setWordWrap(True)
        column.addWidget(title)
        group = QButtonGroup(self)
        for each, button in self.kinds.items():
            group.addButton(button)
            button.setToolTip(as_plain(DECISION_MEANINGS[each]))
            column.addWidget(button)
        self.kinds[kind].setChecked(True)
        column.addSpacing(8)
        self.note_field = QLineEdit()
        self.note_field.setAccessibleName("A note, or the client's answer")
        self.note_field.setPlaceholderText("A note, or the client's answer")
        self.note_field.setMinimumWidth(420)
        column.addWidget(self.note_field)
        column.addSpacing(8)
        column.addWidget(PlainLabel("For"))
        reach_group = QButtonGroup(self)
        for button in self.reaches:
            reach_group.addButton(button)
            column.addWidget(button)
        self.reaches[0].setChecked(True)
        buttons = dialog_buttons(QDialogButtonBox.StandardButton.Ok, QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addSpacing(8)
        column.addWidget(buttons)
        self.kinds[kind].setFocus()

    @property
    def kind(self) -> DecisionKind:
        """What was decided."""
        return next(kind for kind, button in self.kinds.items() if button.isChecked())

    @property
    def note(self) -> str:
        """The note, or the answer."""
        return self.note_field.text().strip()

    @property
    def reach(self) -> int:
        """Which of the reaches was chosen."""
        return next(place for place, button in enumerate(self.reaches) if button.isChecked())
