"""Many upright strokes at once: a NumPy raster is ten times faster than as many lines drawn from Python."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QImage, QPainter


def draw_strokes(
    painter: QPainter, area: QRectF, top: NDArray[np.floating], bottom: NDArray[np.floating], colour: QColor
) -> None:
    """Draw a stroke of one pixel's width in each column of an area.

    Parameters
    ----------
    area : QRectF
        The first column begins at its left edge; there may be more columns than it is wide.
    top, bottom : float [shape=(columns,)]
        From and to, in pixels below the area's top; what lies outside is cut, ends are smoothed.
    colour : QColor
        Its alpha counts.
    """
    device = painter.device()
    ratio = device.devicePixelRatioF()
    rows = math.ceil(area.height() * ratio)
    if rows < 1 or not len(top):
        return
    row = np.arange(rows, dtype=np.float32)[:, None]
    covered = np.minimum(row + 1, bottom.astype(np.float32) * ratio)
    covered -= np.maximum(row, top.astype(np.float32) * ratio)
    alpha = np.rint(np.clip(covered, 0, 1, out=covered) * colour.alpha()).astype(np.uint32)
    red, green, blue = ((alpha * part // 255) for part in (colour.red(), colour.green(), colour.blue()))
    pixels = np.ascontiguousarray(alpha << 24 | red << 16 | green << 8 | blue)
    image = QImage(pixels.data, len(top), rows, 4 * len(top), QImage.Format.Format_ARGB32_Premultiplied)
    painter.drawImage(QRectF(area.left(), area.top(), len(top), rows / ratio), image)
