"""The lanes themselves: every file on one time axis, drawn from tiles; pan, zoom, files moved to where they belong."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from PySide6.QtCore import QEvent, QPointF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QNativeGestureEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QGestureEvent, QPinchGesture, QSizePolicy, QToolTip, QWidget

from deep_tally.app.base.file_requests import SamplesRequest
from deep_tally.app.base.plain import as_plain
from deep_tally.app.base.theme import Theme
from deep_tally.app.base.wheel import turn
from deep_tally.app.line_up.lane_overlay import FLAG_FROM_PX, RULER_PX, LaneOverlay, MarkTimes, Pointers, mark_times
from deep_tally.app.line_up.lane_waves import LaneWaves, Pane
from deep_tally.model.measures import Excerpt
from deep_tally.model.timeline import Timeline
from deep_tally.reply.numbers import count
from deep_tally.views.lane_axis import LaneAxis
from deep_tally.views.lane_samples import LaneSamples
from deep_tally.views.lanes import Lane, LaneMark, Slot, end_words
from deep_tally.views.time_axis import RulerMode, moment_words, ticks

_SNAP_PX = 8.0
_FLAG_PX = 14
_STROKES_MOST = 40
_STILL_PX = 3.0
_NEAR_PX = 5.0


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
        self._drag: _Drag | None = None
        self._marks_of: dict[str, MarkTimes] = {}
        self.axis = LaneAxis()
        self._samples = LaneSamples(self.axis)
        self.waves = LaneWaves(self.axis, self._samples, self)
        self.waves.refined.connect(self.update)
        self.scrolled_px = 0
        self.common_s: float | None = None
        self.timeline: Timeline | None = None
        self.mode: RulerMode = "minutes"
        self.is_moving = False
        self.cursor_s = 0.0
        self.playing_s: float | None = None
        self.loop_s: tuple[float, float] | None = None
        self.silenced: frozenset[str] = frozenset()
        self.current = ""
        self.flags: tuple[tuple[float, str], ...] = ()
        """Moments that the client's notes speak of, with what they say."""
        self.mark: LaneMark | None = None
        """The mark that was gone to last."""
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
        self.axis.show_lanes(lanes, rate_hz=rate_hz, pixels=self.width(), keep=same)
        self.common_s, self.timeline = common_s, timeline
        if not same:
            self._samples.forget()
        self.waves.show_lanes(lanes)
        self._marks_of = {lane.path: mark_times(lane) for lane in lanes if lane.marks}
        self._moved()

    def show_slots(self, slots: Sequence[Slot]) -> None:
        """Where each lane stands; without heads and with the heights in force."""
        self._slots = tuple(slots)
        self._moved()

    def _take_samples(self, excerpts: Mapping[str, Excerpt]) -> None:
        if self._samples.take(excerpts):
            self.waves.outdate()
            self.update()

    @property
    def has_samples(self) -> bool:
        """Whether all lanes in sight that are shown closer than their overview have their samples."""
        close = [s.lane for s in self._in_sight() if self.axis.is_close(s.lane)]
        spans = ((lane, *self.axis.frames_in_view(lane)) for lane in close)
        return all(self._samples.at_hand(lane) is not None for lane, first, last in spans if last > first)

    # -- the axis -----------------------------------------------------------------------------

    def zoom(self, factor: float, x: float | None = None) -> None:
        """Show `factor` times as much, keeping what is under pixel x (the middle) where it is."""
        self.axis.view.zoom(factor, self.width() / 2 if x is None else x)
        self._moved()

    def pan(self, pixels: float) -> None:
        """Move; positive shows later moments."""
        self.axis.view.pan(pixels)
        self._moved()

    def show_all(self) -> None:
        """Show the whole song."""
        self.axis.view.show_all()
        self._moved()

    def show_stretch(self, start_s: float, stop_s: float) -> None:
        """Centre a stretch so that it takes about a third of the width."""
        self.axis.show_stretch(start_s, stop_s)
        self._moved()

    def show_moment(self, seconds: float) -> None:
        """Bring a moment into sight without another zoom."""
        if not self.axis.shows(seconds):
            self.axis.view.pan(self.axis.x_of(seconds) - self.width() / 16)
            self._moved()

    def set_cursor(self, seconds: float) -> None:
        """From where is played, and what is zoomed about with the keys."""
        self.cursor_s = seconds
        self.update()

    def _moved(self) -> None:
        if stretches := self._samples.request([s.lane for s in self._in_sight()]):
            self.samples_wanted.emit(SamplesRequest("the line-up", stretches, self._take_samples))
        self.update()
        self.view_changed.emit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.axis.view.resize(self.width())
        self._moved()

    # -- the pointer --------------------------------------------------------------------------

    def lane_at(self, y: float, x: float | None = None) -> Lane | None:
        """The lane at a height on the canvas; of the clips that share it, the one at pixel x."""
        at = y - RULER_PX + self.scrolled_px
        there = [s.lane for s in self._slots if s.top <= at < s.top + s.height] if y >= RULER_PX else []
        seconds = self.axis.seconds_at(x) if x is not None else 0.0
        return next((ln for ln in there if ln.start_s <= seconds < ln.stop_s), there[0] if there else None)

    def mark_at(self, x: float, y: float) -> LaneMark | None:
        """The mark nearest to a point, if it is near."""
        lane = self.lane_at(y, x)
        near = min(lane.marks if lane is not None else (), key=lambda m: self._away(m, x), default=None)
        return near if near is not None and self._away(near, x) <= _NEAR_PX else None

    def _pressable_mark(self, lane: Lane, x: float, y: float) -> LaneMark | None:
        """The mark a press means: in tall lanes the flag is pressed; in low ones the stroke, unless all is strokes."""
        slot = next(s for s in self._slots if s.lane is lane)
        if slot.height >= FLAG_FROM_PX:
            return self.mark_at(x, y) if y <= RULER_PX + slot.top - self.scrolled_px + _FLAG_PX else None
        in_sight = sum(self.axis.shows(m.start_s) for m in lane.marks)
        return self.mark_at(x, y) if in_sight <= _STROKES_MOST else None

    def _away(self, mark: LaneMark, x: float) -> float:
        start, stop = self.axis.x_of(mark.start_s), self.axis.x_of(mark.stop_s)
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
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            if delta := event.angleDelta().y():
                self.height_wanted.emit(1 if delta > 0 else -1)
            event.accept()
            return
        turn(self.axis.view, event)
        self._moved()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is not Qt.MouseButton.LeftButton:
            return
        x, y = event.position().x(), event.position().y()
        lane = self.lane_at(y, x)
        moves = self.is_moving or bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        self._drag = _Drag(x, lane if moves and lane is not None and lane.track.format is not None else None)
        if not moves and lane is not None and (mark := self._pressable_mark(lane, x, y)) is not None:
            self._drag.mark = lane.path, mark
        if lane is not None:
            self.pressed.emit(lane.path, self.axis.seconds_at(x))
        elif y < RULER_PX:
            self.pressed.emit("", self.axis.seconds_at(x))

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
            wanted = lane.start_s + (x - drag.first_x) / self.axis.px_per_s
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
        """Let go of a file that is being dragged, without moving it; returns whether there was one."""
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
        return best if abs(best - seconds) * self.axis.px_per_s <= _SNAP_PX else seconds

    def _place_words(self, lane: Lane, frames: int) -> str:
        when = moment_words(self.mode, frames / lane.rate_hz, rate_hz=lane.rate_hz, timeline=self.timeline)
        return f"{lane.title}: {count(abs(frames), 'sample')} {'later' if frames >= 0 else 'earlier'}, at {when}"

    def _read_off(self, x: float, y: float) -> None:
        lane = self.lane_at(y, x)
        lines = [moment_words(self.mode, self.axis.seconds_at(x), rate_hz=self.axis.rate_hz, timeline=self.timeline)]
        if y < RULER_PX:
            lines += [words for at_s, words in self.flags if abs(self.axis.x_of(at_s) - x) <= _NEAR_PX]
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
        shown = [self._as_dragged(s) for s in self._in_sight()]
        axis = self.axis
        on_ruler = ticks(
            self.mode, axis.start_s, axis.stop_s, self.width(), rate_hz=axis.rate_hz, timeline=self.timeline
        )
        pointers = Pointers(self.cursor_s, self.playing_s, self.common_s, self.loop_s)
        overlay = LaneOverlay(painter, colours, axis, self.size(), self.scrolled_px)
        overlay.draw_rows(shown, self.current, pointers)
        overlay.draw_grid(on_ruler)
        self._draw_waves(painter, shown)
        for slot in shown:
            if slot.lane.is_moved:
                overlay.outline_ghost(slot)
            elif slot.lane.is_unplaced:
                overlay.outline_unplaced(slot)
            overlay.draw_dots(slot, self._samples.at_hand(slot.lane) if axis.is_close(slot.lane) else None)
        for slot in shown:
            overlay.draw_end(slot, self.common_s, is_current=slot.lane.path == self.current)
            overlay.draw_marks(slot, self._marks_of.get(slot.lane.path, ()))
        overlay.draw_pointers(pointers)
        overlay.draw_ruler(on_ruler, pointers)
        overlay.draw_flags([seconds for seconds, _ in self.flags])

    def _draw_waves(self, painter: QPainter, slots: Sequence[Slot]) -> None:
        ratio = self.devicePixelRatioF()
        width, rows = math.ceil(self.width() * ratio), math.ceil((self.height() - RULER_PX) * ratio)
        if width > 0 and rows > 0:
            pane = Pane(width, rows, ratio, self.scrolled_px, self.silenced, self._theme.colours.wave)
            painter.drawImage(QPointF(0, RULER_PX), self.waves.draw(slots, pane))

    def _as_dragged(self, slot: Slot) -> Slot:
        drag = self._drag
        if drag is None or drag.frames is None or drag.lane is None or drag.lane.path != slot.lane.path:
            return slot
        by = drag.frames / slot.lane.rate_hz - slot.lane.start_s
        return replace(slot, lane=replace(slot.lane, start_s=slot.lane.start_s + by, stop_s=slot.lane.stop_s + by))


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
