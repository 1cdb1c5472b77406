"""What the three actions are called. Apart from the other words, so that the first picture needs only these."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.findings import Action

ACTION_WORDS: Mapping[Action, str] = MappingProxyType(
    {Action.ASK: "Ask the client", Action.FIX: "Fix here", Action.NOTE: "Worth knowing"}
)
ACTION_MEANINGS: Mapping[Action, str] = MappingProxyType(
    {
        Action.ASK: "only they can fix it, or answer it",
        Action.FIX: "you can fix it without loss",
        Action.NOTE: "nothing to do",
    }
)


def readable(text: str) -> str:
    """Text with undecodable bytes and control characters of file names shown as a replacement character."""
    decoded = text.encode("utf-8", "surrogateescape").decode("utf-8", "replace")
    return "".join(c if c.isprintable() else "\N{REPLACEMENT CHARACTER}" for c in decoded)
