"""Is the level in the window the brief asks for? Findings of the question "headroom"."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from deep_tally.check._build import about, is_most, place_at
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action, Finding

_FEW_BITS = 16


def hot(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The peak is over the window by more than the tolerance."""
    upper = brief.peak_window_dbfs[1]
    action = Action.FIX if brief.levels == "headroom" else Action.NOTE
    for track in song.asked:
        if track.measures is None or track.measures.peak_frame is None:
            continue
        peak = track.measures.sample_peak_dbfs
        if peak > upper + brief.threshold("headroom.tolerance_db"):
            place = place_at(track, track.measures.peak_frame)
            yield about("headroom.hot", action, track, places=place, dbfs=peak, db=peak - upper)


def quiet(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The peak is under the window; with few bits that costs resolution."""
    lower = brief.peak_window_dbfs[0]
    for track in song.asked:
        if track.measures is None or track.format is None or not track.is_heard:
            continue
        peak = track.measures.sample_peak_dbfs
        if peak < lower:
            few = track.format.sample_format == "int" and (track.format.bits or 0) <= _FEW_BITS
            yield about("headroom.quiet", Action.ASK if few else Action.NOTE, track, dbfs=peak, db=lower - peak)


def normalised(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Most files share one peak, RMS or loudness: each was set to one level, and the balance is lost."""
    least = int(brief.threshold("headroom.normalised_files"))
    heard = [t for t in song.asked if t.is_heard]
    peaks = [(t.measures.sample_peak_dbfs, t) for t in heard if t.measures is not None]
    rms = [(t.measures.rms_dbfs, t) for t in heard if t.measures is not None]
    loudness = [
        (t.measures.loudness_lufs, t) for t in heard if t.measures is not None and t.measures.loudness_lufs is not None
    ]
    peak_db = brief.threshold("headroom.normalised_peak_db")
    level_db = brief.threshold("headroom.normalised_level_db")
    for by, levels, spread in (("peak", peaks, peak_db), ("rms", rms, level_db), ("loudness", loudness, level_db)):
        near = _nearest(levels, spread)
        if len(near) >= least and is_most(len(near), len(heard)):
            level = sum(value for value, _ in near) / len(near)
            yield about("headroom.normalised", Action.ASK, [t for _, t in near], dbfs=level, by=by, files=len(near))
            return


def _nearest(levels: Sequence[tuple[float, Track]], spread: float) -> list[tuple[float, Track]]:
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


def dc(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A constant offset."""
    least = 10 ** (brief.threshold("headroom.dc_dbfs") / 20)
    for track in song.asked:
        if track.measures is not None and track.is_heard:
            offset = max(track.measures.dc_offset, key=abs)
            if abs(offset) > least:
                yield about("headroom.dc", Action.FIX, track, share=offset)
