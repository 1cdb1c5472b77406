"""How often each sample value occurs."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)

from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.bench.picture import Picture, dbfs
from deep_tally.model.delivery import Track
from deep_tally.model.findings import Action
from deep_tally.model.pictures import ValueCounts
from deep_tally.reply.numbers import count, decibels, signed

_LEFT, _TOP, _BOTTOM, _RIGHT = 58, 14, 24, 14


class HistogramView(Picture):
    """How often each value occurs: clipping piles up at the ends, unused bits leave a comb in the middle."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "Histogram of sample values", "histogram")
        self._counts: ValueCounts | None = None

    def show_track(self, track: Track | None) -> None:
        if track is None or self._track is None or track.path != self._track.path:
            self._counts = None
        super().show_track(track)

    @property
    def is_complete(self) -> bool:
        return self._counts is not None

    def _arguments(self) -> tuple[object, ...]:
        return ()

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

    def plot(self) -> QRectF:
        return QRectF(_LEFT, _TOP, max(1, self.width() - _LEFT - 220), max(1, self.height() - _TOP - _BOTTOM))

    def _inset(self) -> QRectF:
        return QRectF(self.width() - 190, _TOP + 18, 176, max(20, self.height() - _TOP - _BOTTOM - 40))

    def readout(self) -> str:
        counts, plot = self._counts, self.plot()
        if counts is None or self._at is None or not plot.contains(self._at):
            return ""
        share = (self._at.x() - plot.left()) / plot.width()
        number = min(len(counts.bins) - 1, int(share * len(counts.bins)))
        value = ((number + 0.5) / len(counts.bins) * 2 - 1) * counts.reach
        part = counts.bins[number] / max(1, counts.samples) * 100
        return f"{dbfs(value)}: {count(int(counts.bins[number]), 'sample')} ({part:.2g} %)"

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = self._begin()
        counts = self._counts
        if counts is None:
            self._say(painter, self._missing_words())
            return
        colours, plot = self._theme.colours, self.plot()
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
        if finding is None or self._track is None:
            return
        level_dbfs = finding.number_of(self._track.path, "dbfs")
        colour = self._theme.colours.action(finding.action)
        painter.setPen(QPen(colour, 1.5, Qt.PenStyle.DashLine))
        for sign in (-1, 1):
            value = sign * 10 ** (level_dbfs / 20)
            x = plot.left() + (value / counts.reach + 1) / 2 * plot.width()
            painter.drawLine(QLineF(x, plot.top(), x, plot.bottom()))
        words = f"flat tops at {decibels(level_dbfs, 'dBFS')}"
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


def _many(power: int) -> str:
    """ "1", "1k", "10M": powers of ten."""
    unit = ("", "k", "M", "G")[power // 3]
    return f"{10 ** (power % 3)}{unit}"
