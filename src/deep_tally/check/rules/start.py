"""Do all files start together? Findings of the question "start"."""

from __future__ import annotations

import math
from collections.abc import Iterator

from deep_tally.check.build import about, is_most, place_at
from deep_tally.check.common import length_difference_s
from deep_tally.check.rules.placing import begins_at_sound, is_placed
from deep_tally.check.rules.stamps import action_on_stamp, is_placed_by_hand, offset_by_stamp
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action, EvidenceValue, Finding, Kind

_TRIMMED_WITHIN_S = 0.1


def _is_short(track: Track, song: SongSet, brief: Brief) -> bool:
    return length_difference_s(track, song.common) * 1000 < -brief.threshold("length.tolerance_ms")


def _ends_at_sound(track: Track) -> bool:
    """Whether the silence after the last sound was trimmed away."""
    if (known := track.measured) is None or (last := known[1].extent.last_sound_frame) is None:
        return False
    sound = known[0]
    return (sound.frames - 1 - last) / sound.rate_hz < _TRIMMED_WITHIN_S


def at_sound(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Shorter than the others and sounding from its first frame: exported from where its sound begins?

    What the user placed can be mended here; what was placed at the song's start is meant so.
    """
    short = [t for t in song.assessed if _is_short(t, song, brief)]
    for track in short:
        if not begins_at_sound(track, brief) or offset_by_stamp(song, track) is not None:
            continue
        places, lack_ms = place_at(track, 0), -length_difference_s(track, song.common) * 1000
        if is_placed_by_hand(song, track):
            if offset := song.placed_frames(track):
                bars = _bars(song, track, offset)
                bars |= _by(song, track)
                yield about(
                    "start.at-sound", Action.FIX, track, places=places, also=bars, ms=lack_ms, offset_frames=offset
                )
            continue
        if is_placed(track, song, brief):
            continue  # it is heard in step where it begins: it only ends early
        others_trimmed = any(t is not track and _ends_at_sound(t) and not begins_at_sound(t, brief) for t in short)
        kind: Kind = "question" if others_trimmed else "request"
        yield about("start.at-sound", Action.ASK, track, kind=kind, places=places, ms=lack_ms)


def offset(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The file belongs elsewhere than at its own start, as the user placed it or the rough mix has it."""
    for track in song.assessed:
        frames = song.placed_frames(track)
        is_placed = frames != 0 and is_placed_by_hand(song, track)
        is_at_sound = _is_short(track, song, brief) and begins_at_sound(track, brief)  # by start.at-sound
        if is_placed and not (is_at_sound and offset_by_stamp(song, track) is None) and track.format is not None:
            ms = frames / track.format.rate_hz * 1000
            also = _bars(song, track, frames) | _by(song, track)
            yield about("start.offset", Action.FIX, track, also=also, offset_frames=frames, ms=ms)


def _by(song: SongSet, track: Track) -> dict[str, EvidenceValue]:
    """Who says where a file belongs."""
    placement = song.placements.get(track.path)
    return {"by": placement.by} if placement is not None else {}


def _bars(song: SongSet, track: Track, frames: int) -> dict[str, EvidenceValue]:
    """A number of frames from the song's start on in bars, and the beats after the last whole one, by the tempo."""
    timeline = song.facts.timeline
    if timeline is None or track.format is None:
        return {}
    seconds = frames / track.format.rate_hz
    if seconds < 0:
        return {"bars": timeline.bars_at(seconds)}
    place = timeline.place_at(seconds)
    return {"bars": timeline.bars_at(seconds), "beats": place.beat - 1 + place.part}


def set_at_sound(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Most files begin at their sound and no length is common: was the whole set exported so?"""
    heard = [
        t for t in song.assessed if t.is_heard and offset_by_stamp(song, t) is None and not is_placed_by_hand(song, t)
    ]
    begin = [t for t in heard if begins_at_sound(t, brief)]
    if song.common.seconds is None and is_most(len(begin), len(heard)):
        yield about("start.set-at-sound", Action.ASK, begin, kind="question")


def stamp_differs(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Broadcast-wave time references differ: files are placed by them."""
    marked = song.stamped
    moved = [t for t in marked if offset_by_stamp(song, t)]
    if not moved:
        return
    for track in moved:
        offset, sound = offset_by_stamp(song, track), track.format
        if offset is None or sound is None or is_placed_by_hand(song, track):
            continue
        ms = offset / sound.rate_hz * 1000
        action = action_on_stamp(song, track, offset, brief)
        bars = _bars(song, track, offset)
        yield about("start.stamp-differs", action, track, kind="question", also=bars, offset_frames=offset, ms=ms)


def stamp_partial(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Some files carry a time reference, others none."""
    bare = [t for t in song.assessed if t.format is not None and t.format.time_reference is None]
    if song.stamped and bare:
        yield about("start.stamp-partial", Action.NOTE, bare, files=len(bare))


def cut_in(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The first frame is at signal level, though the file's other entries rise gently: the attack is cut off.

    Where it has no other entries, its first step is compared with those it takes afterwards, which is a question.
    """
    for track in song.assessed:
        if (known := track.heard) is None:
            continue
        extent = known[1].extent
        # A silent first frame is at minus infinity, and so is a silent first tenth of a second.
        share = 10 ** ((extent.head_dbfs - extent.head_peak_dbfs) / 20) if math.isfinite(extent.head_dbfs) else 0.0
        if share <= brief.threshold("start.cut_in_share") or extent.head_dbfs <= brief.threshold(
            "start.cut_in_floor_dbfs"
        ):
            continue
        places = place_at(track, 0)
        if extent.entry_rise_ms is not None:
            if extent.entry_rise_ms >= brief.threshold("start.entry_rise_ms"):
                yield about("start.cut-in", Action.ASK, track, places=places, dbfs=extent.head_dbfs)
        elif extent.head_jump_db is not None and extent.head_jump_db > brief.threshold("start.cut_in_jump_db"):
            yield about(
                "start.cut-in",
                Action.ASK,
                track,
                kind="question",
                confidence=0.8,
                places=places,
                dbfs=extent.head_dbfs,
                db=extent.head_jump_db,
            )


def codec_delay(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A lossy encoder put silence before the sound; where the stream says so, it is cut off here, not everywhere."""
    for track in song.assessed:
        if track.format is not None and track.format.codec_delay_frames:
            frames = track.format.codec_delay_frames
            ms = frames / track.format.rate_hz * 1000
            yield about("start.codec-delay", Action.ASK, track, places=place_at(track, 0), frames=frames, ms=ms)
