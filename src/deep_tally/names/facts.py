"""Song, tempo and key as names, folders and metadata state them (notations: common practice)."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import TypeVar

from deep_tally.model.delivery import SongFacts
from deep_tally.model.files import MidiFacts
from deep_tally.model.phrase import Phrase
from deep_tally.model.tempo_source import (
    BRIEF,
    CLICK,
    CLICKS_NAME,
    FILES_NAMES,
    FOLDER,
    METADATA,
    MIDI,
    NOTES,
    SET_BY_USER,
)
from deep_tally.model.timeline import COMMON_TIME, MeterStep, Timeline, steady
from deep_tally.names.prefix import shared_prefix
from deep_tally.names.segments import segments_of
from deep_tally.names.vocabulary import shipped
from deep_tally.names.words import stem_of

T = TypeVar("T")

_remembered = lru_cache(maxsize=20_000)
"""The same names are asked again each time the sheet is filled."""

SLOWEST_BPM, FASTEST_BPM = 20.0, 400.0
TEMPO_SAID = re.compile(
    r"(?<![\d.,])(\d{2,3}(?:[.,]\d{1,3})?)[\s_-]*(?:bpm\b|b\.\s?p\.\s?m\b\.?)|\bbpm[\s_:=-]*(\d{2,3}(?:[.,]\d{1,3})?)",
    re.I,
)
KEY_SAID = re.compile(
    r"(?<![A-Za-z0-9])([A-Ha-h])[\s_-]?(#|♯|♭|b|sharp|flat)?[\s_-]*(major|minor|maj|min|dur|moll)(?![A-Za-z])"
    r"|(?<![A-Za-z0-9])([B-H])(#|♯|♭|b)?m(?![A-Za-z0-9])"
)
RATE_OR_DEPTH_SAID = re.compile(
    r"\b\d{2,3}(?:[.,]\d)?\s*k(?:hz)?\b|\b(?:16|20|24|32)[\s_-]*bits?\b|\b(?:44100|48000|96000)\b", re.I
)
DATE_SAID = re.compile(r"\b(?:19|20)\d\d[-_.]?\d\d[-_.]?\d\d\b|\b\d{1,2}[-_.]\d{1,2}[-_.](?:19|20)?\d\d\b")
_GENERIC = frozenset(
    """trackout trackouts track tracks stem stems multitrack multitracks multi file files audio wav wavs aiff export
    exports exported bounce bounces for mix mixing the a to from and of song songs session project delivery final new
    folder untitled downloads download desktop documents music tmp temp home data upload send sent client round rough
    spuren mischung lied""".split()
)


@_remembered
def tempo_in(text: str) -> float | None:
    """The tempo a text states, in BPM ("96 BPM", "bpm_128.5"); None when it states none in 20 to 400."""
    for match in TEMPO_SAID.finditer(text.replace("_", " ")):
        tempo = float((match[1] or match[2]).replace(",", "."))
        if SLOWEST_BPM <= tempo <= FASTEST_BPM:
            return tempo
    return None


@_remembered
def key_in(text: str) -> str | None:
    """The key a text states ("D minor", "F#m", "Bb maj"), in the form "F# minor"; None when it states none."""
    match = KEY_SAID.search(text.replace("_", " "))
    if match is None:
        return None
    tonic = (match[1] or match[4]).upper()
    sign = {"#": "#", "♯": "#", "sharp": "#", "♭": "b", "b": "b", "flat": "b"}.get(
        (match[2] or match[5] or "").lower(), ""
    )
    mode = "major" if (match[3] or "minor").lower() in ("major", "maj", "dur") else "minor"
    return f"{tonic}{sign} {mode}"


@_remembered
def title_of(name: str) -> str | None:
    """The song's title in a folder's or file's name: what remains after generic words, tempo and key."""
    text = name.replace("_", " ")
    for pattern in (TEMPO_SAID, KEY_SAID, RATE_OR_DEPTH_SAID, DATE_SAID):
        text = pattern.sub(" ", text)
    text = re.sub(r"[()\[\]{},;+]|(?<!\w)-+|-+(?!\w)", " ", text)
    words = text.split()
    kept = [w for w in words if w.casefold() not in _GENERIC and not w.isdigit()]
    if not any(len(w) >= 3 and w.isalpha() for w in kept):
        return None
    # "The" or "of" inside a title is part of it: only generic words at the ends go.
    first, last = words.index(kept[0]), len(words) - 1 - words[::-1].index(kept[-1])
    if first and words[first - 1].casefold() in ("the", "a"):
        first -= 1
    return " ".join(words[first : last + 1])


_LABELLED = re.compile(
    r"^[\s*\-]*(song|title|titel|artist|band|interpret|tempo|bpm|key|tonart)[ \t]*[:=][ \t]*(\S.*?)[ \t]*$",
    re.IGNORECASE | re.MULTILINE,
)
_TEMPO_SENTENCE = re.compile(
    r"\b(?:tempo|speed|click)\b(?:\s+(?:is|was|at|of|around|about|ist|war|bei|liegt|the|set|to|on|song|um|track)\b)*"
    r"[\s:=]+(\d{2,3}(?:[.,]\d{1,3})?)(?![\d:%])",
    re.I,
)
_NUMBER = re.compile(r"(?<!\d)\d{2,3}(?:[.,]\d{1,3})?(?!\d)")


def facts_in(text: str) -> SongFacts:
    """Song, tempo and key as a client's notes state them: "Tempo: 96", "Key: D minor", or as names do."""
    title = artist = tempo = key = None
    for label, value in _LABELLED.findall(text):
        label = label.casefold()
        if label in ("song", "title", "titel"):
            title = title or value.strip("\"“”'")
        elif label in ("artist", "band", "interpret"):
            artist = artist or value.strip("\"“”'")
        elif label in ("tempo", "bpm"):
            number = _NUMBER.search(value)
            if tempo is None and number and SLOWEST_BPM <= float(number[0].replace(",", ".")) <= FASTEST_BPM:
                tempo = float(number[0].replace(",", "."))
        else:
            key = key or key_in(value) or key_in(f"{value} major")
    tempo = tempo or tempo_in(text) or _tempo_of_sentence(text)
    return SongFacts(title=title, artist=artist, tempo_bpm=tempo, key=key or key_in(text))


def _tempo_of_sentence(text: str) -> float | None:
    """What a free sentence says: "the tempo is 112", "click at 92"."""
    stated = (float(m[1].replace(",", ".")) for m in _TEMPO_SENTENCE.finditer(text))
    return next((bpm for bpm in stated if SLOWEST_BPM <= bpm <= FASTEST_BPM), None)


def read_facts(
    name: str,
    paths: Iterable[str],
    comments: Iterable[str],
    *,
    around: str = "",
    midi: Iterable[MidiFacts] = (),
    notes: Iterable[str] = (),
    clicks: Sequence[str] = (),
    click_tempos_bpm: Iterable[float] = (),
    user_bpm: float | None = None,
    requested_bpm: float | None = None,
    requested_meter: MeterStep | None = None,
) -> SongFacts:
    """Song, tempo and key of a set.

    The tempo is taken from the first that states one: the user, the brief, MIDI, the files' own notes, the client's
    notes, the folder's name, the files' names, a click.

    Parameters
    ----------
    name : str
        The set's or delivery's own name.
    paths, comments : iterables of str
        Names and free texts of its files: what most of them say.
    around : str
        The delivery's name, where the set is one of several.
    midi, notes
        What MIDI files and the client's notes state.
    clicks : sequence of str
        Names of click files: what one of them states is the song's.
    click_tempos_bpm : iterable of float
        Tempos that click files play, whatever their names say.
    user_bpm : float, optional
        What the user set for this song.
    requested_bpm, requested_meter
        What the brief states.
    """
    comments, names = list(comments), list(paths)
    files = list(midi)
    of_midi = [m.tempo_bpm for m in files if m.tempo_bpm is not None and SLOWEST_BPM <= m.tempo_bpm <= FASTEST_BPM]
    said = [facts_in(note) for note in notes]
    of_notes = [s.tempo_bpm for s in said]
    of_clicks = [tempo_in(c) for c in clicks]
    played = [round(bpm, 2) for bpm in click_tempos_bpm]
    # What one file's name states may be a loop's own: the names count where most that state anything agree.
    of_names = _agreed(tempo_in(t) for t in names), _agreed(key_in(t) for t in names)
    of_comments = _agreed(tempo_in(t) for t in comments), _agreed(key_in(t) for t in comments)
    tempos: dict[Phrase, Sequence[float | None]] = {FOLDER: [tempo_in(name)], MIDI: of_midi, NOTES: of_notes}
    tempos |= {CLICKS_NAME: of_clicks, CLICK: played, FILES_NAMES: [of_names[0]], METADATA: [of_comments[0]]}
    keys: dict[Phrase, Sequence[str | None]] = {FOLDER: [key_in(name)], MIDI: [m.key for m in files]}
    keys |= {NOTES: [s.key for s in said], CLICKS_NAME: [key_in(c) for c in clicks]}
    keys |= {FILES_NAMES: [of_names[1]], METADATA: [of_comments[1]]}
    tempo_from, tempo_bpm = _first_stated(
        (SET_BY_USER, user_bpm),
        (BRIEF, requested_bpm),
        (MIDI, _first(of_midi)),
        (METADATA, of_comments[0]),
        (NOTES, _first(of_notes)),
        (FOLDER, tempo_in(name)),
        (FILES_NAMES, _most_common(tempo_in(t) for t in names)),
        (METADATA, _most_common(tempo_in(t) for t in comments)),
        (FOLDER, tempo_in(around)),
        (FOLDER, tempo_in(_single_folder(names))),
        (CLICK, _first(played)),
    )
    return SongFacts(
        tempos=tuple((where, t) for where, stated in tempos.items() for t in stated if t is not None),
        keys=tuple((where, k) for where, stated in keys.items() for k in stated if k is not None),
        artist=_first(s.artist for s in said),
        title=title_of(name) or _first(s.title for s in said) or title_of(around) or _shared_title(names),
        tempo_bpm=tempo_bpm,
        tempo_from=tempo_from,
        tempo_map=_tempo_map(tempo_bpm, files, requested_meter),
        key=key_in(name)
        or _most_common(key_in(t) for t in [*names, *comments])
        or _first(s.key for s in said)
        or _first(m.key for m in files)
        or key_in(around)
        or key_in(_single_folder(names)),
    )


def _single_folder(paths: Sequence[str]) -> str:
    """The name of the one folder that all files lie in; empty where there is none."""
    folders = {path.split("/")[0] if "/" in path else "" for path in paths}
    return folders.pop() if len(folders) == 1 else ""


def _shared_title(paths: Sequence[str]) -> str | None:
    """The title that the one folder inside the delivery states, or the beginning that nearly all names share.

    A beginning of known words ("Drums") names parts, and no song.
    """
    begun = shared_prefix(stem_of(path) for path in paths)
    known = shipped()
    words = [p.word for p in segments_of(begun) if not p.is_digits]
    if all(w in known.single_words or w in known.plain for w in words):
        begun = ""
    of_names = next((_cased(path, begun) for path in paths if begun and begun in stem_of(path).casefold()), "")
    return title_of(_single_folder(paths)) or title_of(of_names)


def _cased(path: str, begun: str) -> str:
    """A shared beginning as the file writes it."""
    stem = stem_of(path)
    at = stem.casefold().find(begun)
    return stem[at : at + len(begun)]


def _first_stated(*stated: tuple[Phrase, float | None]) -> tuple[Phrase | None, float | None]:
    """The first tempo that is stated, with where it is."""
    return next(((where, bpm) for where, bpm in stated if bpm is not None), (None, None))


def _tempo_map(tempo_bpm: float | None, midi: Sequence[MidiFacts], meter: MeterStep | None) -> Timeline | None:
    """The song's tempo with the changes of the MIDI file that begins with it; its meters count in any case."""
    if tempo_bpm is None:
        return None
    fitting = (m.timeline for m in midi if m.tempo_bpm is not None and abs(m.tempo_bpm - tempo_bpm) <= _ONE_TEMPO_BPM)
    timeline = _first(fitting)
    meters = (meter,) if meter is not None else next((m.meters for m in midi if m.meters), (COMMON_TIME,))
    if timeline is None:
        return steady(tempo_bpm, meters)
    return Timeline(tempos=timeline.tempos, meters=meters)


def _first(values: Iterable[T | None]) -> T | None:
    return next((v for v in values if v is not None), None)


_AGREEING_LEAST = 3
_ONE_TEMPO_BPM = 0.05  # names round to a tenth


def _agreed(values: Iterable[T | None]) -> T | None:
    """The value that at least three texts state and more than half of those that state any."""
    counted = Counter(v for v in values if v is not None)
    for value, count in counted.most_common(1):
        if count >= _AGREEING_LEAST and 2 * count > sum(counted.values()):
            return value
    return None


def _most_common(values: Iterable[T | None]) -> T | None:
    counted = Counter(v for v in values if v is not None)
    return counted.most_common(1)[0][0] if counted else None
