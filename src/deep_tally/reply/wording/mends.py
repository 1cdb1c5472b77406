"""What is done here, in words: verb phrases that go on after "I'll"."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.language import gettext as _
from deep_tally.model.language import marked
from deep_tally.model.mend import Mend, MendKind

_WORDS: Mapping[MendKind, str] = MappingProxyType(
    {
        "trim": marked("end it with the others"),
        "turn-down": marked("turn it down together with the others, so that the balance stays"),
        "set-level": marked("set it to its level in the rough mix"),
        "remove-offset": marked("remove the offset"),
        "join": marked("join them into one stereo file"),
        "keep-one": marked("use one of them as a mono file"),
        "split": marked("split it into two mono files"),
        "save-as": marked("save it as the requested type, without loss"),
    }
)
_PLACES = MappingProxyType(
    {
        "hand": marked("put it where it was placed by hand"),
        "stamp": marked("place it by its time stamp"),
        "mix": marked("put it where the rough mix has it"),
    }
)
_PADS = MappingProxyType(
    {
        "common": marked("add silence to the common end"),
        "longest": marked("add silence up to the end of the longest one"),
    }
)
_NAMES = MappingProxyType(
    {
        "characters": marked("rename the copy"),
        "clash": marked("give the copies distinct names"),
        "long": marked("shorten the copy's name"),
        "copy-mark": marked("remove the mark from the copy's name"),
        "number-twice": marked("renumber the copies"),
        "pattern": marked("name the copy by the pattern"),
    }
)


def mend_words(mend: Mend) -> str:
    """A verb phrase: "add silence to the common end"."""
    match mend.kind:
        case "place":
            return _(_PLACES[str(mend.params["by"])])
        case "pad":
            return _(_PADS[str(mend.params["until"])])
        case "rename":
            return _(_NAMES[str(mend.params["because"])])
        case "to-mono":
            return _("make it mono and keep its pan") if "gain_db" in mend.params else _("make it mono")
    return _(_WORDS[mend.kind])
