"""Where in the song a file belongs, when that is not at the song's start."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

PlacedBy = Literal["stamp", "mix", "hand"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Placement:
    """A file belongs `frames` of its own rate later than the file's own start (negative: earlier); who says so."""

    frames: int
    by: PlacedBy
