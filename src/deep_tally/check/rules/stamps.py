"""Broadcast-wave time references (EBU Tech 3285): where do they put a file?"""

from __future__ import annotations

from collections.abc import Mapping

from deep_tally.check.common import length_difference_s
from deep_tally.check.rules.in_mix import is_confirmed_by_mix, mix_placement, placed_by_mix
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action
from deep_tally.model.placement import Placement


def offset_by_stamp(song: SongSet, track: Track) -> int | None:
    """Frames (at the track's rate) by which its stamp puts it behind the set's earliest one.

    None when the track has no stamp or all stamps are the same: then they say nothing.
    """
    if track.format is None or track.format.time_reference is None:
        return None
    seconds = {
        t.path: t.format.time_reference / t.format.rate_hz
        for t in song.stamped
        if t.format is not None and t.format.time_reference is not None
    }
    if track.path not in seconds or len(set(seconds.values())) < 2:
        return None
    return round((seconds[track.path] - min(seconds.values())) * track.format.rate_hz)


def action_on_stamp(song: SongSet, track: Track, offset: int, brief: Brief) -> Action:
    """What a stamp that differs is good for: to place the file, or not.

    Where the rough mix has the file at the very place, the stamp is right: it tells a loop's places apart.
    Lengths that are equal make it an old stamp that was kept (a note); a stamp that puts the file's end behind the
    common end contradicts the lengths (ask).
    """
    if song.common.seconds is None or track.format is None or is_confirmed_by_mix(song, track, offset):
        return Action.FIX
    if not any(length_difference_s(t, song.common) for t in song.stamped):
        return Action.NOTE
    tolerance_s = brief.threshold("length.tolerance_ms") / 1000
    late = (offset + track.format.frames) / track.format.rate_hz > song.common.seconds + tolerance_s
    return Action.ASK if late else Action.FIX


def placements_of(song: SongSet, set_by_user: Mapping[str, int], brief: Brief) -> dict[str, Placement]:
    """Where files belong: as the user put them, else as their stamps say where these can be trusted."""
    placed = {}
    for track in song.tracks:
        offset = offset_by_stamp(song, track) if track.role.is_assessed else None
        if track.path in set_by_user:
            placed[track.path] = Placement(frames=set_by_user[track.path], by="hand")
        elif track.role.is_assessed and (by_mix := placed_by_mix(song, track)):
            placed[track.path] = Placement(frames=by_mix, by="mix")
        elif late := mix_placement(song, track):
            placed[track.path] = Placement(frames=late, by="mix")
        elif offset and action_on_stamp(song, track, offset, brief) is Action.FIX:
            placed[track.path] = Placement(frames=offset, by="stamp")
    return placed


def is_placed_by_hand(song: SongSet, track: Track) -> bool:
    """Whether the user said where the file belongs, or the rough mix shows that it is not where the file begins."""
    placement = song.placements.get(track.path)
    return placement is not None and placement.by in ("hand", "mix")
