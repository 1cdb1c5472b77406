"""The rename plan: a pattern, and for every file its old and its new name. Nothing of the client's is renamed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QPointF, QRect, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QMenu,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.client_folder import may_save
from deep_tally.app.base.elided import ElidedLabel
from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.name_style import draw_name
from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.settings import Settings
from deep_tally.app.base.theme import Theme, font
from deep_tally.model.brief import Brief
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.delivery import Delivery
from deep_tally.model.errors import DeepTallyError, PatternRefused
from deep_tally.model.files import NO_CLIENT, ClientFiles
from deep_tally.model.findings import Action
from deep_tally.model.names import ParsedName
from deep_tally.model.naming import FIELDS, Order
from deep_tally.names.pattern import BYTES_MOST
from deep_tally.names.plan import DEFAULT_PATTERN, Renamed, make_plan, numbered_apart, to_csv
from deep_tally.reply.action_words import readable
from deep_tally.reply.name_words import name_labels
from deep_tally.reply.numbers import count, listed
from deep_tally.work.atomic import write_atomically

Index = QModelIndex | QPersistentModelIndex
_ROOT = QModelIndex()
_OLD, _NEW, _WRONG = range(3)
_HEADS = ("Name as received", "Name in the ready copy", "Notes")
_ROW_HEIGHT = 28
_ORDERS: tuple[tuple[str, Order], ...] = (("as delivered", "delivered"), ("by family", "family"))


def plan_of(delivery: Delivery, corrections: Corrections, brief: Brief) -> tuple[Renamed, ...]:
    """The rename plan of all songs.

    Raises
    ------
    PatternRefused
        No names can be made of the pattern.
    """
    pattern = pattern_of(corrections, brief)
    plans: list[Renamed] = []
    for song in delivery.sets:
        plans += make_plan(
            [t.path for t in song.assessed],
            song.names,
            song.facts,
            pattern=pattern,
            order=corrections.order,
            own=corrections.names,
            longest=brief.names.longest,
        )
    return tuple(plans)


def pattern_of(corrections: Corrections, brief: Brief) -> str:
    """The pattern in force: what the user said of this delivery, else the brief's."""
    return corrections.pattern if corrections.pattern is not None else brief.names.pattern or DEFAULT_PATTERN


class PlanModel(QAbstractTableModel):
    """The plan as a table. `renamed` carries (path, new name without ending) when the user wrote one."""

    renamed = Signal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.plan: tuple[Renamed, ...] = ()
        self.names: Mapping[str, ParsedName] = {}

    def show(self, plan: Sequence[Renamed], names: Mapping[str, ParsedName]) -> None:
        """Show another plan; the place in it is kept where the files are the same."""
        same = [r.path for r in plan] == [r.path for r in self.plan]
        if not same:
            self.beginResetModel()
        self.plan, self.names = tuple(plan), names
        if not same:
            self.endResetModel()
        elif self.plan:
            self.dataChanged.emit(self.index(0, 0), self.index(len(self.plan) - 1, len(_HEADS) - 1))

    def rowCount(self, parent: Index = _ROOT) -> int:
        return 0 if parent.isValid() else len(self.plan)

    def columnCount(self, parent: Index = _ROOT) -> int:
        return 0 if parent.isValid() else len(_HEADS)

    def flags(self, index: Index) -> Qt.ItemFlag:
        flags = super().flags(index)
        return flags | Qt.ItemFlag.ItemIsEditable if index.column() == _NEW else flags

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return _HEADS[section]
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        renamed = self.plan[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return (readable(renamed.path), readable(renamed.new), trouble_words(renamed))[index.column()]
        if role == Qt.ItemDataRole.EditRole and index.column() == _NEW:
            return renamed.new.rpartition(".")[0] or renamed.new
        if role == Qt.ItemDataRole.ToolTipRole and index.column() == _OLD and renamed.path in self.names:
            return as_plain(f"{readable(renamed.path)}\n\n{name_labels(self.names[renamed.path])}")
        if role == Qt.ItemDataRole.ToolTipRole and index.column() == _NEW:
            return "Written by you; Delete puts the pattern's name back" if renamed.is_own else "F2 to write your own"
        if role == Qt.ItemDataRole.FontRole and index.column() == _NEW:
            return font(13, 700 if renamed.is_own else 400)
        return None

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.EditRole or index.column() != _NEW:
            return False
        text, renamed = str(value).strip(), self.plan[index.row()]
        if text != (renamed.new.rpartition(".")[0] or renamed.new):
            self.renamed.emit(renamed.path, text)
        return True


def trouble_words(renamed: Renamed) -> str:
    """What is wrong with a new name, or what it is worth to know of it."""
    if renamed.trouble == "clash":
        return f"the same name as {listed([readable(p.rpartition('/')[2]) for p in renamed.others], most=2)}"
    if renamed.trouble == "empty":
        return "no name is left: write one"
    if renamed.trouble == "long":
        stored = len(renamed.new.encode("utf-8", "surrogateescape"))
        return f"too long: {count(len(renamed.new), 'character')}, {stored} of {BYTES_MOST} bytes"
    return "written by you" if renamed.is_own else "stays as it is" if renamed.old == renamed.new else ""


class _PlanDelegate(QStyledItemDelegate):
    """Old names in ink as in the sheet; trouble in ink and bold."""

    def __init__(self, model: PlanModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._model, self._theme = model, theme

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        colours = self._theme.colours
        rect: QRect = option.rect
        view = self.parent()
        current = isinstance(view, QTableView) and view.currentIndex().row() == index.row()
        renamed = self._model.plan[index.row()]
        painter.fillRect(rect, QColor(colours.raised if current else colours.ground))
        if current and index.column() == _OLD:
            focused = isinstance(view, QTableView) and view.hasFocus()
            painter.fillRect(
                QRect(rect.left(), rect.top(), 5, rect.height()), QColor(colours.fix if focused else colours.ink)
            )
        area = QRectF(rect).adjusted(12, 0, -8, 0)
        if index.column() == _OLD and renamed.path in self._model.names:
            draw_name(painter, area, self._model.names[renamed.path], colours, after_number=False)
        else:
            troubled = bool(renamed.trouble)
            quiet = index.column() == _WRONG and not troubled
            painter.setFont(font(13, 700 if (troubled or (renamed.is_own and index.column() == _NEW)) else 400))
            if troubled and index.column() == _WRONG:
                draw_shape(painter, Action.FIX, QPointF(area.left() + 5, area.center().y()), 9, QColor(colours.fix))
                area.setLeft(area.left() + 16)
            painter.setPen(QColor(colours.fix if troubled else colours.soft if quiet else colours.ink))
            text = painter.fontMetrics().elidedText(str(index.data()), Qt.TextElideMode.ElideRight, int(area.width()))
            painter.drawText(area, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
        painter.fillRect(QRect(rect.left(), rect.bottom(), rect.width(), 1), QColor(colours.rule))


class _PlanTable(QTableView):
    """Delete gives a name back to the pattern."""

    given_back = Signal(str)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        model = self.model()
        if self.state() is QAbstractItemView.State.EditingState:
            super().keyPressEvent(event)  # the editor lets its own Return through
            return
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and isinstance(model, PlanModel):
            for index in self.selectionModel().selectedRows():
                self.given_back.emit(model.plan[index.row()].path)
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentIndex().isValid():
            self.edit(self.currentIndex().siblingAtColumn(_NEW))
            return
        super().keyPressEvent(event)


class NamesView(QWidget):
    """Everything about new names. `corrected` sends (the corrections now, words); `said` one sentence."""

    corrected = Signal(object, str)
    said = Signal(str)

    def __init__(self, theme: Theme, settings: Settings) -> None:
        super().__init__()
        self._theme, self._settings = theme, settings
        self._delivery: Delivery | None = None
        self.protected: ClientFiles = NO_CLIENT
        """What nothing may be written over, or into."""
        self._corrections = NO_CORRECTIONS
        self._brief: Brief | None = None
        self.pattern = QLineEdit()
        self.pattern.setAccessibleName("Pattern for new names")
        self.pattern.setMinimumWidth(320)
        self.pattern.textEdited.connect(self._edit_pattern)
        self.fields = QPushButton("Add a &field")
        menu = QMenu(self)
        for name, words in FIELDS.items():
            menu.addAction(f"{{{name}}}   {words}", self._inserter(name))
        self.fields.setMenu(menu)
        self.order = QComboBox()
        self.order.setAccessibleName("Order")
        self.order.addItems([words for words, _ in _ORDERS])
        self.order.activated.connect(self._choose_order)
        self.apart = QPushButton("Number e&qual names")
        self.apart.setToolTip("Give files that would share a name a number each")
        self.apart.clicked.connect(self._number_apart)
        self.csv = QPushButton("Save as &CSV…")
        self.csv.clicked.connect(self.save_csv)
        self.in_reply = QCheckBox("&List them in the reply")
        self.in_reply.clicked.connect(
            lambda on: self._correct(replace(self._corrections, in_reply=on), "New names in the reply")
        )
        self.trouble = PlainLabel()
        self.trouble.setWordWrap(True)
        self.trouble.setFont(font(13, 600))
        self.summary = ElidedLabel()
        self.model = PlanModel()
        self.table = _PlanTable()
        self.table.setModel(self.model)
        self.table.setAccessibleName("New names: a row per file")
        self.table.setItemDelegate(_PlanDelegate(self.model, theme, self.table))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(_ROW_HEIGHT)
        self.table.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        header = self.table.horizontalHeader()
        header.setHighlightSections(False)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column in range(len(_HEADS)):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self.table.given_back.connect(lambda path: self._rename(path, ""))
        self.model.renamed.connect(self._rename)
        self._lay_out()
        theme.follow(self, self._colour)
        self._colour()

    def _lay_out(self) -> None:
        label = PlainLabel("&Pattern")
        label.setBuddy(self.pattern)
        order = PlainLabel("&Order")
        order.setBuddy(self.order)
        top = QHBoxLayout()
        top.setSpacing(8)
        for widget in (label, self.pattern, self.fields, order, self.order):
            top.addWidget(widget)
        top.addStretch()
        under = QHBoxLayout()
        under.setSpacing(12)
        under.addWidget(self.summary, 1)
        under.addWidget(self.in_reply)
        under.addWidget(self.apart)
        under.addWidget(self.csv)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(24, 12, 24, 12)
        whole.setSpacing(8)
        whole.addLayout(top)
        whole.addWidget(self.trouble)
        whole.addLayout(under)
        whole.addWidget(self.table, 1)

    def show_all(self, delivery: Delivery, corrections: Corrections, brief: Brief) -> None:
        """Show the plan of a delivery."""
        self._delivery, self._corrections, self._brief = delivery, corrections, brief
        pattern = pattern_of(corrections, brief)
        if self.pattern.text() != pattern:
            self.pattern.setText(pattern)
        self.order.setCurrentIndex([order for _, order in _ORDERS].index(corrections.order))
        self.in_reply.setChecked(corrections.in_reply)
        self._fill()

    def _fill(self) -> None:
        if self._delivery is None or self._brief is None:
            return
        try:
            plan = plan_of(self._delivery, self._corrections, self._brief)
        except PatternRefused as refused:
            self.trouble.setText(f"{refused} The names below are from the last valid pattern.")
            self.trouble.show()
            return
        self.trouble.hide()
        names = {path: name for song in self._delivery.sets for path, name in song.names.items()}
        self.model.show(plan, names)
        wrong = sum(bool(r.trouble) for r in plan)
        changed = sum(r.old != r.new for r in plan)
        text = f"{count(changed, 'name')} of {len(plan)} change in the ready copy; the client's files keep theirs."
        self.summary.setText(f"{count(wrong, 'name')} cannot be used yet.  {text}" if wrong else text)
        self.apart.setEnabled(any(r.trouble == "clash" for r in plan))

    def _edit_pattern(self, text: str) -> None:
        self._correct(replace(self._corrections, pattern=text), "Pattern of names")

    def _choose_order(self, index: int) -> None:
        self._correct(replace(self._corrections, order=_ORDERS[index][1]), "Order of names")

    def _inserter(self, field: str) -> Callable[[], None]:
        return lambda: self._insert(field)

    def _insert(self, field: str) -> None:
        self.pattern.insert(f"{{{field}}}")
        self._edit_pattern(self.pattern.text())
        self.pattern.setFocus()

    def _rename(self, path: str, name: str) -> None:
        self._correct(self._corrections.with_name(path, name or None), f"Name of {readable(path.rpartition('/')[2])}")

    def _number_apart(self) -> None:
        own = numbered_apart(self.model.plan)
        self._correct(replace(self._corrections, names={**self._corrections.names, **own}), "Equal names numbered")

    def _correct(self, corrections: Corrections, words: str) -> None:
        self.corrected.emit(corrections, words)

    def save_csv(self) -> None:
        """Ask where, and save the plan as CSV."""
        proposed = self._settings.folder("reply") / "Names.csv"
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the names as CSV", str(proposed), "CSV (*.csv)")
        if chosen:
            self.save_csv_to(Path(chosen))

    def save_csv_to(self, path: Path) -> None:
        """Save the plan as CSV, and say what happened."""
        if not may_save(self, path, self.protected):
            return
        try:
            write_atomically(to_csv(self.model.plan), path, client=self.protected, into_delivery=True)
        except DeepTallyError as error:
            self.said.emit(str(error))
            return
        self._settings.set_folder("reply", path.parent)
        self.said.emit(f"Saved: {path}")

    def _colour(self) -> None:
        c = self._theme.colours
        self.trouble.setStyleSheet(f"color: {c.fix}")
        self.summary.setStyleSheet(f"color: {c.soft}")
        self.table.viewport().update()
