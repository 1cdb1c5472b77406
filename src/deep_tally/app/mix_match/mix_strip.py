"""Two waveforms above the map: the rough mix, and what no file gives of it."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from deep_tally.app.base.theme import Theme, font
from deep_tally.model.findings import Action
from deep_tally.views.mix_map import MixMap, span_words

_HEIGHT, _LANE = 112, 46
_FLOOR_DB = -60.0


class MixStrip(QWidget):
    """The mix, what remains of it, and the stretches that no file gives.

    Left and Right go through these, a click plays one; Space plays from where it was clicked, and stops.
    """

    span_chosen = Signal(int)
    span_pressed = Signal(int)
    """A stretch was clicked: it is to be heard."""
    play_pressed = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._shown: MixMap | None = None
        self._left, self._width = 250, 400
        self.current: int | None = None
        self.cursor_s = 0.0
        """Where playing begins, on the mix's time axis."""
        self.playing_s: float | None = None
        self.setFixedHeight(_HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The rough mix and what remains of it")
        theme.changed.connect(self.update)

    def show_map(self, shown: MixMap) -> None:
        """Show a match."""
        if self._shown is None or shown.match != self._shown.match:
            self.current, self.cursor_s = None, 0.0
        self._shown = shown
        self.setAccessibleDescription(self.words())
        self.update()

    def place_map(self, left: int, width: int) -> None:
        """The map's column stands from here on, so wide."""
        self._left, self._width = left, width
        self.update()

    def words(self) -> str:
        """What it shows, in words."""
        if self._shown is None:
            return ""
        spans = [span_words(self._shown, n) for n in range(len(self._shown.match.spans))]
        return ". ".join([self._shown.verdict, self._shown.remainder, *spans])

    def _lane(self, number: int) -> QRectF:
        return QRectF(self._left, 8 + number * (_LANE + 6), self._width, _LANE)

    def span_rect(self, number: int) -> QRectF:
        """Where a stretch stands."""
        if self._shown is None:
            return QRectF()
        span, lane = self._shown.match.spans[number], self._lane(1)
        scale = lane.width() / max(1e-9, self._shown.seconds)
        width = max(6.0, (span.stop_s - span.start_s) * scale)
        return QRectF(lane.left() + span.start_s * scale, lane.top(), width, lane.height())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shown, colours = self._shown, self._theme.colours
        if shown is None:
            return
        self._head(painter, 0, "Rough mix", shown.mix.rpartition("/")[2])
        self._head(painter, 1, "Remainder", "what no file gives")
        self._wave(painter, 0, shown.match.mix_levels, QColor(colours.wave))
        self._wave(painter, 1, shown.match.left_levels, QColor(colours.soft))
        for number in range(len(shown.match.spans)):
            box = self.span_rect(number)
            colour = colours.action(Action.ASK)
            fill = QColor(colour)
            fill.setAlpha(60 if number == self.current else 28)
            painter.setBrush(fill)
            painter.setPen(QPen(colour, 2.5 if number == self.current else 1.2))
            painter.drawRoundedRect(box, 3, 3)
        self._line(painter, self.cursor_s, QColor(colours.soft), 1.0)
        if self.playing_s is not None:
            self._line(painter, self.playing_s, QColor(colours.ink), 2.0)
        if self.hasFocus() and self.current is None:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(colours.fix), 1.5))
            painter.drawRect(self._lane(1).adjusted(-3, -3, 3, 3))

    def _head(self, painter: QPainter, number: int, title: str, words: str) -> None:
        lane, colours = self._lane(number), self._theme.colours
        width = self._left - 34
        painter.setPen(QColor(colours.ink))
        painter.setFont(font(14, 600))
        painter.drawText(QRectF(24, lane.top() + 4, width, 20), Qt.AlignmentFlag.AlignVCenter, title)
        painter.setPen(QColor(colours.soft))
        painter.setFont(font(12))
        shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideMiddle, width)
        painter.drawText(QRectF(24, lane.top() + 23, width, 18), Qt.AlignmentFlag.AlignVCenter, shown)

    def _line(self, painter: QPainter, seconds: float, colour: QColor, width: float) -> None:
        """A moment, across both lanes."""
        first, last = self._lane(0), self._lane(1)
        x = first.left() + first.width() * seconds / max(1e-9, self._shown.seconds if self._shown is not None else 1.0)
        if first.left() <= x <= first.right():
            painter.setPen(QPen(colour, width))
            painter.drawLine(QPointF(x, first.top() - 2), QPointF(x, last.bottom() + 2))

    def show_playing(self, seconds: float | None) -> None:
        """Where it plays, on the mix's time axis; None while nothing does."""
        if seconds != self.playing_s:
            self.playing_s = seconds
            self.update()

    def _wave(self, painter: QPainter, number: int, levels: tuple[float, ...], colour: QColor) -> None:
        """Bars about a line: each cell's level, from 60 dB under full scale on."""
        lane = self._lane(number)
        middle, step = lane.center().y(), lane.width() / max(1, len(levels))
        painter.setPen(QPen(QColor(self._theme.colours.rule), 1))
        painter.drawLine(QPointF(lane.left(), middle), QPointF(lane.right(), middle))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        for index, level in enumerate(levels):
            tall = max(0.0, 1 - level / _FLOOR_DB) * lane.height() / 2
            if tall > 0:
                painter.drawRect(
                    QRectF(lane.left() + index * step + 0.5, middle - tall, max(1.0, step - 1.5), 2 * tall)
                )

    def choose(self, number: int | None) -> None:
        """Go to a stretch."""
        self.current = number
        self.update()
        if number is not None and self._shown is not None:
            self.setAccessibleDescription(span_words(self._shown, number))
            self.span_chosen.emit(number)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        spans = self._shown.match.spans if self._shown is not None else ()
        here = [n for n in range(len(spans)) if self.span_rect(n).contains(event.position())]
        self.choose(here[0] if here else None)
        if here:
            self.span_pressed.emit(here[0])
        elif self._shown is not None and self._left <= event.position().x() <= self._left + self._width:
            self.cursor_s = (event.position().x() - self._left) / self._width * self._shown.seconds

    def keyPressEvent(self, event: QKeyEvent) -> None:
        spans = len(self._shown.match.spans) if self._shown is not None else 0
        if event.key() == Qt.Key.Key_Space:
            self.play_pressed.emit()
            return
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()))
        if step is None or not spans:
            super().keyPressEvent(event)
            return
        before = self.current if self.current is not None else (-1 if step > 0 else spans)
        self.choose(min(spans - 1, max(0, before + step)))
