"""The sheet: a table whose cells are drawings, with two-line heads, sorting, filtering and copying."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from functools import partial
from typing import Any

from PySide6.QtCore import (
    QAbstractTableModel,
    QItemSelectionModel,
    QModelIndex,
    QPersistentModelIndex,
    QRect,
    QRectF,
    QSize,
    QSortFilterProxyModel,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QGuiApplication, QKeySequence, QMouseEvent, QPainter, QPixmap, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from deep_tally.app.base.plain import as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.sheet.cells import NAME_TITLE_X, PAD, CellPainter
from deep_tally.model.delivery import Track
from deep_tally.reply.action_words import ACTION_WORDS
from deep_tally.reply.name_words import name_labels
from deep_tally.reply.wording.speaker import Speaker
from deep_tally.views.cell_texts import cell_text, heads, length_head, tooltip
from deep_tally.views.columns import Column, SortBy
from deep_tally.views.filter import Filter
from deep_tally.views.rows import Row, Sheet, SortKey, sort_key

Index = QModelIndex | QPersistentModelIndex
ROW_HEIGHT, HEAD_HEIGHT = 27, 46
_ROWS_AHEAD = 6
_WIDTHS = {
    Column.NAME: 250,
    Column.START_LENGTH: 316,
    Column.RATE: 70,
    Column.DEPTH: 116,
    Column.CLIPPING: 126,
    Column.HEADROOM: 206,
    Column.CHANNELS: 92,
    Column.CONTENT: 90,
}
_PIXMAPS_MOST = 4000
_AXIS_LEAST = 260
_TIE_X, _TIE_WIDTH = 44, 5
_ROOT = QModelIndex()


class SheetModel(QAbstractTableModel):
    """Rows of the sheet for Qt; every cell's drawing has its words in the display role."""

    def __init__(self, sheet: Sheet, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.sheet = sheet
        self.heads = {column: heads(sheet, column) for column in Column}
        """What stands over each column; worked out once for a sheet, for it is painted many times."""
        self.length_head = length_head(sheet)
        self._speaker: Speaker | None = None

    def show(self, sheet: Sheet) -> bool:
        """Show another sheet; rows that keep their places are only repainted. Tells whether they all do."""
        same = [r.track.path for r in sheet.rows] == [r.track.path for r in self.sheet.rows]
        speaker = Speaker(sheet.delivery) if sheet.delivery is not None else None
        self.heads = {column: heads(sheet, column) for column in Column}
        self.length_head = length_head(sheet)
        if same:
            self.sheet, self._speaker = sheet, speaker
            if sheet.rows:
                self.dataChanged.emit(self.index(0, 0), self.index(len(sheet.rows) - 1, len(Column) - 1))
            self.headerDataChanged.emit(Qt.Orientation.Horizontal, 0, len(Column) - 1)
        else:
            self.beginResetModel()
            self.sheet, self._speaker = sheet, speaker
            self.endResetModel()
        return same

    def row(self, index: Index) -> Row:
        """The row an index of this model points to."""
        return self.sheet.rows[index.row()]

    def rowCount(self, parent: Index = _ROOT) -> int:
        return 0 if parent.isValid() else len(self.sheet.rows)

    def columnCount(self, parent: Index = _ROOT) -> int:
        return 0 if parent.isValid() else len(Column)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        row, column = self.row(index), Column(index.column())
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            words = cell_text(row, column)
            if role == Qt.ItemDataRole.AccessibleTextRole and self._speaker is not None:
                found = [f"{ACTION_WORDS[f.action]}: {self._speaker.headline(f)}" for f in row.of(column)]
                words = "; ".join([words, *found])
            return words
        if role == Qt.ItemDataRole.AccessibleDescriptionRole and column is Column.NAME and row.name is not None:
            return name_labels(row.name)
        if role == Qt.ItemDataRole.ToolTipRole:
            return as_plain(tooltip(row, column, self._speaker))
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation is Qt.Orientation.Horizontal and role in (
            Qt.ItemDataRole.DisplayRole,
            Qt.ItemDataRole.AccessibleTextRole,
        ):
            return ", ".join(h for h in self.heads[Column(section)] if h)
        return None


class SheetProxy(QSortFilterProxyModel):
    """Sorts by readings and keeps the rows a filter keeps."""

    def __init__(self, model: SheetModel) -> None:
        super().__init__(model)
        self.setSourceModel(model)
        self._model = model
        self._filter = Filter()
        self.by: SortBy = "reading"

    @property
    def filter(self) -> Filter:
        """The filter in force."""
        return self._filter

    @property
    def is_plain(self) -> bool:
        """Whether rows stand in the order of their names: measuring moves none of them then."""
        return self._filter == Filter() and self.sortColumn() == Column.NAME and self.by == "reading"

    def keep(self, wanted: Filter) -> None:
        """Show only the rows that `wanted` keeps."""
        self.beginFilterChange()
        self._filter = wanted
        self.endFilterChange()

    def filterAcceptsRow(self, source_row: int, source_parent: Index) -> bool:
        return self._filter.keeps(self._model.sheet.rows[source_row])

    def lessThan(self, left: Index, right: Index) -> bool:
        place, other = (self._model.row(i).place for i in (left, right))
        if place != other:  # whichever way the rest is sorted
            return (place < other) == (self.sortOrder() == Qt.SortOrder.AscendingOrder)
        return self._key(left) < self._key(right)

    def _key(self, index: Index) -> SortKey:
        return sort_key(self._model.row(index), Column(index.column()), by=self.by)


class CellDelegate(QStyledItemDelegate):
    """Paints cells from cached pixmaps: drawing afresh at every repaint would be several times slower."""

    def __init__(self, view: SheetView, model: SheetModel, proxy: SheetProxy, theme: Theme) -> None:
        super().__init__(view)
        self._model, self._proxy, self._theme = model, proxy, theme
        self._pixmaps: OrderedDict[tuple[object, ...], tuple[QPixmap, Track]] = OrderedDict()
        theme.changed.connect(self.forget)

    def forget(self) -> None:
        """Draw every cell anew."""
        self._pixmaps.clear()

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        rect: QRect = option.rect
        colours = self._theme.colours
        view = self.parent()
        current = isinstance(view, SheetView) and view.currentIndex().row() == index.row()
        painter.fillRect(rect, QColor(colours.raised if current else colours.ground))
        painter.drawPixmap(rect.topLeft(), self._pixmap(index, rect.size(), painter.device().devicePixelRatioF()))
        painter.fillRect(QRect(rect.left(), rect.bottom(), rect.width(), 1), QColor(colours.rule))
        if index.column() == Column.NAME:
            self._tie(painter, rect, index)
        if current and index.column() == Column.NAME:
            focused = isinstance(view, SheetView) and view.hasFocus()
            painter.fillRect(
                QRect(rect.left(), rect.top(), 5, rect.height()), QColor(colours.fix if focused else colours.ink)
            )

    def _tie(self, painter: QPainter, rect: QRect, index: Index) -> None:
        """A bracket joins neighbours that are two sides or forms of one part; a stub says the other is elsewhere."""
        sibling_key = self._siblings_of(index.row())
        if not sibling_key:
            return
        above, below = (
            self._siblings_of(index.row() - 1) == sibling_key,
            self._siblings_of(index.row() + 1) == sibling_key,
        )
        x, middle = rect.left() + _TIE_X, rect.center().y()
        painter.setPen(QColor(self._theme.colours.soft))
        painter.drawLine(x, middle, x + _TIE_WIDTH, middle)
        if above:
            painter.drawLine(x, rect.top(), x, middle)
        if below:
            painter.drawLine(x, middle, x, rect.bottom())

    def _siblings_of(self, row: int) -> str:
        if not 0 <= row < self._proxy.rowCount():
            return ""
        return self._model.row(self._proxy.mapToSource(self._proxy.index(row, 0))).sibling_key

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(_WIDTHS[Column(index.column())], ROW_HEIGHT)

    def draw_ahead(self, index: Index, size: QSize, ratio: float) -> None:
        """Have a cell's drawing ready for when it is painted."""
        self._pixmap(index, size, ratio)

    def _pixmap(self, index: Index, size: QSize, ratio: float) -> QPixmap:
        sheet = self._model.sheet
        row = self._model.row(self._proxy.mapToSource(index))
        column = Column(index.column())
        key: tuple[object, ...] = (column, size.width(), size.height(), ratio, id(row.track), *_drawn(row, column))
        if column is Column.START_LENGTH:
            # The shared axis moves while files come in.
            key += (sheet.axis_s, sheet.is_whole)
        elif column is Column.HEADROOM:
            key += (sheet.brief.peak_window_dbfs,)
        pixmap, _ = self._pixmaps.get(key, (None, None))
        if pixmap is None:
            pixmap = QPixmap(size * ratio)
            pixmap.setDevicePixelRatio(ratio)
            pixmap.fill(Qt.GlobalColor.transparent)
            painter = QPainter(pixmap)
            cell = CellPainter(painter, size.width(), size.height(), sheet, self._theme.colours)
            cell.draw(row, column)
            painter.end()
            self._pixmaps[key] = pixmap, row.track  # which is kept, so that no other can come to have its identity
            if len(self._pixmaps) > _PIXMAPS_MOST:
                self._pixmaps.popitem(last=False)
        return pixmap


def _drawn(row: Row, column: Column) -> tuple[object, ...]:
    """All of a row that a cell's drawing shows, besides its file's measures: what is the same is not drawn again."""
    found = tuple((f.code, f.action, tuple(f.evidence_of(row.track.path).items())) for f in row.of(column))
    if column is Column.NAME:
        return found, row.track.path, row.gravest, row.title, row.is_alone, row.song, row.name, row.track.role
    return found, row.track.path, row.is_measured, row.track.unchecked, row.common, row.track.role


class SheetHeader(QHeaderView):
    """Two-line heads; the start and length column has two of them, and two ways to sort."""

    def __init__(self, view: SheetView, model: SheetModel, proxy: SheetProxy, theme: Theme) -> None:
        super().__init__(Qt.Orientation.Horizontal, view)
        self._model, self._proxy, self._theme = model, proxy, theme
        self.setSectionsClickable(True)
        self.setHighlightSections(False)
        self.setSortIndicatorShown(True)
        theme.changed.connect(self.viewport().update)

    def sizeHint(self) -> QSize:
        return QSize(super().sizeHint().width(), HEAD_HEIGHT)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        x = round(event.position().x())
        wanted: SortBy = "reading"
        if self.logicalIndexAt(x) == Column.START_LENGTH:
            middle = self.sectionViewportPosition(Column.START_LENGTH) + self.sectionSize(Column.START_LENGTH) / 2
            wanted = "length" if x > middle else "reading"
        if wanted != self._proxy.by:
            # Another head, though maybe of the same column: begin upwards, as with any other head.
            self._proxy.by = wanted
            self.setSortIndicator(self.logicalIndexAt(x), Qt.SortOrder.DescendingOrder)
        super().mousePressEvent(event)

    def paintSection(self, painter: QPainter, rect: QRect, logicalIndex: int) -> None:  # noqa: N803 - Qt's name
        colours = self._theme.colours
        painter.save()
        painter.fillRect(rect, QColor(colours.ground))
        painter.fillRect(QRect(rect.left(), rect.bottom(), rect.width(), 1), QColor(colours.soft))
        column = Column(logicalIndex)
        sorted_here = self.sortIndicatorSection() == logicalIndex and self._proxy.sortColumn() == logicalIndex
        by = self._proxy.by
        left = (
            NAME_TITLE_X - 28
            if column is Column.NAME
            else PAD
            if column in (Column.START_LENGTH, Column.HEADROOM)
            else 0
        )
        area = QRectF(rect).adjusted(left, 5, -4, -6)
        self._head(
            painter, area, self._model.heads[column], Qt.AlignmentFlag.AlignLeft, sorted_here and by == "reading"
        )
        if column is Column.START_LENGTH:
            area.setRight(area.right() - PAD)
            self._head(
                painter, area, self._model.length_head, Qt.AlignmentFlag.AlignRight, sorted_here and by == "length"
            )
        painter.restore()

    def _head(
        self, painter: QPainter, area: QRectF, text: tuple[str, str], side: Qt.AlignmentFlag, sorted_here: bool
    ) -> None:
        colours = self._theme.colours
        arrow = {Qt.SortOrder.AscendingOrder: " ↓", Qt.SortOrder.DescendingOrder: " ↑"}[self.sortIndicatorOrder()]
        painter.setFont(font(13, 600))
        painter.setPen(QColor(colours.ink))
        painter.drawText(area, side | Qt.AlignmentFlag.AlignTop, text[0] + (arrow if sorted_here else ""))
        painter.setFont(font(11))
        painter.setPen(QColor(colours.soft))
        painter.drawText(area, side | Qt.AlignmentFlag.AlignBottom, text[1])


class SheetView(QTableView):
    """The table. `chosen` carries the row the user went to; `entered` that they want to look at it closely."""

    chosen = Signal(object)
    entered = Signal()

    def __init__(self, sheet: Sheet, theme: Theme) -> None:
        super().__init__()
        self.setAccessibleName("Sheet: a row per file, a column per question")
        self.sheet_model = SheetModel(sheet, self)
        self.proxy = SheetProxy(self.sheet_model)
        self.setModel(self.proxy)
        self._theme = theme
        self._cells = CellDelegate(self, self.sheet_model, self.proxy, theme)
        self.setItemDelegate(self._cells)
        header = SheetHeader(self, self.sheet_model, self.proxy, theme)
        self.setHorizontalHeader(header)
        for column, width in _WIDTHS.items():
            self.setColumnWidth(column, width)
        header.setMinimumSectionSize(56)
        self.verticalHeader().hide()
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.verticalHeader().setDefaultSectionSize(ROW_HEIGHT)
        self.setShowGrid(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.setTabKeyNavigation(False)
        self.setSortingEnabled(True)
        self.sort(Column.NAME)
        self.activated.connect(lambda index: self.entered.emit())
        theme.changed.connect(self.viewport().update)
        theme.follow(self, self._draw_ahead)

    def _draw_ahead(self) -> None:
        """Draw the cells in sight in new colours before they are shown, some rows per event: all at once take long."""
        last = self.rowAt(self.viewport().height() - 1)
        last = self.proxy.rowCount() - 1 if last < 0 else last
        for first in range(max(0, self.rowAt(0)), last + 1, _ROWS_AHEAD):
            self._theme.soon(self, partial(self._draw_rows, range(first, min(last + 1, first + _ROWS_AHEAD))))

    def _draw_rows(self, rows: range) -> None:
        for row in rows:
            for column in Column:
                index = self.proxy.index(row, column)
                if index.isValid():
                    self._cells.draw_ahead(index, self.visualRect(index).size(), self.devicePixelRatioF())

    def sort(
        self, column: Column, *, by: SortBy = "reading", order: Qt.SortOrder = Qt.SortOrder.AscendingOrder
    ) -> None:
        """Sort by a column's reading, by length, or by who must act."""
        self.proxy.by = by
        self.sortByColumn(column, order)
        self.proxy.invalidate()

    def show_sheet(self, sheet: Sheet) -> None:
        """Show another sheet, keeping the chosen files where they are still there."""
        path, chosen = self.current_path, self.selected_paths
        same = self.sheet_model.show(sheet)
        if not same or not self.proxy.is_plain:
            self.proxy.invalidate()
            self.go_to(path, also=chosen)

    @property
    def current_row(self) -> Row | None:
        """The row the user is at."""
        index = self.currentIndex()
        return self.sheet_model.row(self.proxy.mapToSource(index)) if index.isValid() else None

    @property
    def current_path(self) -> str | None:
        """The path of the file the user is at."""
        row = self.current_row
        return row.track.path if row else None

    @property
    def selected_paths(self) -> tuple[str, ...]:
        """The paths of all chosen files."""
        rows = [self.sheet_model.row(self.proxy.mapToSource(i)) for i in self.selectionModel().selectedRows()]
        return tuple(r.track.path for r in rows)

    def go_to(self, path: str | None, *, also: Sequence[str] = ()) -> None:
        """Go to a file, or to the first one with sound when it is not shown; choose others with it."""
        shown = [
            self.sheet_model.row(self.proxy.mapToSource(self.proxy.index(r, 0))) for r in range(self.proxy.rowCount())
        ]
        rows = {row.track.path: number for number, row in enumerate(shown)}
        first = next((number for number, row in enumerate(shown) if row.companion is None), 0)
        if rows:
            # Not selectRow: with a key held down, as after a shortcut, that would take the row out again.
            flag = QItemSelectionModel.SelectionFlag
            here = self.proxy.index(rows.get(path or "", first), 0)
            self.selectionModel().setCurrentIndex(here, flag.ClearAndSelect | flag.Rows)
            for other in (rows[p] for p in also if p in rows and path in rows):
                self.selectionModel().select(self.proxy.index(other, 0), flag.Select | flag.Rows)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        # The time axis takes all the room there is, but never shrinks to nothing: then the sheet scrolls.
        rest = sum(self.columnWidth(c) for c in Column if c is not Column.START_LENGTH)
        self.setColumnWidth(Column.START_LENGTH, max(_AXIS_LEAST, self.viewport().width() - rest))

    def currentChanged(self, current: Index, previous: Index) -> None:
        super().currentChanged(current, previous)
        self.viewport().update()
        self.chosen.emit(self.current_row)

    def keyPressEvent(self, event: Any) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            self._copy()
            return
        super().keyPressEvent(event)

    def _copy(self) -> None:
        """The selected rows as text, a tab between cells."""
        lines = [
            "\t".join(str(self.proxy.index(row.row(), column).data()) for column in Column)
            for row in sorted(self.selectionModel().selectedRows(), key=lambda i: i.row())
        ]
        QGuiApplication.clipboard().setText("\n".join(lines))
