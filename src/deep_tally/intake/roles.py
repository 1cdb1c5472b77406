"""What is this file for? Told by plain trade words in its name and folder."""

from __future__ import annotations

import re

from deep_tally.intake.facts import title_of
from deep_tally.model.files import Role

_WORD = re.compile(r"[^\W\d_]+", re.UNICODE)
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


def words_of(text: str) -> list[str]:
    """The words in a name, lower case, without figures and punctuation."""
    return [w.casefold() for w in _WORD.findall(text)]


def guess_role(path: str, delivery_name: str) -> Role:
    """The role of an audio file by its name and folders.

    Parameters
    ----------
    path : str
        Relative path inside the delivery.
    delivery_name : str
        Words of the song's title do not count against a rough mix that carries it.
    """
    folder, _, name = path.rpartition("/")
    folders = [f.casefold() for f in folder.split("/") if f]
    stem = name.rpartition(".")[0] or name
    words = words_of(stem)
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
