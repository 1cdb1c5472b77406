"""Which side of a stereo sound does a name state?"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, cast

from deep_tally.names.parse import parse
from deep_tally.names.segments import segments_of
from deep_tally.names.vocabulary import shipped
from deep_tally.names.words import bare_stem, stem_of

Side = Literal["left", "right"]


@dataclass(frozen=True, slots=True)
class SideMark:
    """A name that says which side it is: the side, and the name without it."""

    side: Side
    rest: str


def side_of(path: str) -> SideMark | None:
    """The side a name states, as a word of its own or at the end of a part's ("Guitar L", "Tom1L", "OHR").

    None where it states none, or several.
    """
    stem = stem_of(path)
    marks = [t for t in parse(stem, shipped()).tokens if t.kind == "side"]
    if len(marks) != 1:
        return None
    rest = bare_stem(stem[: marks[0].start] + " " + stem[marks[0].end :] + ".x")
    words = " ".join(p.word for p in segments_of(rest))
    return SideMark(cast(Side, marks[0].value), f"{path.rpartition('/')[0]}/{words}") if words else None
