"""Clean deliveries of every kind that comes: a band, programmed, an orchestra, voices only, loops, a beat and voices.

What they are made of is that of `clean`; nothing in them is a fault. Common practice: what each kind sends.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import numpy as np
import soundfile
from scipy.signal import butter, lfilter

from deep_tally.demo import synth
from deep_tally.demo.synth import RATE_HZ
from detectors.clean import PROGRAMMED, TEMPO_BPM, Song, Sound, write_clean

_FIRST_PHRASE_S = 2.0
KINDS = ("band", "programmed", "orchestral", "voices", "loops", "beat and voices")
_DESKS = {
    "Violins 1": (synth.bowed, 3),
    "Violins 2": (synth.bowed, 3),
    "Violas": (synth.bowed, 2),
    "Cellos": (synth.bowed, 1),
    "Double basses": (synth.bowed, 0),
    "Flutes": (synth.reed, 3),
    "Oboes": (synth.reed, 3),
    "Clarinets": (synth.reed, 2),
    "Bassoons": (synth.reed, 1),
    "Horns": (synth.reed, 1),
    "Trumpets": (synth.reed, 2),
    "Trombones": (synth.reed, 1),
    "Harp": (synth.plucked, 2),
    "Celesta": (synth.bell, 4),
    "Glockenspiel": (synth.bell, 5),
}
_LEADS = ("Lead vox", "Lead vox double", "Lead vox adlib", "Whisper")
_CHOIR = tuple(f"{voice} {number}" for voice in ("Soprano", "Alto", "Tenor", "Bass") for number in (1, 2))


def write_kind(folder: Path, kind: str, seed: int, *, seconds: float = 16.0) -> Path:
    """Write one clean delivery of a kind; returns its own folder."""
    if kind == "band":
        return write_clean(folder, 4 * seed, seconds=seconds)
    if kind == "programmed":
        return write_clean(folder, 4 * seed + 1, seconds=seconds)
    if kind == "loops":
        return write_clean(folder, 4 * seed + 3, seconds=seconds)
    song = Song(7000 + seed, seconds)
    parts = {"orchestral": _orchestra, "voices": _voices, "beat and voices": _beat_and_voices}[kind](song)
    home = folder / f"Copper Estuary {seed} {TEMPO_BPM} BPM A minor"
    home.mkdir(parents=True)
    mix = np.zeros((song.frames, 2))
    for number, (name, (sound, peak_db)) in enumerate(parts.items(), start=1):
        sound = sound.reshape(song.frames, -1)
        sound = sound / max(1e-9, float(np.abs(sound).max())) * 10 ** (peak_db / 20)
        mix += sound
        soundfile.write(home / f"{number:02d} {name}.wav", sound, RATE_HZ, subtype="PCM_24")
    soundfile.write(home / "Copper Estuary rough mix.wav", mix / np.abs(mix).max() * 0.7, RATE_HZ, subtype="PCM_24")
    return home


Parts = Mapping[str, tuple[Sound, float]]


def _phrases(song: Song, note: Callable[[float, float], Sound], octave: float, every: float, rests: float) -> Sound:
    """Phrases with long rests between them, never twice at one level, never on the grid."""
    track, plays = song.track(), True
    for at in song.beats(every):
        if at > _FIRST_PHRASE_S and song.noise.random() < rests:
            plays = not plays
        if plays:
            late = abs(song.noise.normal(0.01, 0.01))
            sound = note(round(song.hz(octave), 2), every * 0.5 * song.noise.uniform(0.7, 1.1))
            synth.place(track, sound, at + late, song.noise.uniform(0.1, 1.0))
    return track


def _hall(song: Song, dry: Sound) -> Sound:
    return np.stack([dry, 0.6 * np.roll(dry, 29)], axis=1) + 0.7 * synth.room(song.noise, dry, seconds=1.6)


def _orchestra(song: Song) -> Parts:
    """Sections in a hall, some of them very quiet over the room's own noise, some silent for most of the song."""
    parts: dict[str, tuple[Sound, float]] = {}
    for name, (note, octave) in _DESKS.items():
        peak_db = float(song.noise.uniform(-42, -8))
        every = float(song.noise.choice([1, 2, 4]))
        sound = _hall(song, _phrases(song, note, octave, every, 0.3))
        sound /= max(1e-9, float(np.abs(sound).max()))
        hiss = 10 ** ((song.noise.uniform(-82, -70) - peak_db) / 20)
        parts[name] = (sound + hiss * song.noise.standard_normal(sound.shape), peak_db)
    drum = song.track()
    for at in song.beats(8, start=2.0):
        synth.place(drum, synth.frame_drum(song.noise, 1.2, 70), at, song.noise.uniform(0.05, 1.0))
    parts["Timpani"] = (_hall(song, drum), -14.0)
    return parts


def _breath(song: Song, sung: Sound) -> Sound:
    """Breaths before phrases, and air with the voice."""
    level = np.abs(lfilter(*butter(1, 8 / (RATE_HZ / 2)), np.abs(sung)))
    return sung + 0.04 * level * song.noise.standard_normal(song.frames)


def _voices(song: Song) -> Parts:
    """A choir of takes: each its own, comped, with digital silence or a booth's noise between the phrases."""
    parts: dict[str, tuple[Sound, float]] = {}
    for number, name in enumerate((*_LEADS, *_CHOIR)):
        octave = 1 + number % 3
        sung = _breath(song, _phrases(song, synth.voice, octave, float(song.noise.choice([0.5, 1, 2])), 0.25))
        if name == "Whisper":
            sung = np.abs(sung) * song.noise.standard_normal(song.frames)
        if number % 2:
            sung = sung + song.hiss(-72)
        parts[name] = (sung, float(song.noise.uniform(-24, -7)))
    return parts


def _beat_and_voices(song: Song) -> Parts:
    """One stereo beat, already put together, and the singer's takes."""
    beat = np.zeros((song.frames, 2))
    for name in ("Kick", "Clap", "Hat", "Saws", "Sub", "Arpeggio"):
        sound = PROGRAMMED[name](song).reshape(song.frames, -1)
        beat += sound / max(1e-9, float(np.abs(sound).max())) * song.noise.uniform(0.1, 0.3)
    return {"Beat": (beat, -6.5), **dict(list(_voices(song).items())[:5])}
