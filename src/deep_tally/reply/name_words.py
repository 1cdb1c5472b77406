"""What was understood of a name, in words."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.names import ParsedName, TokenKind
from deep_tally.reply.action_words import readable

KIND_WORDS: Mapping[TokenKind, str] = MappingProxyType(
    {
        "number": "track number",
        "part": "part",
        "index": "which of several",
        "side": "side",
        "variant": "form",
        "song": "song",
        "artist": "artist",
        "tempo": "tempo, BPM",
        "key": "key",
        "date": "date",
        "format": "format",
        "copy": "copy mark",
        "plain": "says nothing of the part",
        "rest": "not understood",
    }
)


def name_labels(name: ParsedName) -> str:
    """A line a word: "Btm: form, bottom"; then the family."""
    lines = []
    for token in name.tokens:
        text = readable(name.stem[token.start : token.end])
        same = token.value.casefold() == text.casefold()
        lines.append(f"{text}: {KIND_WORDS[token.kind]}" + ("" if same else f", {token.value}"))
    if name.part is not None:
        sure = "" if name.confidence == 1.0 else ", guessed from a misspelt word"
        lines.append(f"Family: {name.family}{sure}")
    return "\n".join(lines)
