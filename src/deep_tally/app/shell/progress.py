"""How far opening, measuring and comparing are, with a button that cancels."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QWidget

from deep_tally.app.base.elided import ElidedLabel
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import megabytes

if TYPE_CHECKING:
    from deep_tally.compare.matching import Matching
    from deep_tally.compare.run import Comparing
    from deep_tally.measure.run import Measuring

_STEPS = 1000


class ProgressStrip(QWidget):
    """A bar, what is being done in words, and Cancel."""

    def __init__(self) -> None:
        super().__init__()
        self.words = ElidedLabel()
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setRange(0, _STEPS)
        self.bar.setAccessibleName("Progress of measuring")
        self.cancel_button = QPushButton("Cancel")
        self.cancel_button.setToolTip("Stop measuring; what was measured is kept (Esc)")
        line = QHBoxLayout(self)
        line.setContentsMargins(24, 4, 24, 8)
        line.setSpacing(16)
        line.addWidget(self.bar, 1)
        line.addWidget(self.words, 1)
        line.addWidget(self.cancel_button)
        self.hide()

    def show_opening(self, words: str) -> None:
        """Work of unknown length before the list of files is known."""
        self.words.setText(f"{words}…")
        self.bar.setRange(0, 0)
        self.show()

    def show_listing(self, done: int, total: int) -> None:
        """Bytes unpacked of all, or files found (then `total` is 0)."""
        self.bar.setRange(0, _STEPS if total else 0)
        self.bar.setValue(round(done / total * _STEPS) if total else 0)
        if total:
            self.words.setText(f"Unpacking, {megabytes(done, total)}")
        elif done:
            self.words.setText(f"Looking through the files, {done} so far…")

    def show_preparing(self, done: int, total: int) -> None:
        """Work that is done once on each machine."""
        self.bar.setRange(0, max(1, total))
        self.bar.setValue(done)
        self.words.setText("Preparing for this machine, once; it takes half a minute")

    def begin(self) -> None:
        """Measuring begins."""
        self.bar.setRange(0, _STEPS)

    def show_run(self, measuring: Measuring | None, comparing: Comparing | None, matching: Matching | None) -> None:
        """How far measuring is, or comparing after it, or matching after that."""
        if measuring is None:
            return
        if matching is not None and not matching.is_done:
            name = readable(matching.at_work.rpartition("/")[2])
            self.words.setText(f"Looking for {name} in the rough mix" if name else "Matching the rough mix")
            self.bar.setValue(round(matching.share * _STEPS))
            return
        if measuring.is_done:
            if comparing is not None and not comparing.is_done:
                self.words.setText("All files measured; comparing them now")
                self.bar.setValue(round(comparing.share * _STEPS))
            return
        done, total = measuring.counts
        name = readable((measuring.at_work or "").rpartition("/")[2])
        self.words.setText(f"{done} of {total} measured" + (f", now {name}" if name else ""))
        self.bar.setValue(round(measuring.share * _STEPS))
