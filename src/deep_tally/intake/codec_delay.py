"""What lossy streams say of themselves in their first bytes: encoder delay and exact length.

References
----------
Opus: RFC 7845, 5.1 (pre-skip). MPEG-1 layer III: the information frame that
encoders write before the first frame of audio, with the number of frames, the delay and the padding (common practice).
"""

from __future__ import annotations

import os
import struct
from dataclasses import dataclass

_SEARCHED = 8192
_DECODER_DELAY = 529  # MPEG layer III: a decoder adds 528 samples and one of its own (ISO 11172-3, common practice)


@dataclass(frozen=True, slots=True)
class Stated:
    """What a stream says; None where it says nothing.

    Attributes
    ----------
    delay_frames : int or None
        Frames the encoder put before the sound.
    frames : int or None
        The exact length without delay and padding.
    """

    delay_frames: int | None = None
    frames: int | None = None


def read_mp3(file: int) -> Stated:
    """The information frame of an MP3, if it has one."""
    head = os.pread(file, _SEARCHED, after_id3(os.pread(file, 10, 0)))
    at = max(head.find(b"Xing"), head.find(b"Info"))
    if at < 4 or at + 8 > len(head):
        return Stated()
    start = head.rfind(b"\xff", 0, at)
    if start < 0 or at - start > 40:
        return Stated()
    frame_samples = 1152 if head[start + 1] & 0x08 else 576  # MPEG-1, else MPEG-2 and 2.5
    flags = struct.unpack_from(">I", head, at + 4)[0]
    position = at + 8
    count = struct.unpack_from(">I", head.ljust(position + 4, b"\0"), position)[0] if flags & 1 else None
    position += 4 * (flags & 1) + 4 * (flags >> 1 & 1) + 100 * (flags >> 2 & 1) + 4 * (flags >> 3 & 1)
    packed = head[position + 21 : position + 24]
    delay = padding = None
    if len(packed) == 3 and any(head[position : position + 9]):
        both = int.from_bytes(packed, "big")
        delay, padding = both >> 12, both & 0xFFF
    frames = None
    if count and delay is not None and padding is not None:
        frames = max(0, count * frame_samples - delay - padding)
    return Stated(delay + _DECODER_DELAY if delay else None, frames)


def after_id3(head: bytes) -> int:
    """Where the audio begins after an ID3v2 tag (its size is four times seven bits)."""
    if len(head) < 10 or head[:3] != b"ID3":
        return 0
    size = 0
    for byte in head[6:10]:
        size = size << 7 | byte & 0x7F
    return 10 + size


def read_opus(file: int) -> Stated:
    """The pre-skip of an Opus stream."""
    head = os.pread(file, _SEARCHED, 0)
    at = head.find(b"OpusHead")
    if at < 0 or at + 12 > len(head):
        return Stated()
    return Stated(struct.unpack_from("<H", head, at + 10)[0] or None)


def read_mp4(file: int) -> Stated:
    """The first edit of an MP4's audio track: the frames that are skipped before the sound."""
    total = os.fstat(file).st_size
    moov = find_box(file, (b"moov",), 0, total)
    if moov is None:
        return Stated()
    at = find_box(file, (b"trak", b"edts", b"elst"), *moov)
    if at is None:
        return Stated()
    raw = os.pread(file, 28, at[0])
    if len(raw) < 20 or struct.unpack_from(">I", raw, 4)[0] < 1:
        return Stated()
    skipped = (
        struct.unpack_from(">q", raw, 16)[0] if raw[0] == 1 and len(raw) >= 24 else struct.unpack_from(">i", raw, 12)[0]
    )
    return Stated(skipped if 0 < skipped < 100_000 else None)


def find_box(file: int, names: tuple[bytes, ...], start: int, stop: int) -> tuple[int, int] | None:
    """(start, stop) of the content of the first box on this path."""
    position = start
    for _ in range(1000):
        head = os.pread(file, 16, position)
        if position >= stop or len(head) < 8:
            return None
        size, name, content = struct.unpack(">I", head[:4])[0], head[4:8], 8
        if size == 1 and len(head) == 16:
            size, content = struct.unpack(">Q", head[8:])[0], 16
        size = size or stop - position
        if size < content:
            return None
        if name == names[0]:
            inside = (position + content, min(stop, position + size))
            return inside if len(names) == 1 else find_box(file, names[1:], *inside)
        position += size
    return None
