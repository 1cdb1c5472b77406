"""Did tracks come, or groups? Findings about what the brief asks to be sent."""

from __future__ import annotations

from collections.abc import Iterator

from deep_tally.check.build import about, is_most
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding
from deep_tally.names.vocabulary import shipped
from deep_tally.names.words import words_of

_FAMILIES_FEWEST, _FAMILIES_MOST = 4, 9
_SEVERAL_LEAST = 2
_BAND_LEAST_DB = -25.0
_BANDS_APART = 0.2
"""How far the correlations of two bands lie apart in a file of several sources, each in a place of its own; single
sources but drums reached 0.16, mixes 0.21 to 0.55 (clean deliveries of synthesis)."""
_OF_ONE_SOURCE = ("index", "variant", "side")


def scope(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Groups were sent where every track was asked for, or the reverse."""
    groups = [t for t in song.assessed if t.role is Role.GROUP]
    tracks = [t for t in song.assessed if t.role is Role.TRACKOUT]
    mixed = [t for t in song.assessed if t.role is Role.MIX]
    wrong = {"every-track": groups, "groups": tracks, "mix": [] if mixed else tracks}.get(brief.scope, [])
    families = named_by_families(song)
    if brief.scope == "groups" and families:
        return
    if is_most(len(wrong), len(song.assessed)):
        yield about("content.scope", Action.ASK, wrong, files=len(wrong), scope=brief.scope)
    elif brief.scope == "every-track" and families and (several := _of_several_sources(families, song)):
        yield about("content.scope", Action.ASK, several, kind="question", files=len(several), scope=brief.scope)


def named_by_families(song: SongSet) -> tuple[Track, ...]:
    """The files of a set in which all are named as families are: "Drums", "Bass", "Music", "Vocals"; else none."""
    files = song.assessed
    if not _FAMILIES_FEWEST <= len(files) <= _FAMILIES_MOST or not all(_names_a_family(t, song) for t in files):
        return ()
    return files


def _names_a_family(track: Track, song: SongSet) -> bool:
    """Whether a name says a family and no single source; some of them are sorted further ("Lead vocals")."""
    known, name = shipped(), song.names.get(track.path)
    if name is None or any(t.kind in _OF_ONE_SOURCE and t.value != "group" for t in name.tokens):
        return False
    if name.part is None:
        return bool(known.roles["collective"] & set(words_of(track.stem)))
    return name.part in known.general or bool({"voice", "voices"} & set(name.part.split()))


def _of_several_sources(files: tuple[Track, ...], song: SongSet) -> list[Track]:
    """The files that sound as several sources do, where more than half of those beside the drums do: a loop is one."""
    drums = {t.path for t in files if (n := song.names.get(t.path)) is not None and n.family in ("drums", "percussion")}
    beside = [t for t in files if t.path not in drums]
    several = [t for t in beside if _says_several(t, song) and _holds_several(t)]
    return several if len(several) >= _SEVERAL_LEAST and is_most(len(several), len(beside)) else []


def _says_several(track: Track, song: SongSet) -> bool:
    """Whether the name can stand for several sources: "Vocals", "Music", and no "Vocal" or "Bass"."""
    words = set(words_of(track.stem))
    is_bass = song.names[track.path].part == "bass"
    return bool(words & shipped().roles["collective"]) or (not is_bass and any(w.endswith("s") for w in words))


def _holds_several(track: Track) -> bool:
    """Whether low, middle and high lie differently between the sides."""
    sides = track.measures.sides if track.measures is not None else None
    bands = [b.correlation for b in sides.bands if b.share_db > _BAND_LEAST_DB] if sides is not None else []
    return len(bands) > 1 and max(bands) - min(bands) > _BANDS_APART
