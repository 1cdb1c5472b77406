"""What is done here, in words: verb phrases that go on after "I'll"."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.mend import Mend, MendKind

_WORDS: Mapping[MendKind, str] = MappingProxyType(
    {
        "trim": "end it with the others",
        "turn-down": "turn it down together with the others, so that the balance stays",
        "set-level": "set it to its level in the rough mix",
        "remove-offset": "remove the offset",
        "join": "join them into one stereo file",
        "keep-one": "use one of them as a mono file",
        "split": "split it into two mono files",
        "save-as": "save it as the requested type, without loss",
    }
)
_PLACES = MappingProxyType(
    {
        "hand": "put it where you placed it",
        "stamp": "place it by its time stamp",
        "mix": "put it where the rough mix has it",
    }
)
_PADS = MappingProxyType(
    {"common": "add silence to the common end", "longest": "add silence up to the end of the longest one"}
)
_NAMES = MappingProxyType(
    {
        "characters": "rename the copy",
        "clash": "give the copies distinct names",
        "long": "shorten the copy's name",
        "copy-mark": "remove the mark from the copy's name",
        "number-twice": "renumber the copies",
        "pattern": "name the copy by the pattern",
    }
)


def mend_words(mend: Mend) -> str:
    """A verb phrase: "add silence to the common end"."""
    match mend.kind:
        case "place":
            return _PLACES[str(mend.params["by"])]
        case "pad":
            return _PADS[str(mend.params["until"])]
        case "rename":
            return _NAMES[str(mend.params["because"])]
        case "to-mono":
            return "make it mono and keep its pan" if "gain_db" in mend.params else "make it mono"
    return _WORDS[mend.kind]
