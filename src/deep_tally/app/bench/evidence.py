"""Pictures of evidence beside the waveform: the long-term spectrum with its edge, and which bits ever change."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from deep_tally.app.base.theme import Theme, font
from deep_tally.model.delivery import Track
from deep_tally.model.measures import Measures, SpectralEdge, Spectrum
from deep_tally.reply.numbers import count, decibels, kilohertz
from deep_tally.views.viewport import nice_step

_LEFT, _TOP, _RIGHT, _BOTTOM = 52, 12, 12, 24
_LOWEST_DB, _DB_STEP = -140.0, 20
_LABEL_PX = 80
_KEY_STEP_HZ = 100.0
_EDGE_LABEL_LEFT_FROM = 0.8  # of the width: beyond it the label has no room on the right
_BOX_MOST, _BOX_GAP = 30.0, 3.0
_SIDES = ("left", "right")
_DB_PER_BIT = 6.0206


class Evidence(QWidget):
    """A picture of one file; `show_track` chooses the file."""

    def __init__(self, theme: Theme, name: str) -> None:
        super().__init__()
        self._theme = theme
        self._track: Track | None = None
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 110)
        theme.changed.connect(self.update)

    def show_track(self, track: Track | None) -> None:
        """Show a file, or nothing."""
        self._track = track
        self.setAccessibleDescription(self.words())
        self.update()

    @property
    def _measures(self) -> Measures | None:
        return self._track.measures if self._track is not None else None

    def words(self) -> str:
        """What the picture says, in words."""
        raise NotImplementedError

    def _begin(self) -> QPainter:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self._theme.colours.raised))
        return painter

    def _say(self, painter: QPainter, words: str) -> None:
        painter.setFont(font(13))
        painter.setPen(QColor(self._theme.colours.soft))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, words)

    def _note(self, painter: QPainter, x: float, y: float, words: str, *, to_left: bool) -> None:
        painter.setFont(font(12))
        width = QFontMetricsF(font(12)).horizontalAdvance(words) + 8
        box = QRectF(x - width if to_left else x, y, width, 18)
        painter.fillRect(box, QColor(self._theme.colours.raised))
        painter.setPen(QColor(self._theme.colours.ink))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


class SpectrumView(Evidence):
    """The long-term spectrum. The pointer, or Left and Right, read it off."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "Long-term spectrum")
        self._read_hz: float | None = None
        self.setMouseTracking(True)

    @property
    def _spectrum(self) -> Spectrum | None:
        return self._measures.spectrum if self._measures is not None else None

    def words(self) -> str:
        spectrum = self._spectrum
        if spectrum is None:
            return "This file is too short or too quiet for a spectrum."
        if spectrum.edge is None:
            return "The spectrum of the loudest moments has no sharp edge."
        if spectrum.edge.kind == "mirrored":
            return f"Above {kilohertz(spectrum.edge.edge_hz)} the spectrum mirrors what lies below it."
        at, fall = f"{spectrum.edge.edge_hz / 1000:.1f} kHz", decibels(spectrum.edge.drop_db)
        return f"Nothing above {at}: the spectrum drops by {fall} there."

    def readout(self) -> str:
        """Frequency and level at the place that is read off; empty when none is."""
        spectrum = self._spectrum
        if spectrum is None or self._read_hz is None:
            return ""
        at = min(len(spectrum.levels_db) - 1, round(self._read_hz / spectrum.bin_hz))
        return f"{self._read_hz / 1000:.2f} kHz, {decibels(float(spectrum.levels_db[at]), 'dB')}"

    def read_at(self, hz: float | None) -> None:
        """Read off at a frequency; None ends that."""
        spectrum = self._spectrum
        if hz is not None and spectrum is not None:
            hz = min(max(hz, 0.0), spectrum.bin_hz * (len(spectrum.levels_db) - 1))
        self._read_hz = hz
        self.setAccessibleDescription(f"{self.words()} {self.readout()}".strip())
        self.update()

    def plot(self) -> QRectF:
        return QRectF(_LEFT, _TOP, max(1, self.width() - _LEFT - _RIGHT), max(1, self.height() - _TOP - _BOTTOM))

    def _half_rate(self) -> float:
        spectrum = self._spectrum
        return spectrum.bin_hz * (len(spectrum.levels_db) - 1) if spectrum is not None else 1.0

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        plot = self.plot()
        self.read_at((event.position().x() - plot.left()) / plot.width() * self._half_rate())

    def leaveEvent(self, event: object) -> None:
        self.read_at(None)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() not in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            super().keyPressEvent(event)
            return
        spectrum = self._spectrum
        edge = spectrum.edge.edge_hz if spectrum is not None and spectrum.edge is not None else self._half_rate() / 2
        step = _KEY_STEP_HZ if event.key() == Qt.Key.Key_Right else -_KEY_STEP_HZ
        self.read_at(edge if self._read_hz is None else self._read_hz + step)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = self._begin()
        spectrum = self._spectrum
        if spectrum is None:
            self._say(painter, self.words())
            return
        colours, plot, half = self._theme.colours, self.plot(), self._half_rate()
        levels = spectrum.levels_db.astype(np.float64)
        top_db = min(0.0, math.ceil((levels.max() + 5) / 10) * 10)

        def y_of(db: float) -> float:
            return plot.top() + (top_db - max(db, _LOWEST_DB)) / (top_db - _LOWEST_DB) * plot.height()

        painter.setFont(font(11))
        for db in range(int(top_db // _DB_STEP * _DB_STEP), int(_LOWEST_DB), -_DB_STEP):
            painter.setPen(QColor(colours.rule))
            painter.drawLine(QLineF(plot.left(), y_of(db), plot.right(), y_of(db)))
            if y_of(db) > plot.top() + 8 or db == top_db:
                painter.setPen(QColor(colours.soft))
                box = QRectF(0, y_of(db) - 8, _LEFT - 6, 16)
                painter.drawText(
                    box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, decibels(db, digits=0)
                )
        step = nice_step(_LABEL_PX / plot.width() * half)
        for number in range(math.floor(half / step) + 1):
            x = plot.left() + number * step / half * plot.width()
            painter.setPen(QColor(colours.rule))
            painter.drawLine(QLineF(x, plot.top(), x, plot.bottom() + 4))
            painter.setPen(QColor(colours.soft))
            text = kilohertz(number * step) if number else "0"
            painter.drawText(QRectF(x + 4, plot.bottom() + 4, _LABEL_PX, 16), Qt.AlignmentFlag.AlignLeft, text)
        columns = min(len(levels), max(2, round(plot.width())))
        at = np.arange(columns) * len(levels) // columns
        highest = np.maximum.reduceat(levels, at)
        across = plot.left() + np.arange(columns) / columns * plot.width()
        line = [QPointF(a, y_of(b)) for a, b in zip(across.tolist(), highest.tolist(), strict=True)]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shade = QColor(colours.wave)
        shade.setAlpha(50)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(shade)
        painter.drawPolygon(
            QPolygonF([QPointF(plot.left(), plot.bottom()), *line, QPointF(plot.right(), plot.bottom())])
        )
        painter.setPen(QPen(QColor(colours.wave), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(line))
        if spectrum.edge is not None:
            self._draw_edge(painter, plot, spectrum.edge)
        if self._read_hz is not None:
            self._draw_readout(painter, plot, self._read_hz / half)
        elif spectrum.edge is None:
            self._note(painter, plot.right(), plot.top() + 4, "no sharp edge", to_left=True)

    def _draw_edge(self, painter: QPainter, plot: QRectF, edge: SpectralEdge) -> None:
        colours, share = self._theme.colours, edge.edge_hz / self._half_rate()
        x = plot.left() + share * plot.width()
        empty = QColor(colours.ask)
        empty.setAlpha(26)
        painter.fillRect(QRectF(x, plot.top(), plot.right() - x, plot.height()), empty)
        painter.setPen(QPen(QColor(colours.ask), 1.5))
        painter.drawLine(QLineF(x, plot.top(), x, plot.bottom()))
        says = "mirrored above" if edge.kind == "mirrored" else "ends at"
        words = f"{says} {edge.edge_hz / 1000:.1f} kHz"
        to_left = share > _EDGE_LABEL_LEFT_FROM
        self._note(painter, x - 6 if to_left else x + 6, plot.top() + 4, words, to_left=to_left)

    def _draw_readout(self, painter: QPainter, plot: QRectF, share: float) -> None:
        x = plot.left() + share * plot.width()
        painter.setPen(QPen(QColor(self._theme.colours.ink), 1))
        painter.drawLine(QLineF(x, plot.top(), x, plot.bottom()))
        to_left = share > 0.5
        self._note(painter, x - 6 if to_left else x + 6, plot.top() + 26, self.readout(), to_left=to_left)


class BitsView(Evidence):
    """A box for every bit of each channel: solid where the bit ever changes, empty where it never does."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "Bits in use")

    def _rows(self) -> list[tuple[str, list[bool]]]:
        """For each channel its label, and whether each bit is ever set, the greatest first."""
        track, measures = self._track, self._measures
        if track is None or track.format is None or measures is None or track.format.bits is None:
            return []
        if track.format.sample_format == "float":
            used = measures.bits_in_use or 0
            return [("values", [bit < used for bit in range(track.format.bits)])]
        bits = track.format.bits
        names = _SIDES if len(measures.bits_set) == len(_SIDES) else [str(n + 1) for n in range(len(measures.bits_set))]
        names = [""] if len(measures.bits_set) == 1 else names
        return [
            (name, [bool(mask >> (31 - bit) & 1) for bit in range(bits)])
            for name, mask in zip(names, measures.bits_set, strict=True)
        ]

    def words(self) -> str:
        track, measures = self._track, self._measures
        if track is None or track.format is None or measures is None:
            return "Not measured yet."
        if measures.bits_in_use is None or track.format.bits is None:
            return "A lossy format has no bits of its own."
        if not measures.bits_in_use:
            return "All samples are zero: no bit ever changes."
        kind = "float " if track.format.sample_format == "float" else ""
        text = f"{measures.bits_in_use} of {count(track.format.bits, f'{kind}bit')} ever change."
        if kind and measures.bits_in_use < track.format.bits:
            text = f"Every value of this float file fits {measures.bits_in_use} bits."
        if measures.value_grid is not None and measures.value_grid.bits < measures.bits_in_use:
            grid = measures.value_grid
            text += (
                f" Yet its values keep a distance of {grid.step * 2**23:.1f} steps of 24 bits:"
                f" {grid.bits} bits, given a gain of {decibels(grid.gain_db)}."
            )
        unused = math.floor(-measures.sample_peak_dbfs / _DB_PER_BIT)
        if not kind and unused > 0:
            peak = decibels(measures.sample_peak_dbfs, "dBFS")
            first = "first bit only carries" if unused == 1 else f"first {unused} bits only carry"
            text += f" The {first} the sign: it peaks at {peak}."
        return text

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = self._begin()
        rows = self._rows()
        measures = self._measures
        if not rows or measures is None:
            self._say(painter, self.words())
            return
        colours = self._theme.colours
        painter.setFont(font(12))
        label = max(QFontMetricsF(font(12)).horizontalAdvance(name) for name, _ in rows)
        left = 16 + (label + 10 if label else 0)
        bits = len(rows[0][1])
        text_height = 44.0
        box = min(_BOX_MOST, (self.width() - left - 16) / bits - _BOX_GAP)
        tall = min(_BOX_MOST, (self.height() - text_height - 30) / len(rows) - 6)
        sign_only = (
            math.floor(-measures.sample_peak_dbfs / _DB_PER_BIT) if math.isfinite(measures.sample_peak_dbfs) else 0
        )
        y = 24.0
        for name, used in rows:
            painter.setPen(QColor(colours.soft))
            painter.drawText(QRectF(12, y, label + 4, tall), Qt.AlignmentFlag.AlignVCenter, name)
            for bit, is_used in enumerate(used):
                area = QRectF(left + bit * (box + _BOX_GAP), y, box, tall)
                painter.setPen(QPen(QColor(colours.wave if is_used else colours.rule), 1))
                fill = QColor(colours.wave)
                fill.setAlpha(70 if bit < sign_only else 255)
                painter.setBrush(fill if is_used else Qt.BrushStyle.NoBrush)
                painter.drawRect(area)
            y += tall + 6
        painter.setPen(QColor(colours.soft))
        painter.setFont(font(11))
        for bit in [0, *range(7, bits, 8)]:
            area = QRectF(left + bit * (box + _BOX_GAP) - 12, 4, box + 24, 16)
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, str(bit + 1))
        painter.setFont(font(13))
        painter.setPen(QColor(colours.ink))
        area = QRectF(16, y + 4, self.width() - 32, max(20.0, self.height() - y - 8))
        painter.drawText(area, Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap, self.words())
        painter.setFont(font(12))
        painter.setPen(QColor(colours.soft))
        legend = "solid: the bit changes   pale: it only carries the sign   empty: it never changes"
        area = QRectF(16, self.height() - 24.0, self.width() - 32, 20)
        if area.top() > y + 44:
            painter.drawText(area, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, legend)
