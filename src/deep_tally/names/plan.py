"""The rename plan: old name, new name, and what would go wrong. Never applied to a client's file."""

from __future__ import annotations

import csv
import io
import unicodedata
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType
from typing import Literal

from deep_tally.model.delivery import SongFacts
from deep_tally.model.names import FAMILIES, SURE, ParsedName
from deep_tally.model.naming import Order, require_pattern
from deep_tally.names.pattern import BYTES_MOST, fill, storable
from deep_tally.names.segments import segments_of
from deep_tally.names.vocabulary import shipped
from deep_tally.names.words import natural_key

DEFAULT_PATTERN = "{number} {part} {index} {variant} {side}"
Trouble = Literal["", "clash", "empty", "long"]
_VOWELS = frozenset("aeiouyäöü")
_ABBREVIATED = frozenset({"vox"})
"""Short forms that look like words."""
_SIDES = {"left": "L", "right": "R"}
_LAYOUT = {"left": 0, "right": 1}


@dataclass(frozen=True, slots=True)
class Renamed:
    """One file of the plan.

    Attributes
    ----------
    path : str
        Inside the delivery.
    new : str
        The new name, ending included.
    is_own : bool
        Whether the user wrote it.
    trouble : str
        "clash" with another new name, "empty", "long" (over the brief's length or 255 bytes), or nothing.
    others : tuple of str
        For a clash: the files that would get the same name.
    """

    path: str
    new: str
    is_own: bool = False
    trouble: Trouble = ""
    others: tuple[str, ...] = ()

    @property
    def old(self) -> str:
        """The old name."""
        return self.path.rpartition("/")[2]


def in_family_order(paths: Sequence[str], names: Mapping[str, ParsedName]) -> list[str]:
    """Files as a mix is laid out: by family, then part, form and side, left before right."""
    return sorted(paths, key=lambda path: layout_key(path, names.get(path)))


LayoutKey = tuple[int, str, str, str, int, tuple[tuple[int, int, str], ...]]


def layout_key(path: str, name: ParsedName | None) -> LayoutKey:
    """What files are sorted by in family order."""
    if name is None:
        return len(FAMILIES), "", "", "", 0, natural_key(path)
    return (
        FAMILIES.index(name.family),
        name.part or name.own_words.casefold() or "￿",
        name.first("index") or "",
        " ".join(name.variants),
        _LAYOUT.get(name.side or "", -1),
        natural_key(path),
    )


def make_plan(
    paths: Sequence[str],
    names: Mapping[str, ParsedName],
    facts: SongFacts,
    *,
    pattern: str = DEFAULT_PATTERN,
    order: Order = "delivered",
    own: Mapping[str, str] = MappingProxyType({}),
    longest: int = 64,
) -> tuple[Renamed, ...]:
    """New names for files.

    Parameters
    ----------
    paths : sequence of str
        The files to rename, inside the delivery.
    names : mapping of path to ParsedName
    facts : SongFacts
        For {song}, {artist}, {tempo} and {key}.
    pattern : str
    order : "delivered" or "family"
        Of the plan, and so of {number}.
    own : mapping of path to new name
        Names the user wrote, without ending.
    longest : int
        Characters a name may have, ending included.

    Raises
    ------
    PatternRefused
        No names can be made of the pattern.
    """
    require_pattern(pattern)
    ordered = sorted(paths, key=natural_key) if order == "delivered" else in_family_order(paths, names)
    numbers = _numbers(ordered, names, keep=order == "delivered")
    made = []
    for path in ordered:
        values = _values(path, names[path], facts) | {"number": numbers[path]}
        stem = storable(own[path]) if path in own else storable(fill(pattern, values))
        made.append(Renamed(path, f"{stem}{_ending(path)}" if stem else "", path in own))
    return with_troubles(made, longest)


def _numbers(ordered: Sequence[str], names: Mapping[str, ParsedName], *, keep: bool) -> dict[str, str]:
    """Track numbers: the client's own, where every file has one and no two are the same; else by place."""
    own = {path: number for path in ordered if (number := names[path].number) is not None}
    if not keep or len(own) < len(ordered) or len(set(own.values())) < len(ordered):
        own = {path: place for place, path in enumerate(ordered, start=1)}
    digits = max(2, len(str(max(own.values(), default=0))))
    return {path: f"{number:0{digits}d}" for path, number in own.items()}


def _ending(path: str) -> str:
    name = path.rpartition("/")[2]
    _, dot, ending = name.rpartition(".")
    return f".{ending.casefold()}" if dot and ending else ""


def _values(path: str, name: ParsedName, facts: SongFacts) -> dict[str, str]:
    own_words = " ".join(_kept_words(name))
    says_part = _says_what_plays(name)  # else all its words are in {part} already
    return {
        "part": _capital(part_words(name)),
        "words": _capital(own_words),
        "index": (name.first("index") or "") if says_part else "",
        "variant": _variant_words(name) if says_part else "",
        "side": _SIDES.get(name.side or "", "") if says_part else "",
        "family": name.family,
        "song": facts.title or "",
        "artist": facts.artist or "",
        "tempo": f"{facts.tempo_bpm:g} BPM" if facts.tempo_bpm else "",
        "key": facts.key or "",
        "old": name.stem,
    }


def part_words(name: ParsedName) -> str:
    """What plays. The client's own words stay, only abbreviations are written out: "Room" is no drum room."""
    others = [t for t in name.tokens if t.kind == "rest" and any(c.isalpha() for c in t.value) and len(t.value) > 1]
    if name.part is None or others:
        return " ".join(_kept_words(name))
    if _is_joint(name):
        return " + ".join(name.parts)
    own = [p.word for word in _kept_words(name) for p in segments_of(word)]
    part = [p.word for p in segments_of(name.part)]
    # "Voice lead" says its part in another order; words of the user's own are there to be written out.
    if name.confidence == SURE and all(_is_written_out(word, part) for word in own) and not _reorders(own, part):
        return " ".join(_kept_words(name))
    of_one_word = [word for word in part if len(own) == 1 and _shortens(own[0], word)]
    return of_one_word[0] if of_one_word else name.part


def _reorders(own: Sequence[str], part: Sequence[str]) -> bool:
    return list(own) != list(part) and sorted(own) == sorted(part)


def _is_written_out(word: str, part: Sequence[str]) -> bool:
    """Whether a word of a name is no abbreviation of its part: not "gtr", "perc" or "vox"."""
    if word not in shipped().words or word in _ABBREVIATED:
        return False
    if word.isdecimal() or {word, f"{word}s", word.removesuffix("s")} & set(part):
        return True
    return bool(_VOWELS & set(word)) and not any(_shortens(word, whole) for whole in (*part, "".join(part)))


def _shortens(short: str, word: str) -> bool:
    """Whether an abbreviation leaves out letters of a word and changes none."""
    letters = iter(word)
    return len(short) < len(word) and short[:1] == word[:1] and all(letter in letters for letter in short)


def _variant_words(name: ParsedName) -> str:
    """Which form of the part it is, in the client's words where they are words: "in", but "double" for "dbl"."""
    said = ((t, name.stem[t.start : t.end]) for t in name.tokens if t.kind == "variant")
    return " ".join(own if own.isalpha() and _VOWELS & set(own.casefold()) else t.value for t, own in said)


def _is_joint(name: ParsedName) -> bool:
    return len(name.parts) > 1 and any(c in name.stem for c in "+&")


def _part_tokens(name: ParsedName) -> list[str]:
    return [name.stem[t.start : t.end] for t in name.tokens if t.kind in ("part", "rest")]


def _says_what_plays(name: ParsedName) -> bool:
    return any(c.isalpha() for word in _part_tokens(name) for c in word) or name.part is not None


def _kept_words(name: ParsedName) -> list[str]:
    """The client's words for what plays; a name that says nothing keeps all its words."""
    if _says_what_plays(name):
        return _part_tokens(name)
    return [name.stem[t.start : t.end] for t in name.tokens if t.kind not in ("number", "copy")] or [name.stem]


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


def with_troubles(made: Sequence[Renamed], longest: int) -> tuple[Renamed, ...]:
    """Names that systems without case, or with another Unicode form, would take for one clash."""
    keys = [unicodedata.normalize("NFC", r.new).casefold() for r in made]
    counted = Counter(keys)
    checked = []
    for renamed, key in zip(made, keys, strict=True):
        trouble: Trouble = ""
        others: tuple[str, ...] = ()
        if not renamed.new:
            trouble = "empty"
        elif counted[key] > 1:
            trouble = "clash"
            others = tuple(r.path for r, k in zip(made, keys, strict=True) if k == key and r.path != renamed.path)
        elif len(renamed.new) > longest or len(renamed.new.encode("utf-8", "surrogateescape")) > BYTES_MOST:
            trouble = "long"
        checked.append(Renamed(renamed.path, renamed.new, renamed.is_own, trouble, others))
    return tuple(checked)


def numbered_apart(plan: Sequence[Renamed]) -> dict[str, str]:
    """Names of one's own for the files that clash: each gets a figure, in the plan's order."""
    taken = {r.new.casefold() for r in plan if r.trouble != "clash"}
    own: dict[str, str] = {}
    for renamed in plan:
        if renamed.trouble != "clash":
            continue
        stem, ending = renamed.new.removesuffix(_ending(renamed.path)), _ending(renamed.path)
        figure = 1
        while f"{stem} {figure}{ending}".casefold() in taken:
            figure += 1
        own[renamed.path] = f"{stem} {figure}"
        taken.add(f"{stem} {figure}{ending}".casefold())
    return own


def to_csv(plan: Sequence[Renamed]) -> str:
    """The plan as CSV (RFC 4180): old path, new name, what is wrong."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow(("old", "new", "trouble"))
    writer.writerows((r.path, r.new, r.trouble) for r in plan)
    return text.getvalue()
