"""Names by a pattern, and patterns known again in names."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping

_FIELD = re.compile(r"\{(\w+)\}")
# Characters one common family of systems refuses in names (published by its maker; from memory), and the slash of all.
REFUSED_CHARACTERS = frozenset('<>:"/\\|?*')
REFUSED_NAMES = frozenset({"con", "prn", "aux", "nul", *(f"{d}{n}" for d in ("com", "lpt") for n in range(1, 10))})
BYTES_MOST = 255
"""The longest name common Linux file systems store, in bytes (from memory: NAME_MAX of ext4, XFS and Btrfs)."""


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
    segments = _FIELD.split(pattern)
    expression = ""
    for index, segment in enumerate(segments):
        if index % 2 == 0:
            literal = _GAP.join(re.escape(words) for words in segment.split(" "))
            expression += literal
        elif segment in _OFTEN_EMPTY and expression.endswith(_GAP):
            expression = f"{expression.removesuffix(_GAP)}(?:{_GAP}{_EXPRESSIONS.get(segment, '.+?')})?"
        else:
            expression += _EXPRESSIONS.get(segment, ".+?")
    return re.compile(expression, re.IGNORECASE)


_GAP = r"[\s_.\-]+"
_EXPRESSIONS = {"number": r"\d{1,3}", "tempo": r"\d{2,3}(?:[.,]\d{1,3})?(?:\s*bpm)?", "side": "(?:L|R|left|right)"}
_OFTEN_EMPTY = frozenset({"index", "variant", "side", "key"})
