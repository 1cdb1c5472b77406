"""A page of typed blocks; `formats` has a module for each form it can take."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from deep_tally.reply.picture import Picture

BlockKind = Literal["title", "text", "section", "heading", "item", "hint", "picture"]


@dataclass(frozen=True, slots=True)
class Block:
    """One paragraph of a page. A `heading` may be numbered; a `hint` is small print; a `picture` shows evidence."""

    kind: BlockKind
    text: str
    number: int | None = None
    picture: Picture | None = None


@dataclass(frozen=True, slots=True)
class Page:
    """The blocks of a page, in order."""

    blocks: tuple[Block, ...]

    @property
    def title(self) -> str:
        """The text of its title; empty when it was deleted."""
        return next((b.text for b in self.blocks if b.kind == "title"), "")
