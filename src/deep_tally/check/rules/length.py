"""Are all files equally long, and does their sound get to its end? Findings of the question "length"."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise

from deep_tally.check.build import about, is_most, place_at
from deep_tally.check.common import length_difference_s
from deep_tally.check.rules.placing import begins_at_sound, is_unplaced
from deep_tally.check.rules.stamps import is_placed_by_hand, offset_by_stamp
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action, EvidenceValue, Finding
from deep_tally.model.measures import SoundExtent

_WITHIN_FRAMES = 1.001
_LOOPS_LEAST, _LOOPS_SHARE = 3, 0.25
_FALLS_LEAST, _HARD_SHARE = 2, 0.35
_STOPS_LEAST, _SOFT_FALLS_MOST = 2, 3
_FALL_WINDOWS = 5  # five windows of 5 ms span a fall of 20 ms


def ends_while_sounding(track: Track, brief: Brief) -> bool:
    """Whether the last 5 ms are sound that is not dying away, in a file whose earlier notes do not end like that.

    What comes down to digital zero, however fast, was faded on purpose.
    """
    return _sounds_at_its_end(track, brief) and not _fades_to_zero(track)


def _fades_to_zero(track: Track) -> bool:
    return track.measures is not None and track.measures.extent.fades_to_zero


def _sounds_at_its_end(track: Track, brief: Brief) -> bool:
    if (known := track.heard) is None:
        return False
    extent = known[1].extent
    levels = extent.tail_levels_dbfs
    last = levels[-1]
    if last <= brief.threshold("length.tail_cut_dbfs"):
        return False
    if last <= extent.tail_floor_dbfs + brief.threshold("length.tail_over_floor_db"):
        return False
    if _ends_hard_by_nature(extent):
        return False
    fall = levels[-_FALL_WINDOWS:]
    falls_throughout = all(a > b for a, b in pairwise(fall))
    return not (falls_throughout and fall[0] - last >= brief.threshold("length.fade_fall_db"))


def _ends_hard_by_nature(extent: SoundExtent) -> bool:
    """Whether the file is chopped, gated or programmed, so that its notes end as it does."""
    if extent.falls >= _FALLS_LEAST and extent.hard_falls > _HARD_SHARE * extent.falls:
        return True
    # Cymbals whose every stroke falls softly and stops dead far below are another matter.
    return extent.stops >= _STOPS_LEAST and (extent.hard_falls > 0 or extent.falls <= _SOFT_FALLS_MOST)


def is_set_cut(song: SongSet, brief: Brief) -> bool:
    """Whether most files of the set end while sounding."""
    heard = [t for t in song.assessed if t.is_heard]
    return is_most(sum(ends_while_sounding(t, brief) for t in heard), len(heard))


def bars_of(song: SongSet) -> float | None:
    """The common length in bars at the known tempo; None when either is unknown."""
    timeline = song.facts.timeline
    return timeline.bars_at(song.common.seconds) if timeline is not None and song.common.seconds is not None else None


def is_whole_bars(song: SongSet) -> bool:
    """Whether the common length is a whole number of bars, within one frame."""
    if song.common.seconds is None or not song.common.rate_hz:
        return False
    return frames_off_the_bar(song, song.common.seconds, song.common.rate_hz) == 0


def frames_off_the_bar(song: SongSet, seconds: float, rate_hz: int) -> int | None:
    """By how many frames an end lies after (or before) the nearest bar line; 0 within one. None without a tempo."""
    timeline = song.facts.timeline
    if timeline is None:
        return None
    off = (seconds - max(timeline.nearest_bar_s(seconds), timeline.seconds_of_bar(1))) * rate_hz
    return 0 if abs(off) <= _WITHIN_FRAMES else round(off)


def _lack_s(track: Track, song: SongSet) -> float:
    """How long before the common end a file ends, placed by its stamp if it has one; negative: it runs past it."""
    offset = song.placed_frames(track) if is_placed_by_hand(song, track) else offset_by_stamp(song, track)
    shift = offset / track.format.rate_hz if offset and track.format else 0.0
    return -(length_difference_s(track, song.common) + shift)


def short(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Ends before the common end; pads here when the sound has died away."""
    if not brief.length.equal or brief.length.trimmed_ends:
        return
    tolerance_ms = brief.threshold("length.tolerance_ms")
    slightly = []
    alike: defaultdict[tuple[int, bool], list[Track]] = defaultdict(list)
    for track in song.assessed:
        if is_unplaced(track, song, brief):
            continue  # nothing says that it begins with the song
        lack_ms = _lack_s(track, song) * 1000
        if 0 < lack_ms <= tolerance_ms:
            slightly.append(track)
        elif lack_ms > tolerance_ms:
            # What ends at one moment was exported to one end: it is reported once.
            at_sound = begins_at_sound(track, brief) and not is_placed_by_hand(song, track)
            key = (round(lack_ms), ends_while_sounding(track, brief))
            alike[key if not at_sound else (-len(alike) - 1, key[1])].append(track)
    for (_, cut), tracks in alike.items():
        lack_ms = max(_lack_s(t, song) for t in tracks) * 1000
        rate = tracks[0].format.rate_hz if tracks[0].format is not None else 1
        ends = [p for t in tracks if t.format is not None for p in place_at(t, max(0, t.format.frames - 1))]
        yield about(
            "length.short",
            Action.ASK if cut else Action.FIX,
            tracks,
            places=ends,
            ms=lack_ms,
            frames=round(lack_ms / 1000 * rate),
            also=_bars_before_the_end(song, lack_ms / 1000),
        )
    if slightly:
        yield about("length.short", Action.NOTE, slightly, ms=max(_lack_s(t, song) for t in slightly) * 1000)


def long(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Runs past the common end."""
    tolerance_ms = brief.threshold("length.tolerance_ms")
    for track in song.assessed:
        excess_ms = -_lack_s(track, song) * 1000
        stands_there = is_placed_by_hand(song, track) or not offset_by_stamp(song, track)
        if track.format is not None and excess_ms > tolerance_ms and brief.length.equal and stands_there:
            frames = round(excess_ms / 1000 * track.format.rate_hz)
            yield about("length.long", Action.FIX, track, ms=excess_ms, frames=frames)


def tail_cut(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Ends while sounding.

    A note where the set is whole bars and several files are loops cut there, and where a fade was made at the end,
    though it is too short for what sounds.
    """
    if is_set_cut(song, brief):
        return
    heard = [t for t in song.assessed if t.is_heard]
    cut = sum(ends_while_sounding(t, brief) for t in heard)
    are_loops = cut >= _LOOPS_LEAST and cut >= _LOOPS_SHARE * len(heard)
    on_purpose = is_whole_bars(song) and (brief.length.whole_bars or are_loops)
    for track in song.assessed:
        if _sounds_at_its_end(track, brief) and (known := track.measured) is not None:
            sound, measures = known
            yield about(
                "length.tail-cut",
                Action.NOTE if on_purpose or _fades_to_zero(track) else Action.ASK,
                track,
                places=place_at(track, sound.frames - 1),
                dbfs=measures.extent.tail_levels_dbfs[-1],
                also={"faded": 1} if _fades_to_zero(track) else {},
            )


def set_cut(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Most files end while sounding: the whole export stops too early."""
    if is_set_cut(song, brief):
        cut = [t for t in song.assessed if ends_while_sounding(t, brief)]
        on_purpose = brief.length.whole_bars or is_whole_bars(song)
        ends = [p for t in cut if t.format is not None for p in place_at(t, t.format.frames - 1)]
        yield about("length.set-cut", Action.NOTE if on_purpose else Action.ASK, cut, places=ends, files=len(cut))


def ends_differ(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """No common length, but every sound has died away: silent ends were trimmed."""
    heard = [t for t in song.assessed if t.is_heard and t.format is not None]
    if len(heard) < 2 or song.common.seconds is not None or brief.length.trimmed_ends:
        return
    if any(ends_while_sounding(t, brief) for t in heard) or is_most(
        sum(begins_at_sound(t, brief) for t in heard), len(heard)
    ):
        return
    heard = [t for t in heard if not is_unplaced(t, song, brief)]
    lengths = [t.format.seconds for t in heard if t.format is not None]
    if len(heard) > 1:
        yield about("length.ends-differ", Action.FIX, heard, ms=(max(lengths) - min(lengths)) * 1000)


def tail_room(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Less time between the last sound and the end than the brief asks."""
    wanted = brief.length.tail_seconds
    if wanted is None:
        return
    for track in song.assessed:
        if (known := track.measured) is None or (last := known[1].extent.last_sound_frame) is None:
            continue
        sound = known[0]
        room = (sound.frames - 1 - last) / sound.rate_hz
        if room < wanted and not ends_while_sounding(track, brief):
            yield about("length.tail-room", Action.ASK, track, ms=room * 1000)


def not_bars(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The common length is not a whole number of bars at the known tempo."""
    bars, timeline = bars_of(song), song.facts.timeline
    if not brief.length.whole_bars:
        return  # songs end where they end
    if bars is not None and timeline is not None and not is_whole_bars(song) and song.common.seconds is not None:
        rate = song.common.rate_hz or 0
        off = frames_off_the_bar(song, song.common.seconds, rate) if rate else None
        ms = timeline.off_the_bar_s(song.common.seconds) * 1000
        yield about("length.not-bars", Action.ASK, song.assessed, also=_counted_in(song), bars=bars, ms=ms, frames=off)


def loop_not_bars(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Where whole bars are asked: files of another than the common length that are no whole bars themselves."""
    timeline = song.facts.timeline
    if not brief.length.whole_bars or timeline is None:
        return
    found: dict[str, dict[str, EvidenceValue]] = {}
    tracks = []
    for track in song.assessed:
        sound = track.format
        if sound is None or not sound.frames or _is_common(track, song):
            continue
        # Placed elsewhere, it is counted from the bar that it begins in.
        start = song.placed_frames(track) / sound.rate_hz
        off = frames_off_the_bar(song, start + sound.seconds, sound.rate_hz)
        if off:
            bars = timeline.bars_at(start + sound.seconds) - timeline.bars_at(start)
            found[track.path] = {"bars": bars, "frames": off, "ms": off / sound.rate_hz * 1000, **_counted_in(song)}
            tracks.append(track)
    if tracks:
        evidence = found[tracks[0].path] if len(tracks) == 1 else {"files": len(tracks)}
        yield replace(about("length.loop-not-bars", Action.ASK, tracks, also=evidence), by_file=found)


def _is_common(track: Track, song: SongSet) -> bool:
    return song.common.seconds is not None and not length_difference_s(track, song.common)


def _counted_in(song: SongSet) -> dict[str, EvidenceValue]:
    """By what bars were counted: the meter, the tempo and where it was taken from."""
    timeline, facts = song.facts.timeline, song.facts
    if timeline is None:
        return {}
    meter = timeline.meters[0]
    return {
        "meter": f"{meter.beats}/{meter.unit}",
        "tempo_bpm": round(timeline.bpm, 3),
        "tempo_from": facts.tempo_from,
        "changes": len(timeline.tempos) + len(timeline.meters) - 2,
    }


def _bars_before_the_end(song: SongSet, lack_s: float) -> dict[str, EvidenceValue]:
    """How many bars a lack is, counted back from the common end."""
    timeline, end_s = song.facts.timeline, song.common.seconds
    if timeline is None or end_s is None:
        return {}
    return {"bars": timeline.bars_at(end_s) - timeline.bars_at(end_s - lack_s)}


def idle_tail(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Much silence after the set's last sound, wherever its files belong."""
    ends = [
        (t.measures.extent.last_sound_frame + 1 + song.placed_frames(t)) / t.format.rate_hz
        for t in song.assessed
        if t.measures is not None and t.format is not None and t.measures.extent.last_sound_frame is not None
    ]
    if ends and song.common.seconds is not None:
        idle = song.common.seconds - max(ends)
        if idle > brief.threshold("length.idle_tail_s"):
            yield about("length.idle-tail", Action.NOTE, song.assessed, ms=idle * 1000)
