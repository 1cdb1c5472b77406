"""The copies of a ready copy: name, what happens, and before and after drawn on one time axis."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPoint, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
)

from deep_tally.app.base.plain import as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.views.ready_rows import Bar, ReadyRow

_ROW_ROLE = Qt.ItemDataRole.UserRole.value
_HEIGHT, _MARGIN = 44, 8
DRAWN = 1
"""The column with the bars."""


class ReadyList(QTreeWidget):
    """`menu_wanted` carries (a row, where on the screen): what is done for one copy is to be changed."""

    menu_wanted = Signal(object, QPoint)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setAccessibleName("The copies, and what is done for each")
        self.setColumnCount(3)
        self.setHeaderLabels(["Copy", "As sent, and the copy under it", "What is done"])
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setRootIsDecorated(False)
        self.setUniformRowHeights(True)
        self.setIndentation(0)
        self.header().setStretchLastSection(True)
        self.header().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.header().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        self.setColumnWidth(0, 200)
        self.setColumnWidth(DRAWN, 230)
        self.setItemDelegateForColumn(DRAWN, _Bars(theme, self))
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._ask)
        self.itemActivated.connect(lambda item, column: self._offer(item))
        theme.follow(self, self.viewport().update)

    def show_rows(self, rows: Sequence[ReadyRow]) -> None:
        """Show the copies; the one that was current stays so."""
        current = self.current_row.sources if self.current_row is not None else ()
        self.clear()
        for row in rows:
            item = QTreeWidgetItem([row.name, "", row.trouble or row.says])
            item.setData(0, _ROW_ROLE, row)
            item.setFont(0, font(14, 600))
            item.setData(DRAWN, Qt.ItemDataRole.AccessibleTextRole, row.drawn_words)
            item.setToolTip(0, as_plain(row.name))
            item.setToolTip(DRAWN, as_plain(row.drawn_words))
            item.setToolTip(2, as_plain(row.trouble or row.says))
            if row.trouble:
                item.setForeground(2, QColor(self._theme.colours.ask))
                item.setFont(2, font(14, 600))
            self.addTopLevelItem(item)
            if row.sources == current:
                self.setCurrentItem(item)
        first = self.topLevelItem(0)
        if self.currentItem() is None and first is not None:
            self.setCurrentItem(first)

    @property
    def current_row(self) -> ReadyRow | None:
        """The copy that is chosen."""
        item = self.currentItem()
        return item.data(0, _ROW_ROLE) if item is not None else None

    def _ask(self, at: QPoint) -> None:
        item = self.itemAt(at)
        if item is not None:
            self.menu_wanted.emit(item.data(0, _ROW_ROLE), self.viewport().mapToGlobal(at))

    def _offer(self, item: QTreeWidgetItem) -> None:
        place = self.visualItemRect(item).bottomLeft()
        self.menu_wanted.emit(item.data(0, _ROW_ROLE), self.viewport().mapToGlobal(place))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        item = self.currentItem()
        if item is not None and event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Menu):
            self._offer(item)
        else:
            super().keyPressEvent(event)


class _Bars(QStyledItemDelegate):
    """Above, each source as it was sent; below, the copy: its whole length, and where it sounds."""

    def __init__(self, theme: Theme, parent: QTreeWidget) -> None:
        super().__init__(parent)
        self._theme = theme

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(200, _HEIGHT)

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        super().paint(painter, option, index)
        row = index.sibling(index.row(), 0).data(_ROW_ROLE)
        if not isinstance(row, ReadyRow):
            return
        colours = self._theme.colours
        area = QRectF(option.rect).adjusted(_MARGIN, 5, -_MARGIN, -5)
        upper = QRectF(area.left(), area.top(), area.width(), area.height() / 2 - 2)
        lower = QRectF(area.left(), area.center().y() + 2, area.width(), area.height() / 2 - 2)
        painter.save()
        for bar in row.sent:
            self._bar(painter, upper, bar, QColor(colours.soft), QColor(colours.rule))
        painter.setPen(QColor(colours.ink))
        painter.drawRect(_within(lower, row.whole.begin, row.whole.end))
        for bar in row.copied:
            self._bar(painter, lower, bar, QColor(colours.fix), QColor(colours.ink))
        painter.restore()

    def _bar(self, painter: QPainter, area: QRectF, bar: Bar, filled: QColor, line: QColor) -> None:
        """A frame for the file, and a filled strip for each side where it sounds."""
        painter.setPen(line)
        painter.drawRect(_within(area, bar.begin, bar.end))
        height = area.height() / max(1, bar.sides)
        for side in range(min(bar.sides, 2)):
            strip = QRectF(area.left(), area.top() + side * height, area.width(), height)
            sounding = _within(strip, bar.sound_begin, bar.sound_end).adjusted(0, 2, 0, -2)
            painter.fillRect(sounding, filled)


def _within(area: QRectF, begin: float, end: float) -> QRectF:
    left = area.left() + begin * area.width()
    return QRectF(left, area.top(), max(1.0, (end - begin) * area.width()), area.height())
