"""The files of the round before with those that stand for them now; dragged from one to another."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QByteArray, QMimeData, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QDragMoveEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTreeWidget, QTreeWidgetItem

from deep_tally.app.base.plain import as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.reply.action_words import readable
from deep_tally.views.round_rows import STATE_WORDS, FileRow, PlaceRow

_PATH = "application/x-deep-tally-round-file"
_FILE_ROLE = Qt.ItemDataRole.UserRole.value
_PLACE_ROLE = Qt.ItemDataRole.UserRole.value + 1
NEW = "New files"


class RoundTree(QTreeWidget):
    """`moved` carries (path of this round, path of the round before or empty); `menu_wanted` a path."""

    moved = Signal(str, str)
    menu_wanted = Signal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setAccessibleName("Earlier files, and those sent in their place")
        self.setColumnCount(3)
        self.setHeaderLabels(["Earlier file, and the one sent now", "", "What changed"])
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setDragEnabled(True)
        self.setAcceptDrops(True)
        self.setDropIndicatorShown(True)
        self.setUniformRowHeights(True)
        self.setRootIsDecorated(False)
        self.setIndentation(24)
        self.header().setStretchLastSection(True)
        self.header().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        self.setColumnWidth(0, 250)
        self.setColumnWidth(1, 96)

    def show_rows(self, rows: Sequence[PlaceRow]) -> None:
        """Show the files; the one that was current stays so."""
        current = self.current_path
        self.clear()
        soft = QColor(self._theme.colours.soft)
        for row in rows:
            place = QTreeWidgetItem([_name(row.path) if row.path else NEW])
            place.setData(0, _PLACE_ROLE, row.path)
            place.setFont(0, font(14, 600))
            place.setToolTip(0, as_plain(readable(row.path)))
            self.addTopLevelItem(place)
            alone = row.files[0] if len(row.files) == 1 and row.path else None
            if alone is not None and alone.state in ("kept", "gone"):
                place.setText(1, STATE_WORDS[alone.state])
                place.setForeground(0, soft)
                place.setForeground(1, soft)
                place.setFont(0, font(14))
            elif alone is not None and _name(alone.path).casefold() == _name(row.path).casefold():
                self._fill(place, alone, current)
            else:
                for file in row.files:
                    item = QTreeWidgetItem([_name(file.path)])
                    item.setData(0, _PLACE_ROLE, row.path)
                    place.addChild(item)
                    self._fill(item, file, current)
                place.setExpanded(True)

    def _fill(self, item: QTreeWidgetItem, file: FileRow, current: str) -> None:
        """A file of this round, in a row of its own or in that of the file whose name it has."""
        item.setData(0, _FILE_ROLE, file.path)
        item.setText(1, STATE_WORDS[file.state])
        item.setText(2, file.says)
        item.setToolTip(2, as_plain(file.says))
        item.setToolTip(0, as_plain(readable(file.path)))
        if file.path == current:
            self.setCurrentItem(item)

    @property
    def current_path(self) -> str:
        """The file of this round that is chosen; empty where none is."""
        item = self.currentItem()
        return str(item.data(0, _FILE_ROLE) or "") if item is not None else ""

    def mimeTypes(self) -> list[str]:
        return [_PATH]

    def mimeData(self, items: Sequence[QTreeWidgetItem]) -> QMimeData:
        data = QMimeData()
        path = next((str(p) for item in items if (p := item.data(0, _FILE_ROLE))), "")
        data.setData(_PATH, QByteArray(path.encode("utf-8", "surrogateescape")))
        return data

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.CopyAction | Qt.DropAction.MoveAction

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        super().dragMoveEvent(event)
        if event.mimeData().hasFormat(_PATH) and self.itemAt(event.position().toPoint()) is not None:
            event.acceptProposedAction()
        else:
            event.ignore()

    def dropEvent(self, event: QDropEvent) -> None:
        item = self.itemAt(event.position().toPoint())
        path = bytes(event.mimeData().data(_PATH).data()).decode("utf-8", "surrogateescape")
        if item is not None and path:
            event.setDropAction(Qt.DropAction.CopyAction)
            event.accept()
            # All rows are replaced then: not while the drag still refers to one of them.
            place = str(item.data(0, _PLACE_ROLE) or "")
            QTimer.singleShot(0, lambda: self.moved.emit(path, place))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        path = self.current_path
        if path and event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.moved.emit(path, "")
        elif path and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.menu_wanted.emit(path)
        else:
            super().keyPressEvent(event)


def _name(path: str) -> str:
    return readable(path.rpartition("/")[2])
