"""What is this file for? What the words of its name and its folders say, and where it lies among the others.

One reader for all: it starts from the parsed name, so that a file is never a group to one and a trackout to another.
What the sound says is added later (`check.roles`).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from deep_tally.model.files import NO_BASIS, Entry, Role, RoleBasis, RoleSource
from deep_tally.model.names import ParsedName, Token
from deep_tally.names.facts import title_of
from deep_tally.names.parse import Context, parse
from deep_tally.names.segments import segments_of
from deep_tally.names.vocabulary import Vocabulary, shipped
from deep_tally.names.words import bare_stem, stem_of, words_of

LIKELY = 0.7
"""How sure a role is that a word only suggests."""

_EFFECTS = frozenset({"reverb", "delay", "effects", "sound effects"})
_BESIDE_EFFECTS = frozenset({"group", "return"})
_TRIGGERING = frozenset({"drums", "percussion"})
"""Families of what opens a gate; "bass sidechain" is a bass."""
_SKIPPED = frozenset({"number", "index", "tempo", "key", "date", "format", "copy", "song", "artist", "side"})
_PREVIEW_MOST = 3


@dataclass(frozen=True, slots=True)
class RoleReading:
    """A role and what it rests on."""

    role: Role
    basis: RoleBasis = NO_BASIS


def _says(role: Role, source: RoleSource, confidence: float = 1.0) -> RoleReading:
    return RoleReading(role, RoleBasis(source, confidence))


def read_role(path: str, delivery_name: str, vocabulary: Vocabulary | None = None, *, prefix: str = "") -> RoleReading:
    """The role of an audio file by the words of its name and folders.

    Parameters
    ----------
    path : str
        Relative path inside the delivery.
    delivery_name : str
        Words of the song's title do not count against a mix that carries it.
    vocabulary : Vocabulary, optional
        With the user's own words; else the shipped one.
    prefix : str
        The beginning that nearly all names of the delivery share (`names.parse.shared_prefix`).
    """
    vocabulary = vocabulary or shipped()
    said = vocabulary.roles
    title = title_of(delivery_name) or ""
    name = parse(stem_of(path), vocabulary, Context(title=title, prefix=prefix))
    words = _telling_words(name, title)
    folders = [words_of(folder) for folder in path.split("/")[:-1]]
    if (mix := _as_mix(name, words, vocabulary)) is not None:
        return mix
    if any({"rough"} <= set(f) and set(f) <= said["mix"] | said["mix_beside"] for f in folders):
        return _says(Role.ROUGH_MIX, "folder")
    if said["reference"] & set(words):
        return _says(Role.REFERENCE, "name")
    if any(said["reference"] & set(f) for f in folders):
        return _says(Role.REFERENCE, "folder")
    if said["click"] & set(words) and len(words) <= 2:
        return _says(Role.CLICK, "name")
    for found in (_as_trigger(name, words, vocabulary), _as_effect_return(name, words, vocabulary)):
        if found is not None:
            return found
    if name.family == "groups":
        # "Night Bus" may be a song.
        known = name.part is not None or not any(t.kind == "rest" for t in name.tokens)
        return _says(Role.GROUP, "name", 1.0 if known else LIKELY)
    if any(f and set(f) <= said["group_folder"] for f in folders):
        return _says(Role.GROUP, "folder")
    return RoleReading(Role.TRACKOUT)


def _telling_words(name: ParsedName, title: str) -> list[str]:
    """The words of a name that are not its song, number, tempo, version and the like; a mix's are never the song's."""
    spans = [t for t in name.tokens if t.kind in _SKIPPED or (t.kind == "variant" and t.value.startswith("version"))]
    of_title = {p.word for p in segments_of(title)}
    of_mix = shipped().roles["mix"]
    return [
        p.word
        for p in segments_of(name.stem)
        if not p.is_digits
        and (p.word in of_mix or not (p.word in of_title or any(t.start <= p.start and p.end <= t.end for t in spans)))
    ]


def _as_mix(name: ParsedName, words: list[str], vocabulary: Vocabulary) -> RoleReading | None:
    said, there = vocabulary.roles, set(words)
    if name.part is not None and not there & said["mix"]:
        return None  # a word of the user's own
    if "roughmix" in there or {("rough", "mix"), ("ruff", "mix")} & set(pairwise(words)):
        return _says(Role.ROUGH_MIX, "name")
    if not there <= said["mix"] | said["mix_likely"] | said["mix_beside"]:
        return None
    if there & said["mix"]:
        return _says(Role.ROUGH_MIX, "name")
    if {"out", "output"} & there and any(t.kind == "format" for t in name.tokens):
        return _says(Role.ROUGH_MIX, "name", LIKELY)  # "Stereo out"
    has_title = len(words) < sum(not p.is_digits for p in segments_of(name.stem))
    if there & (said["mix_likely"] if has_title else said["mix_likely"] - {"bounce"}):
        return _says(Role.ROUGH_MIX, "name", LIKELY)
    return None


def _as_trigger(name: ParsedName, words: list[str], vocabulary: Vocabulary) -> RoleReading | None:
    """What opens or ducks something else: "sidechain", "kick trigger"; "bass sidechain" is a bass."""
    said = vocabulary.roles
    families = {vocabulary.families.get(part) for part in name.parts if part != "click"}
    is_sidechain = bool(said["sidechain"] & set(words)) or {"side", "chain"} <= set(words) or "ghost" in words
    if not (is_sidechain or said["trigger"] & set(words)) or not families <= _TRIGGERING:
        return None
    if "ghost" in words and not name.parts:
        return None
    is_sure = is_sidechain and "ghost" not in words
    return _says(Role.TRIGGER, "name", 1.0 if is_sure else LIKELY)


def _as_effect_return(name: ParsedName, words: list[str], vocabulary: Vocabulary) -> RoleReading | None:
    """What an effect adds: "Plate return", "A-Reverb", "FX Bus"; likely where a source's name leads ("Vocal Verb")."""
    if vocabulary.roles["return"] & set(words):
        return _says(Role.EFFECT_RETURN, "name")
    telling = [t for t in name.tokens if t.kind in ("part", "variant", "rest")]
    telling = [t for t in telling if not (t.kind == "variant" and t.value in _BESIDE_EFFECTS)]
    telling = [t for t in telling if not _is_letter(t)]
    if not telling or telling[-1].value not in _EFFECTS:
        return None
    only_effects = all(t.value in _EFFECTS for t in telling)
    if not only_effects and telling[-1].value in ("effects", "sound effects"):
        return None  # "Guitar FX" is a guitar
    return _says(Role.EFFECT_RETURN, "name", 1.0 if only_effects else LIKELY)


def _is_letter(token: Token) -> bool:
    return token.kind == "rest" and token.end - token.start == 1


_PARTS_LEAST = 3


def settle_roles(entries: Sequence[Entry]) -> list[Entry]:
    """What only the files together show: a mix that carries no word for it.

    It is the one file whose name is the beginning that all others share, or the song's title; the one file that lies
    a folder above the parts; or what lies by itself in a folder named as a mix is. Where a mix is known by its words,
    nothing is guessed.
    """
    if any(e.role is Role.ROUGH_MIX for e in entries):
        return list(entries)
    parts = [e for e in entries if e.role is Role.TRACKOUT or (e.role is Role.GROUP and e.basis.is_likely)]
    likely: tuple[tuple[RoleSource, set[str]], ...] = (
        ("name", _named_by_beginning(parts)),
        ("name", _named_as_the_song(parts)),
        ("folder", _a_folder_above(parts)),
        ("folder", _in_a_preview_folder(parts)),
    )
    source, mixes = next(((source, paths) for source, paths in likely if paths), ("name", set()))
    basis = RoleBasis(source, LIKELY)
    return [replace(e, role=Role.ROUGH_MIX, basis=basis) if e.path in mixes else e for e in entries]


def _named_by_beginning(parts: Sequence[Entry]) -> set[str]:
    stems = {e.path: bare_stem(e.path) for e in parts}
    found = set()
    for path, stem in stems.items():
        others = [s for p, s in stems.items() if s != stem]
        begun = [s for s in others if s.startswith(stem) and not s[len(stem)].isalnum()]
        if title_of(stem) is not None and len(begun) >= _PARTS_LEAST and len(begun) == len(others):
            found.add(path)
    return found


def _named_as_the_song(parts: Sequence[Entry]) -> set[str]:
    """Names that are the song's title and no more than a version ("Silver Meadow v3")."""
    found = set()
    for entry in parts:
        title = title_of(entry.song) or ""
        name = parse(stem_of(entry.path), shipped(), Context(title=title))
        said = [p.word for p in segments_of(name.stem) if not p.is_digits]
        if title and set(said) >= {p.word for p in segments_of(title)} and not _telling_words(name, title):
            found.add(entry.path)
    return found if len(parts) - len(found) >= _PARTS_LEAST else set()


def _a_folder_above(parts: Sequence[Entry]) -> set[str]:
    """One file (or two forms of one) in a folder with no other part, while the parts lie further down."""
    by_folder: defaultdict[str, list[Entry]] = defaultdict(list)
    for entry in parts:
        by_folder[entry.path.rpartition("/")[0]].append(entry)
    for folder, here in by_folder.items():
        below = sum(
            len(f) for other, f in by_folder.items() if other != folder and other.startswith(folder and f"{folder}/")
        )
        if len({bare_stem(e.path) for e in here}) == 1 and below >= _PARTS_LEAST and below + len(here) == len(parts):
            return {e.path for e in here}
    return set()


def _in_a_preview_folder(parts: Sequence[Entry]) -> set[str]:
    """Up to three files in a folder named as a mix is ("Preview", "Master"), while the parts lie elsewhere."""
    said = shipped().roles
    of_mixes = said["mix"] | said["mix_likely"]
    inside = set()
    for entry in parts:
        folder = set(words_of(entry.path.rpartition("/")[0].rpartition("/")[2]))
        if folder & of_mixes and folder <= of_mixes | said["mix_beside"]:
            inside.add(entry.path)
    return inside if len(inside) <= _PREVIEW_MOST and len(parts) - len(inside) >= _PARTS_LEAST else set()
