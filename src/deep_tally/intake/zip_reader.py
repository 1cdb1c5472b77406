"""Read a zip so that a damaged member costs that member alone.

The directory is read member by member: one name, extra field or checksum that makes no sense must not take the others
with it, which is why this is not left to `zipfile`. Sizes and offsets are only trusted as far as the file goes.

References
----------
APPNOTE.TXT (the .ZIP file format specification), 6.3.10: 4.3.7 local header, 4.3.12 central directory, 4.3.14 to 4.3.16
its end, 4.4.4 flags, 4.5.3 Zip64 extra field, 5.8 LZMA; Unicode path extra field, appendix D.
"""

from __future__ import annotations

import bz2
import lzma
import math
import struct
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from typing import BinaryIO

_END = struct.Struct("<4s4H2LH")
_END64_LOCATOR = struct.Struct("<4sLQL")
_END64 = struct.Struct("<4sQ2H2L4Q")
_CENTRAL = struct.Struct("<4s6H3L5H2L")
_LOCAL = struct.Struct("<4s5H3L2H")
_COMMENT_MOST = 0xFFFF
_DIRECTORY_MOST = 64 << 20
_IN_ZIP64 = 0xFFFFFFFF
_STORED, _DEFLATED, _BZIP2, _LZMA = 0, 8, 12, 14
_LOCKED_FLAG, _UTF8_FLAG = 0x1, 0x800
_DICTIONARY_MOST = 256 << 20
_PIECE = 1 << 20
_CODE_PAGES = ("cp437", "cp1252", "cp850", "cp866", "shift_jis")
_COMMON_LETTERS = frozenset("äöüßÄÖÜéèàçñ")


class DamagedZip(Exception):
    """The directory, or a member, is not as the format has it."""


class UnknownPacking(Exception):
    """A member is compressed in a way that cannot be undone here."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Member:
    """One file or folder of a zip, as the directory describes it.

    Attributes
    ----------
    name : str
        As the client's system showed it, with forward slashes.
    packed_bytes, bytes : int
        Compressed and not, as claimed.
    offset : int
        Of its local header, from the archive's beginning.
    mode : int
        Unix file mode, 0 where it was packed on another system.
    """

    name: str
    method: int
    checksum: int
    packed_bytes: int
    bytes: int
    offset: int
    mode: int = 0
    is_locked: bool = False

    @property
    def is_folder(self) -> bool:
        """Whether it stands for a folder."""
        return self.name.endswith("/")


def read_members(file: BinaryIO) -> tuple[list[Member], bool]:
    """The members of an archive and whether the directory could be read to its end.

    Raises
    ------
    DamagedZip
        There is no directory: the archive is damaged, or only a part of it arrived.
    OSError
        The file cannot be read.
    """
    start, size, count, shift = _find_directory(file)
    file.seek(start)
    directory = file.read(min(size, _DIRECTORY_MOST))
    members: list[Member] = []
    at = 0
    while at + _CENTRAL.size <= len(directory) and directory[at : at + 4] == b"PK\x01\x02":
        fields = _CENTRAL.unpack_from(directory, at)
        name_size, extra_size, comment_size = fields[10:13]
        at += _CENTRAL.size
        raw = directory[at : at + name_size]
        extra = directory[at + name_size : at + name_size + extra_size]
        at += name_size + extra_size + comment_size
        members.append(_member(fields, raw, extra, shift))
    return members, len(members) == count & 0xFFFF or len(members) == count


def _member(fields: tuple[int, ...], raw: bytes, extra: bytes, shift: int) -> Member:
    flags, method, checksum = fields[3], fields[4], fields[7]
    packed, size, offset = fields[8], fields[9], fields[16]
    size, packed, offset = _with_zip64(extra, size, packed, offset)
    return Member(
        name=member_name(raw, flags, extra),
        method=method,
        checksum=checksum,
        packed_bytes=packed,
        bytes=size,
        offset=offset + shift,
        mode=fields[15] >> 16,
        is_locked=bool(flags & _LOCKED_FLAG),
    )


def _find_directory(file: BinaryIO) -> tuple[int, int, int, int]:
    """(where the directory begins, its size, how many members it claims, how much stands before the archive)."""
    whole = file.seek(0, 2)
    tail_start = max(0, whole - _END.size - _COMMENT_MOST)
    file.seek(tail_start)
    tail = file.read()
    at = tail.rfind(b"PK\x05\x06")
    if at < 0 or at + _END.size > len(tail):
        raise DamagedZip("no end of the directory")
    _, _, _, _, count, size, offset, _ = _END.unpack_from(tail, at)
    end = tail_start + at
    locator_at = at - _END64_LOCATOR.size
    if locator_at >= 0 and tail[locator_at : locator_at + 4] == b"PK\x06\x07":
        end64 = _END64_LOCATOR.unpack_from(tail, locator_at)[2]
        # What stands before an archive moves it, and the offsets in it do not say so: the record lies right before.
        for place in (end64, tail_start + locator_at - _END64.size):
            file.seek(min(place, whole))
            record = file.read(_END64.size)
            if len(record) == _END64.size and record.startswith(b"PK\x06\x06"):
                _, _, _, _, _, _, _, count, size, offset = _END64.unpack(record)
                end = place
                break
    shift = end - size - offset
    start = offset + shift
    if shift < 0 or start < 0:
        raise DamagedZip("the directory lies outside the file")
    return start, size, count, shift


def _with_zip64(extra: bytes, size: int, packed: int, offset: int) -> tuple[int, int, int]:
    """Sizes and offset, from the Zip64 field where 32 bits do not hold them."""
    values = [size, packed, offset]
    field = _extra_field(extra, 0x0001) or b""
    at = 0
    for index, value in enumerate(values):
        if value == _IN_ZIP64 and at + 8 <= len(field):
            values[index] = struct.unpack_from("<Q", field, at)[0]
            at += 8
    return values[0], values[1], values[2]


def _extra_field(extra: bytes, wanted: int) -> bytes | None:
    at = 0
    while at + 4 <= len(extra):
        kind, size = struct.unpack_from("<HH", extra, at)
        if kind == wanted:
            return extra[at + 4 : at + 4 + size]
        at += 4 + size
    return None


# -- what is in a member ----------------------------------------------------------------------


class _Deflate:
    """zlib's decompressor with the manners of the others: it keeps what it was given and could not use yet."""

    def __init__(self) -> None:
        self._inner = zlib.decompressobj(-zlib.MAX_WBITS)

    def decompress(self, data: bytes, max_length: int) -> bytes:
        return self._inner.decompress(self._inner.unconsumed_tail + data, max_length)

    @property
    def eof(self) -> bool:
        return self._inner.eof

    @property
    def needs_input(self) -> bool:
        return not self._inner.unconsumed_tail


def unpacked(file: BinaryIO, member: Member) -> Iterator[bytes]:
    """A member's content, piece by piece; the checksum is the caller's to take.

    Raises
    ------
    DamagedZip
        It breaks off, or cannot be decompressed any further; the pieces before that are good.
    UnknownPacking
        Its method is none of those that zips have in practice.
    OSError
        The archive cannot be read.
    """
    file.seek(member.offset)
    header = file.read(_LOCAL.size)
    if len(header) < _LOCAL.size or not header.startswith(b"PK\x03\x04"):
        raise DamagedZip("no local header")
    fields = _LOCAL.unpack(header)
    file.seek(member.offset + _LOCAL.size + fields[9] + fields[10])
    left = member.packed_bytes
    if member.method == _STORED:
        while left and (piece := file.read(min(_PIECE, left))):
            left -= len(piece)
            yield piece
        if left:
            raise DamagedZip("it breaks off")
        return
    decompressor = _decompressor(member.method)
    if isinstance(decompressor, _LzmaOfZip):
        left -= decompressor.read_header(file)
    while not decompressor.eof:
        data = b""
        if decompressor.needs_input:
            data = file.read(min(_PIECE, left)) if left > 0 else b""
            left -= len(data)
            if not data:
                raise DamagedZip("it breaks off")
        try:
            piece = decompressor.decompress(data, _PIECE)
        except (zlib.error, lzma.LZMAError, OSError, EOFError, ValueError) as error:
            raise DamagedZip(str(error)) from error  # bz2 says with an OSError that its data are damaged
        if piece:
            yield piece


class _LzmaOfZip:
    """A raw LZMA stream behind a header of its own (APPNOTE 5.8)."""

    def __init__(self) -> None:
        self._inner: lzma.LZMADecompressor | None = None

    def read_header(self, file: BinaryIO) -> int:
        """Read the properties; returns how many bytes they took."""
        head = file.read(4)
        size = struct.unpack_from("<H", head, 2)[0] if len(head) == 4 else 0
        properties = file.read(size)
        if len(properties) < 5 or properties[0] >= 225:
            raise DamagedZip("no LZMA properties")
        rest, lc = divmod(properties[0], 9)
        pb, lp = divmod(rest, 5)
        dictionary = max(4096, struct.unpack_from("<L", properties, 1)[0])
        if dictionary > _DICTIONARY_MOST:
            raise UnknownPacking("its dictionary is too large")
        try:
            self._inner = lzma.LZMADecompressor(
                lzma.FORMAT_RAW,
                filters=[{"id": lzma.FILTER_LZMA1, "lc": lc, "lp": lp, "pb": pb, "dict_size": dictionary}],
            )
        except (lzma.LZMAError, ValueError) as error:
            raise DamagedZip(str(error)) from error
        return 4 + size

    @property
    def _stream(self) -> lzma.LZMADecompressor:
        if self._inner is None:
            raise DamagedZip("no LZMA properties")
        return self._inner

    def decompress(self, data: bytes, max_length: int) -> bytes:
        return self._stream.decompress(data, max_length)

    @property
    def eof(self) -> bool:
        return self._stream.eof

    @property
    def needs_input(self) -> bool:
        return self._stream.needs_input


def _decompressor(method: int) -> _Deflate | bz2.BZ2Decompressor | _LzmaOfZip:
    if method == _DEFLATED:
        return _Deflate()
    if method == _BZIP2:
        return bz2.BZ2Decompressor()
    if method == _LZMA:
        return _LzmaOfZip()
    raise UnknownPacking(f"method {method}")


# -- names ------------------------------------------------------------------------------------


def member_name(raw: bytes, flags: int, extra: bytes) -> str:
    """A member's name as the client's system showed it, with forward slashes.

    In the Unicode path field or UTF-8 by its bytes, which many do not mark as such; else the code page that makes
    letters of all of them. A name marked as UTF-8 that is none is read like the others.
    """
    candidates = (_utf8(raw),) if flags & _UTF8_FLAG else (_unicode_path(extra, raw), _utf8(raw))
    for candidate in candidates:
        if candidate is not None:
            return candidate.replace("\\", "/")
    return max((_decoded(raw, page) for page in _CODE_PAGES), key=_letters).replace("\\", "/")


def _utf8(raw: bytes) -> str | None:
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError:
        return None


def _decoded(raw: bytes, page: str) -> str:
    try:
        return raw.decode(page)
    except UnicodeDecodeError:
        return ""


def _letters(text: str) -> float:
    """How much a guess reads as a name: letters of few alphabets, no capital within a word."""
    if not text:
        return -math.inf
    points = 0.0
    for before, letter in zip(f" {text}", text, strict=False):
        if ord(letter) > 127:
            fits = letter.isalpha() and (ord(letter) < 0x180 or ord(letter) >= 0x400)
            points += 1.0 if fits and not (before.islower() and letter.isupper()) else -2.0
            points += 0.5 * (letter in _COMMON_LETTERS)
    return points


def _unicode_path(extra: bytes, raw: bytes) -> str | None:
    body = _extra_field(extra, 0x7075) or b""
    if len(body) > 5 and struct.unpack_from("<I", body, 1)[0] == zlib.crc32(raw):
        return _utf8(body[5:])
    return None
