"""A line of widgets that goes on in a second one where there is no room: no word of a button is ever cut."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QWidget


class FlowLayout(QLayout):
    """Widgets in lines, each as wide as it wants to be; the last one stands at the right end of its line."""

    def __init__(self, parent: QWidget | None = None, *, across: int = 2, down: int = 2) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self._across, self._down = across, down

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._lay_out(QRect(0, 0, width, 0), move=False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay_out(rect, move=True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        margins = self.contentsMargins()
        shown = [i for i in self._items if not i.isEmpty()]
        widest = max((i.sizeHint().width() for i in shown), default=0)
        tallest = max((i.sizeHint().height() for i in shown), default=0)
        return QSize(widest + margins.left() + margins.right(), tallest + margins.top() + margins.bottom())

    def _lines(self, width: int) -> list[list[QLayoutItem]]:
        lines: list[list[QLayoutItem]] = [[]]
        used = 0
        for item in self._items:
            if item.isEmpty():
                continue
            wanted = item.sizeHint().width()
            if lines[-1] and used + wanted > width:
                lines.append([])
                used = 0
            lines[-1].append(item)
            used += wanted + self._across
        return lines

    def _lay_out(self, rect: QRect, *, move: bool) -> int:
        """Seat the widgets, or only reckon; the height they take."""
        margins = self.contentsMargins()
        inside = rect.marginsRemoved(margins)
        y = inside.top()
        lines = self._lines(inside.width())
        for line in lines:
            tall = max((item.sizeHint().height() for item in line), default=0)
            x = inside.left()
            for item in line:
                size = item.sizeHint()
                if item is self._items[-1]:
                    x = max(x, inside.left() + inside.width() - size.width())
                if move:
                    item.setGeometry(QRect(QPoint(x, y + (tall - size.height()) // 2), size))
                x += size.width() + self._across
            y += tall + self._down
        return y - self._down - rect.top() + margins.bottom()
