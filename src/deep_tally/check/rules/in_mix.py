"""What the rough mix says of the files: places, levels, who is in it, and what nobody sent."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from statistics import median

from deep_tally.check.build import about, is_most
from deep_tally.check.rules.dropouts import damaging_gaps
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action, Finding
from deep_tally.model.mix_match import MatchedFile, MixMatch, Unaccounted

_TOLERATED = 2  # frames: a coded mix shows no place better than that
_PLACED_T = 12.0
"""Files that are not in a mix reach 3.1, those that are in it 12 and more (measured: docs/mix-match.md)."""
_LEVEL_SLACK_DB = 0.3  # through a bus, levels are that sure
_LEVEL_ERROR_DB, _TIGHT_DB, _TIGHT_SHARE, _LEVELS_LEAST = 0.7, 1.0, 2 / 3, 4
_AROUND_S, _COVERED = 1.0, 0.5
_LOST_AFTER_S = 8.0
_RATES_HZ = (44_100, 48_000, 88_200, 96_000, 176_400, 192_000)
_RATE_SLACK = 1e-4
_WIDE_DB, _CENTRED_DB, _CENTRED_SHARE = -12.0, 1.0, 0.8


def placed_by_mix(song: SongSet, track: Track) -> int | None:
    """Frames of the file by which it belongs later than it was sent, as the rough mix says surely; else None."""
    match, found, sound = song.mix_match, song.in_mix.get(track.path), track.format
    if match is None or found is None or sound is None or not _is_sure(found):
        return None
    frames = round(found.start_frames * sound.rate_hz / match.rate_hz)
    return frames if abs(frames) > _TOLERATED else 0


def is_confirmed_by_mix(song: SongSet, track: Track, frames: int) -> bool:
    """Whether a place that something else says is one of those where the rough mix has a file, as of a loop."""
    match, found, sound = song.mix_match, song.in_mix.get(track.path), track.format
    if match is None or found is None or sound is None or found.presence != "in" or abs(found.t) < _PLACED_T:
        return False
    starts = (round(s * sound.rate_hz / match.rate_hz) for s in (found.start_frames, *found.other_starts))
    return any(abs(start - frames) <= _TOLERATED for start in starts)


def mix_placement(song: SongSet, track: Track) -> int | None:
    """Frames of the rough mix by which it begins later than the song (negative: earlier); None for any other file."""
    match, sound = song.mix_match, track.format
    if match is None or sound is None or track.path != match.mix or match.verdict == "unrelated":
        return None
    return -round(match.offset_frames * sound.rate_hz / match.rate_hz)


def _is_sure(found: MatchedFile) -> bool:
    return found.presence == "in" and found.is_sure and abs(found.t) >= _PLACED_T and found.speed == 1


def mix_level_db(song: SongSet, track: Track) -> float | None:
    """How loud the rough mix has a file, dB, where that is known; else None."""
    found = song.in_mix.get(track.path)
    if judged(song) is None or found is None or found.presence != "in" or found.error_db > _LEVEL_ERROR_DB:
        return None
    return found.level_db


def judged(song: SongSet) -> MixMatch | None:
    """What the mix says, where levels and what is missing can be relied on."""
    return song.mix_match if song.mix_match is not None and song.mix_match.can_judge else None


def level_moved(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Most files have one level in the mix, as faders leave it, and this one another: it was moved since."""
    if judged(song) is None:
        return
    least_db = brief.threshold("content.level_moved_db")
    for tracks in (_of_kind(song, mono=True), _of_kind(song, mono=False)):
        levels = {t.path: song.in_mix[t.path].level_db for t in tracks}
        if len(levels) < _LEVELS_LEAST:
            continue
        usual = median(levels.values())
        tight = sum(abs(level - usual) <= _TIGHT_DB for level in levels.values())
        if tight < _TIGHT_SHARE * len(levels):
            continue  # every file was normalised, or stands at a fader of its own
        for track in tracks:
            moved = levels[track.path] - usual
            if abs(moved) > least_db - _LEVEL_SLACK_DB:
                yield about("content.level-moved", Action.NOTE, track, db=moved)


def _of_kind(song: SongSet, *, mono: bool) -> list[Track]:
    """The files whose levels are sure and compare: mono files, which a pan pot halves, or stereo ones."""
    found = []
    mixed_up = {path for c in song.comparison.contained for path in (c.path, c.inner)}
    for track in song.assessed:
        here = song.in_mix.get(track.path)
        if (
            here is None
            or track.path in mixed_up
            or track.format is None
            or _is_clipped(track)
            or here.presence != "in"
            or here.error_db > _LEVEL_ERROR_DB
        ):
            continue
        is_mono = _is_mono(track)
        is_two_sided = is_mono or here.left_db > here.right_db - 20 > here.left_db - 40
        if is_mono is mono and is_two_sided:
            found.append(track)
    return found


def _is_clipped(track: Track) -> bool:
    """Whether tops are missing: then its level is another one anyway."""
    known = track.measures
    return known is not None and bool(known.clip_runs.count() or known.flat_tops.runs.count())


def _is_mono(track: Track) -> bool:
    """Whether both sides are the same, as a pan pot takes it, in however many channels that was sent."""
    sides = track.measures.sides if track.measures is not None else None
    is_one_channel = track.format is not None and track.format.channels == 1
    return is_one_channel or (sides is not None and sides.greatest_difference == 0)


def wrong_speed(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A file that is in the mix at another speed: its header names another rate, or it drifts."""
    for track in song.assessed:
        found, sound = song.in_mix.get(track.path), track.format
        if found is None or sound is None or found.presence != "in" or found.speed == 1:
            continue
        others_hz = (r for r in _RATES_HZ if r != sound.rate_hz)
        meant_hz = next((r for r in others_hz if abs(sound.rate_hz * found.speed / r - 1) < _RATE_SLACK), None)
        late_ms = (found.speed - 1) * sound.seconds * 1000
        also = {"meant_rate": meant_hz} if meant_hz is not None else {}
        yield about("rate.wrong-speed", Action.ASK, track, rate=sound.rate_hz, late_ms=late_ms, also=also)


def not_in_mix(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A file without a trace in a mix that the others account for; of a group, its members are in it."""
    if judged(song) is None:
        return
    groups = {s.path for s in song.comparison.sums}
    for track in song.assessed:
        found = song.in_mix.get(track.path)
        if found is not None and found.presence == "absent" and track.is_heard and track.path not in groups:
            other = in_mix_instead(song, track.path)
            also = {"partner": other} if other is not None else {}
            yield about("content.not-in-mix", Action.NOTE, track, also=also)


def in_mix_instead(song: SongSet, path: str) -> str | None:
    """The wet part that holds a dry one, or the dry one that is in a wet part, when that is the one in the mix."""
    for one in song.comparison.contained:
        for mine, other in ((one.inner, one.path), (one.path, one.inner)):
            found = song.in_mix.get(other)
            if mine == path and found is not None and found.presence == "in":
                return other
    return None


def unaccounted(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Stretches of the mix that no file gives, and that nothing that is wrong with a file explains.

    Where the client has announced something that is still to come, it may be that, and is not asked about.
    """
    match = judged(song)
    if match is None or _is_left_out(song, match):
        return
    lost, end_s = list(_lost(song, brief)), _set_end_s(song)
    spans = [s for s in _on_files(match) if s.stop_s <= end_s + _AROUND_S and not _explained(s, lost)]
    if spans:
        longest = max(spans, key=lambda s: s.stop_s - s.start_s)
        yield about(
            "content.unaccounted",
            Action.NOTE if song.awaited else Action.ASK,
            (),
            kind="question",
            spans=len(spans),
            start_s=longest.start_s,
            stop_s=longest.stop_s,
            low_hz=longest.low_hz,
            high_hz=longest.high_hz,
            under_mix_db=longest.under_mix_db,
            seconds=sum(s.stop_s - s.start_s for s in spans),
            mix=match.mix,
        )


def _is_left_out(song: SongSet, match: MixMatch) -> bool:
    """Whether files with a sound of their own were not looked for."""
    twice = {t.path for t in song.comparison.twins} | {s.path for s in song.comparison.sums}
    heard = {t.path for t in song.assessed if t.is_heard}
    unread = any(t.measures is None and t.role.is_assessed for t in song.tracks)
    return unread or bool((set(match.left_out) & heard) - twice)


def _on_files(match: MixMatch) -> list[Unaccounted]:
    """The spans, on the time axis of the files."""
    late_s = match.offset_frames / match.rate_hz
    return [
        Unaccounted(
            start_s=s.start_s - late_s,
            stop_s=s.stop_s - late_s,
            low_hz=s.low_hz,
            high_hz=s.high_hz,
            under_mix_db=s.under_mix_db,
        )
        for s in match.spans
        if s.stop_s > late_s
    ]


def _explained(span: Unaccounted, lost: Sequence[tuple[float, float]]) -> bool:
    """Whether what files lost covers most of a stretch."""
    covered, reached = 0.0, span.start_s
    for start, stop in sorted(lost):
        start, stop = max(start, reached), min(stop, span.stop_s)
        if stop > start:
            covered, reached = covered + stop - start, stop
    return covered > _COVERED * (span.stop_s - span.start_s)


def _lost(song: SongSet, brief: Brief) -> Iterator[tuple[float, float]]:
    """When files lost sound that they had, seconds: gaps, clipping, beginnings and ends that are cut."""
    for track in song.assessed:
        if (known := track.measured) is None:
            continue
        sound, measures = known
        start_s = (placed_by_mix(song, track) or song.placed_frames(track)) / sound.rate_hz
        for gap in damaging_gaps(track, brief):
            at = start_s + gap.frame / sound.rate_hz
            yield at - _AROUND_S, at + gap.frames / sound.rate_hz + _AROUND_S
        first, last = measures.extent.first_sound_frame, measures.extent.last_sound_frame
        if first is not None and first / sound.rate_hz < 0.05:
            yield start_s - _LOST_AFTER_S, start_s + _AROUND_S
        if last is not None and (sound.frames - last) / sound.rate_hz < 0.05:
            yield start_s + sound.seconds - _AROUND_S, start_s + sound.seconds + _LOST_AFTER_S


def _set_end_s(song: SongSet) -> float:
    """Where the last file ends."""
    ends = [(song.placed_frames(t) + t.format.frames) / t.format.rate_hz for t in song.assessed if t.format is not None]
    return max(ends, default=0.0)


def _last_sound_s(track: Track) -> float | None:
    known = track.measured
    last = known[1].extent.last_sound_frame if known is not None else None
    return last / known[0].rate_hz if known is not None and last is not None else None


def set_short_of_mix(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The mix sounds on after the last file ends."""
    match = judged(song)
    mix = song.by_path.get(match.mix) if match is not None else None
    mix_end = _last_sound_s(mix) if mix is not None else None
    if match is None or mix_end is None:
        return
    over_s = mix_end - match.offset_frames / match.rate_hz - _set_end_s(song)
    if over_s > brief.threshold("length.short_of_mix_s"):
        yield about("length.set-short-of-mix", Action.ASK, (), ms=over_s * 1000, mix=match.mix)


def set_past_mix(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Files sound on after the mix has ended."""
    match = judged(song)
    mix = song.by_path.get(match.mix) if match is not None else None
    if match is None or mix is None or mix.format is None:
        return
    end_s = mix.format.seconds - match.offset_frames / match.rate_hz
    late = []
    for track in song.assessed:
        last = _last_sound_s(track)
        start_s = song.placed_frames(track) / track.format.rate_hz if track.format is not None else 0.0
        if (
            last is not None
            and track.format is not None
            and start_s + last > end_s + brief.threshold("length.short_of_mix_s")
        ):
            late.append(track)
    if late:
        yield about("length.set-past-mix", Action.NOTE, late, count=len(late), mix=match.mix)


def all_mono(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Every file is mono, though the mix has what mono parts and pan pots do not make."""
    match = song.mix_match
    mix = song.by_path.get(match.mix) if match is not None else None
    if match is None or mix is None or mix.measures is None or mix.measures.sides is None:
        return
    heard = [t for t in song.assessed if t.is_heard and t.format is not None]
    is_mono = all(t.format is not None and t.format.channels == 1 for t in heard)
    inside = [f for f in match.files if f.presence == "in"]
    centred = [f for f in inside if abs(f.left_db - f.right_db) < _CENTRED_DB]
    width_db = mix.measures.sides.side_to_mid_db
    is_wide = width_db is not None and width_db > _WIDE_DB
    if is_wide and is_mono and is_most(len(centred), len(inside)) and len(centred) >= _CENTRED_SHARE * len(inside):
        yield about("channels.all-mono", Action.ASK, (), kind="question", count=len(heard), mix=mix.path)
