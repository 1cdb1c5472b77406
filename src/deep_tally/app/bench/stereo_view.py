"""Mid against side, and the correlation of the sides in each band."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QImage,
    QPainter,
    QPaintEvent,
    QPen,
)

from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.bench.picture import Picture, dbfs, hertz, palette
from deep_tally.model.delivery import Track
from deep_tally.model.pictures import BandField, StereoField
from deep_tally.reply.numbers import decibels, signed

_LEFT, _TOP, _BOTTOM, _RIGHT = 58, 14, 24, 14
_STEREO = 2
_PROVES = {
    "channels.same": "both sides are the same",
    "channels.panned-mono": "one side is the other, louder or softer",
    "channels.one-side": "one side is silent",
    "channels.opposed": "the sides cancel in mono",
    "channels.near-mono": "almost mono",
    "channels.split-pair": "half of a stereo pair",
    "channels.unrelated": "two different sounds",
    "channels.many": "more than two channels",
    "channels.to-split": "to be split into two files",
    "channels.role": "not mono or stereo as requested",
    "channels.all-mono": "all files are mono",
}


class StereoView(Picture):
    """Mid against side as a cloud, and how the sides go together band by band."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "Stereo", "stereo field")
        self._field: StereoField | None = None

    def show_track(self, track: Track | None) -> None:
        if track is None or self._track is None or track.path != self._track.path:
            self._field = None
        super().show_track(track)

    @property
    def is_complete(self) -> bool:
        return self._field is not None or not self._is_stereo

    @property
    def _is_stereo(self) -> bool:
        return self._track is not None and self._track.format is not None and self._track.format.channels == _STEREO

    def _arguments(self) -> tuple[object, ...]:
        return (self._measures.loud_frames if self._measures is not None else (),)

    def _put(self, value: object) -> None:
        if isinstance(value, StereoField):
            self._field = value

    def words(self) -> str:
        if not self._is_stereo:
            return "A mono file has no sides."
        sides = self._measures.sides if self._measures is not None else None
        if self._field is None or sides is None or sides.correlation is None:
            return self._missing_words() if self._field is None else "One side is silent."
        ratio = f", side {decibels(sides.side_to_mid_db)} against mid" if sides.side_to_mid_db is not None else ""
        return f"Correlation {signed(sides.correlation, digits=2)}{ratio}."

    def square(self) -> QRectF:
        side = max(40.0, min(self.height() - 34.0, self.width() * 0.4))
        return QRectF(_LEFT, (self.height() - side) / 2 - 6, side, side)

    def plot(self) -> QRectF:
        left = self.square().right() + 84
        return QRectF(left, _TOP + 6, max(60.0, self.width() - left - _RIGHT), max(40.0, self.height() - _TOP - 40))

    def _band_at(self, x: float) -> BandField | None:
        plot, bands = self.plot(), self._field.bands if self._field is not None else ()
        if not bands or not plot.left() <= x <= plot.right():
            return None
        return bands[min(len(bands) - 1, int((x - plot.left()) / plot.width() * len(bands)))]

    def readout(self) -> str:
        if self._at is None or self._field is None:
            return ""
        square = self.square()
        if square.contains(self._at):
            across = ((self._at.x() - square.left()) / square.width() * 2 - 1) * self._field.reach
            up = (1 - (self._at.y() - square.top()) / square.height() * 2) * self._field.reach
            return f"mid {dbfs(up)}   side {dbfs(across)}"
        band = self._band_at(self._at.x())
        if band is None:
            return ""
        together = "none, a side is silent" if band.correlation is None else signed(band.correlation, digits=2)
        levels = f"mid {decibels(band.mid_db, 'dBFS')}, side {decibels(band.side_db, 'dBFS')}"
        return f"{hertz(band.centre_hz)}: correlation {together}, {levels}"

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = self._begin()
        if self._field is None:
            self._say(painter, self.words())
            return
        self._draw_cloud(painter, self._field)
        self._draw_bands(painter, self._field.bands)
        finding = self._first("channels.")
        if finding is not None:
            colour = self._theme.colours.action(finding.action)
            draw_shape(painter, finding.action, QPointF(self.plot().right() - 4, 9), 9, colour)
            painter.setPen(colour)
            box = QRectF(self.plot().left(), 0, self.plot().width() - 16, 18)
            painter.setFont(font(12))
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, _PROVES[finding.code])
        self._draw_readout(painter)

    def _draw_cloud(self, painter: QPainter, field: StereoField) -> None:
        colours, square = self._theme.colours, self.square()
        dense = field.density[::-1] / max(float(field.density.max()), 1e-12)
        share = np.where(dense > 0, np.clip(1 + np.log10(np.maximum(dense, 1e-9)) / 4, 0.06, 1), 0)
        values = np.ascontiguousarray((share * 255).astype(np.uint8))
        image = QImage(values.data, values.shape[1], values.shape[0], values.shape[1], QImage.Format.Format_Indexed8)
        image.setColorTable(palette(colours.raised, colours.wave, colours.ink))
        painter.drawImage(square, image)
        painter.setPen(QColor(colours.rule))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(square)
        middle = square.center()
        for line in (
            QLineF(square.left(), middle.y(), square.right(), middle.y()),
            QLineF(middle.x(), square.top(), middle.x(), square.bottom()),
        ):
            painter.drawLine(line)
        # What lies on these is in one side only.
        painter.setPen(QPen(QColor(colours.rule), 1, Qt.PenStyle.DashLine))
        painter.drawLine(square.bottomLeft(), square.topRight())
        painter.drawLine(square.topLeft(), square.bottomRight())
        painter.setFont(font(11))
        self._axis_words(painter, square.top() + 6, "mid")
        self._axis_words(painter, square.top() + 20, decibels(20 * math.log10(field.reach)))
        self._axis_words(painter, middle.y(), "0")
        painter.drawText(QRectF(square.right() - 60, square.bottom() + 2, 60, 16), Qt.AlignmentFlag.AlignRight, "side")
        painter.drawText(square.adjusted(4, 2, 0, 0), Qt.AlignmentFlag.AlignLeft, "R only")
        painter.drawText(square.adjusted(0, 2, -4, 0), Qt.AlignmentFlag.AlignRight, "L only")

    def _draw_bands(self, painter: QPainter, bands: Sequence[BandField]) -> None:
        colours, plot = self._theme.colours, self.plot()
        middle = plot.center().y()
        painter.setFont(font(11))
        for value, words in ((1.0, "+1 equal"), (0.0, "0"), (-1.0, "\N{MINUS SIGN}1 opposed")):
            y = middle - value * plot.height() / 2
            painter.setPen(QColor(colours.rule))
            painter.drawLine(QLineF(plot.left(), y, plot.right(), y))
            painter.setPen(QColor(colours.soft))
            box = QRectF(plot.left() - 62, y - 8, 56, 16)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)
        step = plot.width() / max(1, len(bands))
        loudest = max((max(b.mid_db, b.side_db) for b in bands), default=0.0)
        room = -1e9
        for number, band in enumerate(bands):
            x = plot.left() + number * step
            if band.correlation is not None:
                # Bands that hold hardly anything are pale: what they say weighs little.
                weight = min(1.0, max(0.15, 1 + (max(band.mid_db, band.side_db) - loudest) / 60))
                colour = QColor(colours.ask if band.correlation < 0 else colours.wave)
                colour.setAlphaF(weight)
                y = middle - band.correlation * plot.height() / 2
                painter.fillRect(QRectF(x + 1, min(y, middle), max(1.0, step - 2), abs(y - middle)), colour)
            words = hertz(band.centre_hz)
            if x - room > 46 and number % 3 == 0:
                room = x
                painter.setPen(QColor(colours.soft))
                painter.drawText(QRectF(x, plot.bottom() + 4, 60, 16), Qt.AlignmentFlag.AlignLeft, words)
