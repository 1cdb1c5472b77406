"""What is this file for? Recognised by plain trade words in its name and folder."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace

from deep_tally.intake.facts import title_of
from deep_tally.intake.words import bare_stem, stem_of, words_of
from deep_tally.model.files import Entry, Role

_MIX_WORDS = frozenset({"mix", "mixdown", "rough", "roughmix", "demo", "monitor", "master", "full", "song"})
# Not "mix" alone: clients also call the folder of their tracks so.
_MIX_FOLDERS = frozenset({"rough", "rough mix", "rough mixes", "roughmix"})
_REFERENCE_WORDS = frozenset({"reference", "references", "ref", "refs", "referenz"})
_CLICK_WORDS = frozenset({"click", "metronome", "metronom"})
# Not "stem": some call every track so, others only groups.
_GROUP_WORDS = frozenset({"group", "submix", "gruppe"})
_GROUP_FOLDERS = frozenset({"groups", "submixes", "gruppen"})
_RETURN_WORDS = frozenset({"return", "returns"})
_EFFECT_WORDS = frozenset({"reverb", "verb", "delay", "echo", "fx", "effects", "hall", "plate"})
_VERSION_WORDS = frozenset({"v", "version", "final", "new", "bpm", "wav", "mp"})


def guess_role(path: str, delivery_name: str) -> Role:
    """The role of an audio file by its name and folders.

    Parameters
    ----------
    path : str
        Relative path inside the delivery.
    delivery_name : str
        Words of the song's title do not count against a rough mix that carries it.
    """
    folders = [f.casefold() for f in path.split("/")[:-1]]
    words = words_of(stem_of(path))
    title = set(words_of(title_of(delivery_name) or ""))
    rest = [w for w in words if w not in title and w not in _VERSION_WORDS]
    if "rough" in words or _is_mix(rest) or any(f in _MIX_FOLDERS for f in folders):
        return Role.ROUGH_MIX
    if _REFERENCE_WORDS & {*words, *folders}:
        return Role.REFERENCE
    if _CLICK_WORDS & set(words) and len(rest) <= 2:
        return Role.CLICK
    if _GROUP_WORDS & set(words) or any(f in _GROUP_FOLDERS for f in folders):
        return Role.GROUP
    if _RETURN_WORDS & set(words) or (rest and set(rest) <= _EFFECT_WORDS):
        return Role.EFFECT_RETURN
    return Role.TRACKOUT


def _is_mix(rest: list[str]) -> bool:
    return bool({"mix", "mixdown", "roughmix"} & set(rest)) and set(rest) <= _MIX_WORDS


_PARTS_LEAST = 3


def settle_roles(entries: Sequence[Entry]) -> list[Entry]:
    """What only the files together show: a mix that carries no word for it.

    It is the one file whose name is the beginning that all others share, or the one file that lies a folder above the
    parts. Where a mix is known by its words, nothing is guessed.
    """
    if any(e.role is Role.ROUGH_MIX for e in entries):
        return list(entries)
    parts = [e for e in entries if e.role is Role.TRACKOUT]
    mixes = _named_by_beginning(parts) or _a_folder_above(parts)
    return [replace(e, role=Role.ROUGH_MIX) if e.path in mixes else e for e in entries]


def _named_by_beginning(parts: Sequence[Entry]) -> set[str]:
    stems = {e.path: bare_stem(e.path) for e in parts}
    found = set()
    for path, stem in stems.items():
        others = [s for p, s in stems.items() if s != stem]
        begun = [s for s in others if s.startswith(stem) and not s[len(stem)].isalnum()]
        if title_of(stem) is not None and len(begun) >= _PARTS_LEAST and len(begun) == len(others):
            found.add(path)
    return found


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
