"""What is done with the paragraph the cursor is in: moved, joined, left out, followed by a line of one's own."""

from __future__ import annotations

from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QHBoxLayout

from deep_tally.app.base.buttons import plain_button
from deep_tally.app.pages.paper import Paper


class ParagraphButtons(QHBoxLayout):
    """A row of buttons over a paper; each has a key there."""

    def __init__(self, paper: Paper) -> None:
        super().__init__()
        self.setSpacing(0)
        known = (
            ("Up", "Move the paragraph up (Alt+Up)", "Alt+Up", lambda: paper.move_block(-1)),
            ("Down", "Move the paragraph down (Alt+Down)", "Alt+Down", lambda: paper.move_block(1)),
            ("Join", "Join the paragraph to the one above (Alt+J)", "Alt+J", paper.join_block),
            ("Leave out", "Leave the paragraph out (Alt+Delete)", "Alt+Delete", paper.leave_out_block),
            ("Add a line", "Add a line of your own below (Alt+Return)", "Alt+Return", paper.add_line),
        )
        self.buttons = {}
        for words, tip, key, do in known:
            button = plain_button(words, tip)
            button.setAccessibleName(tip.partition(" (")[0])
            button.clicked.connect(lambda checked=False, act=do: act())
            shortcut = QShortcut(QKeySequence(key), paper)
            shortcut.activated.connect(do)
            self.buttons[words] = button
            self.addWidget(button)
