"""Is the level in the window the brief asks for? Findings of the question "headroom"."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import replace

from deep_tally.check.build import about, is_most, place_at
from deep_tally.check.rules.in_mix import mix_level_db
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action, Finding, Place

_DB_PER_BIT = 6.0206
_STRETCHES_LEAST = 20
_MAIN_OUTPUT_DBFS = -3.0
"""A limiter on a main output works just under full scale (common practice)."""
_CEILING_FILES = 3
_EXACT_DIGITS = 5
_PROTECTED_DBFS = -6.0


def _levels(track: Track, brief: Brief) -> list[tuple[str, float, tuple[float, float]]]:
    """What is asked of a file's level: (which, its value, the window)."""
    if track.measures is None or track.measures.peak_frame is None:
        return []
    asked = [("peak", track.measures.sample_peak_dbfs, brief.peak_window_dbfs)]
    if brief.rms_window_dbfs is not None:
        asked.append(("rms", track.measures.rms_dbfs, brief.rms_window_dbfs))
    return asked


def hot(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The peak, or the RMS where that is asked, is over its window by more than the tolerance."""
    action = Action.FIX if brief.levels == "headroom" else Action.NOTE
    tolerance = brief.threshold("headroom.tolerance_db")
    for track in song.assessed:
        over = [(v - w[1], by, v) for by, v, w in _levels(track, brief) if v > w[1] + tolerance]
        if over and track.measures is not None and track.measures.peak_frame is not None:
            excess, by, value = max(over)
            place = place_at(track, track.measures.peak_frame)
            yield about("headroom.hot", action, track, places=place, dbfs=value, db=excess, by=by)


def quiet(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The peak, or the RMS where that is asked, is under its window; with few bits in use that costs resolution."""
    for track in song.assessed:
        if (known := track.heard) is None:
            continue
        sound, measures = known
        under = [(w[0] - v, by, v) for by, v, w in _levels(track, brief) if v < w[0]]
        if not under:
            continue
        lack, by, value = max(under)
        bits = None
        if sound.sample_format == "int" and measures.bits_in_use is not None:
            bits = round(measures.bits_in_use + measures.sample_peak_dbfs / _DB_PER_BIT, 1)
        is_poor = bits is not None and bits < brief.threshold("depth.quiet_bits")
        floor = max(measures.extent.lead_floor_dbfs, measures.extent.tail_floor_dbfs)
        yield about(
            "headroom.quiet",
            Action.ASK if is_poor else Action.NOTE,
            track,
            dbfs=value,
            db=lack,
            by=by,
            bits=bits,
            floor_dbfs=floor,
        )


def normalised(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Most files share one peak, RMS or loudness: each was set to one level, and the balance is lost."""
    least = int(brief.threshold("headroom.normalised_files"))
    heard = [t for t in song.assessed if t.is_heard]
    measured = [(t, known[1]) for t in heard if (known := t.measured) is not None]
    peaks = [(m.sample_peak_dbfs, t) for t, m in measured]
    rms = [(m.rms_dbfs, t) for t, m in measured]
    loudness = [(m.loudness_lufs, t) for t, m in measured if m.loudness_lufs is not None]
    peak_db = brief.threshold("headroom.normalised_peak_db")
    level_db = brief.threshold("headroom.normalised_level_db")
    for by, levels, spread in (("peak", peaks, peak_db), ("rms", rms, level_db), ("loudness", loudness, level_db)):
        near = nearest(levels, spread)
        if len(near) >= least and is_most(len(near), len(heard)):
            tracks = [t for _, t in near]
            level = sum(value for value, _ in near) / len(near)
            in_mix = [mix_level_db(song, track) for track in tracks]
            action = Action.ASK if None in in_mix else Action.FIX
            found = about("headroom.normalised", action, tracks, dbfs=level, by=by, files=len(near))
            if action is Action.FIX:  # the rough mix shows how loud each of them belongs
                own = {t.path: {**found.evidence, "mix_db": db} for t, db in zip(tracks, in_mix, strict=True)}
                found = replace(found, by_file=own)
            yield found
            return


def nearest(levels: Sequence[tuple[float, Track]], spread: float) -> list[tuple[float, Track]]:
    """The largest group of files whose levels lie within `spread` of each other."""
    ordered = sorted(levels, key=lambda pair: pair[0])
    best: list[tuple[float, Track]] = []
    first = 0
    for last, (value, _) in enumerate(ordered):
        while value - ordered[first][0] > spread:
            first += 1
        if last - first + 1 > len(best):
            best = ordered[first : last + 1]
    return best


def same_peak(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Two or more files, not most, peak at exactly one value, without flat tops: a protection moved just these.

    Far under full scale no protection works: there, one-shots of one sample library peak alike.
    """
    twins = song.comparison.twin_paths()
    groups: defaultdict[float, list[Track]] = defaultdict(list)
    for track in song.assessed:
        if (known := track.heard) is None:
            continue
        sound, measures = known
        if sound.sample_format != "lossy" and not measures.flat_tops.runs.count():
            groups[round(measures.sample_peak_dbfs, _EXACT_DIGITS)].append(track)
    for peak, tracks in sorted(groups.items(), reverse=True):
        if peak < _PROTECTED_DBFS:
            continue
        alike = [t for t in tracks if not any(frozenset((t.path, o.path)) in twins for o in tracks)]
        if len(alike) >= 2 and not is_most(len(alike), len(song.assessed)):
            yield about("headroom.same-peak", Action.NOTE, alike, dbfs=peak, files=len(alike))


def _is_limited(track: Track, brief: Brief) -> bool:
    """Whether crest factor and density say that something limited the level."""
    if track.measures is None or track.measures.density.crest_db is None:
        return False
    density = track.measures.density
    share, crest = density.near_peak_share, density.crest_db or 0.0
    # A steady synth, organ or sub holds its RMS as well as its peak; a limiter holds the peak of what moves.
    if density.sounding < _STRETCHES_LEAST or density.near_peak_step_db < brief.threshold("headroom.held_step_db"):
        return False
    dense = share > brief.threshold("headroom.held_share_dense") and crest < brief.threshold("headroom.held_crest_db")
    return share > brief.threshold("headroom.held_share") or dense


def shared_ceiling(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Three or more files are limited to one ceiling just under full scale: a limiter on the main output is in each."""
    ceilings = [
        (t.measures.sample_peak_dbfs, t)
        for t in song.assessed
        if t.measures is not None and _is_limited(t, brief) and t.measures.sample_peak_dbfs > _MAIN_OUTPUT_DBFS
    ]
    near = nearest(ceilings, brief.threshold("headroom.shared_peak_db"))
    if len(near) >= _CEILING_FILES:
        ceiling = sum(value for value, _ in near) / len(near)
        yield about("headroom.shared-ceiling", Action.ASK, [t for _, t in near], dbfs=ceiling, files=len(near))


def limited(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The level sits close under the peak: a limiter did that. Steady synths look the same, so this is only a note."""
    for track in song.assessed:
        if track.measures is not None and _is_limited(track, brief):
            density = track.measures.density
            yield about("headroom.limited", Action.NOTE, track, share=density.near_peak_share, db=density.crest_db)


def dc(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A constant offset, or a zero line that steps from one value to another."""
    least = 10 ** (brief.threshold("headroom.dc_dbfs") / 20)
    for track in song.assessed:
        if (known := track.heard) is None:
            continue
        measures = known[1]
        step = measures.dc_offset_step
        offsets = zip(measures.dc_offset, measures.dc_offset_steady, strict=True)
        offset = max((o for o, steady in offsets if steady), key=abs, default=0.0)
        if step is not None:
            place = Place(path=track.path, frame=step.frame, frames=1, channel=step.channel)
            yield about("headroom.dc", Action.FIX, track, places=(place,), share=step.after, share_before=step.before)
        elif abs(offset) > least:
            yield about("headroom.dc", Action.FIX, track, share=offset)
