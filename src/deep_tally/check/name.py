"""Does the name say what plays, on every system? Findings of the question "name"."""

from __future__ import annotations

import re
import unicodedata
from collections import defaultdict
from collections.abc import Iterable, Iterator

from deep_tally.check._build import about
from deep_tally.intake.words import bare_stem, leading_number, words_of
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action, Finding

_COPY_MARK = re.compile(r"(?:\s*\(\d+\)|[\s_-]+(?:copy|kopie)(?:[\s_-]*\(?\d+\)?)?)$", re.IGNORECASE)
# Characters and names one common family of systems refuses (published by its maker; from memory).
_REFUSED_CHARACTERS = frozenset('<>:"\\|?*')
_REFUSED_NAMES = frozenset({"con", "prn", "aux", "nul", *(f"{d}{n}" for d in ("com", "lpt") for n in range(1, 10))})
_SHARED_LEAST = 3


def _name(track: Track) -> str:
    return track.path.rpartition("/")[2]


def _shared_words(tracks: Iterable[Track]) -> set[str]:
    """Words that every name carries (song, artist): they do not tell the parts apart."""
    names = [set(words_of(t.stem)) for t in tracks]
    return set.intersection(*names) if len(names) >= _SHARED_LEAST else set()


def generic(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The name says nothing of what plays."""
    silent = {w.casefold() for w in brief.names.generic_words} | _shared_words(song.asked)
    if song.facts.title:
        silent |= set(words_of(song.facts.title))
    for track in song.asked:
        telling = [w for w in words_of(track.stem) if w not in silent and len(w) > 1]
        if not telling:
            yield about("name.generic", Action.ASK, track, kind="question")


def characters(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Characters some system cannot store."""
    for track in song.tracks:
        name = _name(track)
        if bad := sorted({_shown(c) for c in name if c in _REFUSED_CHARACTERS or not c.isprintable()}):
            yield about("name.characters", Action.FIX, track, characters=tuple(bad))
        elif name != name.strip() or track.stem != track.stem.strip(" .") or track.stem.casefold() in _REFUSED_NAMES:
            yield about("name.characters", Action.FIX, track, characters=())
        elif unicodedata.normalize("NFC", name) != name:
            yield about("name.characters", Action.FIX, track, characters=("separate accents",))


def _shown(character: str) -> str:
    return character if character.isprintable() else f"U+{ord(character):04X}"


def clash(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Names that are equal but for case, Unicode form or the track number."""
    groups: defaultdict[tuple[str, str], list[Track]] = defaultdict(list)
    for track in song.asked:
        if bare := bare_stem(track.path):
            groups[track.path.rpartition("/")[0], bare].append(track)
    for tracks in groups.values():
        if len(tracks) > 1:
            yield about("name.clash", Action.FIX, tracks)


def long(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Longer than the brief allows."""
    for track in song.asked:
        if len(_name(track)) > brief.names.longest:
            yield about("name.long", Action.FIX, track, characters_count=len(_name(track)), most=brief.names.longest)


def copy_mark(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A file manager's mark for a copy; when the other version came too, which one counts?"""
    stems = {t.path.rpartition("/")[0] + "/" + t.stem.casefold(): t for t in song.tracks}
    for track in song.asked:
        bare = _COPY_MARK.sub("", track.stem)
        if bare == track.stem:
            continue
        partner = stems.get(track.path.rpartition("/")[0] + "/" + bare.casefold())
        if partner is None:
            yield about("name.copy-mark", Action.FIX, track)
        else:
            yield about("name.copy-mark", Action.ASK, [partner, track], kind="question", partner=partner.path)


def _numbered(song: SongSet) -> dict[int, list[Track]]:
    numbers: defaultdict[int, list[Track]] = defaultdict(list)
    for track in song.asked:
        if (number := leading_number(track.stem)) is not None:
            numbers[number].append(track)
    return numbers


def number_gap(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The track numbers miss some: hidden and group tracks do that."""
    numbers = _numbered(song)
    if sum(map(len, numbers.values())) * 2 > len(song.asked) and len(numbers) >= _SHARED_LEAST:
        missing = [n for n in range(min(numbers), max(numbers)) if n not in numbers]
        if missing:
            yield about("name.number-gap", Action.NOTE, (), missing=tuple(str(n) for n in missing))


def number_twice(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Two files carry one track number."""
    for number, tracks in sorted(_numbered(song).items()):
        if len(tracks) > 1:
            yield about("name.number-twice", Action.FIX, tracks, number=number)


_FIELD = re.compile(r"\{(\w+)\}")
_FIELDS = {"number": r"\d{1,3}", "tempo": r"\d{2,3}(?:[.,]\d{1,3})?(?:\s*bpm)?"}
_OWN_LEAST, _OWN_SHARE = 5, 0.8


def pattern(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Names that do not follow the brief's pattern; without one, those that lack the number nearly all others have."""
    if brief.names.pattern is not None:
        wanted = _pattern_of(brief.names.pattern)
        odd = [t for t in song.asked if not wanted.fullmatch(t.stem)]
        if odd:
            yield about("name.pattern", Action.FIX, odd, pattern=brief.names.pattern, files=len(odd))
        return
    bare = [t for t in song.asked if leading_number(t.stem) is None]
    if bare and len(song.asked) >= _OWN_LEAST and len(bare) <= (1 - _OWN_SHARE) * len(song.asked):
        yield about("name.pattern", Action.FIX, bare, pattern="{number} {part}", files=len(bare))


def _pattern_of(pattern: str) -> re.Pattern[str]:
    """A brief's pattern as an expression: fields stand for what they say, blanks for any blank, dash or underscore."""
    pieces = _FIELD.split(pattern)
    expression = ""
    for index, piece in enumerate(pieces):
        if index % 2:
            expression += _FIELDS.get(piece, ".+?")
        else:
            expression += r"[\s_.\-]+".join(re.escape(literal) for literal in piece.split(" "))
    return re.compile(expression, re.IGNORECASE)


_SAME_TEMPO_BPM = 0.5
_SHARPS = {"Db": "C#", "Eb": "D#", "Gb": "F#", "Ab": "G#", "Bb": "A#"}


def facts_differ(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Tempo or key is stated differently in two places; half and double tempo are one to a listener."""
    stated = []
    tempos = song.facts.tempos
    if any(not _is_one_tempo(a, b) for _, a in tempos for _, b in tempos):
        stated += [f"{tempo:g} BPM in {where}" for where, tempo in tempos]
    keys = song.facts.keys
    if len({_in_sharps(key) for _, key in keys}) > 1:
        stated += [f"{key} in {where}" for where, key in keys]
    if stated:
        yield about("name.facts-differ", Action.ASK, (), kind="question", stated=tuple(dict.fromkeys(stated)))


def _is_one_tempo(one: float, other: float) -> bool:
    return any(abs(one * factor - other) <= _SAME_TEMPO_BPM for factor in (0.5, 1.0, 2.0))


def _in_sharps(key: str) -> str:
    tonic, _, mode = key.partition(" ")
    return f"{_SHARPS.get(tonic, tonic)} {mode}"


def facts_missing(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Song, tempo or key is stated nowhere."""
    needed = {
        "song": (brief.needs.song, song.facts.title),
        "tempo": (brief.needs.tempo, song.facts.tempo_bpm),
        "key": (brief.needs.key, song.facts.key),
    }
    missing = tuple(name for name, (need, fact) in needed.items() if need and fact is None)
    if missing:
        yield about("name.facts-missing", Action.ASK, (), missing=missing)
    elif song.facts.key is None and not brief.needs.key:
        yield about("name.facts-missing", Action.NOTE, (), missing=("key",))
