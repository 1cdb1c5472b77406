"""A page of typed blocks; `formats` has a module for each form it can take."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from deep_tally.reply.picture import Picture

BlockKind = Literal["title", "text", "section", "heading", "question", "item", "hint", "picture"]


@dataclass(frozen=True, slots=True)
class Block:
    """One paragraph of a page.

    A `question` is numbered and has room for an answer under it; a `hint` is small print; a `picture` shows evidence.
    `key` says what it is about, and is the same when the letter is written again. `newer` is what the letter says by
    now in the place of the user's own words; empty where it says the same as when they were written.
    """

    kind: BlockKind
    text: str
    number: int | None = None
    picture: Picture | None = None
    key: str = ""
    newer: str = ""


@dataclass(frozen=True, slots=True)
class Page:
    """The blocks of a page, in order, and the language they are in (a tag as in RFC 5646)."""

    blocks: tuple[Block, ...]
    language: str = "en"

    @property
    def outline(self) -> Iterator[tuple[Block, int]]:
        """Its blocks with their levels: 1 the title, 2 and 3 what stands over others, without a gap; 0 for text."""
        below = 2
        for block in self.blocks:
            below = 3 if block.kind == "section" else below
            yield block, {"title": 1, "section": 2, "heading": below}.get(block.kind, 0)

    @property
    def title(self) -> str:
        """The text of its title; empty when it was deleted."""
        return next((b.text for b in self.blocks if b.kind == "title"), "")
