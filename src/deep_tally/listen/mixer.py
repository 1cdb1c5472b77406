"""The sum of what plays, block by block: float64 in the voices' order, rounded once at the end."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from deep_tally.listen.converter import Converter
from deep_tally.listen.plan import Controls, Missing, Voice
from deep_tally.listen.voices import Source
from deep_tally.model.errors import DeepTallyError

_FIRST_S, _AHEAD_S = 0.3, 4.0
_UNITY = (1.0, 1.0)
_BLOCKS_A_ROUND = 12
"""Blocks in which every file is read ahead once: half a second."""


class Mixer:
    """Opens the files of a plan and adds them up. A file that cannot be read is reported once, and left out.

    Files at the output's rate are added as they are. Files of another rate are added up at their own, where their
    places are whole frames, and the sum is converted.
    """

    def __init__(self, voices: Sequence[Voice], rate_hz: int, tell: Callable[[Missing], None]) -> None:
        self._tell = tell
        self._rate_hz = rate_hz
        self._sources: list[Source] = []
        self._controls = Controls()
        self._next: int | None = None
        self._turn = 0
        for voice in voices:
            try:
                self._sources.append(Source(voice))
            except DeepTallyError as error:
                tell(Missing(path=voice.path, words=str(error)))
        rates = dict.fromkeys(source.rate_hz for source in self._sources)
        self._converters = {own: Converter(self._feeder(own), own, rate_hz) for own in rates if own != rate_hz}

    @property
    def is_empty(self) -> bool:
        """Whether no file is left to play."""
        return not self._sources

    def close(self) -> None:
        """Let go of all files."""
        for source in self._sources:
            source.close()
        self._sources = []

    def mix(self, start: int, frames: int, controls: Controls) -> tuple[NDArray[np.float32], int]:
        """What is heard of `frames` frames: float32 [shape=(frames, 2)], and how many were limited to full scale."""
        self._fetch(start)
        self._controls, self._next = controls, start + frames
        total = np.zeros((frames, 2))
        self._add(total, start, self._rate_hz)
        for converter in self._converters.values():
            total += converter.read(start, frames)
        return _as_heard(total, controls)

    def _feeder(self, own_hz: int) -> Callable[[int, int], NDArray[np.float64]]:
        def feed(start: int, frames: int) -> NDArray[np.float64]:
            total = np.zeros((frames, 2))
            self._add(total, start, own_hz)
            return total

        return feed

    def _add(self, total: NDArray[np.float64], start: int, own_hz: int) -> None:
        """Add all that is heard of one rate."""
        controls = self._controls
        for source in [s for s in self._sources if s.rate_hz == own_hz]:
            voice = source.voice
            gains = _gains(voice, controls)
            if gains is None:
                continue
            try:
                source.add_to(total, start, gains)
            except DeepTallyError as error:
                self._tell(Missing(path=voice.path, words=str(error)))
                source.close()
                self._sources.remove(source)

    def _fetch(self, start: int) -> None:
        """Read ahead. A few files at each block: all at once, the disk would be asked for seconds of 80 files in one
        go, and what is needed now would have to wait for what is not.
        """
        if start != self._next:
            for source in self._sources:
                source.fetch(self._own(source, start), _FIRST_S)
            return
        for _ in range(-(-len(self._sources) // _BLOCKS_A_ROUND)):
            self._turn = (self._turn + 1) % len(self._sources)
            source = self._sources[self._turn]
            source.fetch(self._own(source, start), _AHEAD_S)

    def _own(self, source: Source, frame: int) -> int:
        converter = self._converters.get(source.rate_hz)
        return frame if converter is None else converter.own_frame(frame)


def _gains(voice: Voice, controls: Controls) -> tuple[float, float] | None:
    """What a file is multiplied by on each side; None where it is not heard.

    The remainder is the rough mix without the files it is known to hold: without all of them, or without those that
    are not silent.
    """
    is_remainder = controls.bus == "remainder"
    if is_remainder and voice.bus == "mix":
        return _UNITY
    if voice.path in controls.silent:
        return None
    if is_remainder:
        return (-voice.gains[0], -voice.gains[1]) if voice.gains is not None else None
    if voice.bus != controls.bus:
        return None
    left, right = voice.gains if controls.is_at_mix_levels and voice.gains is not None else _UNITY
    trim_db = controls.gains_db.get(voice.path, 0.0)
    trim = 10 ** (trim_db / 20) if trim_db else 1.0
    return left * trim, right * trim


def _as_heard(total: NDArray[np.float64], controls: Controls) -> tuple[NDArray[np.float32], int]:
    if controls.ear != "stereo":
        sign = 1.0 if controls.ear == "mono" else -1.0
        total[:, 0] = total[:, 1] = (total[:, 0] + sign * total[:, 1]) / 2
    if controls.is_swapped:
        total = total[:, ::-1]
    if controls.down_db:
        total = total * 10 ** (-controls.down_db / 20)
    over = np.abs(total).max(axis=1, initial=0.0) > 1.0
    if over.any():
        total = np.clip(total, -1.0, 1.0)
    return total.astype(np.float32), int(over.sum())
