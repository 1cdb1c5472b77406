"""One lane of a waveform: level lines, and the sound from its overview or sample by sample."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from deep_tally.app.base.raster import draw_strokes
from deep_tally.app.base.theme import Colours, font
from deep_tally.model.delivery import Track
from deep_tally.model.measures import Excerpt, OverviewLevel
from deep_tally.reply.numbers import MINUS
from deep_tally.views.viewport import Viewport

_DOTS_FROM_PX = 6.0
_SHOWN_DB = (0, -6, -12, -18, -24, -30, -36, -42, -48, -54, -60, -66, -72)
_FULL_HEIGHT_FROM_DB = -18.0
_OVER_TOP_DB = 0.6  # room at a lane's edges, so that what is flat at full scale can be seen
_LABEL_PX = 13


@dataclass(frozen=True, slots=True)
class WaveLane:
    """A lane and what it shows.

    Attributes
    ----------
    box : QRectF
        Where it is; level labels go to the left of it.
    channels : tuple of int
        Drawn over each other: the first filled, others as a line.
    samples : Excerpt, optional
        The samples in view, where it is finer than the overview.
    gain_db : float
        Shown at this gain.
    later : int
        What is drawn comes so many frames later in the file than in the view.
    """

    box: QRectF
    track: Track
    channels: tuple[int, ...]
    samples: Excerpt | None
    gain_db: float = 0.0
    later: int = 0


class LanePainter:
    """Draws lanes of one view."""

    def __init__(self, painter: QPainter, colours: Colours, view: Viewport) -> None:
        self._painter, self._colours, self._view = painter, colours, view

    def draw(self, lane: WaveLane) -> None:
        """Draw a lane; a file without measures stays empty."""
        measures = lane.track.measures
        if measures is None:
            return
        top_db = _top_level(measures.sample_peak_dbfs + lane.gain_db)
        unit = lane.box.height() / 2 / 10 ** (top_db / 20)
        self._draw_levels(lane.box, top_db, unit)
        painter = self._painter
        painter.save()
        painter.setClipRect(lane.box)
        unit *= 10 ** (lane.gain_db / 20)
        if lane.gain_db:
            # Where full scale was: what was cut off there stays flat there.
            painter.setPen(QPen(QColor(self._colours.ask), 1, Qt.PenStyle.DashLine))
            self._draw_pair(lane.box, unit)
        for number, channel in enumerate(lane.channels):
            as_line = number > 0
            if lane.samples is not None:
                self._draw_samples(lane, lane.samples, channel, unit, as_line=as_line)
            elif measures.overview:
                self._draw_bins(lane, measures.overview, channel, unit, as_line=as_line)
        painter.restore()

    def _draw_pair(self, box: QRectF, away: float) -> None:
        """A line as far above the middle as below it."""
        for y in (box.center().y() - away, box.center().y() + away):
            self._painter.drawLine(QLineF(box.left(), y, box.right(), y))

    def _draw_levels(self, box: QRectF, top_db: float, unit: float) -> None:
        painter, colours, middle = self._painter, self._colours, box.center().y()
        painter.setFont(font(11))
        last_y = -math.inf
        for level in [db for db in _SHOWN_DB if db <= top_db][:3]:
            away = unit * 10 ** (level / 20)
            painter.setPen(QColor(colours.soft if level == 0 else colours.rule))
            self._draw_pair(box, away)
            y = middle - away
            if y - last_y >= _LABEL_PX and y < middle - 6:
                last_y = y
                painter.setPen(QColor(colours.soft))
                label = QRectF(0, y - 8, box.left() - 6, 16)
                painter.drawText(label, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, _level(level))
        painter.setPen(QColor(colours.rule))
        self._draw_pair(box, 0.0)

    def _draw_bins(
        self, lane: WaveLane, overview: tuple[OverviewLevel, ...], channel: int, unit: float, *, as_line: bool
    ) -> None:
        view, box, painter = self._view, lane.box, self._painter
        level = next((lv for lv in reversed(overview) if lv.bin_frames <= view.scale), overview[0])
        edges = view.start + lane.later + np.arange(view.pixels + 1, dtype=np.float64) * view.scale
        low, high, rms = _per_pixel(level, channel, edges)
        colour = QColor(self._colours.wave)
        middle = box.center().y() - box.top()
        if as_line:
            colour = QColor(self._colours.ink)
            for edge in (high, low):
                y = middle - unit * edge
                # A column reaches to its neighbour, so that the outline stays one line.
                before = np.concatenate([y[:1], y[:-1]])
                top, bottom = np.minimum(y, before) - 0.6, np.maximum(y, before) + 0.6
                draw_strokes(painter, box, top, bottom, colour)
            return
        colour.setAlpha(150)
        draw_strokes(painter, box, middle - unit * high, middle - unit * low, colour)
        colour.setAlpha(255)
        # Never quite nothing: a silent stretch is a thin line.
        draw_strokes(painter, box, middle - unit * rms, np.maximum(middle + unit * rms, middle + 0.6), colour)

    def _draw_samples(self, lane: WaveLane, excerpt: Excerpt, channel: int, unit: float, *, as_line: bool) -> None:
        view, box, painter = self._view, lane.box, self._painter
        colour = QColor(self._colours.ink if as_line else self._colours.wave)
        begin = view.start + lane.later
        first = max(excerpt.frame, int(begin) - 1)
        stop = max(0, math.ceil(view.stop) + 2 + lane.later - excerpt.frame)
        values = excerpt.samples[first - excerpt.frame : stop, channel]
        if not len(values):
            return
        middle = box.center().y()
        if view.scale > 1.5:
            starts = np.clip((begin + np.arange(view.pixels) * view.scale - first).astype(int), 0, len(values) - 1)
            low, high = np.minimum.reduceat(values, starts), np.maximum.reduceat(values, starts)
            # A column reaches to its neighbour, so that a steep wave stays one line.
            low[1:], high[1:] = np.minimum(low[1:], high[:-1]), np.maximum(high[1:], low[:-1])
            top = middle - box.top() - unit * high
            draw_strokes(painter, box, top, np.maximum(middle - box.top() - unit * low, top + 0.6), colour)
            return
        x = box.left() + (first + np.arange(len(values)) + 0.5 - begin) / view.scale
        points = [QPointF(a, middle - unit * b) for a, b in zip(x.tolist(), values.tolist(), strict=True)]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        style = Qt.PenStyle.DashLine if as_line else Qt.PenStyle.SolidLine
        painter.setPen(QPen(colour, 1.5, style))
        painter.drawPolyline(QPolygonF(points))
        if 1 / view.scale >= _DOTS_FROM_PX:
            painter.setBrush(colour)
            for point in points:
                painter.drawEllipse(point, 2.4, 2.4)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, on=False)


def _top_level(peak_dbfs: float) -> float:
    """The level at a lane's edge: full scale, less for a quiet file, more for one that goes over."""
    if peak_dbfs > 0:
        return peak_dbfs + _OVER_TOP_DB
    if peak_dbfs >= _FULL_HEIGHT_FROM_DB or math.isinf(peak_dbfs):
        return _OVER_TOP_DB
    return min(0.0, math.ceil(peak_dbfs / 6) * 6.0) + _OVER_TOP_DB


def _level(level: float) -> str:
    return f"{MINUS}{abs(level):.0f}" if level else "0 dB"


def _per_pixel(
    level: OverviewLevel, channel: int, edges: NDArray[np.float64]
) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
    """Low, high and RMS of each pixel; `edges` are the frames at the pixels' borders, [shape=(pixels + 1,)]."""
    bins = len(level.low)
    starts = np.clip((edges[:-1] / level.bin_frames).astype(int), 0, bins - 1)
    # As float32: what is worked out from them are places on the screen.
    low = np.minimum.reduceat(level.low[:, channel], starts).astype(np.float32)
    high = np.maximum.reduceat(level.high[:, channel], starts).astype(np.float32)
    rms = level.rms[starts, channel].astype(np.float32)
    past = edges[:-1] >= bins * level.bin_frames
    low[past] = high[past] = rms[past] = 0
    return low, high, rms
