"""Is every page of an Ogg stream there, as it was written? Decoders pass over damaged pages without a word.

References
----------
RFC 3533, 6: the page header (capture pattern, granule position, serial and sequence numbers, CRC over the page with the
CRC's own field zeroed: generator polynomial 0x04c11db7, not reflected, from 0, without a final inversion).
"""

from __future__ import annotations

import os
import struct
import zlib
from dataclasses import dataclass

_HEADER = struct.Struct("<4sBBqIIIB")
_LAST_PAGE = 0x04
_PAGE_MOST = 65_307
_READ = 4 << 20
_FALSE_STARTS_MOST = 2000
"""Capture patterns that begin no page: past so many, a file is made to waste time, and is read no further."""

_REVERSED = bytes(int(f"{byte:08b}"[::-1], 2) for byte in range(256))


@dataclass(frozen=True, slots=True)
class OggPages:
    """What a walk along the pages found.

    Attributes
    ----------
    pages : int
        Pages that are as they were written.
    breaks : int
        Places where at least one page is damaged or missing.
    first_break_granule : int
        The granule position (frames) reached before the first of them.
    has_end : bool
        Whether the last page says that it is the last.
    """

    pages: int
    breaks: int
    first_break_granule: int
    has_end: bool


def page_checksum(page: bytes) -> int:
    """The CRC of a page, whose own field is taken as zero."""
    # zlib's CRC has the same polynomial with its bits reversed, and inverts before and after.
    mirrored = (page[:22] + bytes(4) + page[26:]).translate(_REVERSED)
    return int(f"{zlib.crc32(mirrored, 0xFFFFFFFF) ^ 0xFFFFFFFF:032b}"[::-1], 2)


def walk_pages(file: int) -> OggPages:
    """Walk along all pages of a file (an open descriptor) and check each.

    A page that the file's end cuts off is no break: the stream has no end then.
    """
    total = os.fstat(file).st_size
    window, window_start = b"", 0
    at = pages = breaks = granule = first = false_starts = 0
    has_end = False
    is_in_break = False
    expected: dict[int, int] = {}
    while at < total and false_starts < _FALSE_STARTS_MOST:
        window_end = window_start + len(window)
        if at + _PAGE_MOST > window_end and window_end < total:
            window, window_start = os.pread(file, _READ, at), at
        page = _page_at(window, at - window_start)
        is_cut_off = page is None and _begins_page(window, at - window_start) and at + _PAGE_MOST > total
        if page is not None:
            kind, position, serial, sequence = _HEADER.unpack_from(page)[2:6]
            is_missing = expected.get(serial, sequence) != sequence
            if is_missing and not is_in_break:
                first, breaks = (granule if not breaks else first), breaks + 1
            expected[serial] = sequence + 1 & 0xFFFFFFFF
            granule = max(granule, position)
            has_end = bool(kind & _LAST_PAGE)
            is_in_break = False
            pages += 1
            at += len(page)
            continue
        if is_cut_off and window.find(b"OggS", at - window_start + 4) < 0:
            has_end = False
            break
        if not is_in_break:
            first, breaks = (granule if not breaks else first), breaks + 1
            is_in_break = True
        has_end = False
        found = window.find(b"OggS", at - window_start + 1)
        false_starts += found >= 0
        at = window_start + found if found >= 0 else max(at + 1, window_start + len(window) - 3)
    return OggPages(pages=pages, breaks=breaks, first_break_granule=first, has_end=has_end)


def _begins_page(window: bytes, at: int) -> bool:
    return window[at : at + 5] == b"OggS\0"


def _page_at(window: bytes, at: int) -> bytes | None:
    """The whole page that begins there; None where there is none, or it is not as it was written."""
    if not _begins_page(window, at) or at + _HEADER.size > len(window):
        return None
    segments = window[at + 26]
    sizes = window[at + 27 : at + 27 + segments]
    page = window[at : at + 27 + segments + sum(sizes)]
    if len(sizes) < segments or len(page) < 27 + segments + sum(sizes):
        return None
    return page if page_checksum(page) == struct.unpack_from("<I", page, 22)[0] else None
