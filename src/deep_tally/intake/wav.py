"""WAV, RF64 and BW64: which bytes are samples, and does the header tell the truth?

The walker trusts no size field: every chunk is checked against the bytes that are there.

References
----------
RIFF/WAVE: Multimedia Programming Interface and Data Specifications 1.0 (1991), chapter 3.
EBU Tech 3285 (bext), EBU Tech 3306 (RF64, ds64), ITU-R BS.2088 (BW64).
"""

from __future__ import annotations

import os
import struct
from dataclasses import dataclass, field

from deep_tally.intake.chunks import (
    CHUNKS_MOST,
    MARKERS_MOST,
    TEXT_MOST,
    ixml_lines,
    looks_like_chunk,
    pcm_layout,
    text_of,
)
from deep_tally.intake.layout import PcmLayout
from deep_tally.intake.tags import id3_tags, sampler_loops
from deep_tally.model.files import Marker, SampleFormat
from deep_tally.model.phrase import Phrase

_PCM, _FLOAT, _EXTENSIBLE = 0x0001, 0x0003, 0xFFFE
_CHANNELS_LIKELY, _RATES_LIKELY_HZ = 32, (8_000, 384_000)
_CONTAINERS = {b"RIFF": "wav", b"RIFX": "wav", b"RF64": "rf64", b"BW64": "rf64"}
_UNKNOWN_SIZE = 0xFFFFFFFF
_PLACEHOLDERS = (0x7FFFFFFF, 0x7FFFF000)  # written by recorders that fill the size in at the end
_JUNK_MOST = 4096
_PADDING_MOST = 4096
_PIECE, _PIECES = 512, 256
# EBU Tech 3285: description 256, originator 32, its reference 32, date 10, time 8, time reference 8, version 2, ...
_BEXT = struct.Struct("<256s32s32s10s8sQH")
_BEXT_CODING_HISTORY = 602


@dataclass
class _Found:
    """What the walk over the chunks has come upon."""

    fmt: bytes | None = None
    data: tuple[int, int] | None = None
    time_reference: int | None = None
    comments: list[str] = field(default_factory=list)
    said: list[tuple[str, str]] = field(default_factory=list)
    cues: dict[int, int] = field(default_factory=dict)
    labels: dict[int, str] = field(default_factory=dict)
    contradictions: list[Phrase] = field(default_factory=list)
    import_tags: list[Phrase] = field(default_factory=list)


def header_at(head: bytes) -> int | None:
    """Where in a file's first bytes a WAV begins: 0, or after junk (a byte-order mark, a stray header)."""
    for position in range(max(0, min(_JUNK_MOST, len(head) - 12)) + 1):
        name = head[position : position + 4]
        if name in _CONTAINERS and head[position + 8 : position + 12] == b"WAVE":
            return position
    return None


def read_layout(file: int) -> PcmLayout | None:
    """Walk the chunks of an open file descriptor.

    Returns
    -------
    PcmLayout or None
        None when this is no WAV of plain PCM or IEEE float: another reader must try it.
    """
    total = os.fstat(file).st_size
    head = os.pread(file, _JUNK_MOST + 12, 0)
    begin = header_at(head)
    if begin is None:
        return None
    kind = head[begin : begin + 4]
    order = ">" if kind == b"RIFX" else "<"
    found = _Found()
    if begin:
        found.contradictions.append(Phrase("header.begins-late", bytes=begin))
    riff_size = struct.unpack_from(order + "I", head, begin + 4)[0]
    _walk(file, order, begin, total, found, is_long=kind in (b"RF64", b"BW64"))
    if found.fmt is None or found.data is None or len(found.fmt) < 16:
        return None
    if kind in (b"RIFF", b"RIFX"):
        data = found.data[0] - begin, found.data[1]
        found.contradictions += _riff_size_lies(riff_size, total - begin - 8, data)
    return _layout(_CONTAINERS[kind], order, found, total)


def _walk(file: int, order: str, begin: int, total: int, found: _Found, *, is_long: bool) -> None:
    long_data: int | None = None
    position = begin + 12
    for _ in range(CHUNKS_MOST):
        header = os.pread(file, 8, position)
        if len(header) < 8:
            return
        if not looks_like_chunk(header):
            return
        name, size = header[:4], struct.unpack(order + "I", header[4:])[0]
        body = position + 8
        if name == b"ds64" and is_long:
            sizes = os.pread(file, 16, body)
            long_data = struct.unpack("<Q", sizes[8:])[0] if len(sizes) == 16 else None
        elif name == b"fmt " and found.fmt is None:
            found.fmt = os.pread(file, min(size, 40), body)
        elif name == b"data":
            if found.data is not None:
                found.contradictions.append(Phrase("header.second-audio"))
            else:
                size = _data_size(file, order, body, size, total, long_data, is_long, found.contradictions)
                found.data = (body, size)
        else:
            _take_text(file, order, name, body, size, found)
        position = body + size
        if size & 1:
            # The pad byte is zero: a chunk's name in its place means that the writer forgot it.
            if looks_like_chunk(os.pread(file, 4, position)):
                found.contradictions.append(Phrase("header.pad-missing"))
            else:
                position += 1


def _data_size(
    file: int,
    order: str,
    body: int,
    size: int,
    total: int,
    long_data: int | None,
    is_long: bool,
    contradictions: list[Phrase],
) -> int:
    """How many bytes of audio the header claims; where it says nothing usable, all that follow."""
    there = max(0, total - body)
    if is_long and size == _UNKNOWN_SIZE and long_data is not None:
        # A size that no file can have is a placeholder, too.
        if 0 < long_data < 1 << 62:
            return long_data
        size = 0
    if size == 0 and (there == 0 or _chunks_follow(file, order, body, total)):
        return 0
    if size in (0, _UNKNOWN_SIZE, *_PLACEHOLDERS) and size != there:
        contradictions.append(Phrase("header.no-audio" if size == 0 else "header.no-length", there=there))
        return there
    after = body + size + (size & 1)
    rest = total - after
    if rest > _PADDING_MOST and not _chunks_follow(file, order, body + size, total):
        contradictions.append(Phrase("header.audio-size", claimed=size, there=there))
        return there
    return size


def _chunks_follow(file: int, order: str, position: int, total: int) -> bool:
    """Whether what stands there is another chunk (or padding, or a tag at the file's end), and not audio."""
    head = os.pread(file, 9, position)
    if head[:3] in (b"ID3", b"TAG") or head[1:4] in (b"ID3", b"TAG"):
        return True
    if not head.strip(b"\0"):
        return _is_padding(file, position, total)  # audio begins with zeros as well
    for start in (0, 1):
        piece = head[start : start + 8]
        if len(piece) == 8 and looks_like_chunk(piece):
            size = struct.unpack(order + "I", piece[4:])[0]
            if position + start + 8 + size <= total + 1:
                return True
    return False


def _is_padding(file: int, position: int, total: int) -> bool:
    """Whether there are only zeros up to the file's end, looked at in pieces all along."""
    step = max(_PIECE, (total - position) // _PIECES)
    return not any(os.pread(file, _PIECE, at).strip(b"\0") for at in range(position, total, step))


def _riff_size_lies(size: int, there: int, data: tuple[int, int]) -> list[Phrase]:
    if size in (0, _UNKNOWN_SIZE, *_PLACEHOLDERS):
        return [Phrase("header.no-size", there=there)]
    # A few bytes of difference are padding; more than is there by as much as the audio lacks shows in the audio.
    lacking = data[1] - max(0, there + 8 - data[0])
    too_small = size + 8 < min(data[0] + data[1], there + 8)  # a tag behind the RIFF is no lie, audio behind it is
    if (size > there + 8 and lacking <= 0) or too_small:
        return [Phrase("header.size", claimed=size, there=there)]
    return []


def _take_text(file: int, order: str, name: bytes, body: int, size: int, found: _Found) -> None:
    """Texts, stamps and markers; none of them is needed to read the samples."""
    if name == b"bext":
        _take_bext(os.pread(file, min(size, TEXT_MOST), body), found)
    elif name == b"iXML":
        found.said += ixml_lines(os.pread(file, min(size, TEXT_MOST), body))
    elif name == b"LIST":
        _take_list(order, os.pread(file, min(size, TEXT_MOST), body), found)
    elif name == b"smpl":
        found.import_tags += sampler_loops(os.pread(file, min(size, TEXT_MOST), body), order)
    elif name in (b"id3 ", b"ID3 "):
        found.import_tags += id3_tags(os.pread(file, min(size, TEXT_MOST), body))
    elif name == b"cue ":
        raw = os.pread(file, min(size, 4 + 24 * MARKERS_MOST), body)
        for at in range(4, len(raw) - 23, 24):
            identity, _, _, _, _, offset = struct.unpack_from(order + "II4sIII", raw, at)
            found.cues[identity] = offset


def _take_bext(raw: bytes, found: _Found) -> None:
    padded = raw.ljust(_BEXT.size, b"\0")
    description, originator, reference, date, time, stamp, version = _BEXT.unpack_from(padded)
    if text := text_of(description):
        found.comments.append(text)
    if len(raw) >= _BEXT.size - 2:
        found.time_reference = stamp
    fields = (("Description", description), ("Originator", originator), ("Reference", reference))
    found.said += [(label, text) for label, part in fields if (text := text_of(part))]
    if moment := " ".join(t for t in (text_of(date), text_of(time)) if t):
        found.said.append(("Written", moment))
    if len(raw) >= _BEXT.size:
        found.said.append(("Broadcast-wave version", str(version)))
    # The coding history is lines; text_of makes one of them.
    if history := text_of(raw[_BEXT_CODING_HISTORY:].replace(b"\r\n", b"; ").rstrip(b"; \0")):
        found.said.append(("Coding history", history))


def _take_list(order: str, raw: bytes, found: _Found) -> None:
    position = 4
    kind = raw[:4]
    while kind in (b"INFO", b"adtl") and position + 8 <= len(raw):
        name, size = raw[position : position + 4], struct.unpack_from(order + "I", raw, position + 4)[0]
        part = raw[position + 8 : position + 8 + size]
        if kind == b"INFO":
            text = text_of(part)
            if name in (b"INAM", b"ICMT", b"ISBJ") and text:
                found.comments.append(text)
            elif name in (b"ISFT", b"ICRD") and text:
                found.said.append(({b"ISFT": "Software", b"ICRD": "Created"}[name], text))
        elif name in (b"labl", b"note") and len(part) > 4:
            identity = struct.unpack_from(order + "I", part)[0]
            if text := text_of(part[4:]):
                found.labels.setdefault(identity, text)
        position += 8 + size + (size & 1)


def unread_coding(head: bytes) -> int | None:
    """The format tag of a RIFF WAVE file whose samples are neither plain nor IEEE floats; None for every other file.

    Only where channels and rate are those of a sound: a damaged header is no other coding.
    """
    at = head.find(b"fmt ", 12)
    if head[:4] != b"RIFF" or head[8:12] != b"WAVE" or at < 0 or len(head) < at + 24:
        return None
    tag, channels, rate_hz = struct.unpack_from("<HHI", head, at + 8)
    is_sound = 0 < channels <= _CHANNELS_LIKELY and _RATES_LIKELY_HZ[0] <= rate_hz <= _RATES_LIKELY_HZ[1]
    return int(tag) if is_sound and tag not in (_PCM, _FLOAT, _EXTENSIBLE) else None


def layout_from_fmt(
    container: str, fmt: bytes, data: tuple[int, int], total: int, contradictions: list[Phrase]
) -> PcmLayout | None:
    """The layout for a `fmt ` chunk as WAV has it, in another container; None for another codec than plain samples."""
    return _layout(container, "<", _Found(fmt=fmt, data=data, contradictions=contradictions), total)


def _layout(container: str, order: str, found: _Found, total: int) -> PcmLayout | None:
    assert found.fmt is not None
    assert found.data is not None
    tag, channels, rate_hz, second_bytes, block_bytes, bits = struct.unpack_from(order + "HHIIHH", found.fmt)
    valid_bits = bits
    if tag == _EXTENSIBLE and len(found.fmt) >= 26:
        valid_bits = struct.unpack_from(order + "H", found.fmt, 18)[0] or bits
        tag = struct.unpack_from(order + "H", found.fmt, 24)[0]
    if tag not in (_PCM, _FLOAT) or channels == 0:
        return None
    most = 4 if tag == _PCM else 8
    sample_bytes, rest = divmod(block_bytes, channels)
    by_depth = (bits + 7) // 8
    outvoted = second_bytes == rate_hz * channels * by_depth != rate_hz * block_bytes
    if rest or not by_depth <= sample_bytes <= most or outvoted:
        # The depth is what writers get right: a block that does not hold it, or stands alone against it, is the lie.
        sample_bytes = by_depth
        there = sample_bytes * channels
        lie = Phrase("header.frame-bytes", claimed=block_bytes, channels=channels, bits=bits, there=there)
        found.contradictions.append(lie)
    sample_format: SampleFormat = "int"
    if tag == _FLOAT:
        sample_format, valid_bits = "float", bits
        if bits not in (32, 64) or sample_bytes * 8 != bits:
            return None
    elif not 1 <= sample_bytes <= 4:
        return None
    offset, claimed_bytes = found.data
    return pcm_layout(
        container=container,
        sample_format=sample_format,
        sample_bytes=sample_bytes,
        bits=valid_bits if 0 < valid_bits <= bits else bits,
        rate_hz=rate_hz,
        channels=channels,
        data_offset=offset,
        claimed_bytes=claimed_bytes,
        there_bytes=total - offset,
        big_endian=order == ">",
        unsigned=sample_bytes == 1 and tag == _PCM,
        time_reference=found.time_reference,
        comments=found.comments,
        said=found.said,
        markers=[Marker(frame=frame, text=found.labels.get(key, "")) for key, frame in found.cues.items()],
        contradictions=found.contradictions,
        import_tags=found.import_tags,
    )
