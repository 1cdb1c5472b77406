"""WAV and RF64 files as they are written: the header with its broadcast-wave chunk, before the samples.

RIFF and WAVE after the published format; `bext` after EBU Tech 3285 (version 1); RF64 after EBU Tech 3306, where a file
is larger than the 4 GiB that 32 bits can count.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from datetime import datetime

from deep_tally.model.ready import Copy

_PCM, _FLOAT = 1, 3
_RIFF_MOST = 0xFFFFFFFF
_ORIGINATOR = "Deep Tally"


@dataclass(frozen=True, slots=True)
class Written:
    """A header, and what follows the samples: a file of an odd number of bytes is padded (RIFF)."""

    header: bytes
    trailer: bytes


def wave_file(copy: Copy, made: datetime, most: int = _RIFF_MOST) -> Written:
    """What stands around the samples of a copy.

    Parameters
    ----------
    copy : Copy
    made : datetime
        Of the broadcast-wave chunk.
    most : int
        Bytes that RIFF can count.
    """
    width = copy.bits // 8
    data = copy.frames * copy.channels * width
    format_tag = _FLOAT if copy.is_float else _PCM
    block = copy.channels * width
    sound = struct.pack("<HHIIHH", format_tag, copy.channels, copy.rate_hz, copy.rate_hz * block, block, copy.bits)
    parts = _chunk(b"bext", broadcast(copy, made)) + _chunk(b"fmt ", sound)
    if copy.is_float:
        parts += _chunk(b"fact", struct.pack("<I", min(copy.frames, _RIFF_MOST)))
    trailer = b"\0" * (data % 2)
    # Twelve bytes of RIFF and WAVE are there besides, of which eight are not counted.
    whole = 4 + len(parts) + 8 + data + len(trailer)
    if whole <= most:
        head = b"RIFF" + struct.pack("<I", whole) + b"WAVE"
        return Written(head + parts + b"data" + struct.pack("<I", data), trailer)
    sizes = struct.pack("<QQQI", whole + 36, data, copy.frames, 0)
    head = b"RF64" + struct.pack("<I", _RIFF_MOST) + b"WAVE" + _chunk(b"ds64", sizes)
    return Written(head + parts + b"data" + struct.pack("<I", _RIFF_MOST), trailer)


def _chunk(kind: bytes, content: bytes) -> bytes:
    return kind + struct.pack("<I", len(content)) + content + b"\0" * (len(content) % 2)


def broadcast(copy: Copy, made: datetime) -> bytes:
    """The content of the `bext` chunk (EBU Tech 3285, 2.3): where in time the copy begins, and how it was made."""
    description = copy.name.rpartition("/")[2].rpartition(".")[0]
    reference = copy.time_reference
    fixed = struct.pack(
        "<256s32s32s10s8sIIH64s190s",
        _ascii(description, 256),
        _ascii(_ORIGINATOR, 32),
        b"",
        made.strftime("%Y-%m-%d").encode(),
        made.strftime("%H:%M:%S").encode(),
        reference & 0xFFFFFFFF,
        reference >> 32,
        1,
        b"",
        b"",
    )
    history = coding_history(copy).encode("ascii")
    return fixed + history + b"\0" * (len(history) % 2)  # some readers of RF64 do not expect a chunk of odd size


def _ascii(text: str, most: int) -> bytes:
    return text.encode("ascii", "replace")[:most]


def coding_history(copy: Copy) -> str:
    """Coding, rate, word length, mode, and every step, in one line (EBU Recommendation R98)."""
    mode = {1: "mono", 2: "stereo"}.get(copy.channels, f"{copy.channels} channels")
    steps = " ".join(step.name for step in copy.steps) or "copy"
    return f"A=PCM,F={copy.rate_hz},W={copy.bits},M={mode},T={_ORIGINATOR}; {steps}\r\n"
