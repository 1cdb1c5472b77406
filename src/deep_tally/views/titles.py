"""A file's name as it is shown: without number and ending."""

from __future__ import annotations

import re

from deep_tally.model.delivery import Track
from deep_tally.names.words import stem_of

_NUMBER = re.compile(r"^(\d{1,3})[\s_.\-)]+(?=\S)")


def number_of(track: Track) -> str:
    """The track number a file's name begins with; empty without one."""
    match = _NUMBER.match(track.stem)
    return match[1] if match else ""


def bare_title(path: str) -> str:
    """A file's name without number and ending."""
    return _NUMBER.sub("", stem_of(path))
