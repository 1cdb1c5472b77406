"""Real recordings that packages of the registries carry; what is not installed is left out.

- Debian's `alsa-utils`: nine spoken words, 48 kHz, 16 bit mono (GPL-2+).
- Debian's `sound-theme-freedesktop`: thirty-odd short sounds of bells, knocks, a camera, water and telephones, Ogg
  Vorbis (CC-BY-SA 3.0, CC-BY 3.0, GPL-2+; each file's licence is in its copyright file).
- CPython's test audio (`libpython3-testsuite`): a plucked string at 11.025 kHz, 16 to 32 bit (PSF licence).

`RECORDINGS` in the environment names a further folder.
"""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import soundfile

_FOLDERS = ("/usr/share/sounds/alsa", "/usr/share/sounds/freedesktop/stereo", "/usr/lib/python3.11/test/audiodata")
_ENDINGS = (".wav", ".flac", ".oga", ".ogg", ".aiff", ".au")
RATE = 48_000


def recordings() -> list[Path]:
    """All of them, in order of their names."""
    folders = [*_FOLDERS, *filter(None, [os.environ.get("RECORDINGS")])]
    return [p for folder in folders for p in sorted(Path(folder).rglob("*")) if p.suffix in _ENDINGS and p.is_file()]


def spoken(seconds: float) -> np.ndarray | None:
    """A take of spoken words with pauses, float64 at 48 kHz [shape=(n,)]; None where they are not installed."""
    words = [p for p in recordings() if "alsa" in p.parts and p.stem != "Noise"]
    if not words:
        return None
    take, at, number = np.zeros(round(seconds * RATE)), RATE // 2, 0
    while at < len(take) - 2 * RATE:
        word, rate = soundfile.read(words[number % len(words)])
        if rate != RATE or word.ndim > 1:
            raise ValueError(f"{words[number % len(words)]} is not what it was")
        take[at : at + len(word)] += word[: len(take) - at]
        at += len(word) + round((0.2 + 0.13 * (number % 5)) * RATE)
        number += 1
    take[-RATE:] = 0
    # Their 16 bits under a fader and a room's noise: what a recording in 24 bits looks like.
    return 0.43 * take / np.abs(take).max() + 2e-5 * np.random.default_rng(2).standard_normal(len(take))
