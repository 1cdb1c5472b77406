"""The line-up by keyboard."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent

from deep_tally.app.line_up.edge_view import Edge
from deep_tally.views.lanes import ORDERS
from deep_tally.views.time_axis import RULERS

if TYPE_CHECKING:
    from deep_tally.app.line_up.line_up_view import LineUpView

_ZOOM_KEYS = 1.5
_PAN_SHARE = 8
_TRIM_DB = 0.5


class LineUpKeys:
    """Does what the keys of the list of lanes mean."""

    def __init__(self, view: LineUpView) -> None:
        self._view = view
        view.list.key_pressed.connect(self.press)

    def press(self, event: QKeyEvent) -> None:
        """Keys of the list that are about the lanes; what is not taken stays ignored."""
        key, keys = event.key(), event.modifiers()
        ctrl = bool(keys & Qt.KeyboardModifier.ControlModifier)
        alt = bool(keys & Qt.KeyboardModifier.AltModifier)
        shift = bool(keys & Qt.KeyboardModifier.ShiftModifier)
        plain: dict[int, Callable[[], object]] = {
            Qt.Key.Key_Left: lambda: self._view.canvas.pan(-self._view.canvas.width() / _PAN_SHARE),
            Qt.Key.Key_Right: lambda: self._view.canvas.pan(self._view.canvas.width() / _PAN_SHARE),
            Qt.Key.Key_Plus: lambda: self._zoom(1 / _ZOOM_KEYS),
            Qt.Key.Key_Equal: lambda: self._zoom(1 / _ZOOM_KEYS),
            Qt.Key.Key_Minus: lambda: self._zoom(_ZOOM_KEYS),
            Qt.Key.Key_0: self._view.canvas.show_all,
            Qt.Key.Key_N: lambda: self._view.step_mark(1),
            Qt.Key.Key_J: self._view.next_flag,
            Qt.Key.Key_C: self._view.list.next_clip,
            Qt.Key.Key_P: lambda: self._view.step_mark(-1),
            Qt.Key.Key_E: lambda: self._toggle_edge("start" if shift else "end"),
            Qt.Key.Key_G: self._view.tools.move_files.toggle,
            Qt.Key.Key_T: self._view.ask_tempo,
            Qt.Key.Key_R: self._next_ruler,
            Qt.Key.Key_O: self._next_order,
            Qt.Key.Key_F2: self._view.ask_place,
            Qt.Key.Key_Space: self._view.listening.play_alone if shift else self._view.listening.play,
            Qt.Key.Key_L: self._view.listening.toggle_loop,
            Qt.Key.Key_B: self._view.listening.toggle_bus,
            Qt.Key.Key_S: lambda: self._view.listening.toggle_solo(self._view.list.current_path),
            Qt.Key.Key_M: lambda: self._view.listening.toggle_mute(self._view.list.current_path),
            Qt.Key.Key_BracketLeft: lambda: self._trim(-_TRIM_DB),
            Qt.Key.Key_BracketRight: lambda: self._trim(_TRIM_DB),
            Qt.Key.Key_Backslash: lambda: self._trim(None),
            Qt.Key.Key_Delete: lambda: self._view.place(self._view.list.current_path, None),
            Qt.Key.Key_Return: lambda: self._view.file_wanted.emit(self._view.list.current_path),
            Qt.Key.Key_Enter: lambda: self._view.file_wanted.emit(self._view.list.current_path),
        }
        if key == Qt.Key.Key_Escape and (self._view.canvas.cancel_drag() or self._view.edge.isVisible()):
            self._view.show_edge(None)
            event.accept()
            return
        with_alt: dict[int, Callable[[], object]] = {
            Qt.Key.Key_Left: lambda: self._view.nudge(-(self._millisecond() if shift else 1)),
            Qt.Key.Key_Right: lambda: self._view.nudge(self._millisecond() if shift else 1),
        }
        with_ctrl: dict[int, Callable[[], object]] = {
            Qt.Key.Key_Plus: lambda: self._view.step_height(1),
            Qt.Key.Key_Equal: lambda: self._view.step_height(1),
            Qt.Key.Key_Minus: lambda: self._view.step_height(-1),
            Qt.Key.Key_0: lambda: self._view.set_height(None),
            Qt.Key.Key_Home: lambda: self._show_end(first=True),
            Qt.Key.Key_End: lambda: self._show_end(first=False),
        }
        what = (with_alt if alt else with_ctrl if ctrl else plain).get(key)
        if what is not None:
            what()
            event.accept()

    def _trim(self, db: float | None) -> None:
        self._view.listening.trim(db)
        self._view.read_off("")

    def _zoom(self, factor: float) -> None:
        """About the cursor where it is in sight, else about the middle."""
        x = self._view.canvas.axis.x_of(self._view.canvas.cursor_s)
        self._view.canvas.zoom(factor, x if 0 <= x <= self._view.canvas.width() else None)

    def _show_end(self, *, first: bool) -> None:
        view = self._view.canvas.axis.view
        self._view.canvas.pan(view.frames / view.scale * (-1 if first else 1))

    def _millisecond(self) -> int:
        lane = self._view.list.current_lane
        return round(lane.rate_hz / 1000) if lane is not None else 48

    def _toggle_edge(self, edge: Edge) -> None:
        self._view.show_edge(None if self._view.edge.isVisible() and self._view.edge.edge == edge else edge)

    def _next_ruler(self) -> None:
        song = self._view.song
        modes = [m for m in RULERS if m != "bars" or (song is not None and song.facts.timeline is not None)]
        self._view.set_ruler(modes[(modes.index(self._view.canvas.mode) + 1) % len(modes)])

    def _next_order(self) -> None:
        orders = list(ORDERS)
        self._view.set_order(orders[(orders.index(self._view.order) + 1) % len(orders)])
