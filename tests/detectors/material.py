"""Varied clean files for the tables of detectors: rendered instruments, programmed parts, recordings.

Even numbers are for tuning, odd ones for proof: the two share no recorded note and no recording, and no seed.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray

from deep_tally.demo.synth import RATE_HZ
from detectors.clean import PLAYED, PROGRAMMED, Song
from detectors.recordings import recordings
from detectors.sound_font import Note, notes

Sound = NDArray[np.float64]
KINDS = ("rendered", "programmed", "recorded")
MAKES = (*KINDS, "noise")
SECONDS = 8.0
_NEIGHBOURS = 4
_WHOLE = 0.9
_CODED = (".oga", ".ogg")
_RELEASE_S = (0.03, 0.3)


@dataclass(frozen=True, slots=True)
class Material:
    """A clean file: float64 [shape=(frames,) or (frames, channels)], its peak at 0.5, and its rate."""

    kind: str
    number: int
    name: str
    sound: Sound
    rate_hz: int

    @property
    def is_proof(self) -> bool:
        return self.number % 2 == 1

    @property
    def mono(self) -> Sound:
        return self.sound if self.sound.ndim == 1 else self.sound.mean(axis=1)


@cache
def _halves(rate_hz: int | None) -> tuple[tuple[Note, ...], tuple[Note, ...]]:
    """Neighbouring notes are mostly of one instrument, so they stay together."""
    fitting = [note for note in notes() if rate_hz in (None, note.rate_hz)]
    groups = [fitting[at : at + _NEIGHBOURS] for at in range(0, len(fitting), _NEIGHBOURS)]
    return tuple(n for g in groups[0::2] for n in g), tuple(n for g in groups[1::2] for n in g)


def _sounding(noise: np.random.Generator, note: Note, seconds: float, rate_hz: int) -> Sound:
    """The note for so long: what can be repeated is, a stroke rings as it was recorded."""
    sound, (loop, loop_end) = note.samples(), note.loop
    is_stroke = loop_end - loop > _WHOLE * note.frames or not loop_end
    if not is_stroke:
        wanted = round(seconds * note.rate_hz)
        times = max(0, -(-(wanted - loop_end) // (loop_end - loop)))
        sound = np.concatenate([sound[:loop_end], np.tile(sound[loop:loop_end], times)])[:wanted]
        release = round(noise.uniform(*_RELEASE_S) * note.rate_hz)
        fade = np.ones(len(sound))
        fade[-release:] = np.exp(-6.9 * np.linspace(0, 1, len(fade[-release:])))
        sound = sound * fade
    return sound if note.rate_hz == rate_hz else soxr.resample(sound, note.rate_hz, rate_hz)


def rendered(number: int, *, rate_hz: int = RATE_HZ, only_rate: bool = False, seconds: float = SECONDS) -> Material:
    """A phrase of recorded notes of one instrument, at levels of its own; a second of rest at the end."""
    noise = np.random.default_rng((91, number))
    half = _halves(rate_hz if only_rate else None)[number % 2]
    if not half:
        return _made("rendered", number, "nothing", np.zeros(1), rate_hz)  # no sound font is installed
    first = int(noise.integers(0, len(half) // _NEIGHBOURS)) * _NEIGHBOURS
    chosen = half[first : first + _NEIGHBOURS]
    track = np.zeros(round(seconds * rate_hz))
    at = noise.uniform(0.2, 0.6)
    while at < seconds - 2.0:
        held = noise.uniform(0.3, 1.2)
        sound = _sounding(noise, chosen[int(noise.integers(0, len(chosen)))], held, rate_hz)
        start = round(at * rate_hz)
        track[start : start + len(sound)] += noise.uniform(0.25, 1.0) * sound[: len(track) - start]
        at += held + noise.uniform(-0.1, 0.4)
    rest = rate_hz
    track[-rest:] *= np.linspace(1, 0, rest) ** 3
    return _made("rendered", number, chosen[0].name, track, rate_hz)


def programmed(number: int, *, seconds: float = SECONDS + 3) -> Material:
    """A part of the clean deliveries: every second one played by code, the others square, gated, chopped."""
    parts = {**PLAYED, **{f"{name} (programmed)": make for name, make in PROGRAMMED.items()}}
    name = list(parts)[number // 2 % len(parts)]
    return _made("programmed", number, name, parts[name](Song(5000 + number, seconds)), RATE_HZ)


def recorded(number: int) -> Material:
    """A recording as it came: what the registries' packages have that was never coded, then notes of sound fonts."""
    paths = [path for path in recordings() if path.suffix not in _CODED][number % 2 :: 2]
    at = number // 2
    if at < len(paths):
        try:
            sound, rate = soundfile.read(paths[at])
        except soundfile.LibsndfileError:
            sound, rate = np.zeros(0), 0
        if len(sound) > rate // 4 and np.abs(sound).max() > 0:
            return _made("recorded", number, paths[at].stem, sound, rate)
    half = _halves(None)[number % 2]
    if not half:
        return _made("recorded", number, "nothing", np.zeros(1), RATE_HZ)
    note = half[(at * 37) % len(half)]
    return _made("recorded", number, note.name, note.samples(), note.rate_hz)


@cache
def _noisy(half: int) -> tuple[Note, ...]:
    """Cymbals, shakers, bells, breath: what crosses zero in every eighth sample or oftener."""
    return tuple(n for n in _halves(None)[half] if _crossings(n.samples()[:20_000]) >= 1 / 8)


def _crossings(x: Sound) -> float:
    return np.count_nonzero(np.diff(np.sign(x)) != 0) / len(x)


def noise(number: int, *, seconds: float = SECONDS) -> Material:
    """Strokes of one noise-like sound on a loose grid; one repeated to the sample where no sound font is installed."""
    random = np.random.default_rng((92, number))
    half = _noisy(number % 2)
    if not half:
        return _made("noise", number, "Hat", PROGRAMMED["Hat"](Song(6000 + number, seconds)), RATE_HZ)
    note = half[int(random.integers(0, len(half)))]
    track, at = np.zeros(round(seconds * note.rate_hz)), 0.2
    while at < seconds - 2:
        start, stroke = round(at * note.rate_hz), note.samples()
        track[start : start + len(stroke)] += random.uniform(0.4, 1) * stroke[: len(track) - start]
        at += random.choice([0.125, 0.25, 0.5]) * random.uniform(0.99, 1.01)
    track[-note.rate_hz :] *= np.linspace(1, 0, note.rate_hz)
    return _made("noise", number, note.name, track, note.rate_hz)


def material(kind: str, count: int, *, start: int = 0) -> Iterator[Material]:
    """So many files of a kind."""
    makers = {"rendered": rendered, "programmed": programmed, "recorded": recorded, "noise": noise}
    return (makers[kind](number) for number in range(start, start + count))


def _made(kind: str, number: int, name: str, sound: Sound, rate_hz: int) -> Material:
    return Material(kind, number, name, 0.5 * sound / max(1e-9, float(np.abs(sound).max())), rate_hz)
