"""What is understood of a file's name: its words, each with what it stands for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

TokenKind = Literal[
    "number",
    "part",
    "index",
    "side",
    "variant",
    "song",
    "artist",
    "tempo",
    "key",
    "date",
    "format",
    "copy",
    "plain",
    "rest",
]

FAMILIES = (
    "drums",
    "percussion",
    "bass",
    "keys",
    "guitars",
    "strings",
    "winds",
    "voices",
    "effects",
    "groups",
    "other",
)
"""The families of parts, in the order a mix is laid out (common practice)."""

SURE, FUZZY = 1.0, 0.8
"""How sure a part is: its very words, or words that are nearly those."""


@dataclass(frozen=True, slots=True)
class Token:
    """A stretch `stem[start:end]` of a name and what it stands for; `value` in the form all names share."""

    kind: TokenKind
    start: int
    end: int
    value: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ParsedName:
    """A name as it is understood.

    Attributes
    ----------
    stem : str
        The name without folder and ending.
    tokens : tuple of Token
        In order; what lies between them is separators.
    part : str or None
        The instrument or source, in the words of the vocabulary; None where no word says it.
    parts : tuple of str
        All parts the name speaks of, the one it is mostly about first.
    family : str
        One of `FAMILIES`.
    confidence : float
        Of the part: `SURE` or `FUZZY`; 0 where there is none.
    """

    stem: str
    tokens: tuple[Token, ...] = ()
    part: str | None = None
    parts: tuple[str, ...] = ()
    family: str = "other"
    confidence: float = 0.0

    def values(self, kind: TokenKind) -> tuple[str, ...]:
        """The values of all its tokens of one kind."""
        return tuple(t.value for t in self.tokens if t.kind == kind)

    def first(self, kind: TokenKind) -> str | None:
        """The value of its first token of a kind; None where it has none."""
        return next((t.value for t in self.tokens if t.kind == kind), None)

    @property
    def number(self) -> int | None:
        """Its track number."""
        said = self.first("number")
        return int(said) if said is not None else None

    @property
    def side(self) -> str | None:
        """ "left" or "right", where it says so."""
        return self.first("side")

    @property
    def variants(self) -> tuple[str, ...]:
        """Which form of the part it is: dry, wet, DI, amp, double, take, version…"""
        return self.values("variant")

    @property
    def own_words(self) -> str:
        """The client's own words for what plays: the part's, or those that stand for nothing known."""
        for kind in ("part", "rest"):
            if words := " ".join(self.stem[t.start : t.end] for t in self.tokens if t.kind == kind):
                return words
        return ""
