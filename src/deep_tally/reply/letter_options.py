"""How a letter is to be written."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, get_args

from deep_tally.model.letter_edits import NO_EDITS, LetterEdits
from deep_tally.model.rounds import Rounds

Length = Literal["short", "full"]
Tone = Literal["brief", "friendly", "formal"]
LENGTHS: tuple[Length, ...] = get_args(Length)
TONES: tuple[Tone, ...] = get_args(Tone)


@dataclass(frozen=True, slots=True, kw_only=True)
class LetterOptions:
    """How a letter is to be written, and by whom to whom.

    Attributes
    ----------
    length : "short" or "full"
        The first part alone, or with the details.
    tone : "brief", "friendly" or "formal"
    language : str
        One of `languages()`.
    engineer, signature : str
        The user's name, and lines of theirs under it.
    edits : LetterEdits
        What is said of this delivery's letter: to whom it goes, what is left out, and the user's own words.
    renamed : mapping of old to new name
        What the files are called in the ready copy, to be listed; none are when it is empty.
    rounds : Rounds or None
        What became of the requests of the round before, for a letter about a further one.
    """

    length: Length = "full"
    tone: Tone = "friendly"
    language: str = "en"
    engineer: str = ""
    signature: str = ""
    edits: LetterEdits = NO_EDITS
    renamed: Mapping[str, str] = field(default_factory=dict)
    rounds: Rounds | None = None
