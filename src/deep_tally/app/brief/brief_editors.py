"""An editor for each line of the brief. `edited` brings the line's new value, JSON-ready."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLineEdit,
    QSpinBox,
    QWidget,
)

from deep_tally.app.base.plain import PlainLabel
from deep_tally.model.brief import Brief
from deep_tally.model.thresholds import THRESHOLDS
from deep_tally.reply.brief_words import Line, value_of
from deep_tally.reply.numbers import kilohertz, listed

_LOWEST_DBFS = -120.0


class Editor(QWidget):
    """One line's editor. `show_brief` shows a value without saying that it was edited."""

    edited = Signal(object)

    def __init__(self, name: str) -> None:
        super().__init__()
        self._name = name
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(4)

    def show_brief(self, brief: Brief) -> None:
        """Show the value a brief has."""
        raise NotImplementedError

    def take(self, widget: QWidget, name: str = "") -> None:
        """Make a widget part of the editor; screen readers hear the line's name."""
        widget.setAccessibleName(f"{self._name}, {name}" if name else self._name)
        self.row.addWidget(widget)
        if not self.focusProxy():
            self.setFocusProxy(widget)


class _CalmWheel(QObject):
    """The wheel scrolls the panel: it changes a value only where the user went to it."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Wheel and isinstance(watched, QWidget) and not watched.hasFocus():
            event.ignore()
            return True
        return super().eventFilter(watched, event)


def _calm(widget: QComboBox | QSpinBox | QDoubleSpinBox) -> None:
    """Make a box calm: no wheel without focus, and numbers are passed on when they are complete."""
    widget.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    widget.installEventFilter(_CalmWheel(widget))
    if isinstance(widget, QComboBox):
        widget.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        widget.setMinimumContentsLength(8)
    else:
        widget.setKeyboardTracking(False)
        widget.lineEdit().setTextMargins(4, 0, 2, 0)


class Choice(Editor):
    """One of several values; a value that is none of them (out of a file) is shown as one more."""

    def __init__(
        self, line: Line, choices: Sequence[tuple[str, Any]], say: Callable[[Any], str] = lambda value: str(value)
    ) -> None:
        super().__init__(line.label)
        self._key, self._choices, self._say = line.key, list(choices), say
        self.box = QComboBox()
        _calm(self.box)
        self._refill(self._choices)
        self.box.activated.connect(self._tell)
        self.take(self.box)

    def _refill(self, choices: Sequence[tuple[str, Any]]) -> None:
        self._choices = list(choices)
        self.box.clear()
        self.box.addItems([words for words, _ in choices])

    def show_brief(self, brief: Brief) -> None:
        value = value_of(brief, self._key)
        plain = list(value) if isinstance(value, tuple) else value
        values = [v for _, v in self._choices]
        if plain not in values:
            self._refill([*self._choices, (self._say(plain), plain)])
            values.append(plain)
        self.box.setCurrentIndex(values.index(plain))

    def _tell(self, index: int) -> None:
        self.edited.emit(self._choices[index][1])


class Switch(Editor):
    """Asked or not."""

    def __init__(self, line: Line) -> None:
        super().__init__(line.label)
        self._key = line.key
        self.box = QCheckBox(line.label)
        self.box.clicked.connect(lambda on: self.edited.emit(on))
        self.take(self.box)

    def show_brief(self, brief: Brief) -> None:
        self.box.setChecked(bool(value_of(brief, self._key)))


class Window(Editor):
    """A lower and an upper bound in dBFS; optional ones have a switch before them."""

    def __init__(self, line: Line, *, optional: bool) -> None:
        super().__init__(line.label)
        self._key = line.key
        self.switch = QCheckBox() if optional else None
        if self.switch is not None:
            self.switch.clicked.connect(self._switch)
            self.take(self.switch, "asked")
        self.low, self.high = QDoubleSpinBox(), QDoubleSpinBox()
        for spin, name in ((self.low, "from"), (self.high, "to")):
            _calm(spin)
            spin.setRange(_LOWEST_DBFS, 0.0)
            spin.setDecimals(1)
            spin.setFixedWidth(54)
            spin.valueChanged.connect(self._tell)
            self.take(spin, name)
            if spin is self.low:
                self.row.addWidget(PlainLabel("to"))
        self.row.addStretch()

    def show_brief(self, brief: Brief) -> None:
        value = value_of(brief, self._key)
        window = value if isinstance(value, tuple) else (-24.0, -18.0)
        for spin, bound in ((self.low, window[0]), (self.high, window[1])):
            spin.blockSignals(True)
            spin.setValue(bound)
            spin.setEnabled(value is not None)
            spin.blockSignals(False)
        if self.switch is not None:
            self.switch.setChecked(value is not None)

    def _switch(self, asked: bool) -> None:
        self.edited.emit([self.low.value(), self.high.value()] if asked else None)

    def _tell(self) -> None:
        if self.low.value() >= self.high.value():  # the bound that was not touched gives way
            moved = self.sender()
            other = self.high if moved is self.low else self.low
            other.blockSignals(True)
            other.setValue(min(0.0, self.low.value() + 1) if moved is self.low else self.high.value() - 1)
            other.blockSignals(False)
            if self.low.value() >= self.high.value():
                self.low.blockSignals(True)
                self.low.setValue(self.high.value() - 1)
                self.low.blockSignals(False)
        self.edited.emit([self.low.value(), self.high.value()])


class Amount(Editor):
    """A number with its unit; none at the lowest value."""

    def __init__(self, line: Line, low: float, high: float, *, unit: str, none: str, digits: int = 1) -> None:
        super().__init__(line.label)
        self._key = line.key
        self.box = QDoubleSpinBox()
        _calm(self.box)
        self.box.setRange(low, high)
        self.box.setDecimals(digits)
        self.box.setSuffix(unit)
        self.box.setSpecialValueText(none)
        self.box.valueChanged.connect(lambda value: self.edited.emit(value if value > low else None))
        self.take(self.box)

    def show_brief(self, brief: Brief) -> None:
        value = value_of(brief, self._key)
        self.box.blockSignals(True)
        self.box.setValue(float(value) if isinstance(value, (int, float)) else self.box.minimum())
        self.box.blockSignals(False)


class Whole(Editor):
    """A whole number."""

    def __init__(self, line: Line, low: int, high: int) -> None:
        super().__init__(line.label)
        self._key = line.key
        self.box = QSpinBox()
        _calm(self.box)
        self.box.setRange(low, high)
        self.box.setSuffix(" characters")
        self.box.valueChanged.connect(lambda value: self.edited.emit(value))
        self.take(self.box)

    def show_brief(self, brief: Brief) -> None:
        value = value_of(brief, self._key)
        self.box.blockSignals(True)
        self.box.setValue(value if isinstance(value, int) else self.box.minimum())
        self.box.blockSignals(False)


class Words(Editor):
    """A line of text; several words are set apart by commas. Sent when the user leaves it."""

    def __init__(self, line: Line, *, several: bool, hint: str) -> None:
        super().__init__(line.label)
        self._key, self._several = line.key, several
        self.field = QLineEdit()
        self.field.setPlaceholderText(hint)
        self.field.editingFinished.connect(self._tell)
        self._shown = ""
        self.take(self.field)

    def show_brief(self, brief: Brief) -> None:
        value = value_of(brief, self._key)
        self._shown = ", ".join(value) if isinstance(value, tuple) else str(value or "")
        self.field.setText(self._shown)
        self.field.setCursorPosition(0)

    def _tell(self) -> None:
        text = self.field.text()
        if text == self._shown:
            return
        self._shown = text
        if self._several:
            self.edited.emit([word.strip() for word in text.split(",") if word.strip()])
        else:
            self.edited.emit(text.strip() or None)


class ThresholdEditor(Editor):
    """One threshold; its default is one press away."""

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self.name, self._default = name, THRESHOLDS[name].default
        self.box = QDoubleSpinBox()
        _calm(self.box)
        self.box.setRange(-1000.0, 100_000.0)
        self.box.setDecimals(3 if abs(self._default) < 1 else 1)
        self.box.setFixedWidth(74)
        self.box.valueChanged.connect(lambda value: self.edited.emit(None if value == self._default else value))
        self.take(self.box)

    def show_brief(self, brief: Brief) -> None:
        self.box.blockSignals(True)
        self.box.setValue(brief.threshold(self.name))
        self.box.blockSignals(False)


_RATES_HZ = (44_100, 48_000, 88_200, 96_000, 176_400, 192_000)
_METERS = ("4/4", "3/4", "2/4", "6/8", "12/8", "5/4", "7/8")
_WAVES = ["wav", "rf64", "bw64"]


def make_editor(line: Line) -> Editor:
    """The editor of a line; the parts list has a view of its own."""
    if line.choices:
        return Choice(line, [(words, value) for value, words in line.choices.items()])
    if line.key == "rates":
        rates = [(kilohertz(rate), [rate]) for rate in _RATES_HZ]
        return Choice(line, [("the song's own", None), *rates], lambda v: listed([kilohertz(r) for r in v], word="or"))
    if line.key == "bits_min":
        return Choice(line, [(f"{bits} bit", bits) for bits in (16, 20, 24, 32)], lambda v: f"{v} bit")
    if line.key == "sample_formats":
        kinds = [("fixed or float", ["int", "float"]), ("fixed point", ["int"]), ("32 bit float", ["float"])]
        return Choice(line, kinds, lambda v: listed(list(v), word="or"))
    if line.key == "containers":
        boxes: list[tuple[str, list[str] | None]] = [
            ("any lossless", None),
            ("WAV", _WAVES),
            ("WAV or AIFF", [*_WAVES, "aiff"]),
            ("WAV or FLAC", [*_WAVES, "flac"]),
        ]
        return Choice(line, boxes, lambda v: listed([k.upper() for k in v], word="or"))
    if line.key.endswith("window_dbfs"):
        return Window(line, optional=line.key.startswith("rms"))
    if line.key == "length.tail_seconds":
        return Amount(line, 0.0, 600.0, unit=" s", none="not requested")
    if line.key == "tempo_bpm":
        return Amount(line, 19.99, 400.0, unit=" BPM", none="as stated", digits=2)
    if line.key == "meter":
        meters: list[tuple[str, str | None]] = [("as stated", None), *((m, m) for m in _METERS)]
        return Choice(line, meters)
    if line.key == "names.longest":
        return Whole(line, 8, 255)
    if line.key == "names.pattern":
        return Words(line, several=False, hint="none, such as {number} {part}")
    if line.key == "names.generic_words":
        return Words(line, several=True, hint="words that say nothing")
    return Switch(line)
