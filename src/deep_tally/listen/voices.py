"""A file as it lies in the song: frames at its own rate, from any frame on, read ahead."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.intake.pcm import PcmReader
from deep_tally.intake.reading import open_sound
from deep_tally.intake.sound import SoundReader
from deep_tally.listen.plan import Voice

_FETCHED_AT_ONCE_S, _FETCHED_MOST_S = 1.0, 30.0
_SIDES = 2


class Source:
    """Frames of one voice; frame 0 is the song's start. Outside of the file is silence.

    Raises
    ------
    UnreadableSound
        The file cannot be opened; later, when reading, that it cannot be read any more.
    """

    def __init__(self, voice: Voice) -> None:
        self.voice = voice
        self._reader: SoundReader = open_sound(voice.source)
        sound = self._reader.format
        self._frames = sound.frames
        self._sides = min(_SIDES, sound.channels)
        self.rate_hz = sound.rate_hz
        self._fetched = 0

    def close(self) -> None:
        """Let go of the file."""
        self._reader.close()

    def add_to(self, total: NDArray[np.float64], start: int, gains: tuple[float, float]) -> None:
        """Add its frames from frame `start` on, times a gain for each side, to both sides of a sum [shape=(frames, 2)].

        A mono file is heard on both sides as loud as it is; of more than two channels the first two are heard. What is
        no number is silent.
        """
        first = self.voice.start_frames
        begin, stop = max(start, first), min(start + len(total), first + self._frames)
        if stop <= begin:
            return
        samples = self._reader.read(begin - first, stop - begin).samples[:, : self._sides]
        if not np.isfinite(samples).all():
            samples = np.nan_to_num(samples, nan=0.0, posinf=0.0, neginf=0.0)
        target = total[begin - start : begin - start + len(samples)]
        for side, gain in enumerate(gains):
            sound = samples[:, min(side, self._sides - 1)]
            target[:, side] += sound if gain == 1.0 else sound * gain

    def fetch(self, start: int, seconds: float) -> None:
        """Have the system bring in what lies up to so far after a frame, while other things are done."""
        if isinstance(self._reader, PcmReader):
            own = max(0, start - self.voice.start_frames)
            if not own <= self._fetched <= own + round(_FETCHED_MOST_S * self.rate_hz):
                self._fetched = own
            # Little by little: what is needed now must not wait behind seconds of 80 files.
            most = self._fetched + round(_FETCHED_AT_ONCE_S * self.rate_hz)
            stop = min(self._frames, own + round(seconds * self.rate_hz), most)
            if stop > self._fetched:
                self._reader.will_need(self._fetched, stop - self._fetched)
                self._fetched = stop
