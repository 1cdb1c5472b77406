"""Is there sound in it, whole and readable? Findings of the question "content"."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Hashable, Iterator, Sequence
from itertools import pairwise

from deep_tally.check._build import about, is_most, place_at, places_of
from deep_tally.check.edges_of_content import edge_of, is_clear, is_lossy_edge, sharing
from deep_tally.intake.endings import ENDINGS, SOUND_ENDINGS
from deep_tally.intake.words import VARIANT_WORDS, words_of
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding, Place
from deep_tally.model.measures import Gap

_CLICKS_FROM_S = 5.0
_REGULAR_LEAST, _REGULAR_WITHIN = 4, 0.02
_EXPORT_LEAST = 3
_WRITER_LABELS = ("Software", "Originator", "Coding history")


def false_ending(track: Track) -> str | None:
    """The ending of a file's name where it stands for another format than the file has."""
    if track.format is None or "." not in track.path:
        return None
    ending = track.path.rpartition(".")[2].casefold()
    fits = ENDINGS.get(track.format.container)
    return ending if fits and ending in SOUND_ENDINGS and ending not in fits else None


def damaged(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Cannot be read, or stops early; a note where the header or the name only contradicts what is there."""
    for track in song.tracks:
        sound = track.format
        clauses = [*(sound.contradictions if sound is not None else ())]
        if track.damage is not None:
            clauses.insert(0, track.damage.problem)
        elif sound is not None and sound.sample_format != "lossy" and (ending := false_ending(track)):
            clauses.append(f"it is {sound.container.upper()}, though its name ends in .{ending}")
        if not clauses:
            continue
        is_needed = track.role.is_asked or track.role is Role.ROUGH_MIX
        yield about(
            "content.damaged",
            Action.ASK if track.damage is not None and is_needed else Action.NOTE,
            track,
            places=place_at(track, max(0, sound.frames - 1)) if sound is not None and track.damage is not None else (),
            problem="; ".join(clauses),
            frames=sound.frames if sound is not None else None,
            claimed_frames=sound.claimed_frames if sound is not None else None,
        )


def _clicks(track: Track, brief: Brief) -> float | None:
    """How many milliseconds a file sounds in all, where that is no more than a few stray clicks; else None."""
    if track.measures is None or track.format is None or track.format.seconds < _CLICKS_FROM_S:
        return None
    density = track.measures.density
    ms = density.active_windows * density.window_frames / track.format.rate_hz * 1000
    return ms if ms <= brief.threshold("content.clicks_ms") else None


def empty(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """No sound at all, only noise at the floor, or no more than a few stray clicks."""
    for track in song.tracks:
        clicks = _clicks(track, brief) if track.is_heard else None
        if track.measures is None or (track.is_heard and clicks is None):
            continue
        asked = track.role.is_asked and track.role not in (Role.GROUP, Role.EFFECT_RETURN)
        level = track.measures.sample_peak_dbfs if clicks is not None else track.measures.rms_dbfs
        yield about(
            "content.empty",
            Action.ASK if asked else Action.NOTE,
            track,
            kind="question",
            dbfs=level if math.isfinite(level) else None,
            frames=track.format.frames if track.format else 0,
            clicks_ms=clicks,
        )


def nonfinite(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """NaN or infinite samples."""
    for track in song.asked:
        if track.measures is not None and track.measures.nonfinite.count():
            runs = track.measures.nonfinite
            yield about(
                "content.nonfinite",
                Action.ASK,
                track,
                places=places_of(track, runs.places),
                places_total=runs.count(),
                runs=runs.count(),
                longest_run=runs.longest.frames if runs.longest else None,
            )


def dropout(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Digital gaps inside sound: short single ones are damage, others may be meant; a gate's rests are no gaps."""
    shortest = brief.threshold("content.gap_ms")
    for track in song.asked:
        if track.measures is None or track.format is None or not track.measures.gaps.count:
            continue
        rate = track.format.rate_hz
        places: Sequence[Gap] = track.measures.gaps.places
        recurs = track.measures.gaps.count > brief.threshold("content.gaps_recurring") or _is_regular(places)
        if recurs:
            # Values held over and over are the steps of a square wave, long rests those of a gate.
            places = [gap for gap in places if gap.kind != "held"]
            if 2 * sum(_is_short(gap, rate, shortest) for gap in places) <= len(places):
                continue
        asked = not recurs and any(_is_short(gap, rate, shortest) for gap in places)
        shown = [gap for gap in places if _is_short(gap, rate, shortest)] if asked else places
        longest = max(shown, key=lambda gap: gap.frames)
        yield about(
            "content.dropout",
            Action.ASK if asked else Action.NOTE,
            track,
            confidence=0.9,
            places=[Place(path=track.path, frame=g.frame, frames=g.frames) for g in shown],
            runs=len(shown),
            longest_run=longest.frames,
            ms=longest.frames / rate * 1000,
            gap=longest.kind,
            dbfs=longest.before_dbfs,
            recurring=int(recurs),
        )


def _is_short(gap: Gap, rate_hz: int, shortest_ms: float) -> bool:
    return gap.kind == "repeated" or gap.frames / rate_hz * 1000 < shortest_ms


def _is_regular(gaps: Sequence[Gap]) -> bool:
    """Whether gaps come at one interval: that is a gate or a chopped part."""
    if len(gaps) < _REGULAR_LEAST:
        return False
    intervals = sorted(b.frame - a.frame for a, b in pairwise(gaps))
    middle = intervals[len(intervals) // 2]
    near = sum(abs(i - middle) < _REGULAR_WITHIN * middle for i in intervals)
    return 2 * near > len(intervals)


def hum(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Mains hum in the quiet passages."""
    for track in song.asked:
        if track.measures is not None and track.is_heard and (found := track.measures.hum) is not None:
            yield about("content.hum", Action.NOTE, track, hz=found.mains_hz, dbfs=found.dbfs)


def lossy_origin(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A lossless file whose content ends where lossy encoders end theirs."""
    for track in song.asked:
        edge = edge_of(track)
        if edge is None or not is_lossy_edge(edge):
            continue
        files = sharing(song, edge)
        clear = is_clear(edge, brief)
        yield about(
            "content.lossy-origin",
            Action.ASK,
            track,
            confidence=(0.95 if files > 1 else 0.85) if clear else 0.6,
            edge_hz=edge.edge_hz,
            db=edge.drop_db,
            files=files,
        )


def twin(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The same sound as another file: exact, scaled, inverted or shifted."""
    tracks = {t.path: t for t in song.asked}
    for found in song.comparison.twins:
        if found.path in tracks and found.other in tracks:
            rate = tracks[found.path].format
            yield about(
                "content.twin",
                Action.ASK,
                [tracks[found.other], tracks[found.path]],
                kind="question",
                confidence=0.99,
                partner=found.other,
                twin=found.kind,
                gain_db=found.gain_db,
                offset_frames=found.offset_frames,
                ms=found.offset_frames / rate.rate_hz * 1000 if rate is not None else 0.0,
                db=found.residual_db,
            )


def holds_another(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Another delivered file sits inside this one. Groups hold their parts by their nature, a wet part its dry one."""
    tracks = {t.path: t for t in song.asked}
    for found in song.comparison.held:
        outer, inner = tracks.get(found.path), tracks.get(found.held)
        if outer is None or inner is None or Role.GROUP in (outer.role, inner.role) or _is_one_part(outer, inner):
            continue
        if outer.role is Role.EFFECT_RETURN:
            continue
        yield about(
            "content.holds-another",
            Action.ASK,
            outer,
            kind="question",
            confidence=0.85,
            partner=found.held,
            gain_db=found.gain_db,
        )


def _is_one_part(one: Track, other: Track) -> bool:
    """Whether the words of one name, without those for a variant, are all among the other's."""
    words = [set(words_of(t.stem)) - VARIANT_WORDS for t in (one, other)]
    return bool(words[0] and words[1]) and (words[0] <= words[1] or words[1] <= words[0])


def sum_of(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A file that is the sum of others: a group, or the mix, beside its own parts."""
    tracks = {t.path: t for t in song.asked}
    for found in song.comparison.sums:
        if found.path in tracks:
            yield about(
                "content.sum-of",
                Action.NOTE,
                tracks[found.path],
                parts=tuple(path for path, _ in found.parts),
                db=found.residual_db,
                files=len(found.parts),
            )


def two_exports(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Two exports lie in one set: by time, writer, prefix and format, of which at least two divide it alike."""
    tracks = [t for t in song.asked if t.format is not None]
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
    """What tells one export from another, for every file."""
    yield "format", {t.path: _format_of(t) for t in tracks}
    yield "length", {t.path: t.format.frames if t.format is not None else 0 for t in tracks}
    yield (
        "writer",
        {t.path: tuple(text for label, text in t.format.said if label in _WRITER_LABELS) for t in tracks if t.format},
    )
    yield "prefix", {t.path: (words_of(t.stem) or [""])[0] for t in tracks}
    written = {t.path: s for t in tracks if (s := song.modified_s.get(t.path))}
    if len(written) == len(tracks):
        yield "time", _by_time(written, brief.threshold("content.exports_apart_h") * 3600)


def _format_of(track: Track) -> Hashable:
    sound = track.format
    return (sound.container, sound.rate_hz, sound.sample_format, sound.bits) if sound is not None else None


def _by_time(written: dict[str, float], apart_s: float) -> dict[str, Hashable]:
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


def lossy(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A lossy file format where lossless was needed; a note where the part came lossless too."""
    lossless = {t.stem.casefold() for t in song.asked if t.format and t.format.sample_format != "lossy"}
    for track in song.asked:
        if track.format is not None and track.format.sample_format == "lossy":
            action = Action.NOTE if track.stem.casefold() in lossless else Action.ASK
            ending = false_ending(track)
            yield about("content.lossy", action, track, container=track.format.container, ending=ending)


def no_rough_mix(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """No rough mix came, and the brief needs one."""
    if brief.needs.rough_mix and brief.scope != "mix" and not song.with_role(Role.ROUGH_MIX):
        yield about("content.no-rough-mix", Action.ASK, ())


def companion_missing(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """References, click, MIDI, notes or stamps that the brief needs did not come."""
    needs = brief.needs
    came = {
        "a reference": (needs.references, bool(song.with_role(Role.REFERENCE))),
        "a click": (needs.click, bool(song.with_role(Role.CLICK))),
        "the MIDI": (needs.midi, Role.MIDI in song.companions),
        "notes": (needs.documents, Role.DOCUMENT in song.companions),
        "time stamps in the files": (
            needs.stamps,
            all(t.format.time_reference is not None for t in song.asked if t.format is not None),
        ),
    }
    missing = tuple(name for name, (needed, there) in came.items() if needed and not there)
    if missing:
        yield about("content.companion-missing", Action.ASK, (), missing=missing)


def scope(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Groups came where every track was asked, or the reverse."""
    groups = [t for t in song.asked if t.role is Role.GROUP]
    tracks = [t for t in song.asked if t.role is Role.TRACKOUT]
    wrong = {"every-track": groups, "groups": tracks}.get(brief.scope, [])
    if is_most(len(wrong), len(song.asked)):
        yield about("content.scope", Action.ASK, wrong, files=len(wrong), scope=brief.scope)


def several_mixes(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """More than one candidate for the rough mix; two forms of one count as one."""
    mixes = song.with_role(Role.ROUGH_MIX)
    if len({t.stem.casefold() for t in mixes}) > 1:
        yield about("content.several-mixes", Action.ASK, mixes, kind="question", files=len(mixes))
