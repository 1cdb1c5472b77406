"""The words in a name."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

_WORD = re.compile(r"[^\W\d_]+", re.UNICODE)
_LEADING_NUMBER = re.compile(r"^\s*(\d{1,3})(?=[\s_.\-)])[\s_.\-)]*")


@lru_cache(maxsize=20_000)
def words_of(text: str) -> tuple[str, ...]:
    """The words in a name, lower case, without figures and punctuation."""
    return tuple(w.casefold() for w in _WORD.findall(text))


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


VARIANT_WORDS = frozenset(
    "dry wet di amp amped direct close room far fx effect effects verb reverb delay echo comp eq raw clean print "
    "printed processed bus line mic trocken nass hall".split()
)
"""Words that tell one form of a part from another."""


@lru_cache(maxsize=20_000)
def natural_key(path: str) -> tuple[tuple[int, int, str], ...]:
    """Sort key that puts "2 Bass" before "10 Voice" and ignores case."""
    parts = re.split(r"([0-9]+)", path.casefold())
    # By their length, then digit by digit: figures of any length, which no number need hold.
    figures = [(p.lstrip("0"), p) for p in parts]
    return tuple((0, len(f), f) if p.isascii() and p.isdigit() else (1, 0, p) for f, p in figures if p)
