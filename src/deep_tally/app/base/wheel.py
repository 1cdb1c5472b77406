"""What turning the wheel does to a view of time."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QWheelEvent

from deep_tally.views.viewport import Viewport

WHEEL_STEP = 1.25
"""How many times as much is shown after one notch."""


def turn(view: Viewport, event: QWheelEvent, left: float = 0.0) -> None:
    """Zoom about the pointer; pan with Shift, or turned sideways. The view begins at pixel `left`."""
    delta = event.angleDelta()
    if abs(delta.x()) > abs(delta.y()) or event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
        view.pan(-(delta.x() or delta.y()) / 2)
    else:
        view.zoom(WHEEL_STEP ** (-delta.y() / 120), event.position().x() - left)
    event.accept()
