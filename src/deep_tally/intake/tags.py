"""Tags inside sound files that make other programs stretch or loop them on import.

References
----------
ID3v2.3, 3.3 and 4.2.1 (frame TBPM). RIFF sampler chunk "smpl" (from memory: the number of loops is its eighth word).
AIFF 1.3, "Instrument Chunk". FLAC format, METADATA_BLOCK_VORBIS_COMMENT.
"""

from __future__ import annotations

import os
import re
import struct
from collections.abc import Mapping

from deep_tally.intake.codec_delay import after_id3
from deep_tally.model.phrase import Phrase

_TEMPO = re.compile(r"\s*(\d{2,3}(?:[.,]\d+)?)")
_SLOWEST_BPM, _FASTEST_BPM = 20.0, 400.0
_FRAMES_MOST = 256
_COMMENT_BLOCK, _BLOCKS_MOST, _BYTES_MOST = 4, 64, 1 << 20
_TEMPO_KEYS = frozenset({"tbpm", "bpm", "tempo", "tmpo"})


def tempo_tag(text: str) -> list[Phrase]:
    """A tempo that a tag states, as a phrase; nothing for what is no tempo (0 is written for "none")."""
    match = _TEMPO.match(text)
    bpm = float(match[1].replace(",", ".")) if match else 0.0
    return [Phrase("tag.tempo", bpm=bpm)] if _SLOWEST_BPM <= bpm <= _FASTEST_BPM else []


def id3_tags(raw: bytes) -> list[Phrase]:
    """The tempo of an ID3v2.3 or 2.4 tag."""
    if raw[:3] != b"ID3" or raw[3:4] not in (b"\x03", b"\x04"):
        return []
    is_synchsafe = raw[3] == 4
    at = 10
    for _ in range(_FRAMES_MOST):
        name, size = raw[at : at + 4], raw[at + 4 : at + 8]
        if len(size) < 4 or not name.strip(b"\0"):
            break
        length = _synchsafe(size) if is_synchsafe else struct.unpack(">I", size)[0]
        if name == b"TBPM":
            return tempo_tag(_text(raw[at + 10 : at + 10 + length]))
        at += 10 + length
    return []


def _synchsafe(raw: bytes) -> int:
    return raw[0] << 21 | raw[1] << 14 | raw[2] << 7 | raw[3]


def _text(raw: bytes) -> str:
    """The text of a frame: its first byte says how it is written."""
    encoding = {0: "latin-1", 1: "utf-16", 2: "utf-16-be", 3: "utf-8"}.get(raw[0] if raw else 0, "latin-1")
    return raw[1:].decode(encoding, "replace")


def sampler_loops(raw: bytes, order: str) -> list[Phrase]:
    """The loops of a RIFF sampler chunk."""
    count = struct.unpack_from(order + "I", raw, 28)[0] if len(raw) >= 32 else 0
    return [Phrase("tag.loops", count=count)] if 0 < count <= _FRAMES_MOST else []


def instrument_loops(raw: bytes) -> list[Phrase]:
    """The loops of an AIFF instrument chunk: a play mode other than 0, for sustain and for release."""
    modes = [struct.unpack_from(">h", raw, at)[0] for at in (8, 14) if len(raw) >= at + 2]
    count = sum(mode in (1, 2) for mode in modes)
    return [Phrase("tag.loops", count=count)] if count else []


def flac_tags(file: int) -> list[Phrase]:
    """The tempo among a FLAC file's comments."""
    begin = after_id3(os.pread(file, 10, 0))
    if os.pread(file, 4, begin) != b"fLaC":
        return []
    at = begin + 4
    for _ in range(_BLOCKS_MOST):
        head = os.pread(file, 4, at)
        if len(head) < 4:
            break
        size = int.from_bytes(head[1:], "big")
        if head[0] & 0x7F == _COMMENT_BLOCK:
            return _comment_tags(os.pread(file, min(size, _BYTES_MOST), at + 4))
        if head[0] & 0x80:
            break
        at += 4 + size
    return []


def _comment_tags(raw: bytes) -> list[Phrase]:
    vendor = struct.unpack_from("<I", raw)[0] if len(raw) >= 4 else 0
    at = 4 + vendor
    count = struct.unpack_from("<I", raw, at)[0] if len(raw) >= at + 4 else 0
    at += 4
    texts = {}
    for _ in range(min(count, _FRAMES_MOST)):
        if len(raw) < at + 4:
            break
        size = struct.unpack_from("<I", raw, at)[0]
        key, _, value = raw[at + 4 : at + 4 + size].decode("utf-8", "replace").partition("=")
        texts[key] = value
        at += 4 + size
    return tags_in(texts)


def tags_in(texts: Mapping[str, str]) -> list[Phrase]:
    """The tempo among a file's tags by their names, whatever their case."""
    found = (tempo_tag(text) for key, text in texts.items() if key.casefold() in _TEMPO_KEYS)
    return next((phrases for phrases in found if phrases), [])
