"""Song, tempo and key as names, folders and metadata state them (notations: common practice)."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import TypeVar

from deep_tally.model.delivery import SongFacts
from deep_tally.model.files import MidiFacts

T = TypeVar("T")

_remembered = lru_cache(maxsize=20_000)
"""The same names are asked again each time the sheet is filled."""

SLOWEST_BPM, FASTEST_BPM = 20.0, 400.0
TEMPO_SAID = re.compile(
    r"(?<![\d.,])(\d{2,3}(?:[.,]\d{1,3})?)[\s_-]*bpm\b|\bbpm[\s_:=-]*(\d{2,3}(?:[.,]\d{1,3})?)", re.I
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
    return SongFacts(title=title, artist=artist, tempo_bpm=tempo or tempo_in(text), key=key or key_in(text))


def read_facts(
    name: str,
    paths: Iterable[str],
    comments: Iterable[str],
    *,
    around: str = "",
    midi: Iterable[MidiFacts] = (),
    notes: Iterable[str] = (),
    clicks: Iterable[str] = (),
    pulses_bpm: Iterable[float] = (),
) -> SongFacts:
    """Song, tempo and key of a set.

    Parameters
    ----------
    name : str
        The set's or delivery's own name, which counts first.
    paths, comments : iterables of str
        Names and free texts of its files: what most of them say.
    around : str
        The delivery's name, where the set is one of several.
    midi, notes
        What MIDI files and the client's notes state.
    clicks : iterable of str
        Names of click files: what one of them states is the song's.
    pulses_bpm : iterable of float
        Tempos that click files play, whatever their names say.
    """
    comments = list(comments)
    texts = [*paths, *comments]
    of_clicks = list(clicks)
    played = [round(bpm, 2) for bpm in pulses_bpm]
    files = list(midi)
    said = [facts_in(note) for note in notes]
    # What one file's name states may be a loop's own: the names count where most that state anything agree.
    names = texts[: len(texts) - len(comments)]
    of_names = _agreed(tempo_in(t) for t in names), _agreed(key_in(t) for t in names)
    of_comments = _agreed(tempo_in(t) for t in comments), _agreed(key_in(t) for t in comments)
    where = (
        "the folder's name",
        "the MIDI file",
        "the notes",
        "the click's name",
        "the click itself",
        "the files' names",
        "the files' own notes",
    )
    tempos: tuple[Sequence[float | None], ...] = (
        [tempo_in(name)],
        [m.tempo_bpm for m in files],
        [s.tempo_bpm for s in said],
        [tempo_in(c) for c in of_clicks],
        played,
        [of_names[0]],
        [of_comments[0]],
    )
    keys: tuple[Sequence[str | None], ...] = (
        [key_in(name)],
        [m.key for m in files],
        [s.key for s in said],
        [key_in(c) for c in of_clicks],
        [],
        [of_names[1]],
        [of_comments[1]],
    )
    return SongFacts(
        tempos=tuple((w, t) for w, stated in zip(where, tempos, strict=True) for t in stated if t is not None),
        keys=tuple((w, k) for w, stated in zip(where, keys, strict=True) for k in stated if k is not None),
        artist=_first(s.artist for s in said),
        title=title_of(name) or _first(s.title for s in said) or title_of(around),
        tempo_bpm=tempo_in(name)
        or _first(m.tempo_bpm for m in files)
        or _most_common(tempo_in(t) for t in texts)
        or _first(s.tempo_bpm for s in said)
        or tempo_in(around)
        or _first(played),
        key=key_in(name)
        or _most_common(key_in(t) for t in texts)
        or _first(s.key for s in said)
        or _first(m.key for m in files)
        or key_in(around),
    )


def _first(values: Iterable[T | None]) -> T | None:
    return next((v for v in values if v is not None), None)


_AGREEING_LEAST = 3


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
