"""One file large: its waveform with rulers and every mark, from the whole song down to single samples."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from deep_tally.app.base.file_requests import SamplesRequest
from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.base.wheel import WHEEL_STEP, turn
from deep_tally.app.bench.wave_lane import LanePainter, WaveLane
from deep_tally.model.delivery import Track
from deep_tally.model.findings import Action, Finding, Place
from deep_tally.model.measures import Excerpt
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import clock, decibels
from deep_tally.views.time_axis import ticks
from deep_tally.views.viewport import Viewport
from deep_tally.views.wave_samples import WaveSamples

_LEFT, _TOP, _BOTTOM, _GAP = 44, 18, 22, 8
_STEREO = 2


@dataclass(frozen=True, slots=True)
class Mark:
    """A place of a finding in the file shown."""

    finding: Finding
    place: Place


class Waveform(QWidget):
    """The waveform of one track, with its twin under it where there is one.

    `overlay_sides` draws both sides of a stereo file in one lane; `turn_down` shows the file at a lower level.

    Wheel zooms about the pointer, dragging pans, double click shows all; keys: Left and Right pan, + and -
    zoom, 0 shows all, N and P go to the next and previous mark.
    """

    samples_wanted = Signal(object)
    """A `SamplesRequest`: the view is finer than the overview."""
    view_changed = Signal()
    play_pressed = Signal()
    """The file is to be heard, or no longer."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._track: Track | None = None
        self._marks: list[Mark] = []
        self._current: Mark | None = None
        self._samples = WaveSamples()
        self._partner: Track | None = None
        self._partner_later = 0
        self._overlaid = False
        self._gain_db = 0.0
        self._drag_x: float | None = None
        self._playing_frame: float | None = None
        self.view = Viewport(frames=1, pixels=1)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 110)
        self.setAccessibleName("Waveform")
        theme.changed.connect(self.update)

    # -- what is shown ------------------------------------------------------------------------

    def show_track(self, track: Track | None, findings: tuple[Finding, ...]) -> None:
        """Show a file with the places of its findings; the same file keeps its zoom."""
        frames = track.format.frames if track is not None and track.format is not None else 1
        same = track is not None and self._track is not None and track.path == self._track.path
        same = same and frames == self.view.frames
        self._track = track
        if not same:
            self._partner, self._gain_db = None, 0.0
        found = [*findings, *(a for f in findings for a in f.consequences)]
        if track is None:
            self._marks = []
        else:
            self._marks = sorted(
                (Mark(f, p) for f in found for p in f.places if p.path == track.path), key=lambda m: m.place.frame
            )
        if not same:
            self._samples.forget()
            self._current = None
            self.view = Viewport(frames=frames, pixels=self._plot_width())
        self._describe()
        self._moved()

    def show_partner(self, partner: Track | None, *, later: int = 0) -> None:
        """Show another file under this one, whose sound comes `later` frames later than this one's."""
        self._partner, self._partner_later = partner, later
        self._describe()
        self._moved()

    @property
    def partner(self) -> Track | None:
        """The file that is shown under this one."""
        return self._partner

    def show_playing(self, frame: float | None) -> None:
        """Show which frame is heard; None when none is."""
        if frame != self._playing_frame:
            self._playing_frame = frame
            self.update()

    @property
    def listen_from(self) -> int:
        """The frame to listen from: a second before the mark that was gone to, else where the view begins."""
        rate = self._track.format.rate_hz if self._track is not None and self._track.format is not None else 0
        mark = self._current
        if mark is not None and self.view.start <= mark.place.frame <= self.view.stop:
            return max(0, mark.place.frame - rate)
        return max(0, round(self.view.start))

    def overlay_sides(self, overlaid: bool) -> None:
        """Draw both sides in one lane, or each in its own."""
        self._overlaid = overlaid
        self.update()

    def turn_down(self, db: float) -> None:
        """Show the file `db` decibels lower; 0 shows it as it is."""
        self._gain_db = -abs(db)
        self._describe()
        self.update()

    @property
    def turned_down_db(self) -> float:
        """By how much the file is shown lower than it is."""
        return -self._gain_db

    @property
    def marks(self) -> tuple[Mark, ...]:
        """All marks, in order of time."""
        return tuple(self._marks)

    @property
    def current_mark(self) -> Mark | None:
        """The mark that was gone to last."""
        return self._current

    @property
    def has_samples(self) -> bool:
        """Whether the samples of the view are at hand; False also where the overview is enough."""
        return self._track is not None and self._samples.at_hand(self._track, self.view, 0) is not None

    def _take_samples(self, path: str, excerpts: Mapping[str, Excerpt]) -> None:
        if path in {t.path for t in (self._track, self._partner) if t is not None}:
            self._samples.take(path, excerpts)
            self.update()

    def show_all(self) -> None:
        """Show the whole file."""
        self.view.show_all()
        self._moved()

    def show_stretch(self, start: float, frames: float) -> None:
        """Show so many frames from one on."""
        self.view.scale = min(frames / self.view.pixels, self.view.whole)
        self.view.start = start
        self.view.pan(0)
        self._moved()

    def go_to(self, finding: Finding) -> None:
        """Go to a finding's longest run, or its first place; one without a place is about the whole file."""
        marks = [m for m in self._marks if m.finding is finding]
        if marks:
            self.go_to_mark(max(marks, key=lambda m: (m.place.frames, -m.place.frame)))
        else:
            self.show_all()

    def go_to_peak(self) -> None:
        """Zoom to a few milliseconds around the highest sample."""
        track = self._track
        if track is None or track.format is None or track.measures is None or track.measures.peak_frame is None:
            return
        span = track.format.rate_hz // 300
        self.view.show_stretch(track.measures.peak_frame - span / 2, span)
        self._moved()

    def go_to_mark(self, mark: Mark) -> None:
        """Zoom to one place."""
        self._current = mark
        rate = self._track.format.rate_hz if self._track and self._track.format else 48_000
        # A single frame (an edge, a peak) needs its surroundings; a run is shown down to its samples.
        frames = mark.place.frames if mark.place.frames > 1 else rate // 50
        self.view.show_stretch(mark.place.frame, frames)
        self._describe()
        self._moved()

    def step_mark(self, step: int) -> None:
        """Go to the next (1) or previous (-1) mark."""
        if not self._marks:
            return
        at = self._marks.index(self._current) if self._current in self._marks else -1 if step > 0 else 0
        self.go_to_mark(self._marks[(at + step) % len(self._marks)])

    def _describe(self) -> None:
        if self._track is None or self._track.format is None:
            self.setAccessibleDescription("No file")
            return
        rate = self._track.format.rate_hz
        words = f"{self._track.path}, {len(self._marks)} marks"
        if self._current is not None:
            words += f"; at {self._current.finding.code}, {clock(self._current.place.frame / rate, digits=3)}"
        if self._gain_db:
            words += f"; shown {decibels(-self._gain_db)} turned down"
        if self._partner is not None:
            words += f"; under it {self._partner.path}"
        self.setAccessibleDescription(words)

    # -- moving -------------------------------------------------------------------------------

    def _plot_width(self) -> int:
        return max(1, self.width() - _LEFT - 1)

    def _moved(self) -> None:
        self._want_samples()
        self.update()
        self.view_changed.emit()

    def _want_samples(self) -> None:
        for track, later in ((self._track, 0), (self._partner, self._partner_later)):
            stretch = self._samples.request(track, self.view, later) if track is not None else None
            if track is not None and stretch is not None:
                answer = partial(self._take_samples, track.path)
                request = SamplesRequest(f"the waveform, {track.path}", ((track.path, *stretch),), answer)
                self.samples_wanted.emit(request)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.view.resize(self._plot_width())
        self._moved()

    def wheelEvent(self, event: QWheelEvent) -> None:
        turn(self.view, event, _LEFT)
        self._moved()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag_x = event.position().x()
        near = min(self._marks, key=lambda m: abs(self._mark_x(m) - event.position().x()), default=None)
        if near is not None and event.position().y() <= _TOP and abs(self._mark_x(near) - event.position().x()) < 8:
            self._drag_x = None
            self.go_to_mark(near)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag_x is not None:
            self.view.pan(self._drag_x - event.position().x())
            self._drag_x = event.position().x()
            self._moved()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag_x = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.show_all()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, width = event.key(), self._plot_width()
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.view.pan(width / 8 * (1 if key == Qt.Key.Key_Right else -1))
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.view.zoom(1 / WHEEL_STEP, width / 2)
        elif key == Qt.Key.Key_Minus:
            self.view.zoom(WHEEL_STEP, width / 2)
        elif key == Qt.Key.Key_0:
            self.view.show_all()
        elif key in (Qt.Key.Key_N, Qt.Key.Key_P):
            self.step_mark(1 if key == Qt.Key.Key_N else -1)
        elif key == Qt.Key.Key_Space:
            self.play_pressed.emit()
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self.view.pan(self.view.frames / self.view.scale * (1 if key == Qt.Key.Key_End else -1))
        else:
            super().keyPressEvent(event)
            return
        self._moved()

    # -- drawing ------------------------------------------------------------------------------

    def _mark_x(self, mark: Mark) -> float:
        return _LEFT + self.view.x_of(mark.place.frame + 0.5)

    def paintEvent(self, event: QPaintEvent) -> None:
        colours = self._theme.colours
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(colours.raised))
        track = self._track
        if track is None or track.format is None or track.measures is None:
            self._say(painter, _no_picture(track))
            return
        channels = track.format.channels
        overlaid = self._overlaid and channels == _STEREO
        drawn = [tuple(range(channels))] if overlaid else [(channel,) for channel in range(channels)]
        count = len(drawn) + (self._partner is not None)
        height = (self.height() - _TOP - _BOTTOM - _GAP * (count - 1)) / count
        lanes = LanePainter(painter, colours, self.view)
        samples = self._samples.at_hand(track, self.view, 0)
        self._ruler(painter, track.format.rate_hz)
        for number, shown in enumerate(drawn):
            box = QRectF(_LEFT, _TOP + number * (height + _GAP), self._plot_width(), height)
            lanes.draw(WaveLane(box, track, shown, samples, self._gain_db))
        if overlaid:
            drawing = "filled, right as a line" if samples is None else "solid, right dashed"
            self._label(painter, _TOP, f"left {drawing}")
        if self._gain_db:
            self._label(painter, _TOP, f"turned down {decibels(-self._gain_db)}")
        if self._partner is not None and self._partner.format is not None:
            box = QRectF(_LEFT, _TOP + len(drawn) * (height + _GAP), self._plot_width(), height)
            shown = tuple(range(min(self._partner.format.channels, _STEREO)))
            samples = self._samples.at_hand(self._partner, self.view, self._partner_later)
            lanes.draw(WaveLane(box, self._partner, shown, samples, self._gain_db, self._partner_later))
            self._label(painter, box.top(), readable(self._partner.path.rpartition("/")[2]))
        self._draw_markers(painter, track)
        self._draw_marks(painter, len(drawn), height)
        if self._playing_frame is not None:
            x = _LEFT + self.view.x_of(self._playing_frame)
            if _LEFT <= x <= _LEFT + self._plot_width():
                painter.setPen(QPen(QColor(colours.ask), 1.5))
                painter.drawLine(QLineF(x, 0, x, self.height() - _BOTTOM))
        if self.hasFocus():
            painter.setPen(QPen(QColor(colours.fix), 1))
            painter.drawRect(QRectF(_LEFT - 0.5, _TOP - 0.5, self._plot_width(), self.height() - _TOP - _BOTTOM))

    def _label(self, painter: QPainter, top: float, words: str) -> None:
        """A few words at the right end of a lane."""
        painter.setFont(font(12))
        width = QFontMetricsF(font(12)).horizontalAdvance(words)
        box = QRectF(_LEFT + self._plot_width() - width - 12, top + 3, width + 8, 18)
        painter.fillRect(box, QColor(self._theme.colours.raised))
        painter.setPen(QColor(self._theme.colours.ink))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _say(self, painter: QPainter, words: str) -> None:
        painter.setFont(font(13))
        painter.setPen(QColor(self._theme.colours.soft))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, words)

    def _ruler(self, painter: QPainter, rate_hz: int) -> None:
        colours, view = self._theme.colours, self.view
        painter.setFont(font(11))
        bottom = self.height() - _BOTTOM
        start_s, stop_s = view.start / rate_hz, view.stop / rate_hz
        for tick in ticks("minutes", start_s, stop_s, self._plot_width(), rate_hz=rate_hz):
            x = _LEFT + view.x_of(tick.seconds * rate_hz)
            painter.setPen(QColor(colours.rule))
            painter.drawLine(QLineF(x, _TOP, x, bottom + 4))
            painter.setPen(QColor(colours.soft))
            painter.drawText(QRectF(x + 4, bottom + 4, 120, _BOTTOM - 4), Qt.AlignmentFlag.AlignLeft, tick.words)

    def _draw_markers(self, painter: QPainter, track: Track) -> None:
        """The markers that the file itself carries: thin dashed lines with their texts, where there is room."""
        colours = self._theme.colours
        metrics = QFontMetricsF(font(11))
        painter.setFont(font(11))
        free = float(_LEFT)
        right = _LEFT + self._plot_width()
        for marker in track.format.markers if track.format is not None else ():
            x = _LEFT + self.view.x_of(marker.frame)
            if not _LEFT <= x <= right:
                continue
            pen = QPen(QColor(colours.soft), 1, Qt.PenStyle.DashLine)
            painter.setPen(pen)
            painter.drawLine(QLineF(x, _TOP, x, self.height() - _BOTTOM))
            words = metrics.elidedText(readable(marker.text), Qt.TextElideMode.ElideRight, 160)
            width = metrics.horizontalAdvance(words)
            if words and x >= free and x + width + 6 <= right:
                painter.fillRect(QRectF(x + 2, _TOP + 1, width + 6, 15), QColor(colours.raised))
                painter.drawText(QRectF(x + 5, _TOP + 1, width + 2, 15), Qt.AlignmentFlag.AlignVCenter, words)
                free = x + width + 12

    def _draw_marks(self, painter: QPainter, lanes_shown: int, height: float) -> None:
        """Every mark in sight: a flag above, a line or the whole run below; one per pixel and kind."""
        drawn: set[tuple[int, Action]] = set()
        right = _LEFT + self._plot_width()
        for mark in reversed(self._marks):
            place = mark.place
            x1 = _LEFT + self.view.x_of(place.frame)
            x2 = _LEFT + self.view.x_of(place.frame + place.frames)
            if x2 < _LEFT or x1 > right + 1:
                continue
            action = mark.finding.action
            colour = self._theme.colours.action(action)
            own = place.channel is not None and place.channel < lanes_shown
            lanes = [place.channel or 0] if own else range(lanes_shown)
            key = (round(x1 / 2), action)
            for lane in lanes:
                y = _TOP + lane * (height + _GAP)
                if x2 - x1 >= 3:
                    tint = QColor(colour)
                    tint.setAlpha(46)
                    painter.fillRect(QRectF(max(x1, _LEFT), y, min(x2, right) - max(x1, _LEFT), height), tint)
                    painter.setPen(QPen(colour, 1))
                    for x in (x1, x2):
                        if _LEFT <= x <= right:
                            painter.drawLine(QLineF(x, y, x, y + height))
                elif key not in drawn:
                    thin = QColor(colour)
                    thin.setAlpha(255 if mark == self._current or len(self._marks) < 12 else 120)
                    painter.setPen(QPen(thin, 2 if mark == self._current else 1))
                    x = min(max(x1, _LEFT + 0.5), right - 0.5)
                    painter.drawLine(QLineF(x, y, x, y + height))
            if key not in drawn:
                drawn.add(key)
                draw_shape(painter, action, QPointF(min(max(x1, _LEFT) + 4, right - 5), 9), 9, colour)


def _no_picture(track: Track | None) -> str:
    """Why there is no waveform to be seen."""
    if track is None:
        return ""
    if track.unchecked is not None:
        return "This file could not be checked here."
    return "This file cannot be read." if track.damage is not None else "Not measured yet."
