"""A label of one line that ends in an ellipsis where it would be cut, with the whole text as its tooltip."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy

from deep_tally.app.base.plain import PlainLabel, as_plain


class ElidedLabel(PlainLabel):
    """A QLabel that takes the room there is."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    def paintEvent(self, event: QPaintEvent) -> None:
        metrics = self.fontMetrics()
        is_cut = metrics.horizontalAdvance(self.text()) > self.width()
        self.setToolTip(as_plain(self.text() if is_cut else ""))
        painter = QPainter(self)
        shown = metrics.elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter, shown)
