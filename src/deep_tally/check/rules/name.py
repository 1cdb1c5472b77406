"""Does the name say what plays, on every system? Findings of the question "name"."""

from __future__ import annotations

import re
import unicodedata
from collections import defaultdict
from collections.abc import Iterable, Iterator

from deep_tally.check.build import about, is_most
from deep_tally.check.common import length_difference_s
from deep_tally.check.rules.click import drifts
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding
from deep_tally.model.phrase import Phrase
from deep_tally.names.parse import COPY_MARK
from deep_tally.names.pattern import BYTES_MOST, REFUSED_CHARACTERS, REFUSED_NAMES, matching
from deep_tally.names.prefix import shared_prefix
from deep_tally.names.read import parse_part
from deep_tally.names.sides import side_of
from deep_tally.names.vocabulary import shipped
from deep_tally.names.words import bare_stem, leading_number, words_of

_SHARED_LEAST = 3
_FIGURE = re.compile(r"\d")


def _name(track: Track) -> str:
    return track.path.rpartition("/")[2]


def _shared_words(tracks: Iterable[Track]) -> set[str]:
    """Words that every name carries (song, artist): they do not tell the parts apart."""
    names = [set(words_of(t.stem)) for t in tracks]
    return set.intersection(*names) if len(names) >= _SHARED_LEAST else set()


def _without_a_part(song: SongSet, brief: Brief) -> Iterator[tuple[Track, list[str]]]:
    """Files whose names hold no known word for what plays, each with the words that may say it all the same."""
    silent = {w.casefold() for w in brief.names.generic_words} | _shared_words(song.assessed)
    if song.facts.title:
        silent |= set(words_of(song.facts.title))
    for track in song.assessed:
        name = song.names.get(track.path)
        if track.role is not Role.MIX and (name is None or name.part is None):
            words = words_of(track.stem)
            yield track, [w for w in words if w not in silent and (len(w) > 1 or _is_ideograph(w))]


def generic(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The name says nothing of what plays; one unknown word with figures, over several files, is reported once."""
    unknown: defaultdict[str, list[Track]] = defaultdict(list)
    for track, telling in _without_a_part(song, brief):
        if not telling:
            yield about("name.generic", Action.ASK, track, kind="question")
        elif len(telling) == 1 and _FIGURE.search(track.stem):
            unknown[telling[0]].append(track)
    for word, tracks in unknown.items():
        if len(tracks) >= _SHARED_LEAST and len({t.stem for t in tracks}) == len(tracks):
            yield about("name.generic", Action.ASK, tracks, kind="question", word=word, files=len(tracks))


def no_part(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Names of words that say no part, as a preset's or a fantasy name; a question where they are most of the set."""
    requested = {path for part in song.parts for path in part.paths}
    asked = {path for finding in generic(song, brief) for path in finding.files}
    unknown = [
        track
        for track, telling in _without_a_part(song, brief)
        if telling
        and track.role is Role.TRACKOUT
        and (track.path not in song.names or song.names[track.path].family == "other")
        and track.path not in requested | asked
        and not shipped().roles["collective"] & set(telling)
        and not any(parse_part(folder).part for folder in track.path.split("/")[:-1])
    ]
    if unknown:
        # Words of a script that the vocabulary does not know may say it well.
        unsaid = [t for t in unknown if _is_latin(t.stem)]
        is_asked = is_most(len(unsaid), len(song.assessed))
        action, tracks = (Action.ASK, unsaid) if is_asked else (Action.NOTE, unknown)
        yield about("name.no-part", action, tracks, kind="question", files=len(tracks))


def _is_latin(text: str) -> bool:
    return all(unicodedata.name(c, "").startswith("LATIN") for c in text if c.isalpha())


def _is_ideograph(word: str) -> bool:
    """Whether a single character is a word by itself, as in Chinese and Japanese (Unicode, CJK Unified Ideographs)."""
    return unicodedata.name(word, "").startswith(("CJK UNIFIED", "CJK COMPATIBILITY"))


def characters(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Characters some system cannot store."""
    for track in song.tracks:
        name = _name(track)
        if bad := sorted({_shown(c) for c in name if c in REFUSED_CHARACTERS or not c.isprintable()}):
            yield about("name.characters", Action.FIX, track, characters=tuple(bad))
        elif name != name.strip() or track.stem != track.stem.strip(" .") or track.stem.casefold() in REFUSED_NAMES:
            yield about("name.characters", Action.FIX, track, characters=())
        elif unicodedata.normalize("NFC", name) != name:
            yield about("name.characters", Action.FIX, track, characters=(Phrase("characters.accents"),))


def _shown(character: str) -> str:
    return character if character.isprintable() else f"U+{ord(character):04X}"


def clash(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Names that are equal but for case, Unicode form or the track number."""
    groups: defaultdict[tuple[str, str], list[Track]] = defaultdict(list)
    for track in song.assessed:
        if bare := bare_stem(track.path):
            groups[track.path.rpartition("/")[0], bare].append(track)
    for tracks in groups.values():
        if len(tracks) > 1:
            yield about("name.clash", Action.FIX, tracks)


def long(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Longer than the brief allows."""
    for track in song.assessed:
        length, stored = len(_name(track)), len(_name(track).encode("utf-8", "surrogateescape"))
        if length > brief.names.longest or stored >= BYTES_MOST:
            yield about("name.long", Action.FIX, track, characters_count=length, most=brief.names.longest)


_COPY_OF = re.compile(r"^\s*(?:copy of|kopie von)\s+", re.I)
_VERSION_MARK = re.compile(r"(?:[\s_-]+(?:v|ver|version)[\s_.-]*\d{1,2}|(?:[\s_-]+final)+)$", re.I)


def _without_mark(stem: str) -> str:
    """A name without what marks it as a copy or a version; all of it where nothing else would be left."""
    bare = _COPY_OF.sub("", stem)
    while (shorter := _VERSION_MARK.sub("", COPY_MARK.sub("", bare))) != bare and shorter.strip():
        bare = shorter
    return bare


def copy_mark(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A file manager's mark for a copy; when several versions came, which one counts?"""
    versions: defaultdict[str, list[Track]] = defaultdict(list)
    for track in song.tracks:
        versions[f"{track.path.rpartition('/')[0]}/{_without_mark(track.stem).casefold()}"].append(track)
    for tracks in versions.values():
        marked = [t for t in tracks if _without_mark(t.stem) != t.stem and t.role.is_assessed]
        if not marked:
            continue
        if len(tracks) == 1:
            if COPY_MARK.search(tracks[0].stem) or _COPY_OF.match(tracks[0].stem):
                yield about("name.copy-mark", Action.FIX, marked[0])
            continue
        for track in marked if len(marked) < len(tracks) else marked[1:]:
            partner = next(t for t in tracks if t not in marked or t is marked[0])
            yield about("name.copy-mark", Action.ASK, [partner, track], kind="question", partner=partner.path)


def _numbered(tracks: Iterable[Track]) -> dict[int, list[Track]]:
    numbers: defaultdict[int, list[Track]] = defaultdict(list)
    for track in tracks:
        if (number := leading_number(track.stem)) is not None:
            numbers[number].append(track)
    return numbers


def number_gap(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Track numbers are missing: hidden and group tracks do that."""
    numbers = _numbered(song.assessed)
    if sum(map(len, numbers.values())) * 2 > len(song.assessed) and len(numbers) >= _SHARED_LEAST:
        there = _numbered(song.tracks)  # a trigger or a mix may carry one of them
        missing = [n for n in range(min(numbers), max(numbers)) if n not in there]
        if missing:
            yield about("name.number-gap", Action.NOTE, (), missing=tuple(str(n) for n in missing))


def number_twice(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Two files carry one track number."""
    numbers = _numbered(song.assessed)
    for number, tracks in sorted(numbers.items()):
        is_of_all = len(tracks) >= _SHARED_LEAST and 2 * len(tracks) > len(song.assessed)  # a tempo, a year
        if len(tracks) > 1 and not is_of_all and number != song.facts.tempo_bpm:
            yield about("name.number-twice", Action.FIX, tracks, number=number)


_OWN_LEAST, _ODD_ONE_IN = 6, 5


def pattern(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Names that do not follow the brief's pattern; without one, those that lack what nearly all others begin with."""
    if brief.names.pattern is not None:
        wanted = matching(brief.names.pattern)
        odd = [t for t in song.assessed if not wanted.fullmatch(t.stem)]
        if odd:
            yield about("name.pattern", Action.FIX, odd, pattern=brief.names.pattern, files=len(odd))
        return
    if len(song.assessed) < _OWN_LEAST:
        return
    bare = [t for t in song.assessed if leading_number(t.stem) is None]
    prefix = shared_prefix(t.stem for t in song.assessed)
    unlike = [t for t in song.assessed if prefix and prefix not in t.stem.casefold()]
    for odd, shape in ((bare, "{number} {part}"), (unlike, f"{prefix} {{part}}")):
        if odd and _ODD_ONE_IN * len(odd) <= len(song.assessed):
            yield about("name.pattern", Action.FIX, odd, pattern=shape, files=len(odd))


_LONG_PREFIX, _PREFIX_OF_NAME = 16, 0.5


def prefix(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Nearly all names begin with the same words, so that the part stands late or is cut off in a narrow list."""
    shared = shared_prefix(t.stem for t in song.assessed)
    begun = [t for t in song.assessed if shared and shared in t.stem.casefold()]
    rest = sum(len(t.stem) for t in begun)
    if len(shared) >= _LONG_PREFIX and len(shared) * len(begun) >= _PREFIX_OF_NAME * rest:
        yield about("name.prefix", Action.NOTE, begun, prefix=shared, files=len(begun))


def contradicts(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """What the name says is not what plays: nothing at all, one channel for "stereo", a side longer than the other."""
    for track in song.assessed:
        name = song.names.get(track.path)
        if name is None or (known := track.measured) is None:
            continue
        channels = known[0].channels
        formats = {word.casefold() for word in name.values("format")}
        if name.part is not None and not track.is_heard:
            yield about("name.contradicts", Action.NOTE, track, by="sound", part=name.part)
        elif ("mono" in formats and channels == 2) or ("stereo" in formats and channels == 1):
            paired = any(track.path in (p.left, p.right) for p in song.comparison.pairs)
            if not paired:
                yield about("name.contradicts", Action.NOTE, track, by="channels", channels=channels)
    for left, right in _halves(song):
        lengths = [t.format.seconds for t in (left, right) if t.format is not None]
        difference_ms = abs(lengths[0] - lengths[1]) * 1000
        if difference_ms > brief.threshold("length.tolerance_ms"):
            odd = left if abs(length_difference_s(left, song.common)) > 0 else right
            other = right if odd is left else left
            yield about("name.contradicts", Action.NOTE, odd, by="length", partner=other.path, ms=difference_ms)


def _halves(song: SongSet) -> Iterator[tuple[Track, Track]]:
    """Files whose names say that they are the two sides of one part."""
    sides: defaultdict[str, dict[str, Track]] = defaultdict(dict)
    for track in song.assessed:
        mark = side_of(track.path)
        if mark is not None and track.format is not None and track.format.channels == 1:
            sides[mark.rest][mark.side] = track
    for found in sides.values():
        if len(found) == 2:
            yield found["left"], found["right"]


_SAME_TEMPO_BPM = 0.5
_SHARPS = {"Db": "C#", "Eb": "D#", "Gb": "F#", "Ab": "G#", "Bb": "A#"}


def facts_differ(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Conflicting tempo or key in two places; half and double tempo are one to a listener.

    A click that can be followed is compared with the tempo used for the song by how far it moves away over it.
    """
    stated = []
    tempos = song.facts.tempos
    drifting = [d for d in drifts(song) if abs(d.ms) > brief.threshold("name.drift_ms")]
    if drifting or any(not _is_one_tempo(a, b) for _, a in tempos for _, b in tempos):
        taken = song.facts.tempo_from, song.facts.tempo_bpm
        named = [*tempos, *([] if taken in tempos or None in taken else [taken])]
        stated += [Phrase("stated.tempo", bpm=tempo, source=where) for where, tempo in named]
    keys = song.facts.keys
    if len({_in_sharps(key) for _, key in keys}) > 1:
        stated += [Phrase("stated.key", key=key, source=where) for where, key in keys]
    if stated:
        sentences = tuple(dict.fromkeys(stated))
        worst = max(drifting, key=lambda d: abs(d.ms), default=None)
        drift = {"ms": worst.ms, "over_s": worst.over_s} if worst is not None else {}
        yield about("name.facts-differ", Action.ASK, (), kind="question", stated=sentences, also=drift)


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
        "artist": (brief.needs.artist, song.facts.artist),
    }
    missing = tuple(name for name, (need, fact) in needed.items() if need and fact is None)
    if missing:
        yield about("name.facts-missing", Action.ASK, (), missing=missing)
