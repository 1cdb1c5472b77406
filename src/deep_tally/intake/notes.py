"""The text of a client's notes, whatever it was written with."""

from __future__ import annotations

from pathlib import Path

_BYTES_MOST = 65_536


def read_notes(path: Path) -> str:
    """The first 64 KB of a plain-text file as text; empty when it cannot be read."""
    try:
        with path.open("rb") as file:
            raw = file.read(_BYTES_MOST)
    except OSError:
        return ""
    return decode_text(raw)


def decode_text(raw: bytes) -> str:
    """UTF-16 with a mark, UTF-8 with or without, else the Western code page of old programs."""
    if raw[:2] in (b"\xff\xfe", b"\xfe\xff"):
        text = raw[: len(raw) & ~1].decode("utf-16", "replace")
    else:
        try:
            # The end may lie within a character.
            text = raw.decode("utf-8-sig") if len(raw) < _BYTES_MOST else raw[:-4].decode("utf-8-sig")
        except UnicodeDecodeError:
            text = raw.decode("cp1252", "replace")
    return "".join(c for c in text.replace("\r\n", "\n") if c.isprintable() or c in "\n\t").strip()
