"""A third delivery: a zip with two songs, notes, MIDI and strays, and files that were damaged on the way."""

from __future__ import annotations

import io
import struct
import zipfile
from pathlib import Path

import mido
import numpy as np
import soundfile

from deep_tally.demo.awkward import FOLDER_NAME as FIRST_SONG
from deep_tally.demo.awkward import Samples, compose_awkward
from deep_tally.demo.synth import RATE_HZ

ZIP_NAME = "Two songs from The Tin Orchard.zip"
SECOND_SONG = "Brick Garden 96 BPM E minor"
_SECOND_RATE_HZ = 44_100
_SECOND_FRAMES = round(20 * _SECOND_RATE_HZ)
_PARTS = {
    "01 Kick.wav": "01 Kick.wav",
    "02 Hat.wav": "02 Hat.wav",
    "03 Clap.flac": "03 Clap.wav",
    "04 Sub.wav": "06 Sub.wav",
    "05 Organ.wav": "08 Organ.wav",
    "06 Guitar near.wav": "09 Guitar amp near.wav",
    "07 Guitar far.wav": "10 Guitar amp far.wav",
    "08 Voice.wav": "11 Voice dry.wav",
}
"""Files of the second song and the sounds they are made of."""

PLANTED = {
    f"{SECOND_SONG}/02 Hat.wav": ("content.damaged", "note"),
    f"{SECOND_SONG}/04 Sub.wav": ("content.damaged", "ask"),
    f"{SECOND_SONG}/05 Organ.wav": ("content.damaged", "note"),
    f"{SECOND_SONG}/08 Voice.wav": ("content.lossy", "ask"),
}
"""What is wrong with which file."""


def write_bundle(folder: Path) -> Path:
    """Write the zip into a folder; returns its path."""
    folder.mkdir(parents=True, exist_ok=True)
    sounds = compose_awkward()
    files: dict[str, bytes] = {}
    for name, samples in sounds.items():
        files[f"{FIRST_SONG}/{name}"] = _encoded(samples, RATE_HZ, "WAV")
    for name, source in _PARTS.items():
        samples = sounds[source][:_SECOND_FRAMES]
        kind = {"05 Organ.wav": "AIFF", "03 Clap.flac": "FLAC", "08 Voice.wav": "MP3"}.get(name, "WAV")
        files[f"{SECOND_SONG}/{name}"] = _encoded(samples, _SECOND_RATE_HZ, kind)
    hat, sub = f"{SECOND_SONG}/02 Hat.wav", f"{SECOND_SONG}/04 Sub.wav"
    at = files[hat].index(b"data") + 4
    files[hat] = files[hat][:at] + struct.pack("<I", 0) + files[hat][at + 4 :]
    files[sub] = files[sub][: round(0.62 * len(files[sub]))]
    mix = sum((0.35 * sounds[s].mean(axis=1) for s in _PARTS.values()), np.zeros(len(sounds["01 Kick.wav"])))
    files["Brick Garden mix.wav"] = _encoded(np.stack([mix, mix], axis=1)[:_SECOND_FRAMES], _SECOND_RATE_HZ, "WAV")
    files[f"{SECOND_SONG}/Brick Garden.mid"] = _midi()
    files[f"{SECOND_SONG}/01 Kick.wav.shape"] = b"\x02\0\x10\0" + bytes(range(256))
    files["Notes.txt"] = (
        b"Hello! Two songs this time.\n\nPaper Lighthouse: the square bass is meant to be this rude.\n"
        b"Brick Garden: please keep the hum of the guitar, it is part of it.\n"
    )
    files["old takes.rar"] = b"Rar!\x1a\x07\x01\0" + bytes(64)
    path = folder / ZIP_NAME
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for name, content in files.items():
            archive.writestr(f"The Tin Orchard/{name}", content)
    return path


def _encoded(samples: Samples, rate_hz: int, kind: str) -> bytes:
    out = io.BytesIO()
    subtype = None if kind == "MP3" else "PCM_24"
    soundfile.write(out, samples, rate_hz, format=kind, subtype=subtype)
    return out.getvalue()


def _midi() -> bytes:
    song = mido.MidiFile(ticks_per_beat=480)
    track = song.add_track("Brick Garden")
    track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(96)))
    track.append(mido.MetaMessage("time_signature", numerator=4, denominator=4))
    track.append(mido.MetaMessage("key_signature", key="Em"))
    for beat in range(32):
        track.append(mido.Message("note_on", note=40 + beat % 5, velocity=80))
        track.append(mido.Message("note_off", note=40 + beat % 5, time=480))
    out = io.BytesIO()
    song.save(file=out)
    return out.getvalue()
