"""Pictures of a file that are read on demand: the spectrogram, mid against side, how often each value occurs."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)

from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.bench.evidence import Evidence
from deep_tally.model.delivery import Track
from deep_tally.model.findings import Action, Finding
from deep_tally.model.pictures import BandField, Spectrogram, StereoField, ValueCounts
from deep_tally.reply.numbers import clock, count, decibels, kilohertz, signed
from deep_tally.views.time_axis import ticks
from deep_tally.views.viewport import Viewport, nice_step

_LEFT, _TOP, _BOTTOM, _RIGHT = 58, 14, 24, 14
_WAIT_MS = 90
_FLOOR_DB = -150.0
_LOUDEST_DB, _QUIETEST_DB = 0.0, -110.0
_WHEEL_STEP = 1.25
_KEY_PX = 8
_SCALE_PX = 52
_EDGE_CODES = ("rate.upsampled", "content.lossy-origin")
_STEREO = 2


class Picture(Evidence):
    """A picture that is read by a worker. `wanted` asks for it, `take` brings it; until then it says so."""

    wanted = Signal(str, object)
    """(path, arguments of the job)."""

    def __init__(self, theme: Theme, name: str) -> None:
        super().__init__(theme, name)
        self._findings: tuple[Finding, ...] = ()
        self._failed = False
        self._at: QPointF | None = None
        self.setMouseTracking(True)
        self._asking = QTimer(self)
        self._asking.setSingleShot(True)
        self._asking.setInterval(_WAIT_MS)
        self._asking.timeout.connect(self._ask)

    def show_file(self, track: Track | None, findings: Sequence[Finding]) -> None:
        """Show a file with what was found in it."""
        self._findings = tuple(findings)
        self._failed = False
        self._at = None
        self.show_track(track)
        self._want()

    def _want(self) -> None:
        """Ask soon: only for what is looked at, and not at every step of a zoom."""
        if self.isVisible() and self._measures is not None and not self.is_complete:
            self._asking.start()

    def _ask(self) -> None:
        raise NotImplementedError

    @property
    def is_complete(self) -> bool:
        """Whether all of the picture is there."""
        raise NotImplementedError

    def take(self, path: str, value: object) -> None:
        """A picture that was asked for; None where the file cannot be read any more."""
        if self._track is not None and path == self._track.path:
            self._failed = value is None
            self._put(value)
            self.setAccessibleDescription(self.words())
            self.update()

    def _put(self, value: object) -> None:
        raise NotImplementedError

    def _missing_words(self) -> str:
        if self._track is None or self._measures is None:
            return "Not measured yet."
        return "This file cannot be read any more." if self._failed else "Reading the file…"

    def _first(self, *starts: str) -> Finding | None:
        """The gravest finding whose code begins so."""
        about = [f for f in self._findings if f.code.startswith(starts)]
        return max(about, key=lambda f: f.action.gravity, default=None)

    def showEvent(self, event: object) -> None:
        self._want()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._want()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.read_at(event.position())

    def leaveEvent(self, event: object) -> None:
        self.read_at(None)

    def read_at(self, at: QPointF | None) -> None:
        """Read off at a point of the picture; None ends that."""
        self._at = at
        self.setAccessibleDescription(f"{self.words()} {self.readout()}".strip())
        self.update()

    def readout(self) -> str:
        """What lies at the point that is read off, with units."""
        raise NotImplementedError

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: (-_KEY_PX, 0),
            Qt.Key.Key_Right: (_KEY_PX, 0),
            Qt.Key.Key_Up: (0, -_KEY_PX),
            Qt.Key.Key_Down: (0, _KEY_PX),
        }
        step = steps.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        at = self._at or QPointF(self.width() / 2, self.height() / 2)
        x = min(max(at.x() + step[0], _LEFT), self.width() - _RIGHT)
        self.read_at(QPointF(x, min(max(at.y() + step[1], _TOP), self.height() - _BOTTOM)))

    def _axis_words(self, painter: QPainter, y: float, words: str) -> None:
        painter.setPen(QColor(self._theme.colours.soft))
        box = QRectF(0, y - 8, _LEFT - 6, 16)
        painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)

    def _draw_readout(self, painter: QPainter) -> None:
        words = self.readout()
        if self._at is not None and words:
            painter.setPen(QPen(QColor(self._theme.colours.fix), 1))
            for dx, dy in ((6, 0), (0, 6)):
                painter.drawLine(QLineF(self._at.x() - dx, self._at.y() - dy, self._at.x() + dx, self._at.y() + dy))
            to_left = self._at.x() > self.width() / 2
            x = self._at.x() + (-10 if to_left else 10)
            y = min(max(self._at.y() - 26, 2.0), self.height() - 22.0)
            self._note(painter, x, y, words, to_left=to_left)


@lru_cache(maxsize=4)
def _shades(paper: str, ink: str, loud: str) -> list[int]:
    """From paper through ink to the loudest: 256 opaque colours."""
    stops = [QColor(c) for c in (paper, ink, loud)]
    shades = []
    for number in range(256):
        share = (number / 255) ** 0.9
        low, high, part = (0, 1, share / 0.8) if share < 0.8 else (1, 2, (share - 0.8) / 0.2)
        a, b = stops[low], stops[high]
        red, green, blue = (
            round(x + (y - x) * part) for x, y in ((a.red(), b.red()), (a.green(), b.green()), (a.blue(), b.blue()))
        )
        shades.append(QColor(red, green, blue).rgb())
    return shades


class SpectrogramView(Picture):
    """Levels over time and frequency. The wheel zooms in time, dragging pans; the pointer or arrow keys read off."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "Spectrogram")
        self._picture: Spectrogram | None = None
        self._image: tuple[Spectrogram, str, QImage] | None = None
        self._drag_x: float | None = None
        self.view = Viewport(frames=1, pixels=1)

    def show_track(self, track: Track | None) -> None:
        same = track is not None and self._track is not None and track.path == self._track.path
        if not same:
            self._picture = None
            frames = track.format.frames if track is not None and track.format is not None else 1
            self.view = Viewport(frames=frames, pixels=max(1, round(self._plot().width())))
        super().show_track(track)

    def show_stretch(self, start: float, scale: float) -> None:
        """Show the stretch another view shows: from a frame on, so many frames a pixel of its width."""
        self.view.start, self.view.scale = start, min(scale, self.view.whole)
        self.view.pan(0)
        self._moved()

    def _plot(self) -> QRectF:
        width = self.width() - _LEFT - _RIGHT - _SCALE_PX
        return QRectF(_LEFT, _TOP, max(1, width), max(1, self.height() - _TOP - _BOTTOM))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.view.resize(round(self._plot().width()))
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

    def _ask(self) -> None:
        if self._track is not None:
            columns = max(1, min(self.view.pixels, self._span[1] - self._span[0]))
            self.wanted.emit(self._track.path, (*self._span, columns))

    def _put(self, value: object) -> None:
        if isinstance(value, Spectrogram):
            self._picture = value

    def words(self) -> str:
        edge = self._measures.spectrum.edge if self._measures is not None and self._measures.spectrum else None
        if self._picture is None:
            return self._missing_words()
        return f"Nothing above {edge.edge_hz / 1000:.1f} kHz." if edge is not None else "No sharp edge."

    def readout(self) -> str:
        have, plot = self._picture, self._plot()
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
        delta = event.angleDelta()
        if abs(delta.x()) > abs(delta.y()) or event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.view.pan(-(delta.x() or delta.y()) / 2)
        else:
            self.view.zoom(_WHEEL_STEP ** (-delta.y() / 120), event.position().x() - _LEFT)
        self._moved()
        event.accept()

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
            self.view.zoom(_WHEEL_STEP if key == Qt.Key.Key_Minus else 1 / _WHEEL_STEP, x)
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
        colours, plot = self._theme.colours, self._plot()
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
            image.setColorTable(_shades(colours.raised, colours.ink, colours.ask))
            self._image = (have, name, image.convertToFormat(QImage.Format.Format_RGB32))
        return self._image[2]

    def _draw_scale(self, painter: QPainter, plot: QRectF) -> None:
        colours = self._theme.colours
        shades = _shades(colours.raised, colours.ink, colours.ask)
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
            words = f"nothing above {edge.edge_hz / 1000:.1f} kHz"
            self._note(painter, plot.right() - 6, max(plot.top(), y - 20), words, to_left=True)
        drawn: set[int] = set()
        for found in self._findings:
            for place in found.places:
                x = plot.left() + self.view.x_of(place.frame)
                mine = self._track is not None and place.path == self._track.path
                if mine and plot.left() <= x <= plot.right() and round(x / 6) not in drawn:
                    drawn.add(round(x / 6))
                    draw_shape(painter, found.action, QPointF(x + 4, 7), 8, colours.action(found.action))


class StereoView(Picture):
    """Mid against side as a cloud, and how the sides go together band by band."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "Stereo")
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

    def _ask(self) -> None:
        if self._track is not None and self._measures is not None:
            self.wanted.emit(self._track.path, (self._measures.loud_frames,))

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

    def _square(self) -> QRectF:
        side = max(40.0, min(self.height() - 34.0, self.width() * 0.4))
        return QRectF(_LEFT, (self.height() - side) / 2 - 6, side, side)

    def _plot(self) -> QRectF:
        left = self._square().right() + 84
        return QRectF(left, _TOP + 6, max(60.0, self.width() - left - _RIGHT), max(40.0, self.height() - _TOP - 40))

    def _band_at(self, x: float) -> BandField | None:
        plot, bands = self._plot(), self._field.bands if self._field is not None else ()
        if not bands or not plot.left() <= x <= plot.right():
            return None
        return bands[min(len(bands) - 1, int((x - plot.left()) / plot.width() * len(bands)))]

    def readout(self) -> str:
        if self._at is None or self._field is None:
            return ""
        square = self._square()
        if square.contains(self._at):
            across = ((self._at.x() - square.left()) / square.width() * 2 - 1) * self._field.reach
            up = (1 - (self._at.y() - square.top()) / square.height() * 2) * self._field.reach
            return f"mid {_dbfs(up)}   side {_dbfs(across)}"
        band = self._band_at(self._at.x())
        if band is None:
            return ""
        together = "none, a side is silent" if band.correlation is None else signed(band.correlation, digits=2)
        levels = f"mid {decibels(band.mid_db, 'dBFS')}, side {decibels(band.side_db, 'dBFS')}"
        return f"{_hertz(band.centre_hz)}: correlation {together}, {levels}"

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
            draw_shape(painter, finding.action, QPointF(self._plot().right() - 4, 9), 9, colour)
            painter.setPen(colour)
            box = QRectF(self._plot().left(), 0, self._plot().width() - 16, 18)
            painter.setFont(font(12))
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, _PROVES[finding.code])
        self._draw_readout(painter)

    def _draw_cloud(self, painter: QPainter, field: StereoField) -> None:
        colours, square = self._theme.colours, self._square()
        dense = field.density[::-1] / max(float(field.density.max()), 1e-12)
        share = np.where(dense > 0, np.clip(1 + np.log10(np.maximum(dense, 1e-9)) / 4, 0.06, 1), 0)
        values = np.ascontiguousarray((share * 255).astype(np.uint8))
        image = QImage(values.data, values.shape[1], values.shape[0], values.shape[1], QImage.Format.Format_Indexed8)
        image.setColorTable(_shades(colours.raised, colours.wave, colours.ink))
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
        colours, plot = self._theme.colours, self._plot()
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
            words = _hertz(band.centre_hz)
            if x - room > 46 and number % 3 == 0:
                room = x
                painter.setPen(QColor(colours.soft))
                painter.drawText(QRectF(x, plot.bottom() + 4, 60, 16), Qt.AlignmentFlag.AlignLeft, words)


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


class HistogramView(Picture):
    """How often each value occurs: clipping piles up at the ends, unused bits leave a comb in the middle."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "Histogram of sample values")
        self._counts: ValueCounts | None = None

    def show_track(self, track: Track | None) -> None:
        if track is None or self._track is None or track.path != self._track.path:
            self._counts = None
        super().show_track(track)

    @property
    def is_complete(self) -> bool:
        return self._counts is not None

    def _ask(self) -> None:
        if self._track is not None:
            self.wanted.emit(self._track.path, ())

    def _put(self, value: object) -> None:
        if isinstance(value, ValueCounts):
            self._counts = value

    @property
    def _comb(self) -> int:
        """How many codes lie between two that are used near zero; 1 where all are."""
        used = np.flatnonzero(self._counts.middle) if self._counts is not None else np.zeros(0, int)
        steps = np.diff(used)
        return int(np.gcd.reduce(steps)) if len(steps) else 1

    def words(self) -> str:
        counts = self._counts
        if counts is None:
            return self._missing_words()
        text = f"{count(counts.highest, 'sample')} at the highest value, {counts.lowest} at the lowest."
        return f"{text} Near zero only every {self._comb}th code is used." if self._comb > 1 else text

    def _plot(self) -> QRectF:
        return QRectF(_LEFT, _TOP, max(1, self.width() - _LEFT - 220), max(1, self.height() - _TOP - _BOTTOM))

    def _inset(self) -> QRectF:
        return QRectF(self.width() - 190, _TOP + 18, 176, max(20, self.height() - _TOP - _BOTTOM - 40))

    def readout(self) -> str:
        counts, plot = self._counts, self._plot()
        if counts is None or self._at is None or not plot.contains(self._at):
            return ""
        share = (self._at.x() - plot.left()) / plot.width()
        number = min(len(counts.bins) - 1, int(share * len(counts.bins)))
        value = ((number + 0.5) / len(counts.bins) * 2 - 1) * counts.reach
        part = counts.bins[number] / max(1, counts.samples) * 100
        return f"{_dbfs(value)}: {count(int(counts.bins[number]), 'sample')} ({part:.2g} %)"

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = self._begin()
        counts = self._counts
        if counts is None:
            self._say(painter, self._missing_words())
            return
        colours, plot = self._theme.colours, self._plot()
        top = math.ceil(math.log10(max(10, int(counts.bins.max()))))
        painter.setFont(font(11))
        for power in range(top + 1):
            y = plot.bottom() - power / top * plot.height()
            painter.setPen(QColor(colours.rule))
            painter.drawLine(QLineF(plot.left(), y, plot.right(), y))
            if power == top or plot.height() / top > 15:
                self._axis_words(painter, y, _many(power))
        for value in (-1.0, -0.5012, -0.2512, 0.0, 0.2512, 0.5012, 1.0):
            x = plot.left() + (value / counts.reach + 1) / 2 * plot.width()
            painter.setPen(QColor(colours.soft if abs(value) == 1 else colours.rule))
            painter.drawLine(QLineF(x, plot.top(), x, plot.bottom() + 4))
            painter.setPen(QColor(colours.soft))
            words = "\N{MINUS SIGN}∞ dBFS" if not value else signed(20 * math.log10(abs(value)), digits=0)
            box = QRectF(x - 40, plot.bottom() + 4, 80, 16)
            painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, words)
        self._draw_bars(painter, plot, counts, top)
        self._draw_flat_tops(painter, plot, counts)
        self._draw_middle(painter, counts)
        self._draw_readout(painter)

    def _draw_bars(self, painter: QPainter, plot: QRectF, counts: ValueCounts, top: int) -> None:
        """The counts as an outline; what lies at full scale, or over it, stands in the colour of who must act."""
        colours = self._theme.colours
        columns = max(1, round(plot.width()))
        at = np.arange(columns) * len(counts.bins) // columns
        highest = np.maximum.reduceat(counts.bins, at)
        y = plot.bottom() - np.log10(np.maximum(highest, 1)) / top * plot.height()
        xs = plot.left() + np.arange(columns)
        points = [QPointF(a, b) for a, b in zip(xs.tolist(), y.tolist(), strict=True)]
        shade = QColor(colours.wave)
        shade.setAlpha(90)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(shade)
        painter.drawPolygon(QPolygonF([plot.bottomLeft(), *points, plot.bottomRight()]))
        painter.setPen(QPen(QColor(colours.wave), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))
        finding = self._first("clipping.baked", "clipping.over")
        if finding is None:
            return
        colour = colours.action(finding.action)
        values = (xs - plot.left() + 0.5) / columns * 2 * counts.reach - counts.reach
        edge = 1.0 - 2.5 * counts.reach / columns
        for x, tip, value in zip(xs.tolist(), y.tolist(), values.tolist(), strict=True):
            if abs(value) >= edge and tip < plot.bottom() - 1:
                painter.fillRect(QRectF(x - 1, tip, 2.5, plot.bottom() - tip), colour)
        words = f"{count(counts.highest + counts.lowest, 'sample')} at the ends"
        self._note(painter, plot.right() - 8, plot.top() + 2, words, to_left=True)
        draw_shape(painter, finding.action, QPointF(plot.right() + 8, plot.top() + 10), 9, colour)

    def _draw_flat_tops(self, painter: QPainter, plot: QRectF, counts: ValueCounts) -> None:
        finding = self._first("clipping.earlier")
        measures = self._measures
        if finding is None or measures is None or not math.isfinite(measures.flat_tops.dbfs):
            return
        colour = self._theme.colours.action(finding.action)
        painter.setPen(QPen(colour, 1.5, Qt.PenStyle.DashLine))
        for sign in (-1, 1):
            value = sign * 10 ** (measures.flat_tops.dbfs / 20)
            x = plot.left() + (value / counts.reach + 1) / 2 * plot.width()
            painter.drawLine(QLineF(x, plot.top(), x, plot.bottom()))
        words = f"flat tops at {decibels(measures.flat_tops.dbfs, 'dBFS')}"
        self._note(painter, plot.right() - 8, plot.top() + 2, words, to_left=True)

    def _draw_middle(self, painter: QPainter, counts: ValueCounts) -> None:
        """The codes around zero, one by one: a comb where lower bits are not in use."""
        colours, box = self._theme.colours, self._inset()
        comb = self._comb
        finding = self._first("depth.")
        colour = colours.action(finding.action if finding is not None else Action.NOTE) if comb > 1 else None
        painter.setFont(font(12, 600))
        painter.setPen(colour or QColor(colours.ink))
        words = f"every {comb}th code is used" if comb > 1 else "all codes near zero are used"
        if not counts.middle.any():
            words = "no value is near zero"
        shown = QFontMetricsF(font(12, 600)).elidedText(words, Qt.TextElideMode.ElideRight, box.width() + 10)
        painter.drawText(QRectF(box.left(), box.top() - 20, box.width() + 12, 16), Qt.AlignmentFlag.AlignLeft, shown)
        painter.setPen(QColor(colours.rule))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        reach = min(len(counts.middle) // 2, max(16, 4 * comb))
        middle = counts.middle[len(counts.middle) // 2 - reach : len(counts.middle) // 2 + reach + 1]
        most = max(1, int(middle.max()))
        each = box.width() / len(middle)
        for number, many in enumerate(middle.tolist()):
            if many:
                tall = max(2.0, math.log10(1 + many) / math.log10(1 + most) * (box.height() - 4))
                area = QRectF(box.left() + number * each, box.bottom() - tall, max(1.0, each - 1), tall)
                painter.fillRect(area, colour or QColor(colours.wave))
        painter.setFont(font(11))
        painter.setPen(QColor(colours.soft))
        area = QRectF(box.left(), box.bottom() + 4, box.width(), 16)
        painter.drawText(area, Qt.AlignmentFlag.AlignLeft, f"{signed(-reach, digits=0)}")
        painter.drawText(area, Qt.AlignmentFlag.AlignHCenter, "code by code")
        painter.drawText(area, Qt.AlignmentFlag.AlignRight, str(reach))


def _dbfs(value: float) -> str:
    """A value as a level, with the sign of the half wave it lies in."""
    if abs(value) < 1e-9:
        return "\N{MINUS SIGN}∞ dBFS"
    return f"{decibels(20 * math.log10(abs(value)), 'dBFS')}{'' if value > 0 else ' below zero'}"


_NOMINAL = (1.0, 1.25, 1.6, 2.0, 2.5, 3.15, 4.0, 5.0, 6.3, 8.0)


def _hertz(hz: float) -> str:
    """A band's middle by its nominal frequency (IEC 61260-1, annex E): "125 Hz", "3.15 kHz"."""
    tens, number = divmod(round(10 * math.log10(hz)), 10)
    nominal = _NOMINAL[number] * 10**tens
    return f"{nominal / 1000:g} kHz" if nominal >= 1000 else f"{nominal:g} Hz"


def _many(power: int) -> str:
    """ "1", "1k", "10M": powers of ten."""
    unit = ("", "k", "M", "G")[power // 3]
    return f"{10 ** (power % 3)}{unit}"
