"""Patterns for names: `{number} {part} {variant}`, with fields of our own."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.errors import PatternRefused

FIELDS: Mapping[str, str] = MappingProxyType(
    {
        "number": "its place in the list, two digits or more",
        "part": "what plays, in words written out",
        "words": "what plays, in the client's own words",
        "index": "which one of several alike",
        "variant": "dry, wet, DI, amp, double, take…",
        "side": "L or R",
        "family": "drums, bass, voices…",
        "song": "the song's title",
        "artist": "who plays it",
        "tempo": "the tempo in BPM",
        "key": "the key",
        "old": "the whole old name",
    }
)
"""Field -> what stands there."""
TELLING = frozenset({"number", "part", "words", "old", "index"})
"""Fields that can tell one file from another; a pattern needs one."""

_FIELD = re.compile(r"\{(\w+)\}")
# Characters one common family of systems refuses in names (published by its maker; from memory), and the slash of all.
REFUSED_CHARACTERS = frozenset('<>:"/\\|?*')
REFUSED_NAMES = frozenset({"con", "prn", "aux", "nul", *(f"{d}{n}" for d in ("com", "lpt") for n in range(1, 10))})
BYTES_MOST = 255
"""The longest name common Linux file systems store, in bytes (from memory: NAME_MAX of ext4, XFS and Btrfs)."""


def require_pattern(pattern: str) -> str:
    """The pattern as it is, if names can be made of it.

    Raises
    ------
    PatternRefused
        It is empty, a brace is open or inside another, a field is not known, or it has no field that tells files apart.
    """
    if not pattern.strip():
        raise PatternRefused("The pattern", "it is empty", "write one such as {number} {part} {variant}")
    depth = 0
    for character in pattern:
        depth += {"{": 1, "}": -1}.get(character, 0)
        if depth > 1:
            raise PatternRefused(pattern, "one field stands inside another", "close each { before the next one")
        if depth < 0:
            raise PatternRefused(pattern, "a } has no { before it", "write fields as {part}")
    if depth:
        raise PatternRefused(pattern, "a { is not closed", "write fields as {part}")
    fields = set(re.findall(r"\{([^{}]*)\}", pattern))
    if unknown := sorted(fields - set(FIELDS)):
        known = ", ".join(FIELDS)
        raise PatternRefused(pattern, f"it has no field called {{{unknown[0]}}}", f"use some of {known}")
    if not fields & TELLING:
        raise PatternRefused(pattern, "all files would get one name", "take in {part} or {number}")
    return pattern


def fill(pattern: str, values: Mapping[str, str]) -> str:
    """A name by the pattern: empty fields leave no double blanks, empty brackets or hanging separators."""
    text = _FIELD.sub(lambda field: values.get(field[1], ""), pattern)
    text = re.sub(r"\(\s*\)|\[\s*\]", "", text)
    text = re.sub(r"([\s_\-.])(?:\s*\1)+", r"\1", text)
    text = re.sub(r"\s*-\s+-\s*|\s+-\s*$|^\s*-\s+", " ", text)
    return re.sub(r"\s+", " ", text).strip(" _-.")


def storable(name: str) -> str:
    """A name that every common system can store: NFC (UAX #15), no refused character, no blank or dot at its ends."""
    text = unicodedata.normalize("NFC", name)
    text = "".join("-" if c in REFUSED_CHARACTERS or not c.isprintable() else c for c in text).strip(" .")
    return f"{text}_" if text.casefold() in REFUSED_NAMES else text


def matching(pattern: str) -> re.Pattern[str]:
    """The expression that names by this pattern fulfil; blanks stand for any blank, dash or underscore.

    A field that may be empty in a name by the pattern may be empty here, with the separator before it.
    """
    pieces = _FIELD.split(pattern)
    expression = ""
    for index, piece in enumerate(pieces):
        if index % 2 == 0:
            literal = _GAP.join(re.escape(words) for words in piece.split(" "))
            expression += literal
        elif piece in _OFTEN_EMPTY and expression.endswith(_GAP):
            expression = f"{expression.removesuffix(_GAP)}(?:{_GAP}{_EXPRESSIONS.get(piece, '.+?')})?"
        else:
            expression += _EXPRESSIONS.get(piece, ".+?")
    return re.compile(expression, re.IGNORECASE)


_GAP = r"[\s_.\-]+"
_EXPRESSIONS = {"number": r"\d{1,3}", "tempo": r"\d{2,3}(?:[.,]\d{1,3})?(?:\s*bpm)?", "side": "(?:L|R|left|right)"}
_OFTEN_EMPTY = frozenset({"index", "variant", "side", "key"})
