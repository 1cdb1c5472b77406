"""The shapes of the three actions and the hand-drawn tally marks."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from deep_tally.model.findings import Action

BUNDLE = 5
_STROKE_STEP, _BUNDLE_GAP = 5.0, 8.0


def draw_shape(painter: QPainter, action: Action, centre: QPointF, size: float, colour: QColor) -> None:
    """A solid pennant, an open ring or a short dash, about `size` pixels tall."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    half = size / 2
    x, y = centre.x(), centre.y()
    if action is Action.ASK:
        painter.setPen(QPen(colour, 1.6))
        painter.drawLine(QPointF(x - half + 1, y - half), QPointF(x - half + 1, y + half))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        cloth = [
            QPointF(x - half + 1, y - half),
            QPointF(x + half, y - half * 0.35),
            QPointF(x - half + 1, y + half * 0.3),
        ]
        painter.drawPolygon(QPolygonF(cloth))
    elif action is Action.FIX:
        painter.setPen(QPen(colour, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(centre, half - 1.5, half - 1.5)
    else:
        painter.setPen(QPen(colour, 2.4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
        painter.drawLine(QPointF(x - half, y), QPointF(x + half, y))
    painter.restore()


def tally_width(count: int) -> float:
    """How wide the tally marks of a count are."""
    bundles, rest = divmod(count, BUNDLE)
    full = bundles * ((BUNDLE - 1) * _STROKE_STEP + _BUNDLE_GAP)
    return full + max(0, rest - 1) * _STROKE_STEP + 4


def draw_tally(painter: QPainter, count: int, area: QRectF, colour: QColor) -> None:
    """Strokes in bundles of five, each a little unlike the next, as a hand makes them."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(colour, 1.8, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    x = area.left() + 2
    for stroke in range(count):
        place = stroke % BUNDLE
        # A slant that is the same at every repaint.
        lean = 1.2 * math.sin(stroke * 2.4 + 0.7)
        if place == BUNDLE - 1:
            left = x - (BUNDLE - 1) * _STROKE_STEP
            painter.drawLine(
                QPointF(left - 3, area.bottom() - area.height() * 0.28 + lean),
                QPointF(x - 1, area.top() + area.height() * 0.24 - lean),
            )
            x += _BUNDLE_GAP
        else:
            painter.drawLine(QPointF(x + 1.2 + lean, area.top()), QPointF(x - lean, area.bottom()))
            x += _STROKE_STEP
    painter.restore()
