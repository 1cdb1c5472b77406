"""What the user changed in a letter: kept block by block, so that everything else follows the findings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True)
class Reworded:
    """A block's own words, and what the letter said there when they were written."""

    text: str
    instead_of: str


@dataclass(frozen=True, slots=True)
class OwnLine:
    """A paragraph of the user's, and the key of the block it stands after; empty for the letter's beginning."""

    text: str
    after: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LetterEdits:
    """What the user said of one delivery's letter.

    Attributes
    ----------
    client, greeting, deadline, upload : str
        The client's name, a greeting instead of the usual one, the day by which and the place where files are needed.
    language : str
        The language it is written in ("de"); empty for the user's own.
    left_out : tuple of str
        Requests that are not asked (`Task.key`), and files that are not asked for again ("again:" and the path).
    removed : tuple of str
        Keys of other blocks that are left out.
    reworded : mapping of a block's key to Reworded
    own : tuple of OwnLine
    order : tuple of str
        Keys of all blocks in the order the user left them in; empty for the usual one.
    """

    client: str = ""
    greeting: str = ""
    deadline: str = ""
    upload: str = ""
    language: str = ""
    left_out: tuple[str, ...] = ()
    removed: tuple[str, ...] = ()
    reworded: Mapping[str, Reworded] = field(default_factory=dict)
    own: tuple[OwnLine, ...] = ()
    order: tuple[str, ...] = ()


NO_EDITS = LetterEdits()
