"""What kind of file is this? Recognised by its first bytes alone (magic numbers of open and registered formats)."""

from __future__ import annotations

import enum

from deep_tally.intake.wav import header_at


class Kind(enum.Enum):
    """What the first bytes of a file say it is."""

    SOUND = "sound"
    AV_SOUND = "sound for the second decoder"
    UNREAD_SOUND = "sound of a kind that is not read here"
    MIDI = "MIDI"
    ZIP = "zip"
    RAR = "RAR"
    SEVEN_ZIP = "7z"
    TEXT = "text"
    DOCUMENT = "document"
    OTHER = "other"
    EMPTY = "empty"

    @property
    def is_sound(self) -> bool:
        """Whether it is to be opened as audio."""
        return self in (Kind.SOUND, Kind.AV_SOUND, Kind.UNREAD_SOUND)


_STARTS = (
    (b"MThd", Kind.MIDI),
    (b"PK\x03\x04", Kind.ZIP),
    (b"PK\x05\x06", Kind.ZIP),
    (b"Rar!\x1a\x07", Kind.RAR),
    (b"7z\xbc\xaf\x27\x1c", Kind.SEVEN_ZIP),
    (b"fLaC", Kind.SOUND),
    (b"OggS", Kind.SOUND),
    (b"caff", Kind.SOUND),
    (b".snd", Kind.SOUND),
    (b"riff\x2e\x91\xcf\x11", Kind.SOUND),
    (b"ID3", Kind.AV_SOUND),
    (b"\x1aE\xdf\xa3", Kind.AV_SOUND),  # Matroska
    (b"0&\xb2u\x8ef\xcf\x11", Kind.AV_SOUND),  # ASF
    (b"%PDF", Kind.DOCUMENT),
    (b"{\\rtf", Kind.DOCUMENT),
    (b"\xd0\xcf\x11\xe0", Kind.DOCUMENT),  # compound documents
)


_UNREAD = {
    b"wvpk": "WavPack",
    b"TTA1": "TTA",
    b"TTA2": "TTA",
    b"DSD ": "DSD",
    b"FRM8": "DSD",
    b"#!AMR": "AMR",
    b"\x7f\xfe\x80\x01": "DTS",
}
"""Beginnings of sound formats that are not read here, with their names (from memory)."""


def unread_sound(head: bytes) -> str | None:
    """The name of the sound format a file has that cannot be read here; None for every other file."""
    return next((name for start, name in _UNREAD.items() if head.startswith(start)), None)


def kind_of(head: bytes) -> Kind:
    """The kind of a file by its first bytes; 4 KB are enough, fewer do."""
    if not head:
        return Kind.EMPTY
    for start, kind in _STARTS:
        if head.startswith(start):
            return kind
    if head[:4] == b"FORM" and head[8:12] in (b"AIFF", b"AIFC", b"8SVX"):
        return Kind.SOUND
    if unread_sound(head) is not None:
        return Kind.UNREAD_SOUND
    if head[4:8] == b"ftyp":
        return Kind.AV_SOUND
    if len(head) > 3 and head[0] == 0xFF and head[1] & 0xE0 == 0xE0:
        return _mpeg_kind(head)
    if header_at(head) is not None:
        return Kind.SOUND
    return Kind.TEXT if is_text(head) else Kind.OTHER


def _mpeg_kind(head: bytes) -> Kind:
    """MPEG audio has a frame header with valid layer, bit rate and sampling rate; layer 0 is AAC in ADTS.

    It is read by the second decoder: the first one seeks after every piece it hands out, and in this format that does
    not lead back to the same place.
    """
    layer = head[1] >> 1 & 3
    if layer == 0:
        return Kind.AV_SOUND if head[1] & 0xF6 == 0xF0 and head[2] >> 2 & 0xF < 13 else Kind.OTHER
    valid = head[1] >> 3 & 3 != 1 and head[2] >> 4 not in (0, 15) and head[2] >> 2 & 3 != 3
    return Kind.AV_SOUND if valid else Kind.OTHER


def is_text(head: bytes) -> bool:
    """Whether bytes read as text in ASCII, UTF-8 or UTF-16 with a mark."""
    if head[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return b"\0\0" not in head[:512]
    if b"\0" in head:
        return False
    printable = sum(byte in b"\t\n\r" or 32 <= byte < 127 for byte in head)
    if printable > 0.95 * len(head):
        return bool(head)
    try:
        head[:-4].decode("utf-8")
    except UnicodeDecodeError:
        return False
    return len(head) > 4
