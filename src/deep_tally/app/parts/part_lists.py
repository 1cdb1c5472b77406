"""The tree of requested parts and the list of other files, between which files are dragged."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QByteArray, QMimeData, QModelIndex, QPersistentModelIndex, QSize, Qt, Signal
from PySide6.QtGui import QDragMoveEvent, QDropEvent, QKeyEvent, QPalette
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
)

from deep_tally.app.base.theme import font
from deep_tally.model.files import Role
from deep_tally.model.names import ParsedName
from deep_tally.reply.action_words import readable
from deep_tally.reply.name_words import name_labels
from deep_tally.reply.role_words import role_words

_PATHS = "application/x-deep-tally-paths"

_PATH_ROLE = Qt.ItemDataRole.UserRole.value

_PART_ROLE = Qt.ItemDataRole.UserRole.value + 1


def file_name(path: str) -> str:
    return readable(path.rpartition("/")[2])


def tip_of(path: str, name: ParsedName | None) -> str:
    """The whole path, and what is understood of the name."""
    return f"{readable(path)}\n\n{name_labels(name)}" if name is not None else readable(path)


def song_item(song: str) -> QTreeWidgetItem:
    """A song's name over its parts."""
    item = QTreeWidgetItem([readable(song)])
    item.setFont(0, font(15, 700))
    item.setFlags(Qt.ItemFlag.ItemIsEnabled)
    return item


def role_suffix(role: Role) -> str:
    """What a file is for, where it is no single track."""
    return "" if role is Role.TRACKOUT else f"  ({role_words(role)})"


def paths_of(data: QMimeData) -> list[str]:
    text = bytes(data.data(_PATHS).data()).decode("utf-8", "surrogateescape")
    return [path for path in text.split("\n") if path]


def mime_of(paths: Sequence[str]) -> QMimeData:
    data = QMimeData()
    data.setData(_PATHS, QByteArray("\n".join(paths).encode("utf-8", "surrogateescape")))
    return data


class _OwnColours(QStyledItemDelegate):
    """A chosen row keeps the colours of its words: they say who must act."""

    def initStyleOption(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        super().initStyleOption(option, index)
        palette = option.palette
        brush = index.data(Qt.ItemDataRole.ForegroundRole) or palette.brush(QPalette.ColorRole.Text)
        palette.setBrush(QPalette.ColorRole.HighlightedText, brush)
        option.palette = palette


class PartTree(QTreeWidget):
    """Requested parts with their files. `dropped` carries (paths, part); `taken_out` (path, part)."""

    dropped = Signal(list, str)
    taken_out = Signal(str, str)
    menu_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Requested parts and their files")
        self.setColumnCount(3)
        self.setHeaderLabels(["Requested part and its files", "Requested as", "Received"])
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragEnabled(True)
        self.setAcceptDrops(True)
        self.setDropIndicatorShown(True)
        self.setUniformRowHeights(True)
        self.setItemDelegate(_OwnColours(self))
        self.setIndentation(24)
        self.setIconSize(QSize(14, 14))
        self.setRootIsDecorated(False)
        self.header().setStretchLastSection(False)
        self.header().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column in (0, 1):
            self.header().setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self.header().setSectionResizeMode(2, QHeaderView.ResizeMode.Fixed)
        self.setColumnWidth(2, 190)

    def mimeTypes(self) -> list[str]:
        return [_PATHS]

    def mimeData(self, items: Sequence[QTreeWidgetItem]) -> QMimeData:
        return mime_of([path for item in items if (path := item.data(0, _PATH_ROLE))])

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.CopyAction | Qt.DropAction.MoveAction

    def part_at(self, item: QTreeWidgetItem | None) -> str:
        """The requested part an item belongs to."""
        return str(item.data(0, _PART_ROLE) or "") if item is not None else ""

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        super().dragMoveEvent(event)
        if event.mimeData().hasFormat(_PATHS) and self.itemAt(event.position().toPoint()) is not None:
            event.acceptProposedAction()
        else:
            event.ignore()

    def dropEvent(self, event: QDropEvent) -> None:
        part = self.part_at(self.itemAt(event.position().toPoint()))
        paths = paths_of(event.mimeData())
        if part and paths:
            event.setDropAction(Qt.DropAction.CopyAction)
            event.accept()
            self.dropped.emit(paths, part)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            for item in self.selectedItems():
                if path := item.data(0, _PATH_ROLE):
                    self.taken_out.emit(path, self.part_at(item))
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.menu_wanted.emit()
            return
        super().keyPressEvent(event)


class FileList(QListWidget):
    """Files that stand for no requested part; they can be dragged to one, and others dropped here."""

    dropped = Signal(list)
    menu_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Files for no requested part")
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragEnabled(True)
        self.setAcceptDrops(True)
        self.setUniformItemSizes(True)

    def mimeTypes(self) -> list[str]:
        return [_PATHS]

    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData:
        return mime_of([str(item.data(_PATH_ROLE)) for item in items])

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.CopyAction | Qt.DropAction.MoveAction

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        super().dragMoveEvent(event)
        if event.mimeData().hasFormat(_PATHS) and event.source() is not self:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        if paths := paths_of(event.mimeData()):
            event.setDropAction(Qt.DropAction.CopyAction)
            event.accept()
            self.dropped.emit(paths)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.menu_wanted.emit()
            return
        super().keyPressEvent(event)
