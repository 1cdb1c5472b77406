"""Listening in the mix match: the rough mix, the files as it has them, and what is left of it without them."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from deep_tally.app.base.listening import Listening, Sounding
from deep_tally.app.mix_match.mix_strip import MixStrip
from deep_tally.model.delivery import SongSet

_AROUND_S = 0.5
"""What is heard before and after a stretch that is played over and over."""


class MixListening(QObject):
    """Plays the mix and its files at the places and levels that were found, whatever else is said of them.

    `play_wanted` sends (soundings, seconds after the song's start).
    """

    play_wanted = Signal(object, float)

    def __init__(self, listening: Listening, strip: MixStrip, parent: QObject) -> None:
        super().__init__(parent)
        self._listening, self._strip = listening, strip
        self._song: SongSet | None = None
        strip.span_pressed.connect(self.play_span)
        listening.moved.connect(self._show_playing)
        listening.changed.connect(self._show_playing)

    def show_song(self, song: SongSet | None) -> None:
        """What there is to hear."""
        self._song = song

    @property
    def _late_s(self) -> float:
        """How much later the song begins in the mix than in the files."""
        match = self._song.mix_match if self._song is not None else None
        return match.offset_frames / match.rate_hz if match is not None else 0.0

    def play(self) -> None:
        """Play from the stretch that is chosen, else from where the strip was clicked; stop what plays."""
        if self._listening.is_playing:
            self._listening.halt()
        elif self._strip.current is not None:
            self._play_loop(self._strip.current)
        else:
            self._listening.set_loop(None)
            self._play_from(self._strip.cursor_s - self._late_s)

    def play_span(self, number: int) -> None:
        """Play a stretch over and over: what is left there of the mix, unless something else is being heard."""
        if not self._listening.is_playing:
            self._listening.set_bus("remainder")
        self._play_loop(number)

    def _play_loop(self, number: int) -> None:
        loop = self._loop_at(number)
        self._listening.set_loop(loop)
        self._play_from(loop[0])

    def _play_from(self, seconds: float) -> None:
        self._listening.set_at_mix_levels(True)
        self.play_wanted.emit(self._soundings(), seconds)

    def _loop_at(self, number: int) -> tuple[float, float]:
        match = self._song.mix_match if self._song is not None else None
        if match is None:
            return 0.0, 0.0
        span = match.spans[number]
        return max(0.0, span.start_s - _AROUND_S) - self._late_s, span.stop_s + _AROUND_S - self._late_s

    def _soundings(self) -> list[Sounding]:
        song = self._song
        match = song.mix_match if song is not None else None
        if song is None or match is None:
            return []
        soundings = []
        for track in song.tracks:
            found = song.in_mix.get(track.path)
            if track.format is None:
                continue
            scale = track.format.rate_hz / match.rate_hz
            if track.path == match.mix:
                soundings.append(Sounding(track, -round(match.offset_frames * scale), "mix"))
            elif found is not None and found.presence == "in":
                soundings.append(Sounding(track, round(found.start_frames * scale), gains=found.gains))
        return soundings

    def _show_playing(self) -> None:
        position = self._listening.position_s
        self._strip.show_playing(position + self._late_s if position is not None else None)
