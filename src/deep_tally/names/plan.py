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
_SPELT_OUT = 4
"""Letters of a word that is no abbreviation."""
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
    digits = max(2, len(str(len(ordered))))
    made = []
    for place, path in enumerate(ordered, start=1):
        values = _values(path, names[path], facts) | {"number": f"{place:0{digits}d}"}
        stem = storable(own[path]) if path in own else storable(fill(pattern, values))
        made.append(Renamed(path, f"{stem}{_ending(path)}" if stem else "", path in own))
    return _with_troubles(made, longest)


def _ending(path: str) -> str:
    name = path.rpartition("/")[2]
    _, dot, ending = name.rpartition(".")
    return f".{ending.casefold()}" if dot and ending else ""


def _values(path: str, name: ParsedName, facts: SongFacts) -> dict[str, str]:
    own_words = " ".join(_kept_words(name))
    return {
        "part": _capital(part_words(name)),
        "words": _capital(own_words),
        "index": name.first("index") or "",
        "variant": " ".join(name.variants),
        "side": _SIDES.get(name.side or "", ""),
        "family": name.family,
        "song": facts.title or "",
        "artist": facts.artist or "",
        "tempo": f"{facts.tempo_bpm:g} BPM" if facts.tempo_bpm else "",
        "key": facts.key or "",
        "old": name.stem,
    }


def part_words(name: ParsedName) -> str:
    """What plays, in words written out; the client's own words where the vocabulary knows only some of them."""
    others = [t for t in name.tokens if t.kind == "rest" and t.value.isalpha() and len(t.value) > 1]
    if name.part is None or others:
        return " ".join(_kept_words(name))
    if _is_joint(name):
        return " + ".join(name.parts)
    own = [p.word for word in _kept_words(name) for p in segments_of(word)]
    known = shipped().words
    is_spelt_out = name.confidence == SURE and all(len(word) >= _SPELT_OUT and word in known for word in own)
    part = name.part.split()
    # "Singers" and "Upright bass" say more than their part, "Kick" less, and "Voice lead" says it in another order.
    # Words of the user's own are there to be written out.
    if is_spelt_out and len(own) >= len(part) and sorted(own) != sorted(part):
        return " ".join(_kept_words(name))
    return name.part


def _is_joint(name: ParsedName) -> bool:
    return len(name.parts) > 1 and any(c in name.stem for c in "+&")


def _kept_words(name: ParsedName) -> list[str]:
    """The client's words for what plays; a name that says nothing keeps all its words."""
    kept = [name.stem[t.start : t.end] for t in name.tokens if t.kind in ("part", "rest")]
    if any(any(c.isalpha() for c in word) for word in kept):
        return kept
    return [name.stem[t.start : t.end] for t in name.tokens if t.kind not in ("number", "copy")] or [name.stem]


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


def _with_troubles(made: Sequence[Renamed], longest: int) -> tuple[Renamed, ...]:
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
