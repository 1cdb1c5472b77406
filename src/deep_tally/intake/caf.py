"""Core Audio Format with linear PCM (64-bit sizes, big-endian headers), after its published specification."""

from __future__ import annotations

import math
import os
import struct

from deep_tally.intake.chunks import CHUNKS_MOST, TEXT_MOST, looks_like_chunk, pcm_layout, text_of
from deep_tally.intake.layout import PcmLayout
from deep_tally.intake.tags import tags_in
from deep_tally.model.files import SampleFormat
from deep_tally.model.phrase import Phrase

_DESCRIPTION = struct.Struct(">d4sIIIII")
_IS_FLOAT, _IS_LITTLE_ENDIAN = 1, 2


def read_layout(file: int) -> PcmLayout | None:
    """Walk the chunks of an open file descriptor; None when this is no CAF of plain samples."""
    total = os.fstat(file).st_size
    if os.pread(file, 4, 0) != b"caff":
        return None
    description: bytes | None = None
    data: tuple[int, int] | None = None
    comments: list[str] = []
    import_tags: list[Phrase] = []
    contradictions: list[Phrase] = []
    position = 8
    for _ in range(CHUNKS_MOST):
        # A size of 64 bits can point further than any file can be read.
        header = os.pread(file, 12, min(position, total))
        if len(header) < 12 or not looks_like_chunk(header):
            break
        name, size = header[:4], struct.unpack(">q", header[4:])[0]
        body = position + 12
        if name == b"desc":
            description = os.pread(file, _DESCRIPTION.size, body)
        elif name == b"info":
            pairs = _pairs(os.pread(file, max(0, min(size, TEXT_MOST)), body))
            comments, import_tags = _comments(pairs), tags_in(pairs)
        elif name == b"data" and data is None:
            # -1 is allowed for the last chunk: it goes on to the end of the file. Four bytes are an edit count.
            there = max(0, total - body - 4)
            if size != -1 and size < 4:
                contradictions.append(Phrase("header.no-length", there=there))
            data = (body + 4, there if size < 4 else size - 4)
        if size < 0:
            break
        position = body + size
    if description is None or len(description) < _DESCRIPTION.size or data is None:
        return None
    rate, codec, flags, packet_bytes, packet_frames, channels, bits = _DESCRIPTION.unpack(description)
    sample_format: SampleFormat = "float" if flags & _IS_FLOAT else "int"
    sample_bytes, rest = divmod(packet_bytes, channels) if channels else (0, 1)
    if codec != b"lpcm" or packet_frames != 1 or rest or not (bits + 7) // 8 <= sample_bytes <= 8 or not bits:
        return None
    if (sample_format == "float" and sample_bytes not in (4, 8)) or (sample_format == "int" and sample_bytes > 4):
        return None
    return pcm_layout(
        container="caf",
        sample_format=sample_format,
        sample_bytes=sample_bytes,
        bits=bits,
        rate_hz=round(rate) if math.isfinite(rate) and 0 <= rate < 1e9 else 0,
        channels=channels,
        data_offset=data[0],
        claimed_bytes=data[1],
        there_bytes=total - data[0],
        big_endian=not flags & _IS_LITTLE_ENDIAN,
        comments=comments,
        import_tags=import_tags,
        contradictions=contradictions,
    )


def _pairs(raw: bytes) -> dict[str, str]:
    """The `info` chunk: pairs of texts ended by zero bytes."""
    parts = raw[4:].split(b"\0")
    return dict(zip((text_of(p) for p in parts[0::2]), (text_of(p) for p in parts[1::2]), strict=False))


def _comments(pairs: dict[str, str]) -> list[str]:
    """Title, tempo and comments."""
    texts = [pairs.get(k, "") for k in ("title", "comments")]
    if tempo := pairs.get("tempo"):
        texts.append(f"{tempo} bpm")
    return [t for t in texts if t]
