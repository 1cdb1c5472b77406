"""WAV, RF64 and BW64: which bytes are samples, and does the header tell the truth?

The walker trusts no size field: every chunk is held against the bytes that are there.

References
----------
RIFF/WAVE: Multimedia Programming Interface and Data Specifications 1.0 (1991), chapter 3.
EBU Tech 3285 (bext), EBU Tech 3306 (RF64, ds64), ITU-R BS.2088 (BW64).
"""

from __future__ import annotations

import os
import struct
from dataclasses import dataclass

from deep_tally.model.files import SampleFormat, SoundFormat

_PCM, _FLOAT, _EXTENSIBLE = 0x0001, 0x0003, 0xFFFE
_CONTAINERS = {b"RIFF": "wav", b"RF64": "rf64", b"BW64": "rf64"}
_UNKNOWN_SIZE = 0xFFFFFFFF
_CHUNKS_MOST = 4096
_TEXT_MOST = 65_536
_BEXT_DESCRIPTION = 256
_BEXT_TIME_REFERENCE = 338  # description 256, originator 32, reference 32, date 10, time 8


@dataclass(frozen=True, slots=True, kw_only=True)
class WavLayout:
    """Where the samples of a WAV lie and how they are stored.

    Attributes
    ----------
    format : SoundFormat
    sample_bytes : int
        Bytes of one sample of one channel as stored.
    data_offset : int
        Byte of the first sample.
    """

    format: SoundFormat
    sample_bytes: int
    data_offset: int


def read_layout(file: int) -> WavLayout | None:
    """Walk the chunks of an open file descriptor.

    Returns
    -------
    WavLayout or None
        None when this is no WAV of plain PCM or IEEE float: another reader must try it.
    """
    total = os.fstat(file).st_size
    head = os.pread(file, 12, 0)
    if len(head) < 12 or head[:4] not in _CONTAINERS or head[8:] != b"WAVE":
        return None
    fmt: bytes | None = None
    long_data: int | None = None
    data: tuple[int, int] | None = None
    time_reference: int | None = None
    comments: list[str] = []
    position = 12
    for _ in range(_CHUNKS_MOST):
        header = os.pread(file, 8, position)
        if len(header) < 8:
            break
        name, size = header[:4], struct.unpack("<I", header[4:])[0]
        body = position + 8
        if name == b"ds64":
            sizes = os.pread(file, 16, body)
            long_data = struct.unpack("<Q", sizes[8:])[0] if len(sizes) == 16 else None
        elif name == b"fmt ":
            fmt = os.pread(file, min(size, 40), body)
        elif name == b"bext":
            bext = os.pread(file, min(size, 1024), body)
            if text := _text(bext[:_BEXT_DESCRIPTION]):
                comments.append(text)
            if len(bext) >= _BEXT_TIME_REFERENCE + 8:
                time_reference = struct.unpack_from("<Q", bext, _BEXT_TIME_REFERENCE)[0]
        elif name == b"LIST":
            comments += _info_texts(os.pread(file, min(size, _TEXT_MOST), body))
        elif name == b"data" and data is None:
            if size == _UNKNOWN_SIZE:
                size = long_data if long_data is not None else total - body
            data = (body, size)
        position = body + size + (size & 1)
    if fmt is None or data is None or len(fmt) < 16:
        return None
    return _layout(_CONTAINERS[head[:4]], fmt, data, total, time_reference, tuple(comments))


def _layout(
    container: str,
    fmt: bytes,
    data: tuple[int, int],
    total: int,
    time_reference: int | None,
    comments: tuple[str, ...],
) -> WavLayout | None:
    tag, channels, rate_hz, _, block_bytes, bits = struct.unpack_from("<HHIIHH", fmt)
    valid_bits = bits
    if tag == _EXTENSIBLE and len(fmt) >= 26:
        valid_bits = struct.unpack_from("<H", fmt, 18)[0] or bits
        tag = struct.unpack_from("<H", fmt, 24)[0]
    if channels == 0 or rate_hz == 0 or block_bytes % channels:
        return None
    sample_bytes = block_bytes // channels
    sample_format: SampleFormat
    if tag == _PCM and sample_bytes in (1, 2, 3, 4) and sample_bytes * 8 - 8 < bits <= sample_bytes * 8:
        sample_format = "int"
    elif tag == _FLOAT and sample_bytes in (4, 8) and bits == sample_bytes * 8:
        sample_format, valid_bits = "float", bits
    else:
        return None
    offset, claimed_bytes = data
    there_bytes = max(0, min(claimed_bytes, total - offset))
    return WavLayout(
        format=SoundFormat(
            container=container,
            sample_format=sample_format,
            bits=valid_bits if 0 < valid_bits <= bits else bits,
            rate_hz=rate_hz,
            channels=channels,
            frames=there_bytes // block_bytes,
            claimed_frames=claimed_bytes // block_bytes,
            time_reference=time_reference,
            comments=comments,
        ),
        sample_bytes=sample_bytes,
        data_offset=offset,
    )


def _text(raw: bytes) -> str:
    return raw.split(b"\0", 1)[0].decode("utf-8", "replace").strip()


def _info_texts(body: bytes) -> list[str]:
    """The texts of a LIST/INFO chunk's title, comment and subject."""
    texts = []
    position = 4
    while body[:4] == b"INFO" and position + 8 <= len(body):
        name, size = body[position : position + 4], struct.unpack_from("<I", body, position + 4)[0]
        text = _text(body[position + 8 : position + 8 + size])
        if name in (b"INAM", b"ICMT", b"ISBJ") and text:
            texts.append(text)
        position += 8 + size + (size & 1)
    return texts
