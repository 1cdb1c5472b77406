"""A magnifier at the common start or end: where files differ by a few samples, they are shown sample by sample."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QWidget

from deep_tally.app.base.file_requests import SamplesRequest
from deep_tally.app.base.theme import RADIUS, Theme, font
from deep_tally.model.measures import Excerpt
from deep_tally.reply.numbers import count
from deep_tally.views.lanes import Lane

Edge = Literal["start", "end"]
_ROWS_MOST, _ROW_PX, _HEAD_PX, _PAD = 7, 26, 34, 14
_WIDTH, _NAME_PX = 430, 132
_LEAST_SPAN, _SPAN_MOST = 24, 48_000
_SMALL = 4_000
"""Frames: what differs by more can be seen in the lanes."""
_STEM_FROM_PX = 4.0
_BEYOND = 0.3
_STEP = 1.6


class EdgeView(QWidget):
    """Lies over the lanes. The wheel, + and - show more or less; Escape closes it."""

    samples_wanted = Signal(object)
    """A `SamplesRequest`."""
    closed = Signal()

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self._lanes: tuple[Lane, ...] = ()
        self._excerpts: dict[str, Excerpt] = {}
        self._common_s = 0.0
        self._span = float(_LEAST_SPAN)
        self._rate_hz = 48_000
        self.edge: Edge = "end"
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.hide()
        theme.changed.connect(self.update)

    def show_edge(self, edge: Edge, lanes: Sequence[Lane], *, common_s: float, rate_hz: int, current: str) -> None:
        """Show the common start or end of the lanes that show most: small differences first."""
        heard = [ln for ln in lanes if ln.track.format is not None and ln.track.role.is_assessed]
        self.edge, self._common_s, self._rate_hz = edge, common_s if edge == "end" else 0.0, rate_hz
        small = sorted((ln for ln in heard if 0 < abs(self._off(ln)) <= _SMALL), key=lambda ln: abs(self._off(ln)))
        even = [ln for ln in heard if self._off(ln) == 0]
        mine = [ln for ln in heard if ln.path == current and ln not in small and abs(self._off(ln)) <= _SMALL]
        chosen = [*small, *mine, *(ln for ln in even if ln not in mine)][:_ROWS_MOST]
        # In the order of the lanes beside it.
        self._lanes = tuple(ln for ln in heard if ln in chosen)
        most = max((abs(self._off(ln)) for ln in small[:_ROWS_MOST]), default=0)
        self._span = float(max(_LEAST_SPAN, 3 * most))
        self._excerpts = {}
        self.resize(_WIDTH, _HEAD_PX + max(1, len(self._lanes)) * _ROW_PX + _PAD)
        self.setAccessibleName(self._title())
        self.setAccessibleDescription(" ".join(self.differences()))
        self._want()
        self.show()
        self.raise_()
        self.update()

    def _title(self) -> str:
        return f"The common {self.edge}"

    def _off(self, lane: Lane) -> int:
        """Frames by which a lane begins or ends after the others."""
        if self.edge == "end":
            return lane.end_frames or 0
        return lane.placement.frames if lane.placement is not None else 0

    def differences(self) -> list[str]:
        """The differences in words, the smallest first."""
        off = sorted((ln for ln in self._lanes if self._off(ln)), key=lambda ln: abs(self._off(ln)))
        if not off:
            return [f"All files {self.edge} together." if len(self._lanes) > 1 else "Nothing differs by so little."]
        more, less = ("long", "short") if self.edge == "end" else ("late", "early")
        return [
            f"{ln.title}: {count(abs(self._off(ln)), 'sample')} {more if self._off(ln) > 0 else less}" for ln in off
        ]

    def _take_samples(self, excerpts: Mapping[str, Excerpt]) -> None:
        self._excerpts |= excerpts
        self.update()

    @property
    def has_samples(self) -> bool:
        """Whether all lanes it shows have their samples."""
        return all(lane.path in self._excerpts for lane in self._lanes)

    def _want(self) -> None:
        wanted = []
        for lane in self._lanes:
            frames = lane.track.format.frames if lane.track.format is not None else 0
            middle = round((self._common_s - lane.start_s) * lane.rate_hz)
            reach = round(self._span * lane.rate_hz / self._rate_hz) + 2
            first, last = max(0, middle - reach), min(frames, middle + reach)
            if last > first:
                wanted.append((lane.path, first, last - first))
        if wanted:
            self.samples_wanted.emit(SamplesRequest("the magnifier", tuple(wanted), self._take_samples))

    def zoom(self, factor: float) -> None:
        """Show `factor` times as much."""
        self._span = min(max(float(_LEAST_SPAN), self._span * factor), float(_SPAN_MOST))
        self._want()
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(_STEP if event.angleDelta().y() < 0 else 1 / _STEP)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom(1 / _STEP)
        elif event.key() == Qt.Key.Key_Minus:
            self.zoom(_STEP)
        elif event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        colours = self._theme.colours
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(colours.fix if self.hasFocus() else colours.ink), 1.5))
        painter.setBrush(QColor(colours.raised))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), RADIUS, RADIUS)
        painter.setFont(font(13, 700))
        painter.setPen(QColor(colours.ink))
        title = self._title()
        painter.drawText(QRectF(_PAD, 0, 200, _HEAD_PX), Qt.AlignmentFlag.AlignVCenter, title)
        painter.setFont(font(12, 600))
        left = _PAD + QFontMetricsF(font(13, 700)).horizontalAdvance(title) + 16
        room = self.width() - left - _PAD
        words = QFontMetricsF(font(12, 600)).elidedText(self.differences()[0], Qt.TextElideMode.ElideMiddle, room)
        painter.setPen(QColor(colours.fix if any(self._off(ln) for ln in self._lanes) else colours.soft))
        align = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        painter.drawText(QRectF(left, 0, room, _HEAD_PX), align, words)
        for number, lane in enumerate(self._lanes):
            self._draw_lane(painter, lane, _HEAD_PX + number * _ROW_PX)
        x = self._x(self._common_s)
        painter.setPen(QPen(QColor(colours.ink), 1.5))
        painter.drawLine(QLineF(x, _HEAD_PX, x, self.height() - _PAD / 2))

    def _x(self, seconds: float) -> float:
        """The pixel of a moment; most room lies before a common end, and after a common start."""
        plot = self.width() - _NAME_PX - 2 * _PAD
        before = 1.0 if self.edge == "end" else _BEYOND
        per_frame = plot / (self._span * (1 + _BEYOND))
        return _NAME_PX + _PAD + ((seconds - self._common_s) * self._rate_hz + self._span * before) * per_frame

    def _draw_lane(self, painter: QPainter, lane: Lane, top: float) -> None:
        colours = self._theme.colours
        middle = top + _ROW_PX / 2
        is_off = self._off(lane) != 0
        colour = QColor(colours.fix if is_off else colours.ink)
        painter.setFont(font(12))
        painter.setPen(QColor(colours.fix if is_off else colours.soft))
        name = QFontMetricsF(font(12)).elidedText(lane.title, Qt.TextElideMode.ElideRight, _NAME_PX - 8)
        painter.drawText(QRectF(_PAD, top, _NAME_PX - 4, _ROW_PX), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setPen(QPen(QColor(colours.rule), 1))
        painter.drawLine(QLineF(_NAME_PX + _PAD, middle, self.width() - _PAD, middle))
        have = self._excerpts.get(lane.path)
        if have is None or not len(have.samples):
            return
        # The louder side, at its own height: the last samples of a tail are far under the file's peak.
        values = have.samples[:, int(abs(have.samples).max(axis=0).argmax())]
        peak = max(float(abs(values).max()), 1e-6)
        left, right = float(_NAME_PX + _PAD), float(self.width() - _PAD)
        points = []
        for number, value in enumerate(values.tolist()):
            x = self._x(lane.start_s + (have.frame + number + 0.5) / lane.rate_hz)
            if left <= x <= right:
                points.append(QPointF(x, middle - value / peak * (_ROW_PX / 2 - 4)))
        painter.setPen(QPen(colour, 1.2))
        if len(points) > 1 and points[1].x() - points[0].x() >= _STEM_FROM_PX:
            for point in points:
                painter.drawLine(QLineF(point.x(), middle, point.x(), point.y()))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            for point in points:
                painter.drawEllipse(point, 2.0, 2.0)
        else:
            painter.drawPolyline(QPolygonF(points))
