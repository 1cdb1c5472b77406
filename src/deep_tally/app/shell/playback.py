"""What is played from where: files of the line-up, the file on the bench, a looped finding; and what is heard of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from deep_tally.app.base.client_folder import may_save
from deep_tally.app.base.listening import Listening, Sounding
from deep_tally.app.base.settings import Settings
from deep_tally.app.bench.bench import Bench
from deep_tally.app.line_up.lane_listening import LEAD_IN_S, LEAD_OUT_S
from deep_tally.app.line_up.line_up_view import LineUpView
from deep_tally.app.mix_match.mix_match_view import MixMatchView
from deep_tally.app.player.player_bar import PlayerBar
from deep_tally.app.shell.actions import add_action
from deep_tally.app.shell.state import CheckState
from deep_tally.listen.plan import EARS, Ear
from deep_tally.model.corrections import Gains
from deep_tally.model.errors import CannotWrite
from deep_tally.model.files import Role
from deep_tally.reply.action_words import readable
from deep_tally.views.lanes import Lane
from deep_tally.views.rows import Row
from deep_tally.work.atomic import require_not_the_clients


class Playback(QObject):
    """Brings the views that are heard and the player together."""

    said = Signal(str)
    """One sentence for the user."""
    changed = Signal()
    """Whether something plays, or where, is different."""

    def __init__(
        self,
        listening: Listening,
        bar: PlayerBar,
        line_up: LineUpView,
        mix_match: MixMatchView,
        bench: Bench,
        state: CheckState,
        settings: Settings,
    ) -> None:
        super().__init__(bar)
        self.listening = listening
        self._bar, self._line_up, self._bench, self._state, self._settings = bar, line_up, bench, state, settings
        self._mix_match = mix_match
        self._played: tuple[tuple[Lane, ...], float] | None = None
        self._has_levels = False
        self.row: Row | None = None
        """The file on the bench."""
        self._page: QWidget | None = None
        line_up.listening.play_wanted.connect(self.play_lanes)
        mix_match.listening.play_wanted.connect(self.play_soundings)
        state.corrections_changed.connect(self.follow_levels)
        bench.waveform.play_pressed.connect(self.play_on_bench)
        bench.listen.clicked.connect(self.play_on_bench)
        bar.play_pressed.connect(self.play)
        bar.loop_pressed.connect(self.toggle_loop)
        bar.placed_pressed.connect(self.play_again)
        listening.said.connect(self.said)
        listening.moved.connect(self.show_playing)
        listening.changed.connect(self.show_playing)

    def forget(self) -> None:
        """Another delivery is opened: nothing of the one before is played, and nothing recorded."""
        self.listening.forget()
        self.listening.record_to = None  # it may lie in what was opened now
        self.record_action.setChecked(False)
        self._has_levels = False
        self.follow_levels()

    def follow_levels(self) -> None:
        """Levels of the rough mix that the user took over are heard from then on."""
        has_levels = bool(self._state.corrections.levels)
        if has_levels != self._has_levels:
            self._has_levels = has_levels
            self.listening.set_at_mix_levels(has_levels)
            self.play_again()

    def show_page(self, page: QWidget) -> None:
        """Another view is shown. The mix match plays at the mix's levels; others only where these are used."""
        if self._page is self._mix_match and page is not self._mix_match:
            self.listening.set_at_mix_levels(self._has_levels)
        self._page = page

    @property
    def is_on_line_up(self) -> bool:
        """Whether the line-up is the view that is shown."""
        return self._page is self._line_up

    def fill_menu(self, menu: QMenu) -> None:
        """Fill the menu of listening."""

        bar, listening = self._bar, self.listening
        add_action(menu, "&Play or stop", self.play, "Ctrl+Space")
        add_action(menu, "The selected file &alone", self.play_alone, "Ctrl+Shift+Space")
        add_action(menu, "&Loop the finding", bar.loop_button.click, "Ctrl+L")
        menu.addSeparator()
        add_action(menu, "&Sum or rough mix", self._line_up.listening.toggle_bus, "Ctrl+K")
        add_action(menu, "The &remainder of the rough mix", lambda: listening.set_bus("remainder"))
        add_action(menu, "At the &mix's levels, or as they are", bar.levels_button.click)
        add_action(menu, "At their &places, or as delivered", bar.placed_button.click)
        for ear, words in EARS.items():
            add_action(menu, f"Hear {words}", self._ear_setter(ear))
        add_action(menu, "S&wap the sides", lambda: listening.set_swapped(not listening.is_swapped))
        add_action(menu, "&Turned down, so that no sum goes over", lambda: listening.set_safe(not listening.is_safe))
        menu.addSeparator()
        add_action(menu, "&Hear all files again", self._hear_all)
        self.simulated_action = add_action(menu, "S&imulated output instead of the device", self._choose_output)
        self.simulated_action.setCheckable(True)
        self.simulated_action.setChecked(self._settings.text("output") == "simulated")
        listening.player.simulated = self.simulated_action.isChecked()
        self.record_action = add_action(menu, "Simulated output writes a &WAV…", self._choose_record)
        self.record_action.setCheckable(True)

    def _ear_setter(self, ear: Ear) -> Callable[[], None]:
        return lambda: self.listening.set_ear(ear)

    def _choose_output(self) -> None:
        simulated = self.simulated_action.isChecked()
        self.listening.player.simulated = simulated
        self._settings.set_text("output", "simulated" if simulated else "device")

    def _choose_record(self) -> None:
        """Ask where the simulated output writes what it plays; never to a client's file."""
        self.listening.record_to = None
        if self.record_action.isChecked():
            proposed = str(self._settings.folder("recording") / "Played.wav")
            chosen, _ = QFileDialog.getSaveFileName(self._bar, "Write what plays", proposed, "WAV (*.wav)")
            if chosen and self.may_record(Path(chosen)):
                self._settings.set_folder("recording", Path(chosen).parent)
                self.listening.record_to = Path(chosen)
        self.record_action.setChecked(self.listening.record_to is not None)

    def may_record(self, path: Path) -> bool:
        """Whether what plays may be written there; says why not."""

        if not may_save(self._bar, path, self._state.client):
            return False
        try:
            require_not_the_clients(path, self._state.client, into_delivery=True)
        except CannotWrite as refused:
            self.said.emit(readable(str(refused)))
            return False
        return True

    def _hear_all(self) -> None:
        self.listening.set_solo(frozenset())
        self.listening.set_muted(frozenset())
        self.listening.trim(list(self.listening.trims_db), None)

    def play_alone(self) -> None:
        if self.is_on_line_up:
            self._line_up.listening.play_alone()
        else:
            self.play_on_bench()

    def play(self) -> None:
        """Play what the view that is shown is about, or stop."""
        if self.listening.is_playing:
            self.listening.halt()
        elif self.is_on_line_up:
            self._line_up.listening.play()
        elif self._page is self._mix_match:
            self._mix_match.listening.play()
        else:
            self.play_on_bench()

    def play_lanes(self, lanes: Sequence[Lane], at_s: float) -> None:
        """Play files of the line-up; the rough mix is what their sum is compared with, unless it is all there is."""

        is_placed = self._bar.placed_button.isChecked()
        levels = self._levels()
        is_against = any(ln.track.role is not Role.ROUGH_MIX for ln in lanes)
        soundings = [
            Sounding(
                ln.track,
                ln.placement.frames if ln.placement is not None and is_placed else 0,
                "mix" if is_against and ln.track.role is Role.ROUGH_MIX else "sum",
                levels.get(ln.track.path),
            )
            for ln in lanes
        ]
        self._played = (tuple(lanes), at_s)
        self.listening.play(soundings, self._state.sources, rate_hz=self._line_up.canvas.axis.rate_hz, at_s=at_s)

    def _levels(self) -> dict[str, Gains]:
        """How loud files are in the rough mix: as the user took it over, else as it was found."""
        found: dict[str, Gains] = {}
        for song in self._state.delivery.sets if self._state.delivery is not None else ():
            if song.mix_match is not None and song.mix_match.can_judge:
                found |= {path: f.gains for path, f in song.in_mix.items() if f.presence == "in"}
        return found | dict(self._state.corrections.levels)

    def play_soundings(self, soundings: Sequence[Sounding], at_s: float) -> None:
        """Play the rough mix and its files as the mix match has them."""
        rates = [s.track.format.rate_hz for s in soundings if s.track.format is not None]
        self._played = None
        if rates:
            self.listening.play(soundings, self._state.sources, rate_hz=rates[0], at_s=at_s)

    def play_again(self) -> None:
        """What plays goes on where it is, with the files where they are to be now."""
        position = self.listening.position_s
        if position is not None and self._played is not None:
            self.play_lanes(self._played[0], position)

    def play_on_bench(self) -> None:
        """Hear the file on the bench, or stop what plays."""

        row = self.row
        if self.listening.is_playing:
            self.listening.halt()
        elif row is not None and row.track.format is not None:
            rate = row.track.format.rate_hz
            self._played = None
            at_s = self._bench.waveform.listen_from / rate
            self.listening.play([Sounding(row.track)], self._state.sources, rate_hz=rate, at_s=at_s)

    def toggle_loop(self) -> None:
        """Loop the finding that the view is at, or no longer."""

        row, mark = self.row, self._bench.waveform.current_mark
        if self.is_on_line_up or self.listening.loop_s is not None:
            self._line_up.listening.toggle_loop()
        elif row is None or row.track.format is None or mark is None:
            self._bar.show_state()
            self.said.emit("There is no marked place to loop: go to one with N.")
        else:
            rate = row.track.format.rate_hz
            begin, end = mark.place.frame / rate, (mark.place.frame + mark.place.frames) / rate
            self.listening.set_loop((max(0.0, begin - LEAD_IN_S), end + LEAD_OUT_S))

    def show_playing(self) -> None:
        """The place that is heard, on the bench and in the line under the views."""
        row, position = self.row, self.listening.position_s
        rate = row.track.format.rate_hz if row is not None and row.track.format is not None else 0
        is_here = position is not None and row is not None and row.track.path in self.listening.paths
        self._bench.waveform.show_playing(position * rate if is_here and position is not None else None)
        self._bench.listen.setText("Stop" if self.listening.is_playing else "Play")
        self.changed.emit()
