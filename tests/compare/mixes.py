"""Small songs with their mixes, in memory: what each file's place and gains are is known."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import partial
from typing import Self

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, lfilter

from deep_tally.compare.mix_match import match
from deep_tally.compare.mix_search import MixSearch, Source
from deep_tally.compare.mix_timeline import Converted, OnTimeline
from deep_tally.intake.sound import Block
from deep_tally.model.files import SoundFormat
from deep_tally.model.mix_match import MatchedFile, MixMatch
from detectors.mix_songs import MixSong, Sent, mixed
from sounds import RATE, ArrayReader

Sound = NDArray[np.float64]
SECONDS = 8.0


class Reader:
    """A sound in memory, as a reader of a file."""

    def __init__(self, sound: Sound) -> None:
        self._inner = ArrayReader(sound, bits=None)

    @property
    def format(self) -> SoundFormat:
        return self._inner.format

    def read(self, start: int, frames: int) -> Block:
        return self._inner.read(start, frames)

    def close(self) -> None:
        pass

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *args: object) -> None:
        pass


def on_timeline(sound: Sound, start: int = 0) -> OnTimeline:
    """A sound where it begins."""
    return OnTimeline(Reader(sound), start)


def small(seed: int, count: int = 5, seconds: float = SECONDS) -> MixSong:
    """Struck noise and tones, each in a band and at times of its own; every second one stereo."""
    random = np.random.default_rng((311, seed))
    frames = round(seconds * RATE)
    files = {}
    for number in range(count):
        low = random.uniform(80, 6000)
        band = butter(2, [low / (RATE / 2), min(0.9, 1.8 * low / (RATE / 2))], "band")
        noise = lfilter(*band, random.standard_normal((frames, 1 + number % 2)), axis=0)
        level = np.repeat(random.random(frames // 6000 + 1) ** 3, 6000)[:frames, None]
        sound = noise * level * (np.arange(frames) < frames - RATE)[:, None]
        sound *= 0.4 / np.abs(sound).max()
        fader, pan = random.uniform(0.2, 1.0), random.uniform(0.3, 1.0)
        files[f"{number + 1:02d} Part.wav"] = Sent(sound, 0, (fader, fader * pan))
    return mixed(files, frames)


def stranger(seed: int) -> Sent:
    """A file that is in no mix."""
    return replace(next(iter(small(900 + seed, 1).files.values())), gains=(0.0, 0.0))


def sources_of(files: Mapping[str, Sent]) -> list[Source]:
    """The files as they are looked for, with the moments at which they are loud."""
    made = []
    for path, sent in files.items():
        energy = np.add.reduceat(np.square(sent.sound).sum(axis=1), np.arange(0, len(sent.sound), RATE // 2))
        loud = (np.argsort(-energy)[:12] * (RATE // 2)).tolist()
        made.append(Source(path, partial(on_timeline, sent.sound), loud, partial(_at_speed, sent.sound)))
    return made


def _at_speed(sound: Sound, speed: float, start: int) -> OnTimeline:
    return OnTimeline(Converted(Reader(sound), RATE, speed=speed), start)


def matched(files: Mapping[str, Sent], mix: Sound) -> MixMatch:
    """A whole match."""
    sources = sources_of(files)
    return match("mix.wav", MixSearch(on_timeline(mix), sources, lambda done: None), sources, ())


def of(found: MixMatch, path: str) -> MatchedFile:
    """What was found of one file."""
    return next(f for f in found.files if f.path == path)
