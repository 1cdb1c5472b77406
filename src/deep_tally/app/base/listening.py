"""What plays in the window: files become a plan, the player's reports become signals. Nothing here waits."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from deep_tally.listen.peak_bound import Addend, attenuation_db, sum_bound_dbfs
from deep_tally.listen.plan import Begun, Bus, Controls, Ear, Ended, Heard, HeardBus, Missing, Plan, Voice
from deep_tally.listen.player_process import Player
from deep_tally.model.delivery import Track
from deep_tally.reply.action_words import readable

_POLL_MS = 30
_TRIM_MOST_DB = 24.0
_LEAST_GAIN = 1e-6


@dataclass(frozen=True, slots=True)
class Sounding:
    """A file that is to sound: `start_frames` of its own rate later than the song's start; its gains in the mix."""

    track: Track
    start_frames: int = 0
    bus: Bus = "sum"
    gains: tuple[float, float] | None = None


class Listening(QObject):
    """Plays files and holds how they are heard. All signals are sent after the change they report."""

    moved = Signal()
    """`heard` is new: where it is, and the levels."""
    changed = Signal()
    """What plays, or how, is another."""
    said = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.player = Player()
        self.heard: Heard | None = None
        self.begun: Begun | None = None
        self.record_to: Path | None = None
        self.is_safe = True
        """Whether a sum is turned down so that it cannot go over full scale."""
        self.safe_db = 0.0
        """By how much that is for what plays, or played last."""
        self.solo: frozenset[str] = frozenset()
        self.muted: frozenset[str] = frozenset()
        self.trims_db: dict[str, float] = {}
        self.paths: tuple[str, ...] = ()
        self.has_mix = False
        self.soundings: tuple[Sounding, ...] = ()
        self._sources: Mapping[str, Path] = {}
        self._rate_hz = 48_000
        self._loop_s: tuple[float, float] | None = None
        self._bus: HeardBus = "sum"
        self._is_at_mix_levels = False
        self._ear: Ear = "stereo"
        self._is_swapped = False
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self._poll)

    def close(self) -> None:
        """End the player."""
        self._timer.stop()
        self.player.close()

    def warm_up(self) -> None:
        """Start the player's process while nobody waits for it."""
        self.player.warm_up()

    def forget(self) -> None:
        """Another delivery: nothing plays, nothing is alone, silent or trimmed."""
        self.halt()
        self.solo, self.muted, self.trims_db = frozenset(), frozenset(), {}
        self._loop_s, self.heard = None, None
        self._bus, self._is_at_mix_levels = "sum", False
        self.changed.emit()

    # -- playing ------------------------------------------------------------------------------

    @property
    def is_playing(self) -> bool:
        """Whether something plays, or is about to."""
        return self.player.is_playing

    @property
    def position_s(self) -> float | None:
        """Where it is in the song; None while nothing plays."""
        return self.heard.seconds if self.heard is not None and self.is_playing else None

    def play(
        self,
        soundings: Sequence[Sounding],
        sources: Mapping[str, Path],
        *,
        rate_hz: int,
        at_s: float,
        end_s: float | None = None,
    ) -> None:
        """Play files together from a moment of the song on, to their end or to another moment."""
        listed = tuple(s for s in soundings if s.track.format is not None and s.track.path in sources)
        if not listed:
            self.said.emit("Nothing can be played here: choose files that can be read.")
            return
        ends = [(s.start_frames + s.track.format.frames) / s.track.format.rate_hz for s in listed if s.track.format]
        end = max(ends) if end_s is None else end_s
        if at_s >= end:
            at_s = min(0.0, *(s.start_frames / s.track.format.rate_hz for s in listed if s.track.format))
        self.soundings, self._sources, self._rate_hz = listed, sources, rate_hz
        self.paths = tuple(s.track.path for s in listed)
        self.has_mix = {s.bus for s in listed} == {"sum", "mix"}
        if not self.has_mix:
            self._bus = listed[0].bus
        elif self._bus == "remainder" and not self.has_levels:
            self._bus = "sum"
        self._find_safe_level()
        voices = tuple(
            Voice(
                path=s.track.path,
                source=sources[s.track.path],
                start_frames=s.start_frames,
                bus=s.bus,
                gains=s.gains,
            )
            for s in listed
        )
        self.heard = None
        plan = Plan(rate_hz=rate_hz, voices=voices, end_s=end, record_to=self.record_to)
        self.player.play(plan, self.controls, at_s)
        self._timer.start()
        self.changed.emit()

    def halt(self) -> None:
        """Stop."""
        self.player.halt()

    def _find_safe_level(self) -> None:
        """How much must be turned down for no sum of what plays to go over: of all files, so that it stays fixed."""
        buses: dict[Bus, list[Addend]] = {"sum": [], "mix": []}
        for sounding in self.soundings:
            measures, sound = sounding.track.measures, sounding.track.format
            if measures is not None and sound is not None:
                buses[sounding.bus].append(
                    Addend(
                        measures=measures,
                        rate_hz=sound.rate_hz,
                        start_s=sounding.start_frames / sound.rate_hz,
                        gain_db=self.trims_db.get(sounding.track.path, 0.0) + self._level_db(sounding),
                        is_converted=sound.rate_hz != self._rate_hz,
                    )
                )
        self.safe_db = max(attenuation_db(sum_bound_dbfs(addends)) for addends in buses.values())

    def _level_db(self, sounding: Sounding) -> float:
        """How loud a file plays by the mix's levels, on its louder side."""
        if not self._is_at_mix_levels or sounding.gains is None:
            return 0.0
        return 20 * math.log10(max(_LEAST_GAIN, *(abs(gain) for gain in sounding.gains)))

    # -- how it is heard ----------------------------------------------------------------------

    @property
    def controls(self) -> Controls:
        """How it is heard now."""
        heard_alone = self.solo & set(self.paths)
        silent = self.muted | (set(self.paths) - heard_alone if heard_alone else set())
        loop = None
        rate = self.begun.rate_hz if self.begun is not None and self.is_playing else self._rate_hz
        if self._loop_s is not None:
            loop = round(self._loop_s[0] * rate), round(self._loop_s[1] * rate)
        return Controls(
            silent=frozenset(silent),
            gains_db=dict(self.trims_db),
            bus=self._bus,
            is_at_mix_levels=self._is_at_mix_levels,
            ear=self._ear,
            is_swapped=self._is_swapped,
            down_db=self.safe_db if self.is_safe else 0.0,
            loop=loop,
        )

    def _change(self) -> None:
        self.player.change(self.controls)
        self.changed.emit()

    def set_solo(self, paths: frozenset[str]) -> None:
        """Only these are heard; none means all."""
        self.solo = paths
        self._change()

    def set_muted(self, paths: frozenset[str]) -> None:
        """These are not heard."""
        self.muted = paths
        self._change()

    def trim(self, paths: Sequence[str], db: float | None) -> None:
        """Turn files up or down together, so that their balance stays; None puts them back."""
        if db is None:
            for path in paths:
                self.trims_db.pop(path, None)
        else:
            now = [self.trims_db.get(p, 0.0) for p in paths]
            # At the end of the range all of them stop, or the balance would go.
            step = min(max(db, -_TRIM_MOST_DB - min(now)), _TRIM_MOST_DB - max(now))
            for path, trim in zip(paths, now, strict=True):
                self.trims_db[path] = trim + step
                if not self.trims_db[path]:
                    del self.trims_db[path]
        self._find_safe_level()
        self._change()

    def set_bus(self, bus: HeardBus) -> None:
        """Hear the sum of the trackouts, the rough mix, or what is left of it without them."""
        self._bus = bus
        self._change()

    @property
    def bus(self) -> HeardBus:
        """Which of them is heard."""
        return self._bus

    @property
    def has_levels(self) -> bool:
        """Whether it is known how loud the rough mix has what plays."""
        return any(s.gains is not None for s in self.soundings)

    def set_at_mix_levels(self, is_at_mix_levels: bool) -> None:
        """Hear the files as loud as the rough mix has them, or as they are."""
        self._is_at_mix_levels = is_at_mix_levels
        self._find_safe_level()
        self._change()

    @property
    def is_at_mix_levels(self) -> bool:
        """Whether files play as loud as the rough mix has them."""
        return self._is_at_mix_levels

    def set_ear(self, ear: Ear) -> None:
        """Hear both sides, their mono sum, or only their difference."""
        self._ear = ear
        self._change()

    @property
    def ear(self) -> Ear:
        """What is heard of the two sides."""
        return self._ear

    def set_swapped(self, is_swapped: bool) -> None:
        """Swap left and right."""
        self._is_swapped = is_swapped
        self._change()

    @property
    def is_swapped(self) -> bool:
        """Whether left and right have changed places."""
        return self._is_swapped

    def set_safe(self, is_safe: bool) -> None:
        """Turn the sum down by a fixed amount so that it cannot go over, or not."""
        self.is_safe = is_safe
        self._change()

    def set_loop(self, loop_s: tuple[float, float] | None) -> None:
        """Play a stretch over and over; None ends that."""
        self._loop_s = loop_s
        self._change()

    @property
    def loop_s(self) -> tuple[float, float] | None:
        """The stretch that is played over and over."""
        return self._loop_s

    # -- reports ------------------------------------------------------------------------------

    def _poll(self) -> None:
        for report in self.player.poll():
            if isinstance(report, Heard):
                self.heard = report
                self.moved.emit()
            elif isinstance(report, Begun):
                self.begun = report
                if self._loop_s is not None and report.rate_hz != self._rate_hz:
                    self.player.change(self.controls)  # frames of the loop count at the device's rate
                self.changed.emit()
            elif isinstance(report, Missing):
                self.said.emit(f"Left out: {readable(report.words)}")
            elif isinstance(report, Ended) and report.trouble:
                self.said.emit(report.trouble)
        if not self.is_playing:
            self._timer.stop()
            if self.heard is not None:
                self.heard = replace(self.heard, peak_dbfs=(-float("inf"),) * 2, rms_dbfs=(-float("inf"),) * 2)
            self.moved.emit()
            self.changed.emit()

    @property
    def output_words(self) -> str:
        """Where the sound goes, in words; empty before anything played."""
        if self.begun is None:
            return ""
        if not self.begun.is_simulated:
            return self.begun.output
        return f"Simulated output, not heard: {self.begun.why}"
