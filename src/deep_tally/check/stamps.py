"""Broadcast-wave time references (EBU Tech 3285): where do they put a file?"""

from __future__ import annotations

from deep_tally.model.delivery import SongSet, Track


def stamped(song: SongSet) -> tuple[Track, ...]:
    """The asked tracks that carry a time reference."""
    return tuple(t for t in song.asked if t.format is not None and t.format.time_reference is not None)


def offset_by_stamp(song: SongSet, track: Track) -> int | None:
    """Frames (at the track's rate) by which its stamp puts it behind the set's earliest one.

    None when the track has no stamp or all stamps are the same: then they say nothing.
    """
    if track.format is None or track.format.time_reference is None:
        return None
    seconds = {
        t.path: t.format.time_reference / t.format.rate_hz
        for t in stamped(song)
        if t.format is not None and t.format.time_reference is not None
    }
    if track.path not in seconds or len(set(seconds.values())) < 2:
        return None
    return round((seconds[track.path] - min(seconds.values())) * track.format.rate_hz)
