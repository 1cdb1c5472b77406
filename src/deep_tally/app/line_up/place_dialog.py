"""Where a file belongs, typed in samples; time and bars beside it follow."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.buttons import dialog_buttons
from deep_tally.app.base.plain import PlainLabel
from deep_tally.app.base.theme import font
from deep_tally.model.timeline import Timeline
from deep_tally.reply.numbers import duration
from deep_tally.views.lanes import Lane
from deep_tally.views.time_axis import RulerMode, moment_words

_MOST = 2_000_000_000


class PlaceDialog(QDialog):
    """Asks for the samples by which a file belongs later than the file's own start.

    `frames` is what was chosen; None gives the file back to its stamp, or to its own start.
    """

    def __init__(self, parent: QWidget, lane: Lane, timeline: Timeline | None) -> None:
        super().__init__(parent)
        self._lane, self._timeline = lane, timeline
        self.frames: int | None = lane.placement.frames if lane.placement is not None else 0
        self.setWindowTitle(f"Place {lane.title}")
        self.box = QSpinBox()
        self.box.setRange(-_MOST, _MOST)
        self.box.setSuffix(" samples")
        self.box.setGroupSeparatorShown(True)
        self.box.setValue(self.frames or 0)
        self.box.setMinimumWidth(220)
        self.box.setAccessibleName("Samples later than the file's own start")
        self.words = PlainLabel()
        self.words.setFont(font(13))
        self.bar_button = QPushButton("To the nearest &bar")
        self.bar_button.setEnabled(timeline is not None)
        self.zero_button = QPushButton("At its own &start")
        self.back_button = QPushButton("As &received")
        self.back_button.setToolTip("Where its time stamp says, or at its own start")
        row = QHBoxLayout()
        for button in (self.bar_button, self.zero_button, self.back_button):
            row.addWidget(button)
        buttons = dialog_buttons(QDialogButtonBox.StandardButton.Ok, QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self._take)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.setSpacing(12)
        column.addWidget(PlainLabel(f"{lane.title} belongs later than the file's own start by"))
        column.addWidget(self.box)
        column.addWidget(self.words)
        column.addLayout(row)
        column.addWidget(buttons)
        self.box.valueChanged.connect(self._tell)
        self.bar_button.clicked.connect(self._to_bar)
        self.zero_button.clicked.connect(lambda: self.box.setValue(0))
        self.back_button.clicked.connect(self._give_back)
        self._tell()
        self.box.selectAll()

    def _seconds(self) -> float:
        return self.box.value() / self._lane.rate_hz

    def _tell(self) -> None:
        seconds = self._seconds()
        lines = [duration(abs(seconds) * 1000) + (" earlier" if seconds < 0 else "")]
        mode: RulerMode = "bars" if self._timeline is not None else "minutes"
        lines.append(moment_words(mode, seconds, rate_hz=self._lane.rate_hz, timeline=self._timeline))
        self.words.setText(", ".join(lines))

    def _to_bar(self) -> None:
        if self._timeline is not None:
            self.box.setValue(round(self._timeline.nearest_bar_s(self._seconds()) * self._lane.rate_hz))

    def _take(self) -> None:
        self.frames = self.box.value()
        self.accept()

    def _give_back(self) -> None:
        self.frames = None
        self.accept()
