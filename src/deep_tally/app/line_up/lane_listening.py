"""Listening in the line-up: what is played, soloed, muted, trimmed and looped there."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QObject, Signal

from deep_tally.app.base.listening import Listening
from deep_tally.app.line_up.lane_canvas import LaneCanvas
from deep_tally.app.line_up.lane_list import LaneList
from deep_tally.model.files import Role
from deep_tally.views.lanes import Lane

LEAD_IN_S, LEAD_OUT_S = 1.0, 1.0
"""Seconds around a mark that is looped."""


class LaneListening(QObject):
    """Plays lanes from the cursor and shows on them what is heard."""

    play_wanted = Signal(object, float)
    """(lanes, seconds): files are to be played together, from a moment on."""
    said = Signal(str)

    def __init__(self, listening: Listening, lanes: LaneList, canvas: LaneCanvas, parent: QObject) -> None:
        super().__init__(parent)
        self._listening, self._list, self._canvas = listening, lanes, canvas
        self._lanes: Sequence[Lane] = ()
        lanes.solo_pressed.connect(self.toggle_solo)
        lanes.mute_pressed.connect(self.toggle_mute)
        listening.changed.connect(self._show_heard)
        listening.moved.connect(self._show_playing)

    def show_lanes(self, lanes: Sequence[Lane]) -> None:
        """What there is to hear."""
        self._lanes = lanes

    def play(self) -> None:
        """Play from the cursor: the chosen files where several are, else all; stop what plays."""
        if self._listening.is_playing:
            self._listening.halt()
            return
        chosen: Sequence[Lane] = self._list.chosen_lanes
        if len(chosen) < 2:
            # A click, a reference, what others play as well and what belongs nobody knows where is heard where chosen.
            heard = (ln for ln in self._lanes if ln.track.role.is_assessed or ln.track.role is Role.ROUGH_MIX)
            chosen = [ln for ln in heard if not ln.plays_twice and (not ln.is_unplaced or ln.placement is not None)]
        self.play_wanted.emit(chosen, self._canvas.cursor_s)

    def play_alone(self) -> None:
        """Play the current file and no other, from the cursor."""
        lane = self._list.current_lane
        if lane is not None:
            self.play_wanted.emit([lane], self._canvas.cursor_s)

    def toggle_loop(self) -> None:
        """Play the mark the user is at over and over, with a second of lead-in; or no longer."""
        if self._listening.loop_s is not None:
            self._listening.set_loop(None)
            return
        lane = self._list.current_lane
        marks = lane.marks if lane is not None else ()
        mark = self._canvas.mark if self._canvas.mark in marks else next(iter(marks), None)
        if mark is None:
            self.said.emit("There is no marked place to loop: choose a file with one, and go to it with N.")
            self._listening.changed.emit()
            return
        begin = max(0.0, mark.start_s - LEAD_IN_S)
        self._listening.set_loop((begin, max(mark.stop_s, mark.start_s) + LEAD_OUT_S))
        self._canvas.set_cursor(begin)

    def toggle_solo(self, path: str) -> None:
        """Hear a file alone, with the others that are; or no longer."""
        self._listening.set_solo(self._listening.solo ^ {path})

    def toggle_mute(self, path: str) -> None:
        """Silence a file, or no longer."""
        self._listening.set_muted(self._listening.muted ^ {path})

    def trim(self, db: float | None) -> None:
        """Turn the chosen files up or down together; None puts them back."""
        if paths := [lane.path for lane in self._list.chosen_lanes]:
            self._listening.trim(paths, db)

    def toggle_bus(self) -> None:
        """The sum or the rough mix, at the same place."""
        self._listening.set_bus("mix" if self._listening.bus == "sum" else "sum")

    def _show_heard(self) -> None:
        listening, model = self._listening, self._list.lane_model
        model.solo, model.muted, model.trims_db = listening.solo, listening.muted, dict(listening.trims_db)
        model.touch()
        everything = frozenset(lane.path for lane in self._lanes)
        alone = listening.solo & everything
        self._canvas.silenced = frozenset(listening.muted | (everything - alone if alone else frozenset()))
        self._canvas.loop_s = listening.loop_s
        self._show_playing()

    def _show_playing(self) -> None:
        canvas = self._canvas
        position, before = self._listening.position_s, canvas.playing_s
        if position == before:
            return
        canvas.playing_s = position
        if canvas.isVisible():
            # What plays is followed as long as it is looked at: who looks elsewhere meanwhile is left there.
            if position is not None and before is not None and before <= canvas.axis.stop_s < position:
                canvas.show_moment(position)
            canvas.update()
