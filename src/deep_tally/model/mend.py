"""What can be done about a finding here, as data: words are made of it, and a ready copy can be."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

MendKind = Literal[
    "place",
    "pad",
    "trim",
    "turn-down",
    "set-level",
    "remove-offset",
    "to-mono",
    "join",
    "keep-one",
    "split",
    "rename",
    "save-as",
]


@dataclass(frozen=True, slots=True)
class Mend:
    """What is done to one file.

    Attributes
    ----------
    kind : MendKind
    params : mapping
        place: `frames` later than its own start, `by` "hand" or "stamp"; pad: `to_s`, `until` "common" or "longest";
        trim: `to_s`; turn-down: `db`; set-level: `db` it has in the rough
        mix; remove-offset: `share` of full scale, and `from_frame` and `share_before` where
        it steps; to-mono: `gain_db` of the right side over the left where it keeps its pan, or the sounding `side`;
        join: `left` and `right`; keep-one: `kept` and `left_out`; rename: `because` of what; save-as: `containers`.
    """

    kind: MendKind
    params: Mapping[str, float | str | None] = field(default_factory=dict)
