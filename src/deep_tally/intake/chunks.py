"""What the chunked formats (RIFF, AIFF, Wave64, CAF) share: bounded reads, texts, and the sizes headers claim."""

from __future__ import annotations

import os
import re
import xml.etree.ElementTree as ElementTree
from collections.abc import Iterable

from deep_tally.intake.layout import PcmLayout
from deep_tally.model.files import Marker, SampleFormat, SoundFormat
from deep_tally.model.phrase import Phrase

CHUNKS_MOST = 4096
TEXT_MOST = 65_536
MARKERS_MOST = 1000
_NAME = re.compile(rb"[ -~]{4}")


def looks_like_chunk(head: bytes) -> bool:
    """Whether four bytes can be a chunk's name: printable ASCII, not all blank."""
    return _NAME.fullmatch(head[:4]) is not None and head[:4].strip() != b""


def text_of(raw: bytes) -> str:
    """Text up to the first zero byte; UTF-8, else the Western code page old programs write."""
    raw = raw.split(b"\0", 1)[0]
    try:
        text = raw.decode("utf-8")
    except UnicodeDecodeError:
        text = raw.decode("cp1252", "replace")
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())


def read_text_chunk(file: int, body: int, size: int) -> str:
    """The text of a chunk, no longer than is sensible."""
    return text_of(os.pread(file, min(size, TEXT_MOST), body))


def ixml_lines(raw: bytes) -> list[tuple[str, str]]:
    """The plain fields of an iXML chunk as (label, text), in order; broken XML gives none."""
    raw = raw.rstrip(b"\0 \r\n")
    if b"<!DOCTYPE" in raw.upper() or b"<!ENTITY" in raw.upper():
        return []  # entities can blow up: no iXML needs them
    try:
        root = ElementTree.fromstring(raw)
    except (ElementTree.ParseError, ValueError):
        return []
    lines = []
    for element in root.iter():
        text = " ".join((element.text or "").split())
        if text and len(element) == 0:
            lines.append((f"iXML {element.tag.replace('_', ' ').lower()}", text[:200]))
    return lines[:40]


def sorted_markers(markers: Iterable[Marker]) -> tuple[Marker, ...]:
    """In order of time, bounded."""
    return tuple(sorted(markers, key=lambda m: (m.frame, m.text))[:MARKERS_MOST])


def pcm_layout(
    *,
    container: str,
    sample_format: SampleFormat,
    sample_bytes: int,
    bits: int,
    rate_hz: int,
    channels: int,
    data_offset: int,
    claimed_bytes: int,
    there_bytes: int,
    big_endian: bool = False,
    unsigned: bool = False,
    claimed_frames: int | None = None,
    time_reference: int | None = None,
    comments: Iterable[str] = (),
    said: Iterable[tuple[str, str]] = (),
    markers: Iterable[Marker] = (),
    contradictions: Iterable[Phrase] = (),
    import_tags: Iterable[Phrase] = (),
) -> PcmLayout:
    """A layout with its frames counted: those that are there and those the header claims."""
    frame_bytes = sample_bytes * channels
    frames = max(0, min(claimed_bytes, there_bytes)) // frame_bytes
    return PcmLayout(
        format=SoundFormat(
            container=container,
            sample_format=sample_format,
            bits=bits,
            rate_hz=rate_hz,
            channels=channels,
            frames=frames,
            claimed_frames=claimed_bytes // frame_bytes if claimed_frames is None else claimed_frames,
            time_reference=time_reference,
            comments=tuple(comments),
            said=tuple(said),
            markers=sorted_markers(markers),
            contradictions=tuple(contradictions),
            import_tags=tuple(import_tags),
        ),
        sample_bytes=sample_bytes,
        data_offset=data_offset,
        big_endian=big_endian,
        unsigned=unsigned,
    )
