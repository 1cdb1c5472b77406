"""Recorded notes out of a sound font (SoundFont 2.04: RIFF with `smpl` and `shdr`), where one is installed.

- Debian's `timgm6mb-soundfont` (GPL-2) and `fluid-soundfont-gm` (MIT): hundreds to thousands of recorded notes of
  instruments and drums.

`SOUND_FONTS` in the environment names a further folder.
"""

from __future__ import annotations

import os
import struct
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np

_FOLDERS = ("/usr/share/sounds/sf2",)
_HEADER = struct.Struct("<20sIIIIIBbHH")
_LEAST_FRAMES = 3000


@dataclass(frozen=True, slots=True)
class Note:
    """A recorded note: where it lies in its file, what of it can be repeated (0, 0: nothing), its rate and its key."""

    font: Path
    name: str
    offset: int
    frames: int
    loop: tuple[int, int]
    rate_hz: int
    key: int

    def samples(self) -> np.ndarray:
        """float64 [shape=(frames,)]."""
        return np.fromfile(self.font, "<i2", self.frames, offset=self.offset) / 2.0**15


def _chunks(data: bytes, start: int, stop: int) -> dict[bytes, tuple[int, int]]:
    found, at = {}, start
    while at + 8 <= stop:
        name, size = data[at : at + 4], int.from_bytes(data[at + 4 : at + 8], "little")
        key = data[at + 8 : at + 12] if name == b"LIST" else name
        found[key] = (at + 8 + (4 if name == b"LIST" else 0), at + 8 + size)
        at += 8 + size + size % 2
    return found


@cache
def notes() -> tuple[Note, ...]:
    """All notes of a useful length, of every installed font, in the order of the files."""
    folders = [*_FOLDERS, *filter(None, [os.environ.get("SOUND_FONTS")])]
    found = []
    for font in sorted(path for folder in folders for path in Path(folder).glob("*.sf2")):
        data = font.read_bytes()
        lists = _chunks(data, 12, len(data))
        sound, _ = _chunks(data, *lists[b"sdta"])[b"smpl"]
        begin, end = _chunks(data, *lists[b"pdta"])[b"shdr"]
        for at in range(begin, end - _HEADER.size, _HEADER.size):  # the last one only ends the list
            name, start, stop, loop, loop_end, rate, key, _, _, kind = _HEADER.unpack_from(data, at)
            if stop - start < _LEAST_FRAMES or kind & 0x8000 or rate < 8000:
                continue
            kept = (loop - start, loop_end - start) if start <= loop < loop_end - 8 <= stop else (0, 0)
            text = name.split(b"\0")[0].decode("latin-1").strip()
            found.append(Note(font, text, sound + 2 * start, stop - start, kept, rate, key if key < 128 else 60))
    return tuple(found)
