"""Where in the song does a file belong, and what shows it? Without any of that, a short file may belong anywhere."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Sequence
from itertools import pairwise

from deep_tally.check.build import about
from deep_tally.check.rules.in_mix import placed_by_mix
from deep_tally.check.rules.stamps import is_placed_by_hand
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action, Finding

_CLIPS_LEAST = 2
_NUMBERED = re.compile(r"[\s_.\-#(]*(?:clip|region|segment|seg|take|part|pt)?[\s_.\-#(]*\d{1,4}\)?$", re.I)


def begins_at_sound(track: Track, brief: Brief) -> bool:
    """Whether the file sounds within the first 10 ms (the brief's threshold)."""
    if (known := track.measured) is None:
        return False
    sound, measures = known
    first = measures.extent.first_sound_frame
    return first is not None and first / sound.rate_hz * 1000 <= brief.threshold("start.at_sound_ms")


def _bar_s(song: SongSet) -> float | None:
    timeline = song.facts.timeline
    return timeline.seconds_of_bar(1) if timeline is not None else None


def is_clearly_short(track: Track, song: SongSet, brief: Brief) -> bool:
    """Whether a file ends a bar before the song does, or two seconds where no tempo is known or bars are longer."""
    shortest = brief.threshold("start.unplaced_s")
    lack_s = song.end_s - (track.format.seconds if track.format is not None else 0.0)
    return track.is_heard and lack_s > min(shortest, _bar_s(song) or shortest)


def shows_its_start(track: Track, song: SongSet, brief: Brief) -> bool:
    """Whether anything shows that the file starts where the song does, or where else it belongs.

    That is a stamp, the user's word, a mix, group or longer copy that holds it in step, or a rest before its first
    sound that no clip has: two bars and four seconds (measured: docs/measures.md).
    """
    return is_placed(track, song, brief) or _leads_in(track, song, brief)


def is_placed(track: Track, song: SongSet, brief: Brief) -> bool:
    """Whether a stamp, the user or another file's sound says where it belongs."""
    if is_placed_by_hand(song, track) or placed_by_mix(song, track) is not None:
        return True
    if track.format is not None and track.format.time_reference is not None and len(song.stamped) > 1:
        return True
    holders = (song.by_path[path] for path in song.held_by.get(track.path, ()) if path in song.by_path)
    return any(not is_clearly_short(holder, song, brief) for holder in holders)


def _leads_in(track: Track, song: SongSet, brief: Brief) -> bool:
    if (known := track.measured) is None or (first := known[1].extent.first_sound_frame) is None:
        return False
    least_s = max(brief.threshold("start.lead_s"), 2 * (_bar_s(song) or 0.0))
    return first / known[0].rate_hz >= least_s


def is_unplaced(track: Track, song: SongSet, brief: Brief) -> bool:
    """Whether nothing says where in the song a short file belongs."""
    wants_places = brief.length.equal and not brief.length.trimmed_ends and not brief.length.whole_bars
    if not wants_places or begins_at_sound(track, brief):
        return False  # what begins at its sound was not exported from the song's start: start.at-sound says so
    return is_clearly_short(track, song, brief) and not shows_its_start(track, song, brief)


def unplaced(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Short files that could belong anywhere: one question for all of them."""
    lost = [t for t in song.assessed if is_unplaced(t, song, brief)]
    if lost:
        yield about("start.unplaced", Action.ASK, lost, kind="question", files=len(lost))


def clips(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Several numbered short files of one part, or of one name with several stamps: one part in pieces."""
    groups: defaultdict[str, list[Track]] = defaultdict(list)
    for track in song.assessed:
        bare = _NUMBERED.sub("", track.stem).casefold()
        if bare and bare != track.stem.casefold() and is_clearly_short(track, song, brief):
            groups[f"{track.path.rpartition('/')[0]}/{bare}"].append(track)
    for tracks in groups.values():
        if len(tracks) >= _CLIPS_LEAST and all(_is_clip(t, song, brief) for t in tracks):
            part = _NUMBERED.sub("", tracks[0].stem)
            yield about("content.clips", Action.NOTE, tracks, part=part, files=len(tracks), overlaps=_overlaps(tracks))


def _is_clip(track: Track, song: SongSet, brief: Brief) -> bool:
    stamped_or_lost = _stamp_s(track) is not None or is_unplaced(track, song, brief)
    return stamped_or_lost or (begins_at_sound(track, brief) and not is_placed(track, song, brief))


def _stamp_s(track: Track) -> float | None:
    sound = track.format
    return sound.time_reference / sound.rate_hz if sound is not None and sound.time_reference is not None else None


def _overlaps(tracks: Sequence[Track]) -> int:
    """How many clips begin, by their stamps, before the one before them has ended."""
    spans = sorted((s, s + t.format.seconds) for t in tracks if (s := _stamp_s(t)) is not None and t.format is not None)
    return sum(later[0] < earlier[1] for earlier, later in pairwise(spans))
