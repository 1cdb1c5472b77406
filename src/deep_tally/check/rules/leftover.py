"""Is there sound long after the song? What was forgotten at the end of a session: a count, a cough, an old take."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from deep_tally.check.build import about, place_at
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action, Finding

_UNDER_LOUDEST = 1e-3
"""Of a file's loudest bin: what lies 60 dB under it is rest."""


def leftover(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """An island of sound after a long rest, beyond where all others ended."""
    rest_s = brief.threshold("content.leftover_rest_s")
    islands = {t.path: _last_island(t, rest_s) for t in song.assessed}
    ends = {t.path: _end_s(t, song, islands[t.path]) for t in song.assessed if t.is_heard}
    for track in song.assessed:
        island = islands[track.path]
        others = [end for path, end in ends.items() if path != track.path]
        if island is None or track.format is None or not others:
            continue
        rate = track.format.rate_hz
        begin, end = island
        late_s = (begin + song.placed_frames(track)) / rate - max(others)
        if late_s > 0:
            places = place_at(track, begin, end - begin)
            yield about("content.leftover", Action.NOTE, track, places=places, ms=late_s * 1000)


def _last_island(track: Track, rest_s: float) -> tuple[int, int] | None:
    """First frame and end of what sounds after the last long rest between sounds; None without such a rest."""
    if (known := track.heard) is None or not known[1].overview:
        return None
    level = known[1].overview[0]
    loudness = level.rms.max(axis=1).astype(np.float64)
    sounding = np.flatnonzero(loudness > _UNDER_LOUDEST * loudness.max(initial=0.0))
    rests = np.flatnonzero(np.diff(sounding) * level.bin_frames > rest_s * known[0].rate_hz)
    if not len(rests):
        return None
    first, last = int(sounding[rests[-1] + 1]), int(sounding[-1])
    return first * level.bin_frames, min((last + 1) * level.bin_frames, known[0].frames)


def _end_s(track: Track, song: SongSet, island: tuple[int, int] | None) -> float:
    """Where a file's sound ends in the song, what may be left over not counted."""
    if (known := track.measured) is None or (last := known[1].extent.last_sound_frame) is None:
        return 0.0
    if island is not None:
        level = known[1].overview[0]
        loudness = level.rms.max(axis=1).astype(np.float64)[: island[0] // level.bin_frames]
        sounding = np.flatnonzero(loudness > _UNDER_LOUDEST * loudness.max(initial=0.0))
        last = (int(sounding[-1]) + 1) * level.bin_frames if len(sounding) else 0
    return (last + song.placed_frames(track)) / known[0].rate_hz
