"""The line of steps: one button a view, and what the sheet shows."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QWidget

from deep_tally.app.base.buttons import plain_button
from deep_tally.app.base.plain import as_plain
from deep_tally.app.base.theme import font


class Steps(QWidget):
    """The views in the order of the work, the brief, and the tools of the sheet."""

    left_field = Signal()
    """The user goes on from the find field to the sheet."""

    def __init__(self) -> None:
        super().__init__()
        self.sheet = _step("Sheet", "All files and what is wrong with them (Ctrl+1)")
        self.line_up = _step("Line-up", "All files on one time axis (Ctrl+2)")
        self.mix_match = _step("Mix match", "The rough mix compared with the files (Ctrl+3)")
        self.parts = _step("Parts", "The requested parts and the files received for them (Ctrl+4)")
        self.names = _step("Names", "New names for the ready copy (Ctrl+5)")
        self.reply = _step("Reply", "The reply to the client (Ctrl+6)")
        self.ready = _step("Ready copy", "A mended second folder for the mix session (Ctrl+9)")
        self.rounds = _step("Rounds", "This round against the one before (Ctrl+8)")
        self.rounds.hide()
        self.brief_button = plain_button(
            "Brief: Multitrack mix", "What is requested and what was received (Ctrl+B)", "quiet"
        )
        self.brief_button.setCheckable(True)
        self.show_button = plain_button("Show everything", "Show only some files", "quiet")
        self.sort_button = plain_button("&Sort", "Sort the sheet", "quiet")
        self.troubles_button = plain_button("", "What was not checked, and what to do about it", "quiet")
        self.troubles_button.setFont(font(14, 600))
        self.troubles_button.hide()
        self.find_field = QLineEdit()
        self.find_field.setPlaceholderText("Find a file")
        self.find_field.setAccessibleName("Find a file by its name")
        self.find_field.setToolTip("Find a file by its name (Ctrl+F)")
        self.find_field.setClearButtonEnabled(True)
        self.find_field.setFixedWidth(180)
        self.find_field.installEventFilter(self)
        line = QHBoxLayout(self)
        line.setContentsMargins(24, 0, 24, 0)
        line.setSpacing(4)
        for step in self.all:
            line.addWidget(step)
        line.addStretch()
        for widget in (self.troubles_button, self.brief_button, self.show_button, self.sort_button, self.find_field):
            line.addWidget(widget)
        self.setFixedHeight(42)

    @property
    def all(self) -> tuple[QPushButton, ...]:
        """The steps, in order."""
        return (self.sheet, self.line_up, self.mix_match, self.parts, self.names, self.reply, self.ready, self.rounds)

    def mark(self, current: QPushButton | None) -> None:
        """Mark the step of the view that is shown; None for one that is no step."""
        for step in self.all:
            step.setChecked(step is current)

    def show_sheet_tools(self, shown: bool) -> None:
        """Filter, sort and find belong to the sheet."""
        for widget in (self.show_button, self.sort_button, self.find_field):
            widget.setVisible(shown)

    def go_find(self) -> None:
        """Go to the find field."""
        self.find_field.setFocus()
        self.find_field.selectAll()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.find_field and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            key = event.key()
            if key in (Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.left_field.emit()
                return True
            if key == Qt.Key.Key_Escape and self.find_field.text():
                self.find_field.clear()
                return True
        return super().eventFilter(watched, event)


def _step(words: str, tip: str) -> QPushButton:
    button = QPushButton(words)
    button.setProperty("look", "step")
    button.setCheckable(True)
    button.setToolTip(as_plain(tip))
    return button
