"""Whole deliveries built after what clients do: what each must be asked, fixed or noted, and nothing else.

The habits are common practice (mixed roles, clips, stems, doubles, trimmed programmed parts, slot names, notes); names
and sounds are made up. A song is 16 s at 120 BPM, the last three to ring out.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path

import numpy as np
import soundfile

from deep_tally.demo.synth import RATE_HZ
from deep_tally.engine.check_run import CheckRun
from deep_tally.model.brief import DEFAULT_BRIEF, Brief
from deep_tally.model.findings import Action
from detectors.clean import PLAYED, PROGRAMMED, Song, Sound
from inline import Inline
from processed import panned

SECONDS = 16.0
TITLE = "Silver Meadow 120 BPM"
BAR = 2 * RATE_HZ
BAND = ("Kick", "Snare", "Shaker", "Overheads", "Bass", "Acoustic", "Piano", "Viola", "Voice")


@dataclass(frozen=True, slots=True)
class File:
    """One file: float64 [shape=(frames,) or (frames, channels)] and how it is written."""

    sound: Sound
    subtype: str = "PCM_24"
    rate_hz: int = RATE_HZ
    stamp: int | None = None
    cut_bytes: int = 0
    extra: bytes = b""


Files = Mapping[str, File | str | bytes]


@dataclass(frozen=True, slots=True, kw_only=True)
class Delivered:
    """A delivery and what is to be said of it.

    Attributes
    ----------
    name : str
        What is special about it.
    files : callable
        Makes the files; a text is a note.
    asked, fixed : frozenset of str
        Every code that is asked or fixed, once each.
    noted : frozenset of str
        Codes that must be noted, among others.
    folder : str
    brief : Brief
    songs : int
    """

    name: str
    files: Callable[[], Files]
    asked: frozenset[str] = frozenset()
    fixed: frozenset[str] = frozenset()
    noted: frozenset[str] = frozenset()
    folder: str = TITLE
    brief: Brief = field(default=DEFAULT_BRIEF)
    songs: int = 1


@lru_cache(maxsize=128)
def _raw(name: str, seed: int) -> Sound:
    parts = PLAYED if name in PLAYED else PROGRAMMED
    song = Song(1000 * seed + sum(map(ord, name)), SECONDS)
    return parts[name](song)


def part(name: str, seed: int = 1) -> Sound:
    """A part of its own, at a level of its own."""
    sound = _raw(name, seed)
    peak_db = -8.0 - (sum(map(ord, name)) * 7 + seed) % 9 - (len(name) % 4) / 3
    return sound / np.abs(sound).max() * 10 ** (peak_db / 20)


def band(*names: str, seed: int = 1) -> dict[str, File]:
    return {f"{name}.wav": File(part(name, seed)) for name in names or BAND}


def mix_of(files: Mapping[str, File], *, gain: float = 0.4) -> Sound:
    longest = max(len(f.sound) for f in files.values())
    total = np.zeros((longest, 2))
    for file in files.values():
        total[: len(file.sound)] += gain * panned(file.sound)
    return total / np.abs(total).max() * 0.7


def with_mix(files: Mapping[str, File], name: str = "rough mix.wav") -> dict[str, File]:
    return {**files, name: File(mix_of(files))}


def with_mix_of(members: Mapping[str, File], files: Mapping[str, File]) -> dict[str, File]:
    return {**files, "rough mix.wav": File(mix_of(members))}


def clip(name: str, start_s: float, seconds: float, seed: int = 1) -> Sound:
    """Seconds of a part with a bit of room before and after its sound."""
    start = round(start_s * RATE_HZ)
    sound = part(name, seed)[start : start + round(seconds * RATE_HZ)].copy()
    fade = round(0.4 * RATE_HZ)
    sound[-fade:] *= np.linspace(1, 0, fade).reshape(-1, *[1] * (sound.ndim - 1)) ** 2
    return np.concatenate(
        [np.zeros((round(0.15 * RATE_HZ), *sound.shape[1:])), sound, np.zeros((4800, *sound.shape[1:]))]
    )


def quietened(sound: Sound, until_s: float) -> Sound:
    """A part that rests until then."""
    rested = sound.copy()
    rested[: round(until_s * RATE_HZ)] = 0
    ramp = slice(round(until_s * RATE_HZ), round((until_s + 0.02) * RATE_HZ))
    rested[ramp] *= np.linspace(0, 1, len(rested[ramp])).reshape(-1, *[1] * (sound.ndim - 1))
    return rested


def sides(sound: Sound) -> tuple[Sound, Sound]:
    return sound[:, 0], sound[:, 1]


def codes(*names: str) -> frozenset[str]:
    return frozenset(names)


def chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body


def _bext(stamp: int) -> bytes:
    """Broadcast-wave chunk, version 1 (EBU Tech 3285)."""
    head = b"".ljust(256, b"\0") + b"".ljust(32 + 32, b"\0") + b"2026-05-0412:00:00"
    return chunk(b"bext", head + struct.pack("<QH", stamp, 1) + bytes(254))


def write(delivered: Delivered, into: Path) -> Path:
    """Write a delivery into its folder.

    Returns
    -------
    Path
        The folder to be checked.
    """
    home = into / delivered.folder
    for name, file in delivered.files().items():
        path = home / name
        path.parent.mkdir(parents=True, exist_ok=True)
        if isinstance(file, str):
            path.write_text(file, "utf-8")
        elif isinstance(file, bytes):
            path.write_bytes(file)
        elif path.suffix == ".mp3":
            soundfile.write(path, file.sound, file.rate_hz, format="MP3", subtype="MPEG_LAYER_III")
        else:
            soundfile.write(path, file.sound, file.rate_hz, subtype=file.subtype)
            _amend(path, file)
    return home


def _amend(path: Path, file: File) -> None:
    chunks = file.extra + (_bext(file.stamp) if file.stamp is not None else b"")
    if chunks:
        content = path.read_bytes() + chunks
        path.write_bytes(content[:4] + struct.pack("<I", len(content) - 8) + content[8:])
    if file.cut_bytes:
        path.write_bytes(path.read_bytes()[: -file.cut_bytes])


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a delivery got beside what it should get: codes, once for every finding."""

    needless_asks: tuple[str, ...]
    wrong_fixes: tuple[str, ...]
    missed: tuple[str, ...]
    songs: int


def judged(delivered: Delivered, into: Path) -> Outcome:
    """Write a delivery, check it, and compare."""
    home = write(delivered, into)
    with CheckRun([home], delivered.brief, crew=Inline(), is_cached=False, is_fresh=True) as run:
        list(run)
    assert run.delivery is not None
    said = {action: [f.code for f in run.delivery.findings if f.action is action] for action in Action}
    wanted = {Action.ASK: delivered.asked, Action.FIX: delivered.fixed, Action.NOTE: delivered.noted}
    beside = {action: list(said[action]) for action in (Action.ASK, Action.FIX)}
    for action, found in beside.items():
        for code in wanted[action] & set(found):
            found.remove(code)
    missed = tuple(f"{code} ({a.value})" for a, want in wanted.items() for code in sorted(want - set(said[a])))
    return Outcome(tuple(beside[Action.ASK]), tuple(beside[Action.FIX]), missed, len(run.delivery.sets))
