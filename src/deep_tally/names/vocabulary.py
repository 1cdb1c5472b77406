"""The words for parts, variants and sides: shipped in English and German, with the user's own beside them.

The data files hold terms of alternatives: `"lead|ld vox|vocal"` stands for four. A word is looked up in the form
`folded` gives it, so that case, accents and ß do not count; ä, ö and ü are known as a, o, u and as ae, oe, ue.
"""

from __future__ import annotations

import itertools
import json
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from importlib import resources
from types import MappingProxyType
from typing import Any

from deep_tally.model.errors import WordRefused
from deep_tally.model.phrase import Phrase
from deep_tally.names.segments import folded, segments_of

LANGUAGES = ("en", "de")
LONGEST_TERM = 4
Term = tuple[str, ...]
_UMLAUTS = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue"})


def _spellings(text: str) -> Iterator[Term]:
    """Every way to say a term of alternatives."""
    for words in itertools.product(*(place.split("|") for place in text.split())):
        yield tuple(folded(w) for w in words)
        if any(c in "äöü" for w in words for c in w):
            yield tuple(folded(w.translate(_UMLAUTS)) for w in words)


@dataclass(frozen=True, eq=False)
class Vocabulary:
    """What words stand for.

    Attributes
    ----------
    parts : mapping of term to part
    families : mapping of part to family
    general : frozenset of str
        Parts that only say a family ("drums"): beside another part they only say where it belongs.
    variants, sides : mappings of term to value
    plain, formats, other : frozensets of str
        Words that say nothing of the part; words of the format; common words that only look like misspelt parts.
    roles : mapping of str to frozenset of str
        Words that say what a file is for, by what they say ("mix", "trigger"...); see `names.roles`.
    """

    parts: Mapping[Term, str]
    families: Mapping[str, str]
    general: frozenset[str]
    variants: Mapping[Term, str]
    sides: Mapping[Term, str]
    plain: frozenset[str]
    formats: frozenset[str]
    other: frozenset[str] = field(default_factory=frozenset)
    roles: Mapping[str, frozenset[str]] = field(default_factory=dict)

    @cached_property
    def single_words(self) -> Mapping[str, tuple[str, str]]:
        """Words that are a part or a variant by themselves: word -> (kind, value)."""
        found = {p[0]: ("variant", v) for p, v in self.variants.items() if len(p) == 1}
        return MappingProxyType(found | {p[0]: ("part", v) for p, v in self.parts.items() if len(p) == 1})

    @cached_property
    def words(self) -> frozenset[str]:
        """All words that stand in the term of a part."""
        return frozenset(w for term in self.parts for w in term)

    @cached_property
    def spelt_out(self) -> tuple[str, ...]:
        """Words of parts that are long enough to be recognised when they are misspelt."""
        return tuple(sorted(w for w in self.words if len(w) >= 5))

    def with_words(self, own: Mapping[str, Iterable[str]]) -> Vocabulary:
        """This vocabulary with the user's own words: part -> terms. A part that is not known yet is new, in "other".

        Raises
        ------
        WordRefused
            A term stands for another part already, or is no word at all.
        """
        parts, families = dict(self.parts), dict(self.families)
        for part, terms in own.items():
            name = " ".join(part.split()).casefold()
            for text in terms:
                term = tuple(folded(w) for w in words_in(text))
                if not term or not name:
                    raise WordRefused(text, Phrase("word.none"), Phrase("word.letters"))
                if len(term) > LONGEST_TERM:
                    raise WordRefused(
                        text, Phrase("word.long", count=len(term)), Phrase("word.at-most", most=LONGEST_TERM)
                    )
                if (known := parts.get(term, name)) != name:
                    raise WordRefused(text, Phrase("word.taken", known=known, part=name), Phrase("word.other"))
                parts[term] = name
            families.setdefault(name, "other")
        return Vocabulary(
            parts=MappingProxyType(parts),
            families=MappingProxyType(families),
            general=self.general,
            variants=self.variants,
            sides=self.sides,
            plain=self.plain,
            formats=self.formats,
            other=self.other,
            roles=self.roles,
        )


def words_in(text: str) -> list[str]:
    """The words of a term, split where names are split."""
    return [text[p.start : p.end] for p in segments_of(text, is_word=lambda word: True)]


@lru_cache(maxsize=1)
def shipped() -> Vocabulary:
    """The vocabulary of all shipped languages."""
    parts: dict[Term, str] = {}
    families: dict[str, str] = {}
    variants: dict[Term, str] = {}
    sides: dict[Term, str] = {}
    roles: dict[str, set[str]] = {}
    words: dict[str, set[str]] = {"general": set(), "plain": set(), "formats": set(), "not_parts": set()}
    for language in LANGUAGES:
        data = _read(language)
        for family, named in data["parts"].items():
            for part, texts in named.items():
                families.setdefault(part, family)
                for term in _all_spellings([part.replace("-", " "), *texts]):
                    if parts.setdefault(term, part) != part:
                        raise ValueError(f"{' '.join(term)!r} stands for {parts[term]} and {part}")
        for value, texts in data["variants"].items():
            variants |= {term: value for term in _all_spellings(texts) if term not in variants}
        for value, texts in data["sides"].items():
            sides |= dict.fromkeys(_all_spellings(texts), value)
        words["general"] |= set(data["general"])
        for said, texts in data["roles"].items():
            roles.setdefault(said, set()).update(term[0] for term in _all_spellings(texts))
        for key in ("plain", "formats", "not_parts"):
            words[key] |= {term[0] for term in _all_spellings(data[key])}
    return Vocabulary(
        parts=MappingProxyType(parts),
        families=MappingProxyType(families),
        general=frozenset(words["general"]),
        variants=MappingProxyType(variants),
        sides=MappingProxyType(sides),
        plain=frozenset(words["plain"]),
        formats=frozenset(words["formats"]),
        other=frozenset(words["not_parts"]),
        roles=MappingProxyType({said: frozenset(found) for said, found in roles.items()}),
    )


def _all_spellings(texts: Iterable[str]) -> Iterator[Term]:
    for text in texts:
        yield from _spellings(text)


def _read(language: str) -> dict[str, Any]:
    text = resources.files("deep_tally.names").joinpath(f"words.{language}.json").read_text("utf-8")
    data: dict[str, Any] = json.loads(text)
    return data
