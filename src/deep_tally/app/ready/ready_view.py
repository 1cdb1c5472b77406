"""The plan of the ready copy: its steps on the left, its copies on the right, and how far it is written."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QMenu,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.ready.ready_list import ReadyList
from deep_tally.model.brief import DEFAULT_BRIEF, Brief
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.delivery import Delivery
from deep_tally.model.errors import PatternRefused
from deep_tally.model.ready import ReadyChoices, ReadyPlan, StepName
from deep_tally.ready.plan import plan_ready
from deep_tally.reply.action_words import readable
from deep_tally.reply.ready_words import STEP_NAMES
from deep_tally.views.ready_rows import ReadyRow, left_out_lines, ready_rows, step_counts, summary_words

_LEFT_WIDTH = 320
_STEPS = 1000
_STAGES = {
    "comparing": "Making sure that no file has changed",
    "writing": "Writing and reading back",
    "checking": "Checking the copies",
    "handing-over": "Writing what lies beside them",
}
_DEPTHS = (("Depth as it is", None), ("16 bit", "16"), ("24 bit", "24"), ("32 bit float", "32f"))
_RATES = (("Rate as it is", None), ("44.1 kHz", 44_100), ("48 kHz", 48_000), ("88.2 kHz", 88_200), ("96 kHz", 96_000))


class ReadyView(QWidget):
    """`corrected` sends (the corrections now, words); `write_wanted` that the plan is to be written."""

    corrected = Signal(object, str)
    write_wanted = Signal()
    cancel_wanted = Signal()
    said = Signal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._said: Corrections = NO_CORRECTIONS
        self.plan = ReadyPlan()
        self.boxes: dict[StepName, QCheckBox] = {}
        self.summary = PlainLabel()
        self.summary.setFont(font(15, 700))
        self.container = self._choice("File type", (("WAV", "wav"), ("FLAC", "flac")), "container")
        self.bits = self._choice("Bit depth", _DEPTHS, "depth")
        self.rate = self._choice("Sample rate", _RATES, "rate_hz")
        self.write = QPushButton("&Write the copy…")
        self.write.clicked.connect(self.write_wanted)
        self.trouble = PlainLabel()
        self.trouble.setWordWrap(True)
        self.trouble.setFont(font(14, 600))
        self.trouble.hide()
        self.list = ReadyList(theme)
        self.list.menu_wanted.connect(self._offer)
        self._left = QScrollArea()
        self._left.setWidgetResizable(True)
        self._left.setFixedWidth(_LEFT_WIDTH)
        self._left.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._left.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._left.setAccessibleName("Steps, and what is left out")
        top = QHBoxLayout()
        top.setSpacing(12)
        top.addWidget(self.summary, 1)
        for widget in (self.container, self.bits, self.rate, self.write):
            top.addWidget(widget)
        hint = PlainLabel("Enter or Space on a copy switches its steps off and on. Ctrl+Z undoes that.")
        hint.setWordWrap(True)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self.list, 1)
        right.addWidget(hint)
        below = QHBoxLayout()
        below.setSpacing(24)
        below.addWidget(self._left)
        below.addLayout(right, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(24, 12, 24, 12)
        whole.setSpacing(12)
        whole.addLayout(top)
        whole.addWidget(self.trouble)
        whole.addWidget(self._progress())
        whole.addLayout(below, 1)
        self._shown: tuple[Delivery, Brief] | None = None
        self._is_whole = True
        theme.follow(self, self._colour)
        self._colour()

    def _progress(self) -> QWidget:
        self.progress = QWidget()
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setRange(0, _STEPS)
        self.bar.setAccessibleName("Progress of the ready copy")
        self.stage = PlainLabel()
        self.cancel = QPushButton("Cancel")
        self.cancel.setToolTip("Stop writing; copies that are whole stay")
        self.cancel.clicked.connect(self.cancel_wanted)
        line = QHBoxLayout(self.progress)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(16)
        line.addWidget(self.bar, 1)
        line.addWidget(self.stage, 1)
        line.addWidget(self.cancel)
        self.progress.hide()
        return self.progress

    def _choice(self, name: str, choices: tuple[tuple[str, object], ...], key: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        for words, value in choices:
            box.addItem(words, value)
        box.activated.connect(lambda: self._choose(name, **{key: box.currentData()}))
        return box

    @property
    def _choices(self) -> ReadyChoices:
        return self._said.ready

    def _choose(self, words: str, **changes: object) -> None:
        self.corrected.emit(replace(self._said, ready=replace(self._choices, **changes)), f"{words} of the ready copy")  # type: ignore[arg-type]

    def show_all(
        self, delivery: Delivery, said: Corrections, brief: Brief = DEFAULT_BRIEF, *, is_whole: bool = True
    ) -> None:
        """Show the plan as things are now; while the rough mix is still compared, it is not `is_whole` yet."""
        self._said, self._shown, self._is_whole = said, (delivery, brief), is_whole
        try:
            self.plan = plan_ready(delivery, brief, said, said.ready)
        except PatternRefused as error:
            self.plan = ReadyPlan()
            self.said.emit(str(error))
        for box, value in ((self.container, said.ready.container), (self.bits, said.ready.depth)):
            box.setCurrentIndex(max(0, box.findData(value)))
        self.rate.setCurrentIndex(max(0, self.rate.findData(said.ready.rate_hz)))
        rows = ready_rows(self.plan, delivery)
        self.list.show_rows(rows)
        self.summary.setText(summary_words(self.plan))
        troubles = list(dict.fromkeys(row.trouble for row in rows if row.trouble))
        more = f" And {len(troubles) - 1} more." if len(troubles) > 1 else ""
        self.trouble.setText(f"{troubles[0]}{more}" if troubles else "")
        self.trouble.setVisible(bool(troubles))
        self._enable()
        self._fill()

    def _enable(self) -> None:
        is_writing = not self.progress.isHidden()
        can_write = bool(self.plan.copies) and not self.plan.conflicts and self._is_whole
        self.write.setEnabled(can_write and not is_writing)
        tip = "Choose a folder and write all copies; the client's files are only read"
        if not self._is_whole:
            tip = "The rough mix is still being compared with the files: the plan may change"
        elif self.plan.conflicts:
            tip = "Something has to be solved first"
        self.write.setToolTip(as_plain(tip))

    def _fill(self) -> None:
        """The steps, and what is left out."""
        focused = next((step for step, box in self.boxes.items() if box.hasFocus()), None)
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 12, 8)
        column.setSpacing(2)
        self.boxes = {}
        self._head(column, "What is done")
        for step, copies in step_counts(self.plan, self._choices).items():
            box = QCheckBox(f"{STEP_NAMES[step]} ({copies})" if copies else STEP_NAMES[step])
            box.setChecked(step not in self._choices.off)
            box.setToolTip("For all copies it applies to")
            box.toggled.connect(lambda taken, s=step: self._take(s, taken))
            self.boxes[step] = box
            column.addWidget(box)
        left = list(left_out_lines(self.plan))
        if left:
            self._head(column, "Left out")
        for name, why in left:
            line = PlainLabel(name)
            line.setWordWrap(True)
            line.setContentsMargins(0, 4, 0, 0)
            column.addWidget(line)
            second = PlainLabel(why)
            second.setFont(font(12))
            second.setStyleSheet(f"color: {self._theme.colours.soft}")
            second.setWordWrap(True)
            column.addWidget(second)
        column.addStretch()
        self._left.setWidget(inside)
        if focused in self.boxes:
            self.boxes[focused].setFocus()  # one step after the other is switched by keyboard

    def _head(self, column: QVBoxLayout, words: str) -> None:
        head = PlainLabel(words)
        head.setFont(font(14, 700))
        head.setContentsMargins(0, 10, 0, 4)
        column.addWidget(head)

    def _take(self, step: StepName, taken: bool) -> None:
        off = tuple(s for s in self._choices.off if s != step)
        self._choose(f"“{STEP_NAMES[step]}”", off=off if taken else (*off, step))

    def _offer(self, row: ReadyRow, at: QPoint) -> None:
        """The steps of one copy, each to be switched off or on for it alone."""
        copy = next((copy for copy in self.plan.copies if copy.sources == row.sources), None)
        if copy is None:
            return
        path = row.sources[0]
        off = self._choices.off_for.get(path, ())
        menu = QMenu(self)
        self._theme.style(menu)
        for step in dict.fromkeys((*(s.name for s in copy.steps), *off)):
            action = QAction(STEP_NAMES[step], menu)
            action.setCheckable(True)
            action.setChecked(step not in off)
            action.triggered.connect(lambda taken, s=step: self._take_for(path, s, taken=taken))
            menu.addAction(action)
        if menu.isEmpty():
            none = QAction("It is copied as it is", menu)
            none.setEnabled(False)
            menu.addAction(none)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(at)

    def _take_for(self, path: str, step: StepName, *, taken: bool) -> None:
        rest = tuple(s for s in self._choices.off_for.get(path, ()) if s != step)
        off = {p: steps for p, steps in self._choices.off_for.items() if p != path}
        if not taken:
            rest = (*rest, step)
        self._choose(
            f"“{STEP_NAMES[step]}” for {readable(path.rpartition('/')[2])}",
            off_for={**off, path: rest} if rest else off,
        )

    # -- while it is written ------------------------------------------------------------------

    def show_progress(self, stage: str, done: int, total: int) -> None:
        """How far it is."""
        self.bar.setValue(round(done / total * _STEPS) if total else 0)
        self.stage.setText(_STAGES.get(stage, ""))
        self.progress.show()
        self._enable()

    def show_rest(self) -> None:
        """Nothing is written any more."""
        self.progress.hide()
        self._enable()

    def _colour(self) -> None:
        self.trouble.setStyleSheet(f"color: {self._theme.colours.ask}")
        if self._shown is not None:
            self.show_all(self._shown[0], self._said, self._shown[1], is_whole=self._is_whole)
