"""Two songs in one folder whose names do not say so: their files have two lengths or rates, each a whole band's."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import pairwise

from deep_tally.model.errors import DeepTallyError
from deep_tally.model.files import Entry
from deep_tally.names.read import parse_part
from deep_tally.names.words import bare_stem, stem_of

_FILES_LEAST, _SONGS_MOST, _REST_MOST = 4, 4, 2
_APART_S, _SAME_S = 2.0, 0.001
_FAMILIES_LEAST = 3
_RHYTHM = frozenset({"drums", "bass"})
_BESIDES = frozenset({"other", "effects", "groups"})
_MARKS = re.compile(r"[\W_]*(?:\(\d+\)|v(?:er(?:sion)?)?[\s_.-]*\d+|take[\s_.-]*\d+|final|copy|\d+)+$", re.I)


def apart_by_length(entries: Sequence[Entry], delivery_name: str) -> list[Entry]:
    """Give the files of one song to several, where their lengths or rates show that they are several songs'.

    That takes files which fall into two to four lengths (or rates), four files of each at least, each with the same
    families of parts (drums and bass among them, or three), and no part's name in both: that is a second export of one
    song.

    Parameters
    ----------
    entries : sequence of Entry
        Of one song.
    delivery_name : str
        What the songs are named after, with their lengths or rates.
    """
    assessed = [e for e in entries if e.role.is_assessed]
    if len(assessed) < 2 * _FILES_LEAST:
        return list(entries)
    lengths, rates = _by_headers(entries)
    by_length, by_rate = _groups(assessed, lengths, _SAME_S), _groups(assessed, rates, 0.0)
    seconds = sorted(by_length)
    are_apart = all(b - a >= _APART_S for a, b in pairwise(seconds))
    if are_apart and _are_songs(by_length, len(assessed)):
        names = {s: f"{delivery_name} {int(s) // 60} min {int(s) % 60:02d} s" for s in seconds}
        return [replace(e, song=_nearest(e, lengths, names)) for e in entries]
    if _are_songs(by_rate, len(assessed)):
        names = {rate: f"{delivery_name} {rate / 1000:g} kHz" for rate in by_rate}
        return [replace(e, song=_nearest(e, rates, names)) for e in entries]
    return list(entries)


def _by_headers(entries: Sequence[Entry]) -> tuple[Mapping[str, float], Mapping[str, float]]:
    """Seconds and rates in Hz of files of plain samples, by their headers; what needs a decoder is left out."""
    # Imported here, in the worker: whoever only lists files needs no decoders.
    from deep_tally.intake.reading import open_plain

    lengths: dict[str, float] = {}
    rates: dict[str, float] = {}
    for entry in entries:
        if not entry.role.is_audio:
            continue
        try:
            reader = open_plain(entry.source)
        except DeepTallyError:
            continue  # said when it is measured
        if reader is not None:
            with reader:
                rates[entry.path] = reader.format.rate_hz
                lengths[entry.path] = reader.format.frames / reader.format.rate_hz
    return lengths, rates


def _groups(entries: Sequence[Entry], values: Mapping[str, float], same: float) -> dict[float, list[Entry]]:
    """The files of each length or rate that many share."""
    found: dict[float, list[Entry]] = {}
    for entry in entries:
        if (value := values.get(entry.path)) is not None:
            found.setdefault(next((v for v in found if abs(v - value) <= same), value), []).append(entry)
    return {value: group for value, group in found.items() if len(group) >= _FILES_LEAST}


def _are_songs(groups: Mapping[float, Sequence[Entry]], files: int) -> bool:
    grouped = sum(map(len, groups.values()))
    if not 2 <= len(groups) <= _SONGS_MOST or files - grouped > _REST_MOST:
        return False
    families, where = [], defaultdict(set)
    for value, group in groups.items():
        families.append({parse_part(stem_of(e.path)).family for e in group} - _BESIDES)
        for entry in group:
            where[_MARKS.sub("", bare_stem(entry.path))].add(value)
    shared = set.intersection(*families)
    return (shared >= _RHYTHM or len(shared) >= _FAMILIES_LEAST) and all(len(found) == 1 for found in where.values())


def _nearest(entry: Entry, values: Mapping[str, float], names: Mapping[float, str]) -> str:
    """The song whose length or rate is nearest; a note or MIDI file belongs to no single one."""
    if not entry.role.is_audio:
        return ""
    value = values.get(entry.path)
    return next(iter(names.values())) if value is None else names[min(names, key=lambda one: abs(one - value))]
