"""The lanes themselves: every file on one time axis, drawn from tiles; pan, zoom, files moved to where they belong."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QLineF, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QImage,
    QMouseEvent,
    QNativeGestureEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QGestureEvent, QPinchGesture, QSizePolicy, QToolTip, QWidget

from deep_tally.app.base.file_requests import SamplesRequest
from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.plain import as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.model.findings import Action
from deep_tally.model.measures import Excerpt
from deep_tally.model.timeline import Timeline
from deep_tally.reply.numbers import count
from deep_tally.views.lane_tiles import HEIGHT_MOST, Bank, Columns, columns_of_samples, raster
from deep_tally.views.lanes import Lane, LaneMark, end_words, span_s
from deep_tally.views.time_axis import RulerMode, Tick, moment_words, ticks
from deep_tally.views.viewport import Viewport

RULER_PX = 24
_WHEEL_STEP = 1.25
_SNAP_PX = 8.0
_ROOM = 0.015
"""Of the axis, after the last end: an end at the window's edge could be one that is cut off by it."""
_FLAG_FROM_PX, _FLAG_PX = 18, 14
_STROKES_MOST = 40
_STILL_PX = 3.0
_WORDS_FROM_PX = 30
_DOTS_FROM_PX, _DOTS_LANE_PX = 6.0, 36
_NEAR_PX = 5.0
_PEN = 2.0
_GHOST = 70
_EXCERPT_MOST = 1 << 17


@dataclass(frozen=True, slots=True)
class Slot:
    """A lane with its place on the canvas, in pixels from the top of all lanes."""

    lane: Lane
    top: int
    height: int


class LaneCanvas(QWidget):
    """Draws the lanes in sight. The list beside it has the keyboard; this has the pointer.

    Wheel zooms about the pointer, with Shift it pans, with Ctrl it makes lanes taller; dragging pans, or moves the
    file under the pointer where that is switched on or Alt is held.
    """

    view_changed = Signal()
    pressed = Signal(str, float)
    """(path, seconds): a lane was pressed there."""
    mark_pressed = Signal(str, object)
    """(path, LaneMark)."""
    moved = Signal(str, int)
    """(path, frames): a file was dragged to a place."""
    height_wanted = Signal(int)
    """Lanes taller (1) or lower (-1)."""
    read_off = Signal(str)
    """What lies under the pointer, in words."""
    samples_wanted = Signal(object)
    """A `SamplesRequest` for the lanes in sight."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._slots: tuple[Slot, ...] = ()
        self._banks: dict[str, tuple[Bank, int]] = {}
        self._banked: tuple[tuple[str, int], ...] = ()
        self._excerpts: dict[str, Excerpt] = {}
        self._asked: tuple[float, float] = (0.0, 0.0)
        self._origin_s = 0.0
        self._drag: _Drag | None = None
        self._marks_of: dict[str, tuple[tuple[Action, NDArray[np.float64]], ...]] = {}
        self._version = 0
        self._drawn: tuple[object, QImage] | None = None
        self._in_use: list[tuple[Bank, NDArray[np.float64]]] = []
        # What is seen for the first time is drawn from what is at hand, and gets finer tile by tile.
        self._refining = QTimer(self)
        self._refining.setSingleShot(True)
        self._refining.timeout.connect(self._refine)
        self.scrolled_px = 0
        self.rate_hz = 48_000
        self.common_s: float | None = None
        self.timeline: Timeline | None = None
        self.mode: RulerMode = "minutes"
        self.is_moving = False
        self.cursor_s = 0.0
        self.playing_s: float | None = None
        self.loop_s: tuple[float, float] | None = None
        self.silenced: frozenset[str] = frozenset()
        self.current = ""
        self.view = Viewport(frames=1, pixels=1)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 120)
        self.setAccessibleName("Lanes")
        self.grabGesture(Qt.GestureType.PinchGesture)
        theme.changed.connect(self.update)

    # -- what is shown ------------------------------------------------------------------------

    def show_lanes(
        self,
        lanes: Sequence[Lane],
        *,
        rate_hz: int,
        common_s: float | None,
        timeline: Timeline | None,
        same: bool,
    ) -> None:
        """Show the lanes of a song; `same` keeps the part that is looked at."""
        begin_s, end_s = span_s(lanes)
        room = (end_s - begin_s) * _ROOM
        frames = max(1, math.ceil((end_s - begin_s + room) * rate_hz))
        keep = (self.start_s, self.stop_s)
        self.rate_hz, self.common_s, self.timeline, self._origin_s = rate_hz, common_s, timeline, begin_s
        was_whole = self.view.is_whole
        self.view = Viewport(frames=frames, pixels=max(1, self.width()))
        if same and not was_whole:
            self.view.scale = min((keep[1] - keep[0]) * rate_hz / self.view.pixels, self.view.whole)
            self.view.start = (keep[0] - begin_s) * rate_hz
            self.view.pan(0)
        if not same:
            self._excerpts = {}
            self._asked = (0.0, 0.0)
        self._make_banks(lanes)
        self._marks_of = {lane.path: _mark_times(lane) for lane in lanes if lane.marks}
        self._version += 1
        self._moved()

    def show_slots(self, slots: Sequence[Slot]) -> None:
        """Where each lane stands; without heads and with the heights in force."""
        self._slots = tuple(slots)
        self._moved()

    def _make_banks(self, lanes: Sequence[Lane]) -> None:
        """Files of one rate and one width of bins share a bank; nothing is made anew for the same files."""
        banked = tuple((lane.path, id(lane.track.measures)) for lane in lanes)
        if banked == self._banked:
            return
        self._banked, self._banks = banked, {}
        alike: defaultdict[tuple[int, int], list[Lane]] = defaultdict(list)
        for lane in lanes:
            measures = lane.track.measures
            if measures is not None and measures.overview:
                alike[lane.rate_hz, measures.overview[0].bin_frames].append(lane)
        for group in alike.values():
            bank = Bank([lane.track.measures for lane in group if lane.track.measures is not None])
            self._banks |= {lane.path: (bank, number) for number, lane in enumerate(group)}

    def _take_samples(self, excerpts: Mapping[str, Excerpt]) -> None:
        if not excerpts:  # they could not be read: they are requested again when the view moves
            self._asked = (0.0, 0.0)
            return
        self._excerpts |= excerpts
        self._version += 1
        self.update()

    @property
    def has_samples(self) -> bool:
        """Whether all lanes in sight that are shown closer than their overview have their samples."""
        return all(self._samples_of(s.lane) is not None for s in self._in_sight() if self._is_close(s.lane))

    # -- the axis -----------------------------------------------------------------------------

    @property
    def start_s(self) -> float:
        """The moment at the left edge."""
        return self._origin_s + self.view.start / self.rate_hz

    @property
    def stop_s(self) -> float:
        """The moment at the right edge."""
        return self._origin_s + self.view.stop / self.rate_hz

    @property
    def px_per_s(self) -> float:
        """Pixels a second."""
        return self.rate_hz / self.view.scale

    def x_of(self, seconds: float) -> float:
        """The pixel of a moment."""
        return self.view.x_of((seconds - self._origin_s) * self.rate_hz)

    def seconds_at(self, x: float) -> float:
        """The moment under a pixel."""
        return self._origin_s + self.view.frame_at(x) / self.rate_hz

    def zoom(self, factor: float, x: float | None = None) -> None:
        """Show `factor` times as much, keeping what is under pixel x (the middle) where it is."""
        self.view.zoom(factor, self.width() / 2 if x is None else x)
        self._moved()

    def pan(self, pixels: float) -> None:
        """Move; positive shows later moments."""
        self.view.pan(pixels)
        self._moved()

    def show_all(self) -> None:
        """Show the whole song."""
        self.view.show_all()
        self._moved()

    def show_stretch(self, start_s: float, stop_s: float) -> None:
        """Centre a stretch so that it takes about a third of the width."""
        frames = (stop_s - start_s) * self.rate_hz
        self.view.show_stretch((start_s - self._origin_s) * self.rate_hz, frames)
        self._moved()

    def show_moment(self, seconds: float) -> None:
        """Bring a moment into sight without another zoom."""
        if not self.start_s <= seconds <= self.stop_s:
            self.view.pan(self.x_of(seconds) - self.width() / 16)
            self._moved()

    def _moved(self) -> None:
        self._want_samples()
        self.update()
        self.view_changed.emit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.view.resize(self.width())
        self._moved()

    # -- samples ------------------------------------------------------------------------------

    def _is_close(self, lane: Lane) -> bool:
        overview = lane.track.measures.overview if lane.track.measures is not None else ()
        return bool(overview) and self.view.scale * lane.rate_hz / self.rate_hz < overview[0].bin_frames

    def _frames_in_sight(self, lane: Lane) -> tuple[int, int]:
        """First and last frame of a lane between the edges, empty when the first is the last."""
        frames = lane.track.format.frames if lane.track.format is not None else 0
        first = math.floor((self.start_s - lane.start_s) * lane.rate_hz) - 1
        last = math.ceil((self.stop_s - lane.start_s) * lane.rate_hz) + 1
        return min(max(0, first), frames), min(max(0, last), frames)

    def _samples_of(self, lane: Lane) -> Excerpt | None:
        have = self._excerpts.get(lane.path)
        if have is None:
            return None
        first, last = self._frames_in_sight(lane)
        return have if have.frame <= first and have.frame + len(have.samples) >= last else None

    def _want_samples(self) -> None:
        """Ask for the samples in sight, and as much on both sides, so that panning does not ask at every pixel."""
        close = [s.lane for s in self._in_sight() if self._is_close(s.lane)]
        wanted = []
        for lane in close:
            first, last = self._frames_in_sight(lane)
            if last > first and self._samples_of(lane) is None:
                margin = min(last - first, _EXCERPT_MOST)
                wanted.append((lane.path, max(0, first - margin), last - first + 2 * margin))
        span = (self.start_s, self.stop_s)
        if wanted and span != self._asked:
            self._asked = span
            self.samples_wanted.emit(SamplesRequest("the line-up", tuple(wanted), self._take_samples))

    # -- the pointer --------------------------------------------------------------------------

    def lane_at(self, y: float) -> Lane | None:
        """The lane at a height on the canvas."""
        at = y - RULER_PX + self.scrolled_px
        return next((s.lane for s in self._slots if s.top <= at < s.top + s.height), None) if y >= RULER_PX else None

    def mark_at(self, x: float, y: float) -> LaneMark | None:
        """The mark nearest to a point, if it is near."""
        lane = self.lane_at(y)
        near = min(lane.marks if lane is not None else (), key=lambda m: self._away(m, x), default=None)
        return near if near is not None and self._away(near, x) <= _NEAR_PX else None

    def _pressable_mark(self, lane: Lane, x: float, y: float) -> LaneMark | None:
        """The mark a press means: in tall lanes the flag is pressed; in low ones the stroke, unless all is strokes."""
        slot = next(s for s in self._slots if s.lane is lane)
        if slot.height >= _FLAG_FROM_PX:
            return self.mark_at(x, y) if y <= self._y(slot) + _FLAG_PX else None
        in_sight = sum(self.start_s <= m.start_s <= self.stop_s for m in lane.marks)
        return self.mark_at(x, y) if in_sight <= _STROKES_MOST else None

    def _away(self, mark: LaneMark, x: float) -> float:
        start, stop = self.x_of(mark.start_s), self.x_of(mark.stop_s)
        return max(start - x, x - stop, 0.0)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QNativeGestureEvent) and event.gestureType() is Qt.NativeGestureType.ZoomNativeGesture:
            self.zoom(1 / max(0.1, 1 + event.value()), event.position().x())
            return True
        if isinstance(event, QGestureEvent):
            pinch = event.gesture(Qt.GestureType.PinchGesture)
            if isinstance(pinch, QPinchGesture):
                centre = self.mapFromGlobal(pinch.centerPoint().toPoint())
                self.zoom(1 / max(0.1, pinch.scaleFactor()), centre.x())
                return True
        return super().event(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        delta, keys = event.angleDelta(), event.modifiers()
        if keys & Qt.KeyboardModifier.ControlModifier:
            if delta.y():
                self.height_wanted.emit(1 if delta.y() > 0 else -1)
        elif abs(delta.x()) > abs(delta.y()) or keys & Qt.KeyboardModifier.ShiftModifier:
            self.pan(-(delta.x() or delta.y()) / 2)
        else:
            self.zoom(_WHEEL_STEP ** (-delta.y() / 120), event.position().x())
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is not Qt.MouseButton.LeftButton:
            return
        x, y = event.position().x(), event.position().y()
        lane = self.lane_at(y)
        moves = self.is_moving or bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        self._drag = _Drag(x, lane if moves and lane is not None and lane.track.format is not None else None)
        if not moves and lane is not None and (mark := self._pressable_mark(lane, x, y)) is not None:
            self._drag.mark = lane.path, mark
        if lane is not None:
            self.pressed.emit(lane.path, self.seconds_at(x))
        elif y < RULER_PX:
            self.pressed.emit("", self.seconds_at(x))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        x, y = event.position().x(), event.position().y()
        drag = self._drag
        if drag is None:
            self._read_off(x, y)
            return
        if drag.lane is None:
            self.pan(drag.last_x - x)
            drag.last_x = x
            return
        if abs(x - drag.first_x) > 2 or drag.frames is not None:
            lane = drag.lane
            wanted = lane.start_s + (x - drag.first_x) / self.px_per_s
            free = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            drag.frames = round((wanted if free else self.snapped(wanted, lane)) * lane.rate_hz)
            self.read_off.emit(self._place_words(lane, drag.frames))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drag, self._drag = self._drag, None
        if drag is not None and drag.lane is not None and drag.frames is not None:
            self.moved.emit(drag.lane.path, drag.frames)
        elif drag is not None and drag.mark is not None and abs(event.position().x() - drag.first_x) < _STILL_PX:
            self.mark_pressed.emit(*drag.mark)
        self.update()

    def cancel_drag(self) -> bool:
        """Let go of a file that is being dragged, without moving it; tells whether there was one."""
        was = self._drag is not None and self._drag.frames is not None
        self._drag = None
        self.update()
        return was

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.show_all()

    def leaveEvent(self, event: QEvent) -> None:
        self.read_off.emit("")

    def snapped(self, seconds: float, lane: Lane) -> float:
        """A start drawn to the song's start, the lane's place so far, or a bar line, where one is near."""
        near = [0.0, lane.start_s]
        if self.timeline is not None:
            near.append(self.timeline.nearest_bar_s(seconds))
        best = min(near, key=lambda s: abs(s - seconds))
        return best if abs(best - seconds) * self.px_per_s <= _SNAP_PX else seconds

    def _place_words(self, lane: Lane, frames: int) -> str:
        when = moment_words(self.mode, frames / lane.rate_hz, rate_hz=lane.rate_hz, timeline=self.timeline)
        return f"{lane.title}: {count(abs(frames), 'sample')} {'later' if frames >= 0 else 'earlier'}, at {when}"

    def _read_off(self, x: float, y: float) -> None:
        lane = self.lane_at(y)
        lines = [moment_words(self.mode, self.seconds_at(x), rate_hz=self.rate_hz, timeline=self.timeline)]
        if lane is not None:
            lines.append(lane.title)
            if words := end_words(lane):
                lines.append(words)
            if (mark := self.mark_at(x, y)) is not None:
                lines.append(mark.finding.code)
            if any(s.lane is lane and s.height < 12 for s in self._slots):
                QToolTip.showText(self.mapToGlobal(QPointF(x + 12, y + 8).toPoint()), as_plain(lane.title), self)
        self.read_off.emit("   ".join(lines))

    # -- drawing ------------------------------------------------------------------------------

    def _in_sight(self) -> list[Slot]:
        bottom = self.scrolled_px + self.height() - RULER_PX
        return [s for s in self._slots if s.top + s.height > self.scrolled_px and s.top < bottom]

    def paintEvent(self, event: QPaintEvent) -> None:
        colours = self._theme.colours
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(colours.ground))
        if not self._slots:
            return
        slots = self._in_sight()
        shown = [self._as_dragged(s) for s in slots]
        marks = ticks(self.mode, self.start_s, self.stop_s, self.width(), rate_hz=self.rate_hz, timeline=self.timeline)
        self._draw_rows(painter, shown)
        self._draw_grid(painter, marks)
        self._draw_waves(painter, shown)
        for slot in shown:
            self._draw_ends(painter, slot)
            self._draw_marks(painter, slot)
        self._draw_lines(painter)
        self._draw_ruler(painter, marks)

    def _as_dragged(self, slot: Slot) -> Slot:
        drag = self._drag
        if drag is None or drag.frames is None or drag.lane is None or drag.lane.path != slot.lane.path:
            return slot
        by = drag.frames / slot.lane.rate_hz - slot.lane.start_s
        return replace(slot, lane=replace(slot.lane, start_s=slot.lane.start_s + by, stop_s=slot.lane.stop_s + by))

    def _y(self, slot: Slot) -> int:
        return RULER_PX + slot.top - self.scrolled_px

    def _draw_rows(self, painter: QPainter, slots: Sequence[Slot]) -> None:
        colours = self._theme.colours
        for slot in slots:
            y = self._y(slot)
            if slot.lane.path == self.current:
                painter.fillRect(QRectF(0, y, self.width(), slot.height), QColor(colours.raised))
            if slot.height >= 12:
                painter.setPen(QColor(colours.rule))
                painter.drawLine(QLineF(0, y + slot.height - 0.5, self.width(), y + slot.height - 0.5))
        if self.loop_s is not None:
            tint = QColor(colours.fix)
            tint.setAlpha(28)
            left, right = (self.x_of(s) for s in self.loop_s)
            painter.fillRect(QRectF(left, RULER_PX, max(1.0, right - left), self.height()), tint)

    def _draw_grid(self, painter: QPainter, marks: Sequence[Tick]) -> None:
        """As opaque boxes on whole pixels: two hundred lines with an alpha take 20 ms."""
        strong = QColor(self._theme.colours.rule)
        weak = _between(strong, QColor(self._theme.colours.ground))
        for tick in marks:
            x = math.floor(self.x_of(tick.seconds))
            painter.fillRect(x, RULER_PX, 1, self.height() - RULER_PX, strong if tick.words else weak)

    def _draw_ruler(self, painter: QPainter, marks: Sequence[Tick]) -> None:
        colours = self._theme.colours
        painter.fillRect(QRectF(0, 0, self.width(), RULER_PX), QColor(colours.ground))
        painter.setPen(QColor(colours.soft))
        painter.drawLine(QLineF(0, RULER_PX - 0.5, self.width(), RULER_PX - 0.5))
        plain, strong = font(12), font(12, 700)
        for tick in marks:
            x = self.x_of(tick.seconds)
            painter.setPen(QColor(colours.rule if not tick.words else colours.soft))
            painter.drawLine(QLineF(x, RULER_PX - (6 if tick.words else 3), x, RULER_PX))
            if tick.words:
                painter.setFont(strong if tick.is_strong else plain)
                painter.setPen(QColor(colours.ink if tick.is_strong else colours.soft))
                painter.drawText(QRectF(x + 3, 0, 140, RULER_PX - 4), Qt.AlignmentFlag.AlignVCenter, tick.words)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        for seconds, colour in ((self.cursor_s, colours.fix), (self.playing_s, colours.ask)):
            if seconds is not None:
                x, tip = self.x_of(seconds), float(RULER_PX)
                painter.setBrush(QColor(colour))
                painter.drawPolygon(QPolygonF([QPointF(x - 5, tip - 8), QPointF(x + 5, tip - 8), QPointF(x, tip)]))

    def _draw_lines(self, painter: QPainter) -> None:
        """The common start and end through all lanes, the cursor and what plays."""
        colours = self._theme.colours
        painter.setPen(QPen(QColor(colours.ink), 1.5))
        for seconds in (0.0, self.common_s):
            if seconds is not None and self.start_s <= seconds <= self.stop_s:
                x = min(max(self.x_of(seconds), 0.75), self.width() - 0.75)
                painter.drawLine(QLineF(x, RULER_PX, x, self.height()))
        painter.setPen(QPen(QColor(colours.fix), 1, Qt.PenStyle.DashLine))
        x = self.x_of(self.cursor_s)
        painter.drawLine(QLineF(x, RULER_PX, x, self.height()))
        if self.playing_s is not None:
            x = round(self.x_of(self.playing_s))
            painter.fillRect(x - 1, RULER_PX, 2, self.height() - RULER_PX, QColor(colours.ask))

    def _draw_waves(self, painter: QPainter, slots: Sequence[Slot]) -> None:
        """All lanes in sight as one picture; it stays while only what lies over it moves, as when something plays."""
        ratio = self.devicePixelRatioF()
        width, rows = math.ceil(self.width() * ratio), math.ceil((self.height() - RULER_PX) * ratio)
        if width < 1 or rows < 1:
            return
        places = tuple((slot.lane.path, slot.lane.start_s, slot.top, slot.height) for slot in slots)
        view = self.view.start, self.view.scale, width, rows, self.scrolled_px
        state = view, places, self.silenced, self._theme.colours.name, self._version
        if self._drawn is None or self._drawn[0] != state:
            self._drawn = state, self._waves(slots, width, rows, ratio)
            self._refining.start(0)
        painter.drawImage(QPointF(0, RULER_PX), self._drawn[1])
        for slot in slots:
            if slot.lane.is_moved:
                self._outline_ghost(painter, slot)
            self._draw_dots(painter, slot)

    def _waves(self, slots: Sequence[Slot], width: int, rows: int, ratio: float) -> QImage:
        """The strokes of all lanes: drawn as lines from Python they take ten times as long."""
        picture = np.zeros((rows, width), np.uint8)
        self._in_use = []
        for slot, lane, strokes in self._strokes(slots, width, ratio):
            left, right = (round(self.x_of(s) * ratio) for s in (lane.start_s, lane.stop_s))
            strokes[:, : min(max(0, left), width)] = 0
            strokes[:, min(max(0, right, left + 1), width) :] = 0
            if lane is not slot.lane or slot.lane.path in self.silenced:
                strokes = (strokes * np.float32(_GHOST / 255)).astype(np.uint8)
            top = round((slot.top - self.scrolled_px) * ratio)
            above = max(0, -top)
            part = strokes[above : max(above, rows - top)]
            target = picture[top + above : top + above + len(part)]
            np.maximum(target, part[: len(target)], out=target)
        image = QImage(picture.data, width, rows, width, QImage.Format.Format_Indexed8)
        image.setColorTable(_shades(self._theme.colours.wave))
        # Drawn as it is, each pixel would be looked up on a slow way.
        image.convertTo(QImage.Format.Format_ARGB32_Premultiplied)
        image.setDevicePixelRatio(ratio)
        return image

    def _refine(self) -> None:
        if any(bank.refine(edges) for bank, edges in self._in_use):
            self._version += 1
            self.update()

    @property
    def is_fine(self) -> bool:
        """Whether all lanes in sight are drawn as finely as they can be."""
        return not any(bank.lacks(edges) for bank, edges in self._in_use)

    def _strokes(
        self, slots: Sequence[Slot], width: int, ratio: float
    ) -> Iterator[tuple[Slot, Lane, NDArray[np.uint8]]]:
        """The strokes of each lane, and of the ghosts at their raw starts; alike lanes are worked out together."""
        alike: defaultdict[tuple[int, float, int], list[tuple[Slot, Lane, int]]] = defaultdict(list)
        for slot in slots:
            where = [slot.lane]
            if slot.lane.start_s and not self._is_close(slot.lane):  # so close, its frame tells enough
                where.append(replace(slot.lane, start_s=0.0, stop_s=slot.lane.seconds))
            for lane in where:
                if self._is_close(lane) and (have := self._samples_of(lane)) is not None and len(have.samples):
                    edges = self._edges(lane, width, ratio)
                    yield slot, lane, self._from_samples(have, lane, edges, _rows_of(slot, ratio))
                elif lane.path in self._banks:
                    bank, number = self._banks[lane.path]
                    alike[id(bank), lane.start_s, slot.height].append((slot, lane, number))
        for group in alike.values():
            slot, lane, _ = group[0]
            bank, _ = self._banks[lane.path]
            numbers = np.array([number for _, _, number in group], np.intp)
            edges = self._edges(lane, width, ratio)
            self._in_use.append((bank, edges))
            strokes = raster(bank.columns(edges, numbers), _rows_of(slot, ratio))
            for (slot, lane, _), drawn in zip(group, strokes, strict=True):
                yield slot, lane, drawn

    def _edges(self, lane: Lane, width: int, ratio: float) -> NDArray[np.float64]:
        scale = self.view.scale / ratio * lane.rate_hz / self.rate_hz
        first = (self.start_s - lane.start_s) * lane.rate_hz
        return np.asarray(first + np.arange(width + 1) * scale, dtype=np.float64)

    def _from_samples(self, have: Excerpt, lane: Lane, edges: NDArray[np.float64], rows: int) -> NDArray[np.uint8]:
        measures = lane.track.measures
        peak = 10 ** (measures.sample_peak_dbfs / 20) if measures is not None else 1.0
        columns = columns_of_samples(have.samples, have.frame, edges, peak)
        # The line has a width of its own, whatever the lane's height.
        pen = np.int16(min(_PEN / 2 / rows * 2 * 16_384, 16_000))
        columns = Columns(columns.low - pen, columns.high + pen, columns.rms)
        return raster(columns, rows, is_line=True)[0]

    def _outline_ghost(self, painter: QPainter, slot: Slot) -> None:
        """Where a moved file came: a dashed frame from its raw start to its raw end."""
        pen = QPen(QColor(self._theme.colours.fix), 1, Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        left, right = self.x_of(0.0), self.x_of(slot.lane.seconds)
        inset = min(2, slot.height // 4)
        painter.drawRect(QRectF(left, self._y(slot) + inset, right - left, max(1, slot.height - 2 * inset - 1)))

    def _draw_dots(self, painter: QPainter, slot: Slot) -> None:
        """Each sample as a dot, where there is room between them."""
        lane, measures = slot.lane, slot.lane.track.measures
        step = self.px_per_s / lane.rate_hz
        if step < _DOTS_FROM_PX or slot.height < _DOTS_LANE_PX or measures is None or not self._is_close(lane):
            return
        have = self._samples_of(lane)
        if have is None:
            return
        first, last = self._frames_in_sight(lane)
        colour = QColor(self._theme.colours.ink)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        peak = max(10 ** (measures.sample_peak_dbfs / 20), 1e-3)
        middle, reach = self._y(slot) + slot.height / 2, slot.height / 2
        values = have.samples[first - have.frame : last - have.frame]
        for number, frame in enumerate(values.tolist()):
            x = self.x_of(lane.start_s + (first + number + 0.5) / lane.rate_hz)
            for value in frame:
                painter.drawEllipse(QPointF(x, middle - reach * value / peak), 2.2, 2.2)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, on=False)

    def _draw_ends(self, painter: QPainter, slot: Slot) -> None:
        """What a file lacks to the common end, or goes past it, drawn to scale, in words where there is room."""
        lane = slot.lane
        if not lane.end_frames or self.common_s is None or not lane.track.role.is_asked:
            return
        colours = self._theme.colours
        colour = QColor(colours.action(_end_action(lane)))
        left, right = sorted((self.x_of(lane.stop_s), self.x_of(self.common_s)))
        if right < 0 or left > self.width():
            return
        y = self._y(slot) + slot.height / 2
        tall = max(2.0, slot.height * 0.3)
        painter.setPen(QPen(colour, 1.5))
        painter.drawLine(QLineF(left, y, max(right, left + 1), y))
        end = self.x_of(lane.stop_s)
        painter.drawLine(QLineF(end, y - tall, end, y + tall))
        words = end_words(lane)
        painter.setFont(font(12))
        room = QFontMetricsF(font(12)).horizontalAdvance(words) + 8
        if slot.height >= _WORDS_FROM_PX:
            x = left + 4 if right - left > room else right + 6 if right + room < self.width() else left - room
            box = QRectF(x - 2, y - 19, room, 17)
            painter.fillRect(box, QColor(colours.raised if lane.path == self.current else colours.ground))
            painter.setPen(colour)
            painter.drawText(box.adjusted(2, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, words)

    def _draw_marks(self, painter: QPainter, slot: Slot) -> None:
        """Every mark in sight, one per pixel and kind: a flag where there is room, else a stroke."""
        y, height, lane = self._y(slot), slot.height, slot.lane
        each = 9.0 if height >= _FLAG_FROM_PX else 2.0
        for action, after_s in self._marks_of.get(lane.path, ()):
            # A thousand places a file: which of them are seen is NumPy's to tell.
            x = (after_s + (lane.start_s - self.start_s)) * self.px_per_s
            seen = x[(x[:, 1] >= 0) & (x[:, 0] <= self.width() + 1)]
            _, first = np.unique(np.round(seen[:, 0] / each), return_index=True)
            colour = QColor(self._theme.colours.action(action))
            tint = QColor(colour)
            tint.setAlpha(50)
            for x1, x2 in seen[seen[:, 1] - seen[:, 0] >= 3].tolist():
                painter.fillRect(QRectF(x1, y, x2 - x1, height - 1), tint)
            for x1 in seen[first, 0].tolist():
                self._draw_mark(painter, action, colour, min(max(x1, 0.75), self.width() - 0.75), y, height)

    def _draw_mark(self, painter: QPainter, action: Action, colour: QColor, x: float, y: int, height: int) -> None:
        if height >= _FLAG_FROM_PX:
            thin = QColor(colour)
            thin.setAlpha(120)
            painter.setPen(QPen(thin, 1))
            painter.drawLine(QLineF(x, y + 2, x, y + height - 2))
            draw_shape(painter, action, QPointF(min(x + 4, self.width() - 5), y + 6), 8, colour)
        else:
            painter.setPen(QPen(colour, 1.5))
            painter.drawLine(QLineF(x, y, x, y + max(2, height - 1)))


@dataclass(slots=True)
class _Drag:
    """A drag that began at a pixel: of the view, or of a lane to a place."""

    first_x: float
    lane: Lane | None
    last_x: float = 0.0
    frames: int | None = None
    mark: tuple[str, LaneMark] | None = None

    def __post_init__(self) -> None:
        self.last_x = self.first_x


def _rows_of(slot: Slot, ratio: float) -> int:
    return min(HEIGHT_MOST, max(1, round(slot.height * ratio)))


@lru_cache(maxsize=2)
def _shades(colour: str) -> list[int]:
    """The colour table of opacities: 255 is the colour itself."""
    base = QColor(colour)
    return [(alpha << 24) | (base.rgb() & 0xFFFFFF) for alpha in range(256)]


def _between(one: QColor, other: QColor) -> QColor:
    return QColor(*((a + b) // 2 for a, b in zip(one.getRgb()[:3], other.getRgb()[:3], strict=True)))  # type: ignore[index]


def _mark_times(lane: Lane) -> tuple[tuple[Action, NDArray[np.float64]], ...]:
    """From and to of its marks in seconds after its own start, [shape=(marks, 2)]; the gravest come last, on top."""
    times: defaultdict[Action, list[tuple[float, float]]] = defaultdict(list)
    for mark in lane.marks:
        times[mark.finding.action].append((mark.start_s - lane.start_s, mark.stop_s - lane.start_s))
    return tuple((action, np.array(times[action])) for action in sorted(times, key=lambda a: a.gravity))


def _end_action(lane: Lane) -> Action:
    actions = [m.finding.action for m in lane.marks if m.finding.code.startswith("length.")]
    return max(actions, key=lambda a: a.gravity, default=Action.NOTE)
