"""AU (.snd): one fixed header, big-endian samples. After Sun's published header layout (audio_filehdr)."""

from __future__ import annotations

import os
import struct

from deep_tally.intake.chunks import pcm_layout, read_text_chunk
from deep_tally.intake.layout import PcmLayout
from deep_tally.model.files import SampleFormat

_UNKNOWN_SIZE = 0xFFFFFFFF
_ENCODINGS: dict[int, tuple[SampleFormat, int]] = {
    2: ("int", 8),
    3: ("int", 16),
    4: ("int", 24),
    5: ("int", 32),
    6: ("float", 32),
    7: ("float", 64),
}


def read_layout(file: int) -> PcmLayout | None:
    """Read the header of an open file descriptor; None when this is no AU of plain samples."""
    total = os.fstat(file).st_size
    head = os.pread(file, 24, 0)
    if len(head) < 24 or head[:4] != b".snd":
        return None
    start, size, encoding, rate_hz, channels = struct.unpack(">5I", head[4:])
    if encoding not in _ENCODINGS or not 0 < channels < 1 << 16 or start < 24:
        return None
    sample_format, bits = _ENCODINGS[encoding]
    text = read_text_chunk(file, 24, start - 24)
    return pcm_layout(
        container="au",
        sample_format=sample_format,
        sample_bytes=bits // 8,
        bits=bits,
        rate_hz=rate_hz,
        channels=channels,
        data_offset=start,
        claimed_bytes=max(0, total - start) if size == _UNKNOWN_SIZE else size,
        there_bytes=total - start,
        big_endian=True,
        comments=[text] if text else [],
    )
