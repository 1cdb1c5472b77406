"""The brief beside the sheet: each line says what is requested and, next to it, how much was received."""

from __future__ import annotations

import re
from collections.abc import Mapping
from itertools import pairwise

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPalette
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.brief.brief_editors import Editor, Switch, ThresholdEditor, make_editor
from deep_tally.check.coverage import Coverage, coverage_of
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import Delivery
from deep_tally.model.thresholds import THRESHOLDS
from deep_tally.reply.action_words import readable
from deep_tally.reply.brief_words import GROUPS, LINES, Line, coverage_words, is_assessed
from deep_tally.reply.numbers import count, listed

WIDTH = 388
_CAME_WIDTH = 70
_LABEL_WIDTH = 112
"""No label is wider than this: longer ones are broken into lines."""
_THRESHOLDS_IN_ONE = 12
_UNIT = re.compile(r"_(?:db|dbfs|ms|s|h)$")
"""How a threshold's name ends: its unit stands beside the number."""
_HINTS = {
    "Effects": "No file can show these: they go on the client's page.",
}


class BriefPanel(QWidget):
    """The panel. `edited` carries (key, value, words) of a line; `misses` the files that do not meet one.

    Its groups of lines follow the theme one by one: all its widgets at once would keep the window busy for too long.
    """

    edited = Signal(str, object, str)
    misses = Signal(str, tuple)
    parts_wanted = Signal()
    closed = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._brief: Brief | None = None
        self.editors: dict[str, Editor] = {}
        self.coverage: dict[str, QPushButton] = {}
        self.thresholds: dict[str, ThresholdEditor] = {}
        self._labels: list[PlainLabel] = []
        self.name_button = QPushButton()
        self.name_button.setProperty("look", "title")
        self.name_button.setFont(font(17, 700))
        self.name_button.setToolTip("Choose, save or share a brief (Alt+B)")
        self.name_button.setShortcut("Alt+B")
        self.name_button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.menu = QMenu("Brief", self)
        self.name_button.setMenu(self.menu)
        self.changed = PlainLabel()
        self.page_button = QPushButton("The client's page")
        self.page_button.setToolTip("The brief as a page for the client: what to send and how to check it (Ctrl+7)")
        head = self._make_head()
        self.pane = QScrollArea()
        self._fill_pane()
        edge = QWidget()
        edge.setFixedWidth(1)
        column = QVBoxLayout()
        column.setSpacing(0)
        column.addWidget(head)
        column.addWidget(self.pane, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(edge)
        whole.addLayout(column, 1)
        self.setFixedWidth(WIDTH)
        for widget, role in ((self, QPalette.ColorRole.Base), (edge, QPalette.ColorRole.Mid)):
            widget.setBackgroundRole(role)
            widget.setAutoFillBackground(True)
        theme.follow(self, self._colour)
        self._colour()

    # -- building -----------------------------------------------------------------------------

    def _make_head(self) -> QWidget:
        """The brief's name, and what can be done with the whole of it."""
        close = QPushButton("×")
        close.setProperty("look", "quiet")
        close.setFixedWidth(30)
        close.setToolTip("Close the brief (Ctrl+B)")
        close.setAccessibleName("Close the brief")
        close.clicked.connect(self.closed)
        head = QWidget()
        self._theme.style(head)
        top = QHBoxLayout()
        top.setContentsMargins(12, 8, 8, 0)
        top.addWidget(self.name_button, 1)
        top.addWidget(close)
        under = QHBoxLayout()
        under.setContentsMargins(20, 4, 16, 8)
        under.addWidget(self.changed, 1)
        under.addWidget(self.page_button)
        in_head = QVBoxLayout(head)
        in_head.setContentsMargins(0, 0, 0, 0)
        in_head.setSpacing(0)
        in_head.addLayout(top)
        in_head.addLayout(under)
        return head

    def _fill_pane(self) -> None:
        """Line by line what is asked for."""
        inside = QWidget()
        inside.setBackgroundRole(QPalette.ColorRole.Base)
        self._groups = QVBoxLayout(inside)
        self._groups.setContentsMargins(0, 0, 0, 16)
        self._groups.setSpacing(4)
        self._add_lines()
        self._add_thresholds_button()
        self._groups.addStretch()
        self.pane.setWidget(inside)
        self.pane.setWidgetResizable(True)
        self.pane.setFrameShape(QFrame.Shape.NoFrame)
        self.pane.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.pane.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._theme.style(self.pane.verticalScrollBar())

    def _add_group(self, column: QVBoxLayout) -> QGridLayout:
        """Lines that follow the theme together: labels, editors, and how many files comply."""
        holder = QWidget()
        self._theme.style(holder)
        grid = QGridLayout(holder)
        grid.setContentsMargins(20, 0, 12, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        grid.setColumnMinimumWidth(0, _LABEL_WIDTH)
        grid.setColumnStretch(1, 1)
        grid.setColumnMinimumWidth(2, _CAME_WIDTH)
        column.addWidget(holder)
        return grid

    def _add_lines(self) -> None:
        for group in GROUPS:
            grid = self._add_group(self._groups)
            head = PlainLabel(group)
            head.setFont(font(13, 700))
            head.setContentsMargins(0, 12, 0, 2)
            grid.addWidget(head, 0, 0, 1, 3)
            if group in _HINTS:
                grid.addWidget(self._soft(_HINTS[group]), 1, 0, 1, 3)
            for line in (line for line in LINES if line.group == group):
                self._add_line(grid, grid.rowCount(), line)

    def _label(self, words: str, editor: QWidget) -> PlainLabel:
        label = PlainLabel(words)
        label.setWordWrap(True)
        label.setFixedWidth(_LABEL_WIDTH)
        label.setBuddy(editor)
        return label

    def _add_line(self, grid: QGridLayout, row: int, line: Line) -> None:
        coverage = QPushButton()
        coverage.setProperty("look", "coverage")
        coverage.clicked.connect(lambda checked=False, key=line.key: self._emit_misses(key))
        self.coverage[line.key] = coverage
        if line.key == "parts":
            self.parts_button = QPushButton("none")
            self.parts_button.setToolTip("The requested parts and the files received for them (Ctrl+4)")
            self.parts_button.clicked.connect(self.parts_wanted)
            editor: QWidget = self.parts_button
        else:
            made = make_editor(line)
            made.edited.connect(lambda value, line=line: self.edited.emit(line.key, value, f"Brief: {line.label}"))
            self.editors[line.key] = editor = made
        if isinstance(editor, Switch):
            grid.addWidget(editor, row, 0, 1, 2)
        else:
            grid.addWidget(self._label(line.label, editor), row, 0)
            grid.addWidget(editor, row, 1, 1, 2 if line.is_unseen else 1)
        if line.is_unseen:
            coverage.hide()
        else:
            grid.addWidget(coverage, row, 2)

    def _soft(self, words: str) -> PlainLabel:
        label = PlainLabel(words)
        label.setFont(font(12))
        label.setWordWrap(True)
        self._labels.append(label)
        return label

    def _add_thresholds_button(self) -> None:
        self.finer = QPushButton("Thresholds")
        self.finer.setProperty("look", "quiet")
        self.finer.setCheckable(True)
        self.finer.setToolTip("Every threshold of the checks")
        self.finer.toggled.connect(self._show_thresholds)
        self._add_group(self._groups).addWidget(self.finer, 0, 0, 1, 2, Qt.AlignmentFlag.AlignLeft)
        self._finer = QWidget()
        self._finer.hide()
        self._finer_groups = QVBoxLayout(self._finer)
        self._finer_groups.setContentsMargins(0, 0, 0, 0)
        self._finer_groups.setSpacing(4)
        self._groups.addWidget(self._finer)

    def _show_thresholds(self, shown: bool) -> None:
        """The thresholds are made when they are first looked at: there are many, and few look."""
        if shown and not self.thresholds:
            for at, name in enumerate(THRESHOLDS):
                row = at % _THRESHOLDS_IN_ONE
                if row == 0:
                    grid = self._add_group(self._finer_groups)
                    grid.setColumnStretch(1, 0)
                    grid.setColumnStretch(2, 1)
                self._add_threshold(grid, row, name)
            # Made last, they would be reached after everything else of the window.
            for before, after in pairwise([self.finer, *(e.box for e in self.thresholds.values())]):
                QWidget.setTabOrder(before, after)
            self._colour()
        self._finer.setVisible(shown)
        if self._brief is not None:
            for editor in self.thresholds.values():
                editor.show_brief(self._brief)

    def _add_threshold(self, grid: QGridLayout, row: int, name: str) -> None:
        threshold = THRESHOLDS[name]
        question, _, what = name.partition(".")
        words = _UNIT.sub("", what).replace("_", " ").replace(".", " ")
        editor = ThresholdEditor(name)
        editor.edited.connect(lambda value: self.edited.emit(f"thresholds.{name}", value, f"Brief: {name}"))
        label = self._label(f"{question}: {words}", editor)
        label.setToolTip(as_plain(f"{name}\nDefault {threshold.default:g} {threshold.unit}; {threshold.source}"))
        self.thresholds[name] = editor
        grid.addWidget(label, row, 0)
        grid.addWidget(editor, row, 1, Qt.AlignmentFlag.AlignLeft)
        grid.addWidget(self._soft(threshold.unit), row, 2)

    # -- showing ------------------------------------------------------------------------------

    def show_brief(self, brief: Brief, *, changed: bool) -> None:
        """Show what is asked."""
        self._brief = brief
        self.name_button.setText(f" {readable(brief.name)}  ▾".replace("&", "&&"))
        self.name_button.setAccessibleName(f"Brief: {readable(brief.name)}")
        self.changed.setText("Changed, not saved" if changed else "")
        for editor in (*self.editors.values(), *self.thresholds.values()):
            editor.show_brief(brief)
        self.parts_button.setText(count(len(brief.parts), "part") if brief.parts else "none")

    def show_delivery(self, delivery: Delivery | None, brief: Brief) -> None:
        """Show how much of each line was received; nothing while that is not known."""
        coverage: Mapping[str, Coverage] = coverage_of(delivery, brief) if delivery is not None else {}
        self._misses = {key: c.misses for key, c in coverage.items()}
        for key, button in self.coverage.items():
            line_coverage = coverage.get(key)
            asked = is_assessed(brief, key)
            # What was sent unasked is worth knowing too.
            is_shown = line_coverage is not None and (asked or (key.startswith("needs.") and line_coverage.met > 0))
            button.setText(coverage_words(line_coverage) if line_coverage is not None and is_shown else "")
            is_open = line_coverage is not None and asked and not line_coverage.is_met
            self._mark(button, "open" if is_open else "")
            button.setEnabled(bool(is_open and line_coverage is not None and line_coverage.unit in ("file", "part")))
            label = next(line.label for line in LINES if line.key == key)
            button.setAccessibleName(f"{label}: {button.text() or 'nothing to meet'}")
            tip = ""
            if is_open and line_coverage is not None:
                names = listed([readable(m.rpartition("/")[2]) for m in line_coverage.misses], most=8)
                tip = f"Not met by {names}." + (" Press to see only these." if line_coverage.unit == "file" else "")
            button.setToolTip(as_plain(tip))

    def _mark(self, button: QPushButton, state: str) -> None:
        if button.property("state") != state:
            button.setProperty("state", state)
            button.style().unpolish(button)
            button.style().polish(button)

    def _emit_misses(self, key: str) -> None:
        if key == "parts":
            self.parts_wanted.emit()
            return
        label = next(line.label for line in LINES if line.key == key)
        self.misses.emit(label, self._misses.get(key, ()))

    def focus_first(self) -> None:
        """Go to the first line."""
        self.name_button.setFocus()

    def _colour(self) -> None:
        c = self._theme.colours
        self.changed.setStyleSheet(f"color: {c.soft}")
        for label in self._labels:
            label.setStyleSheet(f"color: {c.soft}")
