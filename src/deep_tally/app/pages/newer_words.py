"""A paragraph of the user's own about which the findings say something else by now: both, to choose from."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout

from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.reply.action_words import readable
from deep_tally.reply.page import Block


class NewerWords(QFrame):
    """Both wordings of a block. `kept` and `taken` say which one the user chose."""

    kept = Signal()
    taken = Signal()

    def __init__(self, theme: Theme, block: Block) -> None:
        super().__init__()
        self.setObjectName("newer")
        self.setStyleSheet(f"#newer {{ border-top: 1px solid {theme.colours.rule}; }}")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 8)
        for words, text in (("Yours", block.text), ("From the findings now", block.newer)):
            label = PlainLabel(f"{words}: {readable(text)}")
            label.setWordWrap(True)
            label.setFont(font(12))
            column.addWidget(label)
        keep, take = QPushButton("Keep mine"), QPushButton("Take the new one")
        keep.setToolTip(as_plain("Your words stay as they are"))
        take.setToolTip(as_plain("Your words are put away; Ctrl+Z takes that back"))
        keep.clicked.connect(self.kept)
        take.clicked.connect(self.taken)
        buttons = QHBoxLayout()
        for button in (keep, take):
            button.setAccessibleName(f"{button.text()}: {readable(block.text)}")
            buttons.addWidget(button)
        buttons.addStretch()
        column.addLayout(buttons)
