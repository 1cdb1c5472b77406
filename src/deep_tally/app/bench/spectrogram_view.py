"""The spectrogram: levels over time and frequency."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)

from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.base.wheel import WHEEL_STEP, turn
from deep_tally.app.bench.picture import Picture, palette
from deep_tally.model.delivery import Track
from deep_tally.model.pictures import Spectrogram
from deep_tally.reply.numbers import clock, decibels, kilohertz, signed
from deep_tally.views.time_axis import ticks
from deep_tally.views.viewport import Viewport, nice_step

_LEFT, _TOP, _BOTTOM, _RIGHT = 58, 14, 24, 14
_FLOOR_DB = -150.0
_LOUDEST_DB, _QUIETEST_DB = 0.0, -110.0
_SCALE_PX = 52
_EDGE_CODES = ("rate.upsampled", "content.lossy-origin")


class SpectrogramView(Picture):
    """Levels over time and frequency. The wheel zooms in time, dragging pans; the pointer or arrow keys read off."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "Spectrogram", "spectrogram")
        self._picture: Spectrogram | None = None
        self._image: tuple[Spectrogram, str, QImage] | None = None
        self._drag_x: float | None = None
        self.view = Viewport(frames=1, pixels=1)

    def show_track(self, track: Track | None) -> None:
        same = track is not None and self._track is not None and track.path == self._track.path
        if not same:
            self._picture = None
            frames = track.format.frames if track is not None and track.format is not None else 1
            self.view = Viewport(frames=frames, pixels=max(1, round(self.plot().width())))
        super().show_track(track)

    def show_stretch(self, start: float, scale: float) -> None:
        """Show the stretch another view shows: from a frame on, so many frames a pixel of its width."""
        self.view.start, self.view.scale = start, min(scale, self.view.whole)
        self.view.pan(0)
        self._moved()

    def plot(self) -> QRectF:
        width = self.width() - _LEFT - _RIGHT - _SCALE_PX
        return QRectF(_LEFT, _TOP, max(1, width), max(1, self.height() - _TOP - _BOTTOM))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.view.resize(round(self.plot().width()))
        super().resizeEvent(event)

    def _moved(self) -> None:
        self._want()
        self.update()

    @property
    def is_complete(self) -> bool:
        have = self._picture
        return have is not None and have.start == self._span[0] and have.stop == self._span[1]

    @property
    def _span(self) -> tuple[int, int]:
        return math.floor(self.view.start), math.ceil(self.view.stop)

    def _arguments(self) -> tuple[object, ...]:
        return *self._span, max(1, min(self.view.pixels, self._span[1] - self._span[0]))

    def _put(self, value: object) -> None:
        if isinstance(value, Spectrogram):
            self._picture = value

    def words(self) -> str:
        edge = self._measures.spectrum.edge if self._measures is not None and self._measures.spectrum else None
        if self._picture is None:
            return self._missing_words()
        if edge is None:
            return "No sharp edge."
        at = f"{edge.edge_hz / 1000:.1f} kHz"
        return f"Mirrored above {at}." if edge.kind == "mirrored" else f"Nothing above {at}."

    def readout(self) -> str:
        have, plot = self._picture, self.plot()
        if have is None or self._at is None or not plot.contains(self._at) or self._track is None:
            return ""
        rate = self._track.format.rate_hz if self._track.format is not None else 48_000
        frame = self.view.frame_at(self._at.x() - plot.left())
        hz = (plot.bottom() - self._at.y()) / plot.height() * have.top_hz
        rows, columns = have.levels_db.shape
        row = min(rows - 1, max(0, int(hz / have.top_hz * rows)))
        column = int((frame - have.start) / max(1, have.stop - have.start) * columns)
        if not 0 <= column < columns:
            return ""
        level = decibels(float(have.levels_db[row, column]), "dBFS")
        if have.levels_db[row, column] <= _FLOOR_DB:
            level = f"under {level}"
        return f"{clock(frame / rate, digits=3)}   {hz / 1000:.2f} kHz   {level}"

    def wheelEvent(self, event: QWheelEvent) -> None:
        turn(self.view, event, _LEFT)
        self._moved()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag_x = event.position().x()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag_x is not None:
            self.view.pan(self._drag_x - event.position().x())
            self._drag_x = event.position().x()
            self._moved()
        else:
            super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag_x = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.view.show_all()
        self._moved()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            x = self._at.x() - _LEFT if self._at is not None else self.view.pixels / 2
            self.view.zoom(WHEEL_STEP if key == Qt.Key.Key_Minus else 1 / WHEEL_STEP, x)
        elif key == Qt.Key.Key_0:
            self.view.show_all()
        else:
            super().keyPressEvent(event)
            return
        self._moved()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = self._begin()
        have = self._picture
        if have is None or self._track is None or self._track.format is None:
            self._say(painter, self._missing_words())
            return
        colours, plot = self._theme.colours, self.plot()
        painter.save()
        painter.setClipRect(plot)
        painter.fillRect(plot, QColor(colours.raised))
        left, right = (plot.left() + self.view.x_of(frame) for frame in (have.start, have.stop))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(left, plot.top(), right - left, plot.height()), self._drawn(have))
        painter.restore()
        painter.setFont(font(11))
        step_hz = nice_step(have.top_hz / max(1.0, plot.height() / 26))
        for number in range(math.floor(have.top_hz / step_hz) + 1):
            y = plot.bottom() - number * step_hz / have.top_hz * plot.height()
            self._axis_words(painter, y, kilohertz(number * step_hz) if number else "0 Hz")
            painter.drawLine(QLineF(plot.left() - 4, y, plot.left(), y))
        rate = self._track.format.rate_hz
        start_s, stop_s = self.view.start / rate, self.view.stop / rate
        for tick in ticks("minutes", start_s, stop_s, plot.width(), rate_hz=rate):
            x = plot.left() + self.view.x_of(tick.seconds * rate)
            painter.setPen(QColor(colours.soft))
            painter.drawLine(QLineF(x, plot.bottom(), x, plot.bottom() + 4))
            painter.drawText(QRectF(x + 3, plot.bottom() + 4, 90, 16), Qt.AlignmentFlag.AlignLeft, tick.words)
        self._draw_scale(painter, plot)
        self._draw_findings(painter, plot, have.top_hz)
        self._draw_readout(painter)

    def _drawn(self, have: Spectrogram) -> QImage:
        """The picture in the colours in force; kept until one of them changes."""
        name = self._theme.colours.name
        if self._image is None or self._image[0] is not have or self._image[1] != name:
            share = (have.levels_db[::-1].astype(np.float32) - _QUIETEST_DB) / (_LOUDEST_DB - _QUIETEST_DB)
            values = np.ascontiguousarray((np.clip(share, 0, 1) * 255).astype(np.uint8))
            rows, columns = values.shape
            image = QImage(values.data, columns, rows, columns, QImage.Format.Format_Indexed8)
            colours = self._theme.colours
            image.setColorTable(palette(colours.raised, colours.ink, colours.ask))
            self._image = (have, name, image.convertToFormat(QImage.Format.Format_RGB32))
        return self._image[2]

    def _draw_scale(self, painter: QPainter, plot: QRectF) -> None:
        colours = self._theme.colours
        shades = palette(colours.raised, colours.ink, colours.ask)
        box = QRectF(plot.right() + 10, plot.top(), 8, plot.height())
        for number in range(64):
            y = box.bottom() - (number + 1) / 64 * box.height()
            painter.fillRect(QRectF(box.left(), y, box.width(), box.height() / 64 + 1), QColor(shades[number * 4 + 3]))
        step = 20 if plot.height() > 120 else 50
        for db in range(0, round(_QUIETEST_DB) - 1, -step):
            y = box.top() + (_LOUDEST_DB - db) / (_LOUDEST_DB - _QUIETEST_DB) * box.height()
            painter.setPen(QColor(colours.soft))
            area = QRectF(box.right() + 4, y - 8, 44, 16)
            painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, f"{signed(db, digits=0)}{' dB' if not db else ''}")

    def _draw_findings(self, painter: QPainter, plot: QRectF, top_hz: float) -> None:
        """The edge that proves a conversion or an encoder, and the places of what was found."""
        colours = self._theme.colours
        edge = self._measures.spectrum.edge if self._measures is not None and self._measures.spectrum else None
        finding = self._first(*_EDGE_CODES)
        if edge is not None and finding is not None:
            y = plot.bottom() - edge.edge_hz / top_hz * plot.height()
            painter.setPen(QPen(colours.action(finding.action), 1.5, Qt.PenStyle.DashLine))
            painter.drawLine(QLineF(plot.left(), y, plot.right(), y))
            says = "mirrored" if edge.kind == "mirrored" else "nothing"
            words = f"{says} above {edge.edge_hz / 1000:.1f} kHz"
            self._note(painter, plot.right() - 6, max(plot.top(), y - 20), words, to_left=True)
        drawn: set[int] = set()
        for found in self._findings:
            for place in found.places:
                x = plot.left() + self.view.x_of(place.frame)
                mine = self._track is not None and place.path == self._track.path
                if mine and plot.left() <= x <= plot.right() and round(x / 6) not in drawn:
                    drawn.add(round(x / 6))
                    draw_shape(painter, found.action, QPointF(x + 4, 7), 8, colours.action(found.action))
