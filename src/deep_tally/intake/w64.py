"""Wave64: chunks named by GUIDs, with 64-bit sizes that count their own header and are padded to 8 bytes.

The layout is as libsndfile writes and documents it.
"""

from __future__ import annotations

import os
import struct

from deep_tally.intake.chunks import CHUNKS_MOST
from deep_tally.intake.layout import PcmLayout
from deep_tally.intake.wav import layout_from_fmt
from deep_tally.model.phrase import Phrase

_RIFF = b"riff" + bytes.fromhex("2e91cf11a5d628db04c10000")
_REST = bytes.fromhex("f3acd3118cd100c04f8edb8a")


def read_layout(file: int) -> PcmLayout | None:
    """Walk the chunks of an open file descriptor; None when this is no Wave64 of plain samples."""
    total = os.fstat(file).st_size
    head = os.pread(file, 40, 0)
    if len(head) < 40 or head[:16] != _RIFF or head[24:40] != b"wave" + _REST:
        return None
    fmt: bytes | None = None
    data: tuple[int, int] | None = None
    contradictions: list[Phrase] = []
    position = 40
    for _ in range(CHUNKS_MOST):
        # A size of 64 bits can point further than any file can be read.
        header = os.pread(file, 24, min(position, total))
        if len(header) < 24:
            break
        name, size = header[:16], struct.unpack("<Q", header[16:])[0]
        body = position + 24
        if name == b"fmt " + _REST and fmt is None:
            fmt = os.pread(file, 40, body)
        elif name == b"data" + _REST and data is None:
            there = total - body
            if size <= 24 or size >= 1 << 62:
                if there:
                    contradictions.append(Phrase("header.no-length", there=there))
                data = (body, there)
                break
            data = (body, size - 24)
        if size < 24:
            break
        position += size + -size % 8
    if fmt is None or data is None:
        return None
    return layout_from_fmt("w64", fmt, data, total, contradictions)
