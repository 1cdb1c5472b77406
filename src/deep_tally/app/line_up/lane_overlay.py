"""What is drawn under and over the waves: rows, bar lines, the ruler, ends, marks, cursor."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.theme import Colours, font
from deep_tally.model.findings import Action
from deep_tally.model.measures import Excerpt
from deep_tally.views.lane_axis import LaneAxis
from deep_tally.views.lanes import Lane, Slot, end_words
from deep_tally.views.time_axis import Tick

RULER_PX = 24
FLAG_FROM_PX = 18
"""Lanes at least so tall have flags; in lower ones a mark is a stroke."""
_WORDS_FROM_PX = 30
_RULE_FROM_PX = 12
_DOTS_FROM_PX, _DOTS_LANE_PX = 6.0, 36

MarkTimes = tuple[tuple[Action, NDArray[np.float64]], ...]


@dataclass(frozen=True, slots=True)
class Pointers:
    """The moments that stand out, in seconds; None for what is not there."""

    cursor_s: float
    playing_s: float | None
    common_s: float | None
    loop_s: tuple[float, float] | None


class LaneOverlay:
    """Draws one picture of the lanes, whose top lies `scrolled_px` above the window."""

    def __init__(self, painter: QPainter, colours: Colours, axis: LaneAxis, size: QSize, scrolled_px: int) -> None:
        self._painter, self._colours, self._axis = painter, colours, axis
        self._width, self._height, self._scrolled_px = size.width(), size.height(), scrolled_px

    def _y(self, slot: Slot) -> int:
        return RULER_PX + slot.top - self._scrolled_px

    def draw_rows(self, slots: Sequence[Slot], current: str, pointers: Pointers) -> None:
        """The current lane's ground, a rule under each, and the stretch that is looped."""
        painter = self._painter
        for slot in slots:
            y = self._y(slot)
            if slot.lane.path == current:
                painter.fillRect(QRectF(0, y, self._width, slot.height), QColor(self._colours.raised))
            if slot.height >= _RULE_FROM_PX:
                painter.setPen(QColor(self._colours.rule))
                painter.drawLine(QLineF(0, y + slot.height - 0.5, self._width, y + slot.height - 0.5))
        if pointers.loop_s is not None:
            tint = QColor(self._colours.fix)
            tint.setAlpha(28)
            left, right = (self._axis.x_of(s) for s in pointers.loop_s)
            painter.fillRect(QRectF(left, RULER_PX, max(1.0, right - left), self._height), tint)

    def draw_grid(self, ticks: Sequence[Tick]) -> None:
        """As opaque boxes on whole pixels: two hundred lines with an alpha take 20 ms."""
        strong = QColor(self._colours.rule)
        weak = _between(strong, QColor(self._colours.ground))
        for tick in ticks:
            x = math.floor(self._axis.x_of(tick.seconds))
            self._painter.fillRect(x, RULER_PX, 1, self._height - RULER_PX, strong if tick.words else weak)

    def draw_ruler(self, ticks: Sequence[Tick], pointers: Pointers) -> None:
        """The ruler at the top, with where the cursor stands and what is heard."""
        colours, painter = self._colours, self._painter
        painter.fillRect(QRectF(0, 0, self._width, RULER_PX), QColor(colours.ground))
        painter.setPen(QColor(colours.soft))
        painter.drawLine(QLineF(0, RULER_PX - 0.5, self._width, RULER_PX - 0.5))
        plain, strong = font(12), font(12, 700)
        for tick in ticks:
            x = self._axis.x_of(tick.seconds)
            painter.setPen(QColor(colours.rule if not tick.words else colours.soft))
            painter.drawLine(QLineF(x, RULER_PX - (6 if tick.words else 3), x, RULER_PX))
            if tick.words:
                painter.setFont(strong if tick.is_strong else plain)
                painter.setPen(QColor(colours.ink if tick.is_strong else colours.soft))
                painter.drawText(QRectF(x + 3, 0, 140, RULER_PX - 4), Qt.AlignmentFlag.AlignVCenter, tick.words)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        for seconds, colour in ((pointers.cursor_s, colours.fix), (pointers.playing_s, colours.ask)):
            if seconds is not None:
                x, tip = self._axis.x_of(seconds), float(RULER_PX)
                painter.setBrush(QColor(colour))
                painter.drawPolygon(QPolygonF([QPointF(x - 5, tip - 8), QPointF(x + 5, tip - 8), QPointF(x, tip)]))

    def draw_flags(self, flags: Sequence[float]) -> None:
        """The moments that the client's notes speak of, on the ruler and as a stroke through all lanes."""
        painter, colour = self._painter, QColor(self._colours.note)
        for seconds in flags:
            if not self._axis.shows(seconds):
                continue
            x = math.floor(self._axis.x_of(seconds))
            painter.fillRect(x, 2, 1, self._height - 2, _between(colour, QColor(self._colours.ground)))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            painter.drawPolygon(QPolygonF([QPointF(x, 2), QPointF(x + 9, 5.5), QPointF(x, 9)]))

    def draw_pointers(self, pointers: Pointers) -> None:
        """The common start and end through all lanes, the cursor and what plays."""
        colours, painter, axis = self._colours, self._painter, self._axis
        painter.setPen(QPen(QColor(colours.ink), 1.5))
        for seconds in (0.0, pointers.common_s):
            if seconds is not None and axis.shows(seconds):
                x = min(max(axis.x_of(seconds), 0.75), self._width - 0.75)
                painter.drawLine(QLineF(x, RULER_PX, x, self._height))
        painter.setPen(QPen(QColor(colours.fix), 1, Qt.PenStyle.DashLine))
        x = axis.x_of(pointers.cursor_s)
        painter.drawLine(QLineF(x, RULER_PX, x, self._height))
        if pointers.playing_s is not None:
            x = round(axis.x_of(pointers.playing_s))
            painter.fillRect(x - 1, RULER_PX, 2, self._height - RULER_PX, QColor(colours.ask))

    def outline_ghost(self, slot: Slot) -> None:
        """Where a moved file was delivered: a dashed frame from its raw start to its raw end."""
        painter = self._painter
        painter.setPen(QPen(QColor(self._colours.fix), 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        left, right = self._axis.x_of(0.0), self._axis.x_of(slot.lane.seconds)
        inset = min(2, slot.height // 4)
        painter.drawRect(QRectF(left, self._y(slot) + inset, right - left, max(1, slot.height - 2 * inset - 1)))

    def outline_unplaced(self, slot: Slot) -> None:
        """A file that could begin anywhere: a dashed frame in the colour of who must say it, and a question mark."""
        painter, colour = self._painter, QColor(self._colours.action(slot.lane.action or Action.NOTE))
        painter.setPen(QPen(colour, 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        left, right = self._axis.x_of(slot.lane.start_s), self._axis.x_of(slot.lane.stop_s)
        inset = min(2, slot.height // 4)
        painter.drawRect(QRectF(left, self._y(slot) + inset, right - left, max(1, slot.height - 2 * inset - 1)))
        if slot.height >= FLAG_FROM_PX and right - left > FLAG_FROM_PX:
            painter.setFont(font(14, 700))
            painter.setPen(colour)
            box = QRectF(left, self._y(slot), right - left - 5, slot.height)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, "?")

    def draw_dots(self, slot: Slot, have: Excerpt | None) -> None:
        """Each sample as a dot, where there is room between them."""
        lane, measures, painter = slot.lane, slot.lane.track.measures, self._painter
        is_roomy = self._axis.px_per_s / lane.rate_hz >= _DOTS_FROM_PX and slot.height >= _DOTS_LANE_PX
        if not is_roomy or measures is None or have is None:
            return
        first, last = self._axis.frames_in_view(lane)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self._colours.ink))
        peak = max(10 ** (measures.sample_peak_dbfs / 20), 1e-3)
        middle, reach = self._y(slot) + slot.height / 2, slot.height / 2
        values = have.samples[first - have.frame : last - have.frame]
        for number, frame in enumerate(values.tolist()):
            x = self._axis.x_of(lane.start_s + (first + number + 0.5) / lane.rate_hz)
            for value in frame:
                painter.drawEllipse(QPointF(x, middle - reach * value / peak), 2.2, 2.2)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, on=False)

    def draw_end(self, slot: Slot, common_s: float | None, *, is_current: bool) -> None:
        """What a file lacks to the common end, or goes past it, drawn to scale, in words where there is room."""
        lane, painter, colours = slot.lane, self._painter, self._colours
        if not lane.end_frames or common_s is None or not lane.track.role.is_assessed or lane.is_unplaced:
            return
        colour = QColor(colours.action(_end_action(lane)))
        end = self._axis.x_of(lane.stop_s)
        left, right = sorted((end, self._axis.x_of(common_s)))
        if right < 0 or left > self._width:
            return
        y = self._y(slot) + slot.height / 2
        tall = max(2.0, slot.height * 0.3)
        painter.setPen(QPen(colour, 1.5))
        painter.drawLine(QLineF(left, y, max(right, left + 1), y))
        painter.drawLine(QLineF(end, y - tall, end, y + tall))
        words = end_words(lane)
        painter.setFont(font(12))
        room = QFontMetricsF(font(12)).horizontalAdvance(words) + 8
        if slot.height >= _WORDS_FROM_PX:
            x = left + 4 if right - left > room else right + 6 if right + room < self._width else left - room
            box = QRectF(x - 2, y - 19, room, 17)
            painter.fillRect(box, QColor(colours.raised if is_current else colours.ground))
            painter.setPen(colour)
            painter.drawText(box.adjusted(2, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, words)

    def draw_marks(self, slot: Slot, times: MarkTimes) -> None:
        """Every mark in sight, one per pixel and kind: a flag where there is room, else a stroke."""
        y, height, lane, axis = self._y(slot), slot.height, slot.lane, self._axis
        each = 9.0 if height >= FLAG_FROM_PX else 2.0
        for action, after_s in times:
            # A file may have a thousand: NumPy finds those in sight.
            x = (after_s + (lane.start_s - axis.start_s)) * axis.px_per_s
            seen = x[(x[:, 1] >= 0) & (x[:, 0] <= self._width + 1)]
            _, first = np.unique(np.round(seen[:, 0] / each), return_index=True)
            colour = QColor(self._colours.action(action))
            tint = QColor(colour)
            tint.setAlpha(50)
            for x1, x2 in seen[seen[:, 1] - seen[:, 0] >= 3].tolist():
                self._painter.fillRect(QRectF(x1, y, x2 - x1, height - 1), tint)
            for x1 in seen[first, 0].tolist():
                self._draw_mark(action, colour, min(max(x1, 0.75), self._width - 0.75), y, height)

    def _draw_mark(self, action: Action, colour: QColor, x: float, y: int, height: int) -> None:
        painter = self._painter
        if height >= FLAG_FROM_PX:
            thin = QColor(colour)
            thin.setAlpha(120)
            painter.setPen(QPen(thin, 1))
            painter.drawLine(QLineF(x, y + 2, x, y + height - 2))
            draw_shape(painter, action, QPointF(min(x + 4, self._width - 5), y + 6), 8, colour)
        else:
            painter.setPen(QPen(colour, 1.5))
            painter.drawLine(QLineF(x, y, x, y + max(2, height - 1)))


def mark_times(lane: Lane) -> MarkTimes:
    """From and to of its marks in seconds after its own start, [shape=(marks, 2)]; the gravest come last, on top."""
    times: defaultdict[Action, list[tuple[float, float]]] = defaultdict(list)
    for mark in lane.marks:
        times[mark.finding.action].append((mark.start_s - lane.start_s, mark.stop_s - lane.start_s))
    return tuple((action, np.array(times[action])) for action in sorted(times, key=lambda a: a.gravity))


def _between(one: QColor, other: QColor) -> QColor:
    return QColor(*((a + b) // 2 for a, b in zip(one.getRgb()[:3], other.getRgb()[:3], strict=True)))  # type: ignore[index]


def _end_action(lane: Lane) -> Action:
    actions = [m.finding.action for m in lane.marks if m.finding.code.startswith("length.")]
    return max(actions, key=lambda a: a.gravity, default=Action.NOTE)
