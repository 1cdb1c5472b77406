"""Where a name falls into words: at separators, at figures, and where small letters turn to capitals."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache

_RUN = re.compile(r"\d+ths(?![^\W\d_])|(?:[^\W\d_][̀-ͯ]*)+|\d+", re.I)
_HUMP = re.compile(r"(?<=[a-z])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z](?!s?$)[a-z]*)")


@lru_cache(maxsize=20_000)
def folded(word: str) -> str:
    """A word in lower case without accents (UAX #15, NFKD without combining marks); ß is ss."""
    return "".join(c for c in unicodedata.normalize("NFKD", word.casefold()) if not unicodedata.combining(c))


@dataclass(frozen=True, slots=True)
class Segment:
    """One word or run of figures: `text[start:end]`, and its folded form."""

    start: int
    end: int
    word: str

    @property
    def is_digits(self) -> bool:
        """Whether it is a number."""
        return self.word.isdecimal()


def segments_of(text: str, is_word: Callable[[str], bool] = lambda word: False) -> list[Segment]:
    """The words of a name, in order.

    Parameters
    ----------
    text : str
        A name without its ending.
    is_word : callable
        Whether a folded run of letters is a word as it stands: then capitals inside do not split it ("LVox").
    """
    return list(_pieces(text, is_word))


def _pieces(text: str, is_word: Callable[[str], bool]) -> Iterator[Segment]:
    for run in _RUN.finditer(text):
        word = folded(run[0])
        if run[0].isdecimal() or is_word(word):
            yield Segment(run.start(), run.end(), word)
            continue
        start = run.start()
        for hump in [*_HUMP.finditer(run[0]), None]:
            end = run.end() if hump is None else run.start() + hump.start()
            yield Segment(start, end, folded(text[start:end]))
            start = end
