"""Patterns for names, `{number} {part} {variant}`: which fields there are, and which patterns can be used."""

from __future__ import annotations

import re
from collections.abc import Mapping
from types import MappingProxyType
from typing import Literal

from deep_tally.model.errors import PatternRefused
from deep_tally.model.phrase import Phrase

Order = Literal["delivered", "family"]
"""Of the rename plan: as delivered, or families together."""

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
_TELLING = frozenset({"number", "part", "words", "old", "index"})
"""Fields that can tell one file from another; a pattern needs one."""


def require_pattern(pattern: str) -> str:
    """The pattern as it is, if names can be made of it.

    Raises
    ------
    PatternRefused
        It is empty, a brace is open or inside another, a field is not known, or it has no field that tells files apart.
    """
    if not pattern.strip():
        raise PatternRefused("The pattern", Phrase("pattern.empty"), Phrase("pattern.write"))
    depth = 0
    for character in pattern:
        depth += {"{": 1, "}": -1}.get(character, 0)
        if depth > 1:
            raise PatternRefused(pattern, Phrase("pattern.nested"), Phrase("pattern.close"))
        if depth < 0:
            raise PatternRefused(pattern, Phrase("pattern.not-open"), Phrase("pattern.fields"))
    if depth:
        raise PatternRefused(pattern, Phrase("pattern.open"), Phrase("pattern.fields"))
    fields = set(re.findall(r"\{([^{}]*)\}", pattern))
    if unknown := sorted(fields - set(FIELDS)):
        raise PatternRefused(
            pattern, Phrase("pattern.unknown", field=unknown[0]), Phrase("pattern.use", fields=tuple(FIELDS))
        )
    if not fields & _TELLING:
        raise PatternRefused(pattern, Phrase("pattern.one-name"), Phrase("pattern.take-in"))
    return pattern
