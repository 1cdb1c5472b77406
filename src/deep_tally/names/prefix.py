"""The beginning that nearly all names of a set share: a song, an artist, a label."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator
from functools import lru_cache

from deep_tally.names.segments import segments_of

LEADING = re.compile(r"^\W*(\d{1,3})(?=[\s_.\-)\]:]+\S)|^(\d{2})(?=[A-Z])")
"""The track number a name begins with."""


def shared_prefix(stems: Iterable[str]) -> str:
    """The beginning of whole words that at least three names and four of five share, numbers left out."""
    return _shared_prefix(tuple(stems))


@lru_cache(maxsize=64)
def _shared_prefix(stems: tuple[str, ...]) -> str:
    begun = [_without_number(stem) for stem in stems]
    if len(begun) < _PREFIX_LEAST:
        return ""
    counts: Counter[str] = Counter()
    for stem in begun:
        counts.update(_beginnings(stem))
    # A name that is nothing but the beginning, as the mix's may be, shares it.
    whole = Counter(stem.casefold() for stem in begun)
    shared = [p for p, n in counts.items() if n >= _PREFIX_LEAST and n + whole[p] >= _PREFIX_SHARE * len(begun)]
    return max(shared, key=len, default="")


_PREFIX_LEAST, _PREFIX_SHARE = 3, 0.8


def _without_number(stem: str) -> str:
    match = LEADING.match(stem)
    return stem[match.end() :].lstrip(" _-.)]:") if match else stem


def _beginnings(stem: str) -> Iterator[str]:
    segments = segments_of(stem)
    for segment in segments[:-1]:
        yield stem[: segment.end].casefold()
