"""Do two exports lie in one set? What tells them apart, and whether several marks divide the files alike."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Hashable, Iterator, Sequence

from deep_tally.check.build import about
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action, Finding
from deep_tally.names.words import words_of

_EXPORT_LEAST = 3
_WRITER_LABELS = ("Software", "Originator", "Coding history")


def two_exports(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Two exports lie in one set: by time, writer, prefix and format, of which at least two divide it alike."""
    tracks = [t for t in song.assessed if t.format is not None]
    if len(tracks) < 2 * _EXPORT_LEAST:
        return
    divisions = [d for mark in _export_marks(song, tracks, brief) if (d := _division(tracks, mark)) is not None]
    for index, (first, name) in enumerate(divisions):
        agreeing = [other for paths, other in divisions[index + 1 :] if paths in (first, _rest(tracks, first))]
        if agreeing:
            smaller = min(first, _rest(tracks, first), key=lambda paths: (len(paths), sorted(paths)))
            yield about(
                "content.two-exports",
                Action.NOTE,
                [t for t in tracks if t.path in smaller],
                by=(name, *agreeing),
                files=len(smaller),
            )
            return


def _rest(tracks: Sequence[Track], paths: frozenset[str]) -> frozenset[str]:
    return frozenset(t.path for t in tracks) - paths


def _export_marks(song: SongSet, tracks: Sequence[Track], brief: Brief) -> Iterator[tuple[str, dict[str, Hashable]]]:
    """What distinguishes one export from another, for every file."""
    yield "format", {t.path: _format_of(t) for t in tracks}
    # In seconds: frames would say no more than the rate does.
    yield "length", {t.path: round(t.format.seconds, 3) if t.format is not None else 0 for t in tracks}
    yield (
        "writer",
        {t.path: tuple(text for label, text in t.format.said if label in _WRITER_LABELS) for t in tracks if t.format},
    )
    yield "prefix", {t.path: (words_of(t.stem) or ("",))[0] for t in tracks}
    written = {t.path: s for t in tracks if (s := song.modified_s.get(t.path))}
    if len(written) == len(tracks):
        yield "time", by_time(written, brief.threshold("content.exports_apart_h") * 3600)


def _format_of(track: Track) -> Hashable:
    sound = track.format
    return (sound.container, sound.rate_hz, sound.sample_format, sound.bits) if sound is not None else None


def by_time(written: dict[str, float], apart_s: float) -> dict[str, Hashable]:
    """A number for each group of files that were written within `apart_s` of each other."""
    groups: dict[str, Hashable] = {}
    number, before = 0, -math.inf
    for path, seconds in sorted(written.items(), key=lambda item: item[1]):
        number += seconds - before > apart_s
        groups[path], before = number, seconds
    return groups


def _division(tracks: Sequence[Track], mark: tuple[str, dict[str, Hashable]]) -> tuple[frozenset[str], str] | None:
    """The files of one value, where there are exactly two values with several files each."""
    name, values = mark
    counts = Counter(values.get(t.path) for t in tracks)
    if len(counts) != 2 or min(counts.values()) < _EXPORT_LEAST:
        return None
    value = counts.most_common()[-1][0]
    return frozenset(t.path for t in tracks if values.get(t.path) == value), name
