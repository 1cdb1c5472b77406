"""The files of a mix match as a table: how well each explains the mix over time, where it belongs, how loud it is."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QTableView, QWidget

from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.plain import as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.views.mix_map import MixMap, MixRow

FILE, MAP, PLACE, LEVEL = range(4)
HEADS = ("   File", "How well it explains the mix, over time", "Belongs", "Level in the mix")
_ROW_HEIGHT, _PAD = 34, 12
_LEVEL_SPAN_DB = 12.0
_LOWEST_CELL = 0.15
Index = QModelIndex | QPersistentModelIndex


class MixModel(QAbstractTableModel):
    """The rows of a map."""

    def __init__(self) -> None:
        super().__init__()
        self.shown: MixMap | None = None

    def show_map(self, shown: MixMap | None) -> None:
        """Show a map, or nothing."""
        self.beginResetModel()
        self.shown = shown
        self.endResetModel()

    def row(self, number: int) -> MixRow | None:
        """One row."""
        return self.shown.rows[number] if self.shown is not None and 0 <= number < len(self.shown.rows) else None

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return 0 if parent.isValid() or self.shown is None else len(self.shown.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return len(HEADS)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = self.row(index.row())
        if row is None:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return (row.title, "", row.place, row.level)[index.column()]
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return row.words
        if role == Qt.ItemDataRole.ToolTipRole:
            return as_plain(row.words)
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return HEADS[section]
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        return None


class _Painter(QStyledItemDelegate):
    """Draws the cells of a row."""

    def __init__(self, theme: Theme, model: MixModel) -> None:
        super().__init__()
        self._theme, self._model = theme, model

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        row, shown = self._model.row(index.row()), self._model.shown
        if row is None or shown is None:
            return
        colours = self._theme.colours
        box = QRectF(option.rect)
        state: QStyle.StateFlag = option.state
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        is_chosen = bool(state & QStyle.StateFlag.State_Selected)
        painter.fillRect(box, QColor(colours.raised if is_chosen else colours.ground))
        painter.setPen(QPen(QColor(colours.rule), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        if index.column() == FILE:
            self._file(painter, box, row, is_chosen=is_chosen)
        elif index.column() == MAP:
            self._map(painter, box.adjusted(_PAD, 7, -18, -7), row, shown)
        elif index.column() == PLACE:
            self._words(painter, box, row.place, row)
        else:
            self._level(painter, box, row, shown)
        painter.restore()

    def _colour(self, row: MixRow) -> QColor:
        colours = self._theme.colours
        return colours.action(row.action) if row.action is not None else QColor(colours.soft)

    def _file(self, painter: QPainter, box: QRectF, row: MixRow, *, is_chosen: bool) -> None:
        colours = self._theme.colours
        if is_chosen:
            painter.fillRect(QRectF(box.left(), box.top(), 5, box.height()), QColor(colours.fix))
        if row.action is not None:
            centre = QPointF(box.left() + 13, box.center().y())
            draw_shape(painter, row.action, centre, 9, colours.action(row.action))
        left = 24.0
        if row.number:
            painter.setPen(QColor(colours.soft))
            painter.setFont(font(13))
            self._text(painter, box.adjusted(left, 0, -8, 0), row.number)
            left += painter.fontMetrics().horizontalAdvance(row.number) + 8
        painter.setPen(QColor(colours.ink))
        painter.setFont(font(14, 600))
        self._text(painter, box.adjusted(left, 0, -8, 0), row.title)

    def _words(self, painter: QPainter, box: QRectF, words: str, row: MixRow) -> None:
        painter.setPen(self._colour(row))
        painter.setFont(font(13, 600 if row.action is not None else 400))
        self._text(painter, box.adjusted(_PAD, 0, -8, 0), words)

    def _text(self, painter: QPainter, box: QRectF, words: str) -> None:
        shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(box.width()))
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)

    def _map(self, painter: QPainter, box: QRectF, row: MixRow, shown: MixMap) -> None:
        """A cell is as tall as the file is loud, and as dark as the mix holds that; dashed: where it was sent."""
        colours = self._theme.colours
        strong, pale = QColor(colours.fix if row.sent_s is not None else colours.wave), QColor(colours.rule)
        step = box.width() / max(1, len(row.heard))
        painter.setPen(Qt.PenStyle.NoPen)
        for cell, (heard, matched) in enumerate(zip(row.heard, row.matched, strict=True)):
            if not heard:
                continue
            tall = box.height() * (_LOWEST_CELL + (1 - _LOWEST_CELL) * heard / 255)
            area = QRectF(box.left() + cell * step + 0.5, box.center().y() - tall / 2, max(1.0, step - 1.0), tall)
            painter.setBrush(pale)
            painter.drawRect(area)
            fill = QColor(strong)
            fill.setAlpha(matched)
            painter.setBrush(fill)
            painter.drawRect(area)
        if row.sent_s is not None:
            scale = box.width() / max(1e-9, shown.seconds)
            length = (row.stop_s - row.start_s) * scale
            frame = QRectF(box.left() + row.sent_s * scale, box.top() - 3, length, box.height() + 6)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(colours.fix), 1.2, Qt.PenStyle.DashLine))
            painter.drawRect(frame.intersected(box.adjusted(0, -3, 0, 3)))

    def _level(self, painter: QPainter, box: QRectF, row: MixRow, shown: MixMap) -> None:
        """A stroke on a scale whose middle is the files' usual level, and the figure."""
        colours = self._theme.colours
        if row.level_db is None or shown.usual_db is None:
            return
        scale = QRectF(box.left() + _PAD, box.center().y(), 44, 0)
        painter.setPen(QPen(QColor(colours.rule), 1))
        painter.drawLine(scale.topLeft(), scale.topRight())
        middle = scale.center().x()
        painter.drawLine(QPointF(middle, box.top() + 9), QPointF(middle, box.bottom() - 9))
        off = max(-1.0, min(1.0, (row.level_db - shown.usual_db) / _LEVEL_SPAN_DB))
        x = middle + off * scale.width() / 2
        painter.setPen(QPen(QColor(colours.ink), 2.4))
        painter.drawLine(QPointF(x, box.top() + 8), QPointF(x, box.bottom() - 8))
        self._words(painter, box.adjusted(54, 0, 0, 0), row.level, row)


class MixTable(QTableView):
    """The table; Enter on a row goes to the file in the sheet, Space plays and stops."""

    play_pressed = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows = MixModel()
        self.setModel(self.rows)
        self._painter = _Painter(theme, self.rows)
        self.setItemDelegate(self._painter)
        self.setAccessibleName("Files in the rough mix")
        self.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QTableView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(_ROW_HEIGHT)
        self.horizontalHeader().setHighlightSections(False)
        self.horizontalHeader().setFixedHeight(34)
        theme.changed.connect(self.viewport().update)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and not event.modifiers():
            self.play_pressed.emit()
        else:
            super().keyPressEvent(event)

    def share_width(self) -> tuple[int, int]:
        """Give the map what the others leave; returns where it begins and how wide it is drawn."""
        width = self.viewport().width()
        fixed = {FILE: 250 if width > 1000 else 190, PLACE: 230 if width > 1000 else 180, LEVEL: 150}
        for column, wide in fixed.items():
            self.setColumnWidth(column, wide)
        self.setColumnWidth(MAP, max(160, width - sum(fixed.values())))
        return fixed[FILE] + _PAD, self.columnWidth(MAP) - 18 - _PAD
