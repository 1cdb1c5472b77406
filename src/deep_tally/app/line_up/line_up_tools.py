"""The tools above the lanes: song, ruler, order, heights, placing, edges, tempo."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal, SignalInstance
from PySide6.QtWidgets import QComboBox, QMenu, QWidget

from deep_tally.app.base.buttons import plain_button
from deep_tally.app.base.flow_layout import FlowLayout
from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.model.delivery import SongSet
from deep_tally.reply.action_words import readable
from deep_tally.views.lanes import ORDERS, LaneOrder
from deep_tally.views.time_axis import RULERS, RulerMode


class LineUpTools(FlowLayout):
    """Lays the tools out in as many rows as they need; what is pressed goes out."""

    song_chosen = Signal(str)
    ruler_chosen = Signal(str)
    order_chosen = Signal(str)

    def __init__(self, view: QWidget) -> None:
        super().__init__()
        self.setContentsMargins(16, 4, 16, 4)
        self.song_box = QComboBox()
        self.song_box.setAccessibleName("The song in the line-up")
        self.song_box.setToolTip("The song in the line-up")
        self.song_box.setMinimumContentsLength(16)
        self.song_box.activated.connect(lambda number: self.song_chosen.emit(self.song_box.itemData(number)))
        self.ruler = plain_button("Ruler: minutes", "What the ruler counts in (R)")
        self.order = plain_button("Order: as delivered", "How the files are ordered (O)")
        height = PlainLabel("Lanes")
        height.setProperty("look", "soft")
        height.setContentsMargins(8, 0, 0, 0)
        self.lower = plain_button("\N{MINUS SIGN}", "Lower lanes (Ctrl+-, or Ctrl and the wheel)")
        self.taller = plain_button("+", "Taller lanes (Ctrl++, or Ctrl and the wheel)")
        self.fit = plain_button("Fit", "Fit all files (Ctrl+0)")
        self.move_files = plain_button("Move files", "Drag files to where they belong (G, or Alt and drag)")
        self.place = plain_button("Place…", "Type where the file belongs (F2)")
        self.start_edge = plain_button("Start edge", "Look at the common start sample by sample (Shift+E)")
        self.end_edge = plain_button("End edge", "Look at the common end sample by sample (E)")
        self.whole_song = plain_button("Whole song", "Show the whole song (0, double click)")
        self.tempo = plain_button("", "")
        for button in (self.move_files, self.start_edge, self.end_edge):
            button.setCheckable(True)
        self.lower.setAccessibleName("Lower lanes")
        self.taller.setAccessibleName("Taller lanes")
        for widget in (self.song_box, self.ruler, self.order, height, self.lower, self.taller, self.fit):
            self.addWidget(widget)
        for widget in (self.move_files, self.place, self.start_edge, self.end_edge, self.whole_song, self.tempo):
            self.addWidget(widget)
        self.ruler_menu, self.order_menu = QMenu(view), QMenu(view)
        for mode in RULERS:
            action = self.ruler_menu.addAction(mode.capitalize(), self._emitter(self.ruler_chosen, mode))
            action.setCheckable(True)
        for order, words in ORDERS.items():
            self.order_menu.addAction(words.capitalize(), self._emitter(self.order_chosen, order)).setCheckable(True)
        self.ruler.setMenu(self.ruler_menu)
        self.order.setMenu(self.order_menu)

    @staticmethod
    def _emitter(signal: SignalInstance, value: str) -> Callable[[], None]:
        return lambda: signal.emit(value)

    def show_songs(self, names: list[str], current: str) -> None:
        """The songs to choose from; a single one needs no choosing."""
        self.song_box.clear()
        for name in names:
            self.song_box.addItem(readable(name), name)
        self.song_box.setCurrentIndex(names.index(current) if current in names else -1)
        self.song_box.setVisible(len(names) > 1)

    def show_state(self, song: SongSet | None, mode: RulerMode, order: LaneOrder) -> None:
        """What the ruler counts in, how files are ordered, and the song's tempo."""
        timeline = song.facts.timeline if song is not None else None
        self.ruler.setText(f"Ruler: {mode}")
        self.order.setText(f"Order: {ORDERS[order]}")
        for action, of in zip(self.ruler_menu.actions(), RULERS, strict=True):
            action.setChecked(of == mode)
            action.setEnabled(of != "bars" or timeline is not None)
        for action, by in zip(self.order_menu.actions(), ORDERS, strict=True):
            action.setChecked(by == order)
        self.end_edge.setEnabled(song is not None and song.common.seconds is not None)
        if song is None or timeline is None:
            self.tempo.setText("No tempo is known")
            self.tempo.setToolTip("Set the song's tempo so that bars can be counted (T)")
            return
        meter = timeline.meters[0]
        changes = len(timeline.tempos) + len(timeline.meters) - 2
        text = f"{timeline.bpm:.6g} BPM, {meter.beats}/{meter.unit}" + (", changes" if changes else "")
        self.tempo.setText(f"{text}: {song.facts.tempo_from or 'as set'}")
        self.tempo.setToolTip(as_plain(f"The tempo is taken from {song.facts.tempo_from}. Set another one (T)"))
