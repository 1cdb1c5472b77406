"""The words in a name."""

from __future__ import annotations

import re
import unicodedata

_WORD = re.compile(r"[^\W\d_]+", re.UNICODE)
_LEADING_NUMBER = re.compile(r"^\s*(\d{1,3})(?=[\s_.\-)])[\s_.\-)]*")


def words_of(text: str) -> list[str]:
    """The words in a name, lower case, without figures and punctuation."""
    return [w.casefold() for w in _WORD.findall(text)]


def stem_of(path: str) -> str:
    """A file's name without folder and ending."""
    name = path.rpartition("/")[2]
    return name.rpartition(".")[0] or name


def leading_number(stem: str) -> int | None:
    """The track number a name begins with."""
    match = _LEADING_NUMBER.match(stem)
    return int(match[1]) if match else None


def bare_stem(path: str) -> str:
    """The stem without its track number, in one case and Unicode form (UAX #15, NFC)."""
    stem = unicodedata.normalize("NFC", stem_of(path)).casefold()
    return _LEADING_NUMBER.sub("", stem).strip()
