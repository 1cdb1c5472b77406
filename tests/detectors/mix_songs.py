"""Songs with their rough mixes, made from code: what each file's place, level and part in the mix is, is known.

The mix is the plain sum of the parts under faders and pan pots, or that sum through a bus: equalised, compressed,
limited; coded as MP3; with a part that nobody sent; with files that are in no mix.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray
from scipy.signal import butter, fftconvolve, lfilter, sosfilt

from deep_tally.demo.synth import RATE_HZ
from detectors.clean import PLAYED, PROGRAMMED, Song
from detectors.coding import coded

Sound = NDArray[np.float64]
Random = np.random.Generator
_LOOPED = ("Arpeggio", "Organ", "Hat", "Kick (programmed)", "Worn loop")
_LEAST, _MOST = 12, 24


@dataclass(frozen=True)
class Sent:
    """A file as it is sent: float64 [shape=(frames, channels)], the frame of the song it begins at, its two gains."""

    sound: Sound
    start: int = 0
    gains: tuple[float, float] = (0.0, 0.0)

    @property
    def is_in_mix(self) -> bool:
        return self.gains != (0.0, 0.0)

    @property
    def level_db(self) -> float:
        """Of both sides together: 0 dB where each side has it at unity."""
        return float(10 * np.log10(np.mean(np.square(self.gains))))


@dataclass(frozen=True)
class MixSong:
    """The files of a song and its rough mix, float64 [shape=(frames, 2)]."""

    files: Mapping[str, Sent]
    mix: Sound
    unsent: Mapping[str, Sent] = field(default_factory=dict)


def as_sides(sound: Sound) -> Sound:
    """Two columns, whatever there was."""
    sound = sound.reshape(len(sound), -1)
    return np.repeat(sound, 2, axis=1) if sound.shape[1] == 1 else sound


def part_in_mix(sent: Sent, frames: int) -> Sound:
    """What a file gives to the mix."""
    out = np.zeros((frames, 2))
    sides = as_sides(sent.sound) * np.array(sent.gains)
    stop = min(frames, sent.start + len(sides))
    out[sent.start : stop] = sides[: stop - sent.start]
    return out


def song(seed: int, *, seconds: float = 40.0, parts: int | None = None) -> MixSong:
    """A song of 12 to 24 parts, each with a level and a place between the sides of its own, as a plain sum."""
    random = np.random.default_rng((181, seed))
    made = Song(7000 + seed, seconds)
    makers = {**PLAYED, **{f"{name} (programmed)": make for name, make in PROGRAMMED.items()}}
    makers.pop("Sub (programmed)")
    count = int(random.integers(_LEAST, _MOST + 1)) if parts is None else parts
    files: dict[str, Sent] = {}
    for name in random.permutation(list(makers))[:count].tolist():
        sound = makers[name](made).reshape(made.frames, -1)
        sound = sound / max(1e-9, float(np.abs(sound).max())) * 10 ** (random.uniform(-14, -6) / 20)
        files[f"{len(files) + 1:02d} {name}.wav"] = Sent(sound, 0, _gains(random, sound.shape[1]))
    return mixed(files, made.frames)


def _gains(random: Random, channels: int) -> tuple[float, float]:
    """A fader and a pan pot of constant power."""
    fader, angle = 10 ** (random.uniform(-9, 3) / 20), np.pi / 4 * (1 + random.uniform(-0.8, 0.8) * (channels == 1))
    return float(fader * np.cos(angle) * np.sqrt(2)), float(fader * np.sin(angle) * np.sqrt(2))


def mixed(files: Mapping[str, Sent], frames: int, unsent: Mapping[str, Sent] | None = None) -> MixSong:
    """The plain sum, at a peak of 0.7."""
    every = [*files.values(), *(unsent or {}).values()]
    total = sum((part_in_mix(sent, frames) for sent in every if sent.is_in_mix), np.zeros((frames, 2)))
    scale = 0.7 / float(np.abs(total).max())
    scaled = {n: replace(s, gains=(s.gains[0] * scale, s.gains[1] * scale)) for n, s in files.items()}
    return MixSong(scaled, total * scale, dict(unsent or {}))


def bussed(mix: Sound) -> Sound:
    """A mild mix bus: a high-pass, a shelf, two to one of compression, two decibels of limiting (common practice)."""
    x = sosfilt(butter(2, 30, "high", fs=RATE_HZ, output="sos"), mix, axis=0)
    treble = x - lfilter(*butter(1, 6000 / (RATE_HZ / 2)), x, axis=0)
    x = x + 0.2 * treble
    level = np.abs(x).max(axis=1)
    smooth = np.maximum(lfilter([0.003], [1, -0.997], level), 1e-6)
    threshold = np.quantile(smooth, 0.5)
    gain = np.minimum(1.0, (smooth / threshold) ** -0.5)
    gain = lfilter([0.0006], [1, -0.9994], gain - 1) + 1
    x = x * gain[:, None]
    x = x / np.abs(x).max() * 1.25
    return np.tanh(x * 0.9) / 0.9 * 0.95


def with_effects(made: MixSong, effect: str, random: Random) -> Sound:
    """The mix of a song whose parts went through an effect that nobody sent."""
    parts = (part_in_mix(sent, len(made.mix)) for sent in made.files.values() if sent.is_in_mix)
    total: Sound = sum((EFFECTS[effect](part, random) for part in parts), np.zeros_like(made.mix))
    return total * 0.7 / float(np.abs(total).max())


def _reverberated(part: Sound, random: Random) -> Sound:
    """Six decibels under the part: noise that decays by 60 dB in a second or so (a common model of a room)."""
    frames = round(random.uniform(0.5, 2.0) * RATE_HZ)
    room = random.standard_normal((frames, 2)) * 10 ** (-3 * np.arange(frames) / frames)[:, None]
    room[: RATE_HZ // 100] = 0.0
    wet = fftconvolve(part, room, axes=0)[: len(part)]
    return part + wet * 0.5 * np.sqrt(np.square(part).mean() / max(float(np.square(wet).mean()), 1e-20))


def _later(part: Sound, seconds: float) -> Sound:
    frames = round(seconds * RATE_HZ)
    return np.concatenate([np.zeros((frames, 2)), part[:-frames]])


def _echoed(part: Sound, random: Random) -> Sound:
    return part + 0.6 * _later(part, 0.375) + 0.36 * _later(part, 0.75)


def _doubled(part: Sound, random: Random) -> Sound:
    return part + 0.8 * _later(part, float(random.uniform(0.01, 0.025)))


def _equalised(part: Sound, random: Random) -> Sound:
    low = lfilter(*butter(1, 400 / (RATE_HZ / 2)), part, axis=0)
    high = part - lfilter(*butter(1, 2500 / (RATE_HZ / 2)), part, axis=0)
    gains = 10 ** (random.uniform(-6, 6, 3) / 20)
    return gains[0] * low + gains[1] * (part - low - high) + gains[2] * high


def _ridden(part: Sound, random: Random) -> Sound:
    time, gains_db = np.linspace(0, 1, len(part)), random.uniform(-6, 6, 7)
    return part * (10 ** (np.interp(time, np.linspace(0, 1, 7), gains_db) / 20))[:, None]


EFFECTS: Mapping[str, Callable[[Sound, Random], Sound]] = {
    "reverberation": _reverberated,
    "echoes": _echoed,
    "doubling": _doubled,
    "equalising": _equalised,
    "rides": _ridden,
}


def as_mp3(mix: Sound, kbit: int = 192) -> Sound:
    return coded(mix, RATE_HZ, "libmp3lame", kbit)


def write(folder: Path, made: MixSong, *, mix_name: str = "Harbour Clock rough mix.wav") -> Path:
    """The delivery on disk, 24 bits."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, sent in made.files.items():
        soundfile.write(folder / name, sent.sound, RATE_HZ, subtype="PCM_24")
    soundfile.write(folder / mix_name, made.mix, RATE_HZ, subtype="PCM_24")
    return folder
