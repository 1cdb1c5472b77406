"""Clean deliveries, made from code: nothing in them is a fault, much of it looks like one.

Half are played (noise, room, bleed, takes side by side), half programmed (square waves, gates, chops, one-shots at one
velocity, organs and subs that never move, hiss throughout, loops cut at the bar). Each is a folder of `FILES` trackouts
and a rough mix; its seed alone decides what is in it.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray
from scipy.signal import butter, lfilter, oaconvolve

from deep_tally.demo import synth
from deep_tally.demo.synth import RATE_HZ

FILES = 20
TEMPO_BPM = 120
BEAT_S = 60 / TEMPO_BPM
Sound = NDArray[np.float64]
Noise = np.random.Generator
Part = Callable[["Song"], Sound]


class Song:
    """What the parts of one delivery share: its noise, its length, its notes."""

    def __init__(self, seed: int, seconds: float) -> None:
        self.noise = np.random.default_rng((77, seed))
        self.frames = round(seconds * RATE_HZ)
        self.time = np.arange(self.frames) / RATE_HZ
        self.end_s = seconds - 3.0
        self.root = 55.0 * 2 ** (self.noise.integers(0, 12) / 12)

    def hz(self, octave: float = 0) -> float:
        step = int(self.noise.choice([0, 3, 5, 7, 10, 12]))
        return float(self.root * 2 ** (octave + step / 12))

    def track(self) -> Sound:
        return np.zeros(self.frames)

    def beats(self, every: float, *, chance: float = 1.0, start: float = 0.0) -> list[float]:
        at = np.arange(start, self.end_s - 1.5, every * BEAT_S)
        return [float(t) for t in at if self.noise.random() < chance]

    def hiss(self, level_db: float) -> Sound:
        return 10 ** (level_db / 20) * self.noise.standard_normal(self.frames)


def _room(song: Song, dry: Sound, wet: float, seconds: float = 0.7) -> Sound:
    return np.stack([dry, dry], axis=1) + wet * synth.room(song.noise, dry, seconds=seconds)


def _played(song: Song, note: Callable[[float, float], Sound], octave: float, every: float, chance: float) -> Sound:
    """Notes a player would play: never twice at one level, never on the grid."""
    track = song.track()
    for at in song.beats(every, chance=chance, start=0.02):
        late, level = song.noise.normal(0, 0.006), song.noise.uniform(0.15, 1.0)
        synth.place(track, note(round(song.hz(octave), 2), every * BEAT_S * 0.9), max(0.0, at + late), level)
    return track


def _breath(song: Song, track: Sound, level_db: float) -> Sound:
    """Noise that follows the playing, and a little that does not."""
    level = np.abs(lfilter(*butter(1, 8 / (RATE_HZ / 2)), np.abs(track)))
    return track + song.noise.standard_normal(song.frames) * (0.05 * level + 10 ** (level_db / 20))


def _drums(song: Song, hz: float, every: float, seconds: float) -> Sound:
    track = song.track()
    for at in song.beats(every, chance=0.9):
        hit = synth.frame_drum(song.noise, seconds, hz * song.noise.uniform(0.97, 1.03))
        synth.place(track, hit, at + 0.004, song.noise.uniform(0.2, 1.0))
    return track + song.hiss(-82)


def _shaker(song: Song) -> Sound:
    track = song.track()
    for at in song.beats(0.5, chance=0.95):
        synth.place(track, synth.shaker(song.noise, 0.14), at + 0.003, song.noise.uniform(0.3, 1.0))
    return track + song.hiss(-90)


def _overheads(song: Song) -> Sound:
    kit = _drums(song, 90, 1, 0.4) + 0.4 * _shaker(song)
    room = synth.room(song.noise, kit, seconds=0.4)
    late = np.concatenate([np.zeros(31), kit])[: len(kit)]
    return np.stack([kit, 0.8 * late], axis=1) + 0.5 * room


def _amplifier(song: Song) -> Sound:
    track = np.tanh(6 * _played(song, synth.plucked, 1, 1, 0.8))
    cabinet = lfilter(*butter(3, 4200 / (RATE_HZ / 2)), track)
    hum = sum(a * np.sin(2 * np.pi * hz * song.time) for hz, a in ((50, 1.0), (100, 0.6), (150, 0.4), (200, 0.2)))
    return cabinet + song.hiss(-58) + 0.0006 * hum


def _bass(song: Song) -> Sound:
    return lfilter(*butter(2, 1800 / (RATE_HZ / 2)), _played(song, synth.plucked, 0, 1, 0.9)) + song.hiss(-84)


def _voice(song: Song) -> Sound:
    return _breath(song, _played(song, synth.voice, 2, 2, 0.7), -76)


def _dark_voice(song: Song) -> Sound:
    return lfilter(*butter(4, 3500 / (RATE_HZ / 2)), _voice(song))


def _strings(song: Song) -> Sound:
    dry = _breath(song, _played(song, synth.bowed, 2, 4, 0.9) + _played(song, synth.bowed, 3, 4, 0.9), -80)
    return _room(song, dry, 0.3, 1.4)


def _piano(song: Song) -> Sound:
    left, right = _played(song, synth.plucked, 1, 1, 0.8), _played(song, synth.plucked, 3, 0.5, 0.7)
    return _room(song, 0.6 * left + right, 0.15) + 0.2 * np.stack([left, -left + right], axis=1)


def _pair(song: Song) -> Sound:
    """Two takes of one part, hard left and right in one file."""
    noise = song.noise.bit_generator.state
    left = _played(song, synth.plucked, 2, 0.5, 0.8)
    song.noise.bit_generator.state = noise
    song.noise.normal()
    return np.stack([left + song.hiss(-80), _played(song, synth.plucked, 2, 0.5, 0.8) + song.hiss(-80)], axis=1)


def _tambourine(song: Song) -> Sound:
    """A few strokes in the last third, in a file that is silent otherwise."""
    track = song.track()
    for at in song.beats(4, start=song.end_s * 0.6):
        synth.place(track, synth.shaker(song.noise, 0.2), at, song.noise.uniform(0.4, 1.0))
    return track


def _wide(song: Song) -> Sound:
    """A stereo keyboard, wide enough to lose a few decibels in mono."""
    voices = [_played(song, synth.reed, 2, 2, 0.9) for _ in range(3)]
    return np.stack([voices[0] + 0.6 * voices[1], 0.6 * voices[2] - 0.5 * voices[0]], axis=1) + song.hiss(-88)[:, None]


def _bells(song: Song) -> Sound:
    return _room(song, _played(song, synth.bell, 4, 4, 0.6), 0.2, 1.0)


PLAYED: dict[str, Part] = {
    "Kick": lambda s: _drums(s, 58, 2, 0.35),
    "Snare": lambda s: _drums(s, 180, 2, 0.25),
    "Toms": lambda s: _room(s, _drums(s, 110, 3, 0.5), 0.1),
    "Shaker": _shaker,
    "Overheads": _overheads,
    "Room": lambda s: synth.room(s.noise, _overheads(s)[:, 0], seconds=0.9) + s.hiss(-78)[:, None],
    "Bass": _bass,
    "Guitar amp": _amplifier,
    "Guitar amp low": _amplifier,
    "Guitars": _pair,
    "Acoustic": lambda s: _room(s, _played(s, synth.plucked, 2, 0.5, 0.8), 0.1),
    "Piano": _piano,
    "Organ": lambda s: _breath(s, _played(s, synth.reed, 1, 4, 1.0), -86),
    "Strings": _strings,
    "Viola": lambda s: _breath(s, _played(s, synth.bowed, 2, 2, 0.8), -78),
    "Voice": _voice,
    "Voice low": _dark_voice,
    "Tambourine": _tambourine,
    "Keys": _wide,
    "Bells": _bells,
}


def _square(song: Song, octave: float, duty: float = 0.5) -> Sound:
    """A naive square wave, switched on and off by a sixteenth's grid, one level throughout."""
    notes = np.repeat([song.hz(octave) for _ in range(64)], -(-song.frames // 64))[: song.frames]
    phase = np.cumsum(notes) / RATE_HZ
    gate = ((song.time / (BEAT_S / 2)) % 1 < 0.7) & (song.time < song.end_s)
    return np.where(phase % 1 < duty, 1.0, -1.0) * gate


def _clipped_sub(song: Song) -> Sound:
    """A sub driven into a clipper: flat in every period, on purpose."""
    notes = np.repeat([song.hz(-0.5) for _ in range(16)], -(-song.frames // 16))[: song.frames]
    wave = np.clip(2.2 * np.sin(2 * np.pi * np.cumsum(notes) / RATE_HZ), -1, 1)
    return wave * np.clip((song.end_s - song.time) / 0.02, 0, 1)


def _saws(song: Song) -> Sound:
    """Many detuned saw waves, wide, pumped by the kick."""
    hz = song.hz(1)
    sides = []
    for _ in range(2):
        total = song.track()
        for detune in song.noise.uniform(0.99, 1.01, 5):
            total += 2 * ((hz * detune * song.time + song.noise.random()) % 1) - 1
        sides.append(total)
    pump = np.minimum(1, (song.time / BEAT_S) % 1 * 2.5) * (song.time < song.end_s)
    wave = lfilter(*butter(2, 9000 / (RATE_HZ / 2)), np.stack(sides, axis=1), axis=0)
    return wave * pump[:, None]


def _gated_pad(song: Song) -> Sound:
    pad = sum(np.sin(2 * np.pi * song.hz(2) * song.time + song.noise.random()) for _ in range(4))
    return pad * ((song.time / (BEAT_S / 4)) % 1 < 0.5) * (song.time < song.end_s)


def _chopped_voice(song: Song) -> Sound:
    """A sung note cut to pieces without a fade, each piece at one level."""
    note = synth.voice(round(song.hz(2), 2), 2.0)
    track = song.track()
    for number, at in enumerate(song.beats(0.5)):
        start = int(song.noise.integers(4800, 60_000))
        synth.place(track, note[start : start + round((0.12 + 0.05 * (number % 2)) * RATE_HZ)], at, 0.8)
    return track


def _one_shots(song: Song, every: float, hit: Sound, *, start: float = 0.0) -> Sound:
    """One sample at one velocity, 16 bits at unity gain."""
    sample = np.round(0.8 * hit / np.abs(hit).max() * 2**15) / 2**15
    track = song.track()
    for at in song.beats(every, start=start):
        synth.place(track, sample, at, 1.0)
    return track


def _choked_hat(song: Song) -> Sound:
    return _one_shots(song, 0.25, synth.shaker(song.noise, 0.16)[: RATE_HZ // 9])


def _steady_organ(song: Song) -> Sound:
    chord = sum(np.sin(2 * np.pi * song.root * n * 2 * song.time) / n for n in range(1, 7))
    return chord * np.clip((song.end_s - song.time) / 0.05, 0, 1)


def _sub(song: Song) -> Sound:
    return np.sin(2 * np.pi * song.root * song.time) * np.clip((song.end_s - song.time) / 0.05, 0, 1)


def _arpeggio(song: Song) -> Sound:
    track = song.track()
    for at in song.beats(0.25):
        synth.place(track, synth.plucked(round(song.hz(3), 2), 0.4), at, 0.7)
    return track


def _frequency_modulation(song: Song) -> Sound:
    track = song.track()
    t = np.arange(round(0.6 * RATE_HZ)) / RATE_HZ
    for at in song.beats(1):
        hz = song.hz(3)
        note = np.exp(-5 * t) * np.sin(2 * np.pi * hz * t + 4 * np.exp(-8 * t) * np.sin(2 * np.pi * 3.5 * hz * t))
        synth.place(track, note * np.minimum(1, t / 0.002), at, 0.9)
    return track


def _hissing_loop(song: Song) -> Sound:
    """A worn loop: hiss and crackle throughout, to the first and the last sample."""
    loop = _played(song, synth.plucked, 1, 1, 0.7)
    crackle = song.track()
    for at in song.noise.integers(0, song.frames, song.frames // 9000):
        crackle[at] = song.noise.uniform(-0.3, 0.3)
    dull = lfilter(*butter(2, 7000 / (RATE_HZ / 2)), loop + crackle)
    return dull + lfilter(*butter(1, 6000 / (RATE_HZ / 2)), song.hiss(-54))


def _ping_pong(song: Song) -> Sound:
    """An echo that jumps from side to side."""
    dry = _one_shots(song, 8, synth.plucked(round(song.hz(2), 2), 0.5))
    echo = np.zeros((song.frames, 2))
    for number in range(6):
        late = round(number * 0.75 * BEAT_S * RATE_HZ)
        echo[late:, number % 2] += 0.6**number * dry[: song.frames - late]
    return echo


def _old_sample(song: Song) -> Sound:
    """A one-shot that was made at half the rate, played rarely."""
    short = synth.frame_drum(song.noise, 0.5, 140)[::2]
    taps = np.sinc(np.arange(-60, 61) / 2) * np.blackman(121)
    up = oaconvolve(np.repeat(short, 2) * np.tile([1.0, 0.0], len(short)), taps, "same")
    return _one_shots(song, 4, up, start=2.0)


def _riser(song: Song) -> Sound:
    """Noise that swells for bars and stops dead on the beat."""
    length = 8 * BEAT_S
    phase = (song.time % (2 * length)) / length
    return song.noise.standard_normal(song.frames) * np.where(phase < 1, phase**2, 0) * (song.time < song.end_s)


def _widened(song: Song) -> Sound:
    """A mono synth made wide by a delay of half a millisecond on one side."""
    lead = _square(song, 2, 0.25)
    return np.stack([lead, np.concatenate([np.zeros(24), lead])[: len(lead)]], axis=1)


def _tremolo(song: Song) -> Sound:
    keys = _arpeggio(song)
    swing = 0.5 + 0.5 * np.sin(2 * np.pi * 4 * song.time)
    return np.stack([keys * swing, keys * (1 - swing)], axis=1) + 0.1 * keys[:, None]


PROGRAMMED: dict[str, Part] = {
    "Kick": lambda s: _one_shots(s, 1, synth.frame_drum(s.noise, 0.4, 52)),
    "Clap": lambda s: _one_shots(s, 2, synth.shaker(s.noise, 0.2), start=0.5),
    "Hat": _choked_hat,
    "Square bass": lambda s: _square(s, 0),
    "Pulse lead": lambda s: _square(s, 2, 0.125),
    "Clipped sub": _clipped_sub,
    "Saws": _saws,
    "Gated pad": _gated_pad,
    "Chopped voice": _chopped_voice,
    "Organ": _steady_organ,
    "Sub": _sub,
    "Arpeggio": _arpeggio,
    "Plucks": _frequency_modulation,
    "Worn loop": _hissing_loop,
    "Echo keys": _ping_pong,
    "Old drum": _old_sample,
    "Riser": _riser,
    "Wide lead": _widened,
    "Tremolo keys": _tremolo,
    "Voice": lambda s: _played(s, synth.voice, 2, 2, 0.7),
}


def _cut_at_bars(song: Song, sound: Sound) -> Sound:
    """The same four bars again and again, to the last sample of the file."""
    bars = round(4 * 4 * BEAT_S * RATE_HZ)
    loop = sound[:bars]
    times = -(-song.frames // bars)
    return np.concatenate([loop] * times)[: song.frames]


def write_clean(folder: Path, seed: int, *, seconds: float = 24.0) -> Path:
    """Write one clean delivery; odd seeds are programmed, every fourth is loops cut at the bar.

    Returns
    -------
    Path
        Its own folder, which names song, tempo and key.
    """
    song = Song(seed, seconds)
    parts = PROGRAMMED if seed % 2 else PLAYED
    if len(parts) != FILES:
        raise ValueError("a clean delivery has twenty parts")
    delivery = folder / f"Harbour Clock {seed} {TEMPO_BPM} BPM A minor"
    delivery.mkdir(parents=True)
    mix = np.zeros((song.frames, 2))
    for number, (name, make) in enumerate(parts.items(), start=1):
        sound = make(song)
        if seed % 4 == 3:
            sound = _cut_at_bars(song, sound)
        sound = sound.reshape(song.frames, -1)
        peak_db = song.noise.uniform(-20, -7)
        sound = sound / max(1e-9, float(np.abs(sound).max())) * 10 ** (peak_db / 20)
        # What comes from one-shots keeps their grid only at unity gain; here every part has a fader.
        mix += 0.3 * sound
        soundfile.write(delivery / f"{number:02d} {name}.wav", sound, RATE_HZ, subtype="PCM_24")
    soundfile.write(delivery / "Harbour Clock rough mix.wav", mix / np.abs(mix).max() * 0.7, RATE_HZ, subtype="PCM_24")
    return delivery
