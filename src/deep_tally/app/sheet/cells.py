"""The drawings in the sheet's cells. A fine cell is quiet; a finding has its colour, its shape and a word."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.name_style import draw_name
from deep_tally.app.base.raster import draw_strokes
from deep_tally.app.base.theme import Colours, font
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import OverviewLevel
from deep_tally.reply.numbers import signed
from deep_tally.reply.role_texts import role_mark
from deep_tally.views.cell_texts import companion_text, used_bits
from deep_tally.views.columns import Column, short_word
from deep_tally.views.rows import Row, Sheet

PAD = 8.0
NAME_FLAG_X, NAME_NUMBER_X, NAME_TITLE_X = 14.0, 24.0, 52.0
HEADROOM_LOWEST_DB, HEADROOM_HIGHEST_DB = -60.0, 6.0
HEADROOM_NUMBER_WIDTH = 52.0
CLIP_LINE_WIDTH = 64.0
DEPTH_TICKS_WIDTH = 71.0
_TEXT, _SMALL = 13, 11
NOT_CHECKED = "could not be checked here"
_SONG_LEAST = 60
_SHAPE = 9.0
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class CellPainter:
    """Draws one cell into a rectangle that starts at (0, 0)."""

    def __init__(self, painter: QPainter, width: float, height: float, sheet: Sheet, colours: Colours) -> None:
        self.painter = painter
        self.width = width
        self.height = height
        self.sheet = sheet
        self.colours = colours

    def draw(self, row: Row, column: Column) -> None:
        """Draw what `column` shows of `row`."""
        if column is Column.NAME:
            self._name(row)
        elif row.companion is not None:
            if column is Column.START_LENGTH:
                self._text(PAD, companion_text(row.companion, row.plays), self.colours.soft, pixels=_SMALL)
        elif column is Column.START_LENGTH:
            self._start_length(row)
        elif column is Column.HEADROOM:
            self._headroom(row)
        elif row.track.format is None:
            if column is Column.CONTENT and row.is_measured:
                self._word(row.of(column), 0.0)
        elif column is Column.RATE:
            self._rate(row)
        elif column is Column.DEPTH:
            self._depth(row)
        elif column is Column.CLIPPING:
            self._clipping(row)
        elif column is Column.CHANNELS:
            self._sides(row)
        else:
            self._word(row.of(column), 0.0)

    # -- pieces -------------------------------------------------------------------------------

    def _text(
        self,
        x: float,
        text: str,
        colour: str | QColor,
        *,
        pixels: int = _TEXT,
        weight: int = 400,
        elide: Qt.TextElideMode = Qt.TextElideMode.ElideRight,
    ) -> float:
        """Write at x, cut with an ellipsis at the cell's edge; returns where the text ends."""
        used = font(pixels, weight)
        self.painter.setFont(used)
        self.painter.setPen(QColor(colour))
        metrics = QFontMetricsF(used)
        shown = metrics.elidedText(text, elide, max(0.0, self.width - x - 2))
        self.painter.drawText(QRectF(x, 0, self.width - x, self.height), _LEFT, shown)
        return x + metrics.horizontalAdvance(shown)

    def _shape(self, action: Action, x: float) -> None:
        draw_shape(self.painter, action, QPointF(x, self.height / 2), _SHAPE, self.colours.action(action))

    def _word(self, findings: tuple[Finding, ...], x: float) -> None:
        """The gravest finding's shape and word."""
        for finding in findings[:1]:
            self._shape(finding.action, x + _SHAPE / 2)
            colour = self.colours.action(finding.action)
            self._text(x + _SHAPE + 4, short_word(finding), colour, pixels=_SMALL, weight=600)

    def _line(self, colour: str | QColor, x1: float, y1: float, x2: float, y2: float, width: float = 1.0) -> None:
        pen = QPen(QColor(colour), width)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        self.painter.setPen(pen)
        self.painter.drawLine(QLineF(x1, y1, x2, y2))

    # -- columns ------------------------------------------------------------------------------

    def _name(self, row: Row) -> None:
        c = self.colours
        if row.gravest is not None:
            self._shape(row.gravest, NAME_FLAG_X)
        self._text(NAME_NUMBER_X, row.number, c.soft)
        own = row.of(Column.NAME)
        quiet = not row.track.role.is_assessed
        colour = c.action(own[0].action) if own else QColor(c.soft if quiet else c.ink)
        # A path is cut in its middle: what tells files apart stands at its end.
        elide = Qt.TextElideMode.ElideRight if row.is_alone else Qt.TextElideMode.ElideMiddle
        if row.name is not None and row.is_alone and not own and not quiet:
            area = QRectF(NAME_TITLE_X, 0, self.width - NAME_TITLE_X - 2, self.height)
            end = draw_name(self.painter, area, row.name, c)
        else:
            end = self._text(NAME_TITLE_X, row.title, colour, weight=400 if quiet else 600, elide=elide)
        if own:
            self._shape(own[0].action, end + 10)
            end += 18
        if (mark := role_mark(row.track)) and self.width - end > _SONG_LEAST:
            end = self._text(end + 10, mark, c.ink if row.track.basis.is_likely else c.soft, pixels=_SMALL)
        if row.song and self.width - end > _SONG_LEAST:
            self._text(end + 10, row.song, c.soft, pixels=_SMALL)

    def _start_length(self, row: Row) -> None:
        c, sheet = self.colours, self.sheet
        left, width = PAD, self.width - 2 * PAD
        axis = sheet.axis_s or 1.0
        middle = self.height / 2
        common = row.common.seconds
        if common is not None and row.track.role.is_assessed:
            for x in (left, left + common / axis * width):
                self._line(c.soft, round(x) + 0.5, 0, round(x) + 0.5, self.height)
        sound, m = row.track.format, row.track.measures
        if sound is None or m is None:
            if row.track.unchecked is not None:
                self._text(left + 8, NOT_CHECKED, c.ink, pixels=_SMALL, weight=600)
            elif not row.is_measured:
                self._text(
                    left + 8, "not measured yet" if not sheet.is_whole else "not measured", c.soft, pixels=_SMALL
                )
            return
        end = left + sound.seconds / axis * width
        found = row.of(Column.START_LENGTH)
        starts = [f for f in found if f.question == "start"]
        ends = [f for f in found if f.question == "length"]
        self._line(c.soft, left, middle, end, middle)
        if m.overview:
            draw_extent(self.painter, m.overview, QRectF(left, 3, end - left, self.height - 6), QColor(c.wave))
        for finding, x in [(f, left) for f in starts[:1]] + [(f, end) for f in ends[:1]]:
            self._line(c.action(finding.action), x, 2, x, self.height - 2, 3)
        for finding in (*starts[:1], *ends[:1])[:1]:
            self._beside(finding, end)

    def _beside(self, finding: Finding, x: float) -> None:
        """Shape and word right of x where there is room, else on a patch before it."""
        word = short_word(finding)
        needed = QFontMetricsF(font(_SMALL, 600)).horizontalAdvance(word) + _SHAPE + 8
        start = x + 6
        if start + needed > self.width:
            start = min(x, self.width - PAD) - needed - 4
            self.painter.fillRect(QRectF(start - 3, 5, needed + 4, self.height - 10), QColor(self.colours.raised))
        self._word((finding,), start)

    def _rate(self, row: Row) -> None:
        if row.track.format is None:
            return
        text = f"{row.track.format.rate_hz / 1000:.4g}"
        action = row.action(Column.RATE)
        if action is None:
            self._text(0, text, self.colours.soft)
            return
        end = self._text(0, text, self.colours.action(action), weight=700)
        self._shape(action, end + 9)

    def _depth(self, row: Row) -> None:
        sound, m, c = row.track.format, row.track.measures, self.colours
        if sound is None or m is None:
            return
        action = row.action(Column.DEPTH)
        if sound.bits is None:
            self._text(DEPTH_TICKS_WIDTH, "lossy", c.soft)
            return
        # A stroke for every two bits (four in a file of 64): crisp at any scale.
        bits = used_bits(m)
        used = bits if bits is not None else sound.bits
        per_stroke = 2 if sound.bits <= 32 else 4
        for stroke in range(sound.bits // per_stroke):
            x = stroke * 4 + 1
            colour = c.wave if stroke < -(-used // per_stroke) else c.rule
            self.painter.fillRect(QRectF(x, self.height / 2 - 5, 2, 10), QColor(colour))
        words = str(used if action is not None and 0 < used < sound.bits else sound.bits)
        text = f"{words} f" if sound.sample_format == "float" else words
        if action is None:
            self._text(DEPTH_TICKS_WIDTH, text, c.soft)
            return
        end = self._text(DEPTH_TICKS_WIDTH, text, c.action(action), weight=700)
        self._shape(action, end + 9)

    def _clipping(self, row: Row) -> None:
        sound, m, c = row.track.format, row.track.measures, self.colours
        if sound is None or m is None:
            return
        middle = self.height / 2
        self._line(c.rule, 0, middle, CLIP_LINE_WIDTH, middle)
        found = row.of(Column.CLIPPING)
        if not found:
            return
        finding = found[0]
        colour = c.action(finding.action)
        places = [p.frame for p in finding.places if p.path == row.track.path]
        for x in {round(f / max(1, sound.frames) * CLIP_LINE_WIDTH) for f in places}:
            self._line(colour, x + 0.5, middle - 7, x + 0.5, middle + 7)
        self._shape(finding.action, CLIP_LINE_WIDTH + 12)
        if finding.code in ("clipping.baked", "clipping.earlier"):
            text = f"{finding.number_of(row.track.path, 'runs'):.0f}"
        elif finding.code == "clipping.over":
            text = f"+{signed(m.sample_peak_dbfs)}"
        else:
            text = f"+{signed(m.true_peak_dbtp, digits=2)}"
        self._text(CLIP_LINE_WIDTH + 21, text, colour, weight=700)

    def _headroom(self, row: Row) -> None:
        c, m = self.colours, row.track.measures
        span = self.width - HEADROOM_NUMBER_WIDTH - 2 * PAD

        def x_of(level: float) -> float:
            inside = min(max(level, HEADROOM_LOWEST_DB), HEADROOM_HIGHEST_DB)
            return PAD + (inside - HEADROOM_LOWEST_DB) / (HEADROOM_HIGHEST_DB - HEADROOM_LOWEST_DB) * span

        if row.track.role.is_assessed:
            low, high = self.sheet.brief.peak_window_dbfs
            self.painter.fillRect(QRectF(x_of(low), 0, x_of(high) - x_of(low), self.height), QColor(c.window))
        x = round(x_of(0.0)) + 0.5
        self._line(c.soft, x, 0, x, self.height)
        if m is None or math.isinf(m.sample_peak_dbfs):
            return
        peak = m.sample_peak_dbfs
        found = row.of(Column.HEADROOM)
        colour = c.action(found[0].action) if found else QColor(c.ink)
        middle = self.height / 2
        self._line(c.ink, x_of(m.rms_dbfs), middle, x_of(peak), middle, 4)
        self._line(colour, x_of(peak), middle - 7, x_of(peak), middle + 7, 3)
        self.painter.setFont(font(_TEXT, 700 if found else 400))
        self.painter.setPen(colour if found else QColor(c.soft))
        text = f"+{signed(peak)}" if round(peak, 1) > 0 else signed(peak)
        number_right = self.width - PAD - 6
        self.painter.drawText(QRectF(0, 0, number_right, self.height), _RIGHT, text)
        for finding in found[:1]:
            self._shape(finding.action, number_right + 9)

    def _sides(self, row: Row) -> None:
        c, m = self.colours, row.track.measures
        if m is None or row.track.format is None:
            return
        found = row.of(Column.CHANNELS)
        colour = c.action(found[0].action) if found else QColor(c.soft)
        code = found[0].code if found else ""
        x, middle, half = 12.0, self.height / 2, 8.0
        if row.track.format.channels == 1:
            self._line(colour, x, middle - half, x, middle + half, 2)
        elif code == "channels.same":
            for side in (-3, 3):
                self._line(colour, x + side, middle - half, x + side, middle + half, 2)
        elif code == "channels.one-side":
            left = found[0].evidence_of(row.track.path).get("side") == "left"
            self._line(colour if left else c.rule, x - 3, middle - half, x - 3, middle + half, 2)
            self._line(c.rule if left else colour, x + 3, middle - half, x + 3, middle + half, 2)
        elif code == "channels.opposed":
            self._line(colour, x - 10, middle, x + 10, middle, 2.4)
        elif m.sides is not None and m.sides.side_to_mid_db is not None:
            ratio = min(1.4, 10 ** (min(m.sides.side_to_mid_db, 6.0) / 20))
            self.painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self.painter.setPen(QPen(colour, 1.6))
            self.painter.drawEllipse(QPointF(x, middle), max(1.2, half * ratio), half)
        elif m.sides is None:
            self._text(x - 4, str(row.track.format.channels), colour)
        self._word(found, x + 14)


def columns_of(levels: tuple[OverviewLevel, ...], columns: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Lowest and highest value over all channels in `columns` equal stretches of the file, [shape=(columns,)]."""
    level = next((lv for lv in reversed(levels) if len(lv.low) >= columns), levels[0])
    low, high = level.low.min(axis=1).astype(np.float32), level.high.max(axis=1).astype(np.float32)
    if len(low) <= columns:
        places = np.arange(columns) * len(low) // columns
        return low[places], high[places]
    starts = np.arange(columns) * len(low) // columns
    return np.minimum.reduceat(low, starts), np.maximum.reduceat(high, starts)


def draw_extent(painter: QPainter, levels: tuple[OverviewLevel, ...], area: QRectF, colour: QColor) -> None:
    """A small waveform, each file scaled to its own peak: it tells where sound is, not how loud."""
    columns = int(area.width())
    if columns < 1:
        return
    low, high = columns_of(levels, columns)
    scale = max(float(high.max()), -float(low.min()))
    if scale <= 0:
        return
    reach = area.height() / 2
    draw_strokes(painter, area, reach - reach * high / scale, reach - reach * low / scale, colour)
