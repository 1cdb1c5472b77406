"""The line-up: every file of a song on one time axis, with where each belongs and what is wrong where."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QScrollBar,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.elided import ElidedLabel
from deep_tally.app.base.listening import Listening
from deep_tally.app.base.plain import ask_text
from deep_tally.app.base.settings import Settings
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.line_up.edge_view import Edge, EdgeView
from deep_tally.app.line_up.lane_canvas import LaneCanvas
from deep_tally.app.line_up.lane_list import HEAD_PX, LaneList
from deep_tally.app.line_up.lane_listening import LEAD_IN_S, LaneListening
from deep_tally.app.line_up.lane_overlay import RULER_PX
from deep_tally.app.line_up.line_up_keys import LineUpKeys
from deep_tally.app.line_up.line_up_tools import LineUpTools
from deep_tally.app.line_up.place_dialog import PlaceDialog
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.delivery import Delivery, SongSet, Track
from deep_tally.names.facts import FASTEST_BPM, SLOWEST_BPM
from deep_tally.reply.action_words import readable
from deep_tally.reply.wording.speaker import Speaker
from deep_tally.views.lanes import NUDGE, Head, Lane, LaneMark, LaneOrder, as_rows, in_order, make_lanes
from deep_tally.views.time_axis import RulerMode

if TYPE_CHECKING:
    from collections.abc import Sequence

_HEIGHTS = (4, 6, 9, 12, 16, 20, 26, 34, 46, 62, 84, 120, 180, 260)
_FIT_MOST = 46
_LEAST_PX = 3


class LineUpView(QWidget):
    """Lanes, their names, a ruler, and the tools for them. Data comes in by `show_song`; what is done goes out."""

    corrected = Signal(object, str)
    """(corrections, words): a file was placed."""
    tempo_given = Signal(str, object)
    """(the set's name, BPM); None for what is stated."""
    file_wanted = Signal(str)
    """A file is to be shown in the sheet."""
    said = Signal(str)

    def __init__(self, theme: Theme, settings: Settings, listening: Listening) -> None:
        super().__init__()
        self._theme, self._settings = theme, settings
        self._delivery: Delivery | None = None
        self._corrections = NO_CORRECTIONS
        self._lanes: tuple[Lane, ...] = ()
        self._before: Mapping[str, Track] = {}
        self._height: int | None = None
        self._song = ""
        self.order: LaneOrder = "delivered"
        self.list = LaneList(theme)
        self.canvas = LaneCanvas(theme)
        self.canvas.setFocusProxy(self.list)
        self.edge = EdgeView(theme, self.canvas)
        self.readout = ElidedLabel()
        self.readout.setFont(font(13))
        self.readout.setAccessibleName("What lies under the pointer")
        self.listening = LaneListening(listening, self.list, self.canvas, self)
        self.tools = LineUpTools(self)
        self._make()
        self._connect()
        theme.follow(self, self._colour)
        self._colour()

    def _make(self) -> None:
        self.across = QScrollBar(Qt.Orientation.Horizontal)
        self.down = QScrollBar(Qt.Orientation.Vertical)
        self.across.setAccessibleName("Which part of the song is shown")
        self.down.setAccessibleName("Which files are shown")
        names = QVBoxLayout()
        names.setSpacing(0)
        names.addSpacing(RULER_PX)
        names.addWidget(self.list, 1)
        self.picture = QWidget()
        """The lanes with their names and ruler: what is saved as a picture."""
        lanes = QHBoxLayout(self.picture)
        lanes.setContentsMargins(0, 0, 4, 0)
        lanes.setSpacing(0)
        lanes.addLayout(names)
        lanes.addWidget(self.canvas, 1)
        lanes.addWidget(self.down)
        foot = QHBoxLayout()
        foot.setContentsMargins(16, 2, 16, 4)
        foot.setSpacing(16)
        foot.addWidget(self.readout, 2)
        foot.addWidget(self.across, 1)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(0)
        self.column.addLayout(self.tools)
        self.column.addWidget(self.picture, 1)
        self.column.addLayout(foot)

    def _connect(self) -> None:
        canvas, names, tools = self.canvas, self.list, self.tools
        canvas.view_changed.connect(self._show_across)
        canvas.height_wanted.connect(self.step_height)
        canvas.pressed.connect(self._press)
        canvas.mark_pressed.connect(self._press_mark)
        canvas.moved.connect(self.place)
        canvas.read_off.connect(self.read_off)
        self.edge.closed.connect(lambda: self.show_edge(None))
        names.chosen.connect(self._choose)
        self._keys = LineUpKeys(self)
        names.laid_out.connect(self._lay_out)
        names.doubleClicked.connect(lambda index: self.file_wanted.emit(names.current_path))
        names.verticalScrollBar().rangeChanged.connect(self._show_down)
        names.verticalScrollBar().valueChanged.connect(self._scrolled)
        self.down.valueChanged.connect(names.verticalScrollBar().setValue)
        self.across.valueChanged.connect(self._pan_to)
        tools.song_chosen.connect(self._show_song)
        tools.ruler_chosen.connect(self.set_ruler)
        tools.order_chosen.connect(self.set_order)
        tools.fit.clicked.connect(lambda: self.set_height(None))
        tools.lower.clicked.connect(lambda: self.step_height(-1))
        tools.taller.clicked.connect(lambda: self.step_height(1))
        tools.move_files.toggled.connect(self._set_moving)
        tools.place.clicked.connect(self.ask_place)
        tools.whole_song.clicked.connect(canvas.show_all)
        tools.start_edge.clicked.connect(lambda on: self.show_edge("start" if on else None))
        tools.end_edge.clicked.connect(lambda on: self.show_edge("end" if on else None))
        tools.tempo.clicked.connect(self.ask_tempo)
        self.listening.said.connect(self.said)

    # -- what is shown ------------------------------------------------------------------------

    def show_all(
        self,
        delivery: Delivery,
        corrections: Corrections,
        *,
        song: str = "",
        before: Mapping[str, Track] = MappingProxyType({}),
    ) -> None:
        """Show an assessed delivery; the song that was lined up stays, unless another is named.

        `before` are the files of the round before that the files here stand for: they lie faintly under them.
        """
        self._before = before
        same = self._delivery is not None and self._delivery.source == delivery.source
        self._delivery, self._corrections = delivery, corrections
        names = [s.name for s in delivery.sets]
        wanted = song if song in names else self._song if same and self._song in names else names[0] if names else ""
        is_same_song = same and wanted == self._song
        self._song = wanted
        self.tools.show_songs(names, wanted)
        self._fill(same=is_same_song)

    def _show_song(self, name: str) -> None:
        self._song = name
        self._fill(same=False)

    @property
    def song(self) -> SongSet | None:
        """The song in the line-up."""
        sets = self._delivery.sets if self._delivery is not None else ()
        return next((s for s in sets if s.name == self._song), None)

    @property
    def lanes(self) -> tuple[Lane, ...]:
        """All lanes in the delivery's order."""
        return self._lanes

    def _fill(self, *, same: bool) -> None:
        song, delivery = self.song, self._delivery
        if song is None or delivery is None:
            return
        self._lanes = make_lanes(song, delivery, self._before)
        self.listening.show_lanes(self._lanes)
        timeline = song.facts.timeline
        if timeline is None and self.canvas.mode == "bars":
            self.canvas.mode = "minutes"
        elif not same and timeline is not None and self._settings.text("line-up ruler") in ("", "bars"):
            self.canvas.mode = "bars"
        self.canvas.show_lanes(
            self._lanes,
            rate_hz=song.common.rate_hz or max((ln.rate_hz for ln in self._lanes), default=48_000),
            common_s=song.common.seconds,
            timeline=timeline,
            same=same,
        )
        said = ((s.at_s, readable(f"{s.note.rpartition('/')[2]}: {s.words}")) for s in song.statements)
        self.canvas.flags = tuple(sorted((at_s, words) for at_s, words in said if at_s is not None))
        if not same:
            self.canvas.cursor_s = 0.0
        self._show_rows()
        self._show_tools()
        if self.edge.isVisible():
            self.show_edge(self.edge.edge)

    def _show_rows(self) -> None:
        findings = self._delivery.findings if self._delivery is not None else ()
        self.list.show_rows(in_order(as_rows(self._lanes, findings), self.order))
        self._fit()

    def _show_tools(self) -> None:
        self.tools.show_state(self.song, self.canvas.mode, self.order)

    # -- heights and scrolling ----------------------------------------------------------------

    def _fit(self) -> None:
        rows = self.list.lane_model.rows
        heads = sum(isinstance(r, Head) for r in rows)
        lanes = max(1, len(rows) - heads)
        room = self.list.viewport().height() - heads * HEAD_PX
        fitting = min(_FIT_MOST, max(_LEAST_PX, room // lanes))
        self.list.set_lane_px(fitting if self._height is None else self._height)
        self._lay_out()

    def set_height(self, pixels: int | None) -> None:
        """How tall lanes are; None is as tall as all fit."""
        self._height = pixels
        self._fit()

    def step_height(self, step: int) -> None:
        """The next taller (1) or lower (-1) of the usual heights."""
        now = self.list.lane_px
        heights = [h for h in _HEIGHTS if (h > now if step > 0 else h < now)]
        if heights:
            self.set_height(heights[0] if step > 0 else heights[-1])

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()
        self._seat_edge()

    def _lay_out(self) -> None:
        self.canvas.show_slots(self.list.slots_of())
        self._show_down()

    def _show_down(self) -> None:
        bar = self.list.verticalScrollBar()
        self.down.setRange(bar.minimum(), bar.maximum())
        self.down.setPageStep(bar.pageStep())
        self.down.setSingleStep(max(8, self.list.lane_px))
        self.down.setVisible(bar.maximum() > bar.minimum())
        self._scrolled(bar.value())

    def _scrolled(self, value: int) -> None:
        self.down.setValue(value)
        self.canvas.scrolled_px = value
        self.canvas.update()

    def _show_across(self) -> None:
        view = self.canvas.axis.view
        self.across.blockSignals(True)
        # In thousandths of the axis: frames of a long song are more than a scroll bar counts.
        page = round(1_000_000 * view.pixels * view.scale / max(view.frames, 1))
        self.across.setRange(0, max(0, 1_000_000 - page))
        self.across.setPageStep(max(1, page))
        self.across.setSingleStep(max(1, page // 10))
        self.across.setValue(round(1_000_000 * view.start / max(view.frames, 1)))
        self.across.blockSignals(False)

    def _pan_to(self, value: int) -> None:
        view = self.canvas.axis.view
        self.canvas.pan((value / 1_000_000 * view.frames - view.start) / view.scale)

    # -- ruler, order, tempo ------------------------------------------------------------------

    def set_ruler(self, mode: RulerMode) -> None:
        """What the ruler counts in."""
        song = self.song
        if mode == "bars" and (song is None or song.facts.timeline is None):
            self.said.emit("No tempo is known, so bars cannot be counted. Set it with T.")
            return
        self.canvas.mode = mode
        self._settings.set_text("line-up ruler", mode)
        self.canvas.update()
        self._show_tools()

    def set_order(self, order: LaneOrder) -> None:
        """How the files are ordered."""
        self.order = order
        self._show_rows()
        self._show_tools()

    def ask_tempo(self) -> None:
        """Ask for the song's tempo; nothing gives it back to what is stated."""
        song = self.song
        now = f"{song.facts.tempo_bpm:g}" if song is not None and song.facts.tempo_bpm else ""
        words = f"Tempo in BPM, {SLOWEST_BPM:g} to {FASTEST_BPM:g} (empty: as stated):"
        text, agreed = ask_text(self, "The song's tempo", words, text=now)
        if not agreed:
            return
        said = text.strip().casefold().removesuffix("bpm").strip().replace(",", ".")
        try:
            bpm = float(said) if said else None
        except ValueError:
            bpm = 0.0
        if bpm is not None and not SLOWEST_BPM <= bpm <= FASTEST_BPM:
            self.said.emit(f"“{text}” is no tempo: type a number from {SLOWEST_BPM:g} to {FASTEST_BPM:g}.")
            return
        self.tempo_given.emit(self._song, bpm)

    # -- choosing and placing -----------------------------------------------------------------

    def _choose(self) -> None:
        lane = self.list.current_lane
        self.canvas.current = lane.path if lane is not None else ""
        self.canvas.update()
        self.tools.place.setEnabled(lane is not None and lane.track.format is not None)
        if lane is not None and not self.canvas.underMouse():
            self.read_off("")

    def read_off(self, words: str) -> None:
        """Say at the foot what lies under the pointer; without words, what the current file is."""
        lane = self.list.current_lane
        if not words and lane is not None:
            words = "   ".join(self.list.lane_model.lines(lane))
        self.readout.setText(words)

    def _press(self, path: str, seconds: float) -> None:
        if path:
            self.list.go_to(path)
        self.list.setFocus()
        self.canvas.set_cursor(seconds)

    def _press_mark(self, path: str, mark: LaneMark) -> None:
        self.list.go_to(path)
        self.list.setFocus()
        self.go_to_mark(mark)

    def go_to_mark(self, mark: LaneMark) -> None:
        """Zoom to a mark and say what it is."""
        least = 0.02 if mark.place.frames <= 1 else 0.0
        self.canvas.mark = mark
        self.canvas.show_stretch(mark.start_s, max(mark.stop_s, mark.start_s + least))
        self.canvas.set_cursor(max(0.0, mark.start_s - LEAD_IN_S))
        if self._delivery is not None:
            speaker = Speaker(self._delivery)
            text = f"{speaker.headline(mark.finding)}: {speaker.evidence(mark.finding, mark.place.path)}"
            self.readout.setText(readable(text))

    def step_mark(self, step: int) -> None:
        """To the current lane's next (1) or previous (-1) mark after the cursor."""
        lane = self.list.current_lane
        marks: Sequence[LaneMark] = lane.marks if lane is not None else ()
        at = (
            self.canvas.mark.start_s
            if self.canvas.mark in marks and self.canvas.mark is not None
            else self.canvas.cursor_s
        )
        later = [m for m in marks if (m.start_s - at) * step > 1e-9]
        if marks:
            first, last = marks[0], marks[-1]
            wrapped = first if step > 0 else last
            self.go_to_mark((later[0] if step > 0 else later[-1]) if later else wrapped)
        elif lane is not None:
            self.said.emit(f"{lane.title} has no marked place.")

    def next_flag(self) -> None:
        """To the next moment that the client's notes speak of, from the first again after the last."""
        flags = self.canvas.flags
        if not flags:
            self.said.emit("The client's notes speak of no moment of the song.")
            return
        at_s, words = next((f for f in flags if f[0] > self.canvas.cursor_s + 1e-6), flags[0])
        self.canvas.set_cursor(at_s)
        self.canvas.show_moment(at_s)
        self.readout.setText(words)

    def _set_moving(self, on: bool) -> None:
        self.canvas.is_moving = on
        self.canvas.setCursor(Qt.CursorShape.SizeHorCursor if on else Qt.CursorShape.ArrowCursor)

    def place(self, path: str, frames: int | None) -> None:
        """Say where a file belongs; None gives it back to its stamp, or to its own start."""
        lane = next((ln for ln in self._lanes if ln.path == path), None)
        if lane is not None:
            words = f"{lane.title} back to its place" if frames is None else f"Place {lane.title}"
            self.corrected.emit(self._corrections.with_place(path, frames), words)

    def nudge(self, frames: int) -> None:
        """Move the current file by some frames of its own."""
        lane = self.list.current_lane
        if lane is not None and lane.track.format is not None:
            now = lane.placement.frames if lane.placement is not None else 0
            self.corrected.emit(self._corrections.with_place(lane.path, now + frames), f"{NUDGE}{lane.title}")

    def ask_place(self) -> None:
        """Ask in samples where the current file belongs."""
        lane, song = self.list.current_lane, self.song
        if lane is None or song is None or lane.track.format is None:
            return
        dialog = PlaceDialog(self, lane, song.facts.timeline)
        try:
            if dialog.exec():
                self.place(lane.path, dialog.frames)
        finally:
            dialog.deleteLater()

    def show_edge(self, edge: Edge | None) -> None:
        """Open the magnifier at the common start or end, or close it."""
        song = self.song
        self.tools.start_edge.setChecked(edge == "start")
        self.tools.end_edge.setChecked(edge == "end")
        if edge is None or song is None or (edge == "end" and song.common.seconds is None):
            had_focus = self.edge.hasFocus()
            self.edge.hide()
            self.tools.end_edge.setChecked(False)
            if edge is not None:
                self.said.emit("These files have no common end: no length is shared by more than half of them.")
            if had_focus or edge is None:
                self.list.setFocus()
            return
        rate = song.common.rate_hz or self.canvas.axis.rate_hz
        rows = [r for r in self.list.lane_model.rows if isinstance(r, Lane)]
        self.edge.show_edge(
            edge, rows, common_s=song.common.seconds or 0.0, rate_hz=rate, current=self.list.current_path
        )
        self._seat_edge()

    def _seat_edge(self) -> None:
        canvas = self.canvas
        left = 16 if self.edge.edge == "start" and self.edge.isVisible() else canvas.width() - self.edge.width() - 16
        self.edge.move(max(0, left), max(RULER_PX, canvas.height() - self.edge.height() - 16))

    def _colour(self) -> None:
        self.readout.setStyleSheet(f"color: {self._theme.colours.soft}")
