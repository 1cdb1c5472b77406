"""A widget as a picture file."""

from __future__ import annotations

from PySide6.QtCore import QBuffer, QIODevice
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QWidget

_SCALE = 2.0


def png_of(widget: QWidget) -> bytes:
    """What a widget shows, as a PNG of twice its size in pixels: sharp on paper too."""
    image = QImage(widget.size() * _SCALE, QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(_SCALE)
    image.fill(widget.palette().window().color())
    widget.render(image)
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[call-overload] # its stubs ask for bytes, which it refuses
    return bytes(buffer.data().data())
