"""AIFF and AIFF-C with plain samples.

References
----------
Audio Interchange File Format 1.3 (1989) and AIFF-C draft (1991): FORM, COMM, SSND, MARK, the 80-bit extended rate.
"""

from __future__ import annotations

import math
import os
import struct
from dataclasses import dataclass, field

from deep_tally.intake.chunks import (
    CHUNKS_MOST,
    MARKERS_MOST,
    TEXT_MOST,
    looks_like_chunk,
    pcm_layout,
    read_text_chunk,
    text_of,
)
from deep_tally.intake.layout import PcmLayout
from deep_tally.intake.tags import id3_tags, instrument_loops
from deep_tally.model.files import Marker, SampleFormat
from deep_tally.model.phrase import Phrase

# Compression type -> (sample format, big endian, bits where COMM does not say)
_PLAIN: dict[bytes, tuple[SampleFormat, bool, int | None]] = {
    b"NONE": ("int", True, None),
    b"twos": ("int", True, None),
    b"sowt": ("int", False, None),
    b"in24": ("int", True, 24),
    b"in32": ("int", True, 32),
    b"fl32": ("float", True, 32),
    b"FL32": ("float", True, 32),
    b"fl64": ("float", True, 64),
    b"FL64": ("float", True, 64),
}
_TEXTS = {b"NAME": "Name", b"AUTH": "Author", b"(c) ": "Copyright", b"ANNO": "Annotation"}


@dataclass
class _Found:
    common: bytes | None = None
    sound: tuple[int, int] | None = None
    comments: list[str] = field(default_factory=list)
    said: list[tuple[str, str]] = field(default_factory=list)
    markers: list[Marker] = field(default_factory=list)
    contradictions: list[Phrase] = field(default_factory=list)
    import_tags: list[Phrase] = field(default_factory=list)


def extended(raw: bytes) -> float:
    """An 80-bit IEEE extended number, big-endian (AIFF 1.3, "extended"); NaN and infinity become 0."""
    sign_exponent, mantissa = struct.unpack(">HQ", raw)
    exponent = sign_exponent & 0x7FFF
    if exponent == 0x7FFF or exponent - 16383 > 64:
        return 0.0
    return math.copysign(math.ldexp(mantissa, exponent - 16383 - 63), -1.0 if sign_exponent & 0x8000 else 1.0)


def read_layout(file: int) -> PcmLayout | None:
    """Walk the chunks of an open file descriptor; None when this is no AIFF of plain samples."""
    total = os.fstat(file).st_size
    head = os.pread(file, 12, 0)
    if len(head) < 12 or head[:4] != b"FORM" or head[8:] not in (b"AIFF", b"AIFC"):
        return None
    found = _walk(file, total)
    form_size = struct.unpack(">I", head[4:8])[0]
    if form_size in (0, 0xFFFFFFFF):
        found.contradictions.append(Phrase("header.no-size", there=total - 8))
    if found.common is None or found.sound is None or len(found.common) < 18:
        return None
    return _layout(found, total)


def _walk(file: int, total: int) -> _Found:
    found = _Found()
    position = 12
    for _ in range(CHUNKS_MOST):
        header = os.pread(file, 8, position)
        if len(header) < 8 or not looks_like_chunk(header):
            break
        name, size = header[:4], struct.unpack(">I", header[4:])[0]
        body = position + 8
        if name == b"COMM" and found.common is None:
            found.common = os.pread(file, min(size, 22), body)
        elif name == b"SSND" and found.sound is None:
            offset = struct.unpack(">I", os.pread(file, 4, body).rjust(4, b"\0"))[0]
            start = body + 8 + (offset if offset <= max(0, size - 8) else 0)
            # A recorder that was cut off leaves 0 or all ones here.
            claimed = total - start if size in (0, 0xFFFFFFFF) else body + size - start
            found.sound = (start, max(0, claimed))
            if size in (0, 0xFFFFFFFF) and total > start:
                key = "header.no-audio" if size == 0 else "header.no-length"
                found.contradictions.append(Phrase(key, there=total - start))
                break
        elif name == b"MARK":
            found.markers += _markers(os.pread(file, min(size, 300 * MARKERS_MOST), body))
        elif name == b"INST":
            found.import_tags += instrument_loops(os.pread(file, min(size, 20), body))
        elif name == b"ID3 ":
            found.import_tags += id3_tags(os.pread(file, min(size, TEXT_MOST), body))
        elif name == b"COMT":
            found.comments += _comments(os.pread(file, min(size, TEXT_MOST), body))
        elif name in _TEXTS and (text := read_text_chunk(file, body, size)):
            found.comments.append(text)
            found.said.append((_TEXTS[name], text))
        position = body + size + (size & 1)
    return found


def _layout(found: _Found, total: int) -> PcmLayout | None:
    assert found.common is not None
    assert found.sound is not None
    channels, claimed_frames, bits = struct.unpack_from(">hIh", found.common)
    rate_hz = round(extended(found.common[8:18]))
    compression = found.common[18:22] if len(found.common) >= 22 else b"NONE"
    if compression not in _PLAIN:
        return None
    sample_format, big_endian, told_bits = _PLAIN[compression]
    bits = told_bits or bits
    if channels <= 0 or not 1 <= bits <= (64 if sample_format == "float" else 32):
        return None
    sample_bytes = (bits + 7) // 8
    start, claimed_bytes = found.sound
    there = max(0, total - start)
    block = sample_bytes * channels
    in_chunk = claimed_bytes // block
    if claimed_frames != in_chunk and min(claimed_bytes, there) == claimed_bytes:
        found.contradictions.append(Phrase("header.frames", claimed=claimed_frames, there=in_chunk))
        claimed_frames = in_chunk
    return pcm_layout(
        container="aiff",
        sample_format=sample_format,
        sample_bytes=sample_bytes,
        bits=bits,
        rate_hz=rate_hz,
        channels=channels,
        data_offset=start,
        claimed_bytes=claimed_bytes,
        there_bytes=there,
        big_endian=big_endian,
        claimed_frames=max(claimed_frames, in_chunk),
        comments=found.comments,
        said=found.said,
        markers=found.markers,
        import_tags=found.import_tags,
        contradictions=found.contradictions,
    )


def _markers(raw: bytes) -> list[Marker]:
    markers: list[Marker] = []
    position = 2
    while position + 7 <= len(raw) and len(markers) < MARKERS_MOST:
        frame, length = struct.unpack_from(">IB", raw, position + 2)
        text = text_of(raw[position + 7 : position + 7 + length])
        markers.append(Marker(frame=frame, text=text))
        position += 6 + (1 + length + 1) // 2 * 2  # a counted string is padded to an even length
    return markers


def _comments(raw: bytes) -> list[str]:
    texts = []
    position = 2
    while position + 8 <= len(raw):
        length = struct.unpack_from(">H", raw, position + 6)[0]
        if text := text_of(raw[position + 8 : position + 8 + length]):
            texts.append(text)
        position += 8 + length + (length & 1)
    return texts
