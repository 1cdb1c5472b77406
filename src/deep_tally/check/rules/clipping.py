"""Are the tops of the waveform intact? Findings of the question "clipping"."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence

import numpy as np

from deep_tally.check.build import about, places_of
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.files import SoundFormat
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import Ceiling, FlatTops, Measures, Run, Runs

_CLEAR_RUNS = 10  # one to nine short runs may have been clipped at the source on purpose
_FULL_SCALE_DBFS = -0.01
_SOUNDING_S = 0.05
_NEAR_MOST, _CLOSE_SHARE = 1.5, 0.2
_TOUCHING_SHARE, _CORNER_MOST, _CYCLES_LEAST, _WAVEFORM_TIME = 0.05, 1.7, 0.6, 0.25
_MOMENT_S = 0.1
_AT_ONCE_LEAST = 3
_ALONE = (None, None)


def _runs_of(track: Track, brief: Brief) -> tuple[Run, ...]:
    """Where a file goes over or is flat."""
    m = track.measures
    if m is None:
        return ()
    return (
        *m.clip_runs.places_of(int(brief.threshold("clipping.baked.run"))),
        *m.overs.places,
        *(m.flat_tops.runs.places or cuts_of(m.ceiling).places),
    )


def cuts_of(ceiling: Ceiling | None) -> Runs:
    """Where a wave was cut off at its extreme; empty where it was not (measured: docs/measures.md)."""
    is_cut = ceiling is not None and (_is_cut_straight(ceiling) or _is_cut_noise(ceiling))
    return ceiling.runs if ceiling is not None and is_cut else Runs()


def _is_cut_straight(ceiling: Ceiling) -> bool:
    """Many samples at it, few near it, neighbours, a corner: a limiter's stand alone, a soft one is round."""
    return (
        _NEAR_MOST * ceiling.samples > ceiling.near
        and ceiling.touching > _TOUCHING_SHARE * ceiling.samples
        and ceiling.corner is not None
        and ceiling.corner < _CORNER_MOST
    )


def _is_cut_noise(ceiling: Ceiling) -> bool:
    """Hardly any neighbours, as in a cymbal, but many within a third of a millisecond, where a limiter still holds."""
    return (
        _NEAR_MOST * ceiling.samples > ceiling.near
        and ceiling.touching <= _TOUCHING_SHARE * ceiling.samples
        and ceiling.close > _CLOSE_SHARE * ceiling.samples
        and ceiling.cycle_share < _CYCLES_LEAST
    )


def _is_soft(corner: float | None) -> bool:
    """Whether a wave bends over towards its tops, as a soft clipper makes it."""
    return corner is not None and corner >= _CORNER_MOST


def _is_waveform(track: Track, ceiling: Ceiling) -> bool:
    """Whether the ceiling is the wave itself, as a square's: nearly every cycle stands at it, and for long."""
    is_in_cycles = ceiling.cycle_share >= _CYCLES_LEAST
    return is_in_cycles and _time_share(track, 2 * ceiling.touching) > _WAVEFORM_TIME


def _under_full_scale(sound: SoundFormat, ceiling: Ceiling) -> bool:
    """Whether a ceiling is one that something was clipped at before the file was written."""
    return sound.sample_format == "float" or ceiling.dbfs <= _FULL_SCALE_DBFS


def files_at_once(song: SongSet, brief: Brief) -> Mapping[str, tuple[int, int]]:
    """For each file, the passage it shares with most others: how many are over or flat then, and its frame there.

    A passage is a tenth of a second of the song, wherever it begins; of those with as many files the first one counts.
    """
    places = sorted(
        ((run.frame + song.placed_frames(track)) / track.format.rate_hz, track.path, run.frame)
        for track in song.assessed
        if track.format is not None
        for run in _runs_of(track, brief)
    )
    if not places:
        return {}
    times = np.array([time for time, _, _ in places])
    stops = np.searchsorted(times, times + _MOMENT_S)
    counts = _files_in([path for _, path, _ in places], stops.tolist())
    # The passages that hold a place are those that begin at it or up to a tenth of a second before it.
    here = np.arange(len(times))
    firsts = np.searchsorted(times, times - _MOMENT_S, side="right")
    most = np.maximum.reduceat(np.append(counts, 0), np.column_stack([firsts, here + 1]).ravel())[::2]
    shared: dict[str, tuple[int, int]] = {}
    for index in np.argsort(-most, kind="stable").tolist():
        if most[index] < _AT_ONCE_LEAST:
            break
        _, path, frame = places[index]
        shared.setdefault(path, (int(most[index]), frame))
    return shared


def _files_in(paths: Sequence[str], stops: Sequence[int]) -> list[int]:
    """How many files the places from each one on, up to its stop, belong to."""
    inside: Counter[str] = Counter()
    counts = []
    end = 0
    for start, stop in enumerate(stops):
        inside.update(paths[end:stop])
        end = stop
        counts.append(len(inside))
        inside[paths[start]] -= 1
        if not inside[paths[start]]:
            del inside[paths[start]]
    return counts


def _time_share(track: Track, samples: int) -> float:
    """The share of a file's sounding time that so many samples of its channels are."""
    if (known := track.measured) is None:
        return 0.0
    sound, measures = known
    sounding = measures.density.sounding * _SOUNDING_S * sound.rate_hz * sound.channels
    return min(1.0, samples / sounding) if sounding else 0.0


def baked(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Runs at full scale in a fixed-point file: gone for good. A wave that is flat most of the time is a square."""
    least = int(brief.threshold("clipping.baked.run"))
    at_once = files_at_once(song, brief)
    for track in song.assessed:
        if (known := track.measured) is None:
            continue
        sound, measures = known
        runs = measures.clip_runs
        count = runs.count(least)
        ceiling, shortest = measures.ceiling, least
        if not count and ceiling is not None and not _under_full_scale(sound, ceiling):
            runs, shortest = cuts_of(ceiling), 1  # a step or two under full scale, or noise
            count = runs.count()
        if count and runs.longest is not None:
            samples = runs.samples(shortest)
            share = _time_share(track, samples)
            together, moment = at_once.get(track.path, _ALONE)
            is_square = share > brief.threshold("clipping.square_share")
            # A fuzz clips every cycle, and may be meant to.
            is_fuzz = ceiling is not None and ceiling.cycle_share >= _CYCLES_LEAST
            yield about(
                "clipping.baked",
                Action.NOTE if is_square or _bends_over(measures) else Action.ASK,
                track,
                kind="question" if is_fuzz else "request",
                confidence=0.99 if count >= _CLEAR_RUNS else 0.85,
                places=places_of(track, runs.places_of(shortest)),
                places_total=count,
                runs=count,
                longest_run=runs.longest.frames,
                longest_at=runs.longest.frame,
                ms=samples / sound.channels / sound.rate_hz * 1000,
                share=share,
                at_once=together,
                at_once_frame=moment,
            )


def earlier(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Flat tops below full scale, or in a float file: clipped, then turned down or converted.

    Silent where nearly every sounding moment holds some: then the flat tops are the waveform itself.
    """
    at_once = files_at_once(song, brief)
    measured = [(t, *known) for t in song.assessed if (known := t.measured) is not None]
    found = [(t, sound, tops) for t, sound, m in measured if (tops := _tops_of(t, sound, m, brief)) is not None]
    for track, sound, tops in found:
        count = tops.runs.count()
        clear = count >= _CLEAR_RUNS or len(found) >= _AT_ONCE_LEAST
        together, moment = at_once.get(track.path, _ALONE)
        yield about(
            "clipping.earlier",
            Action.ASK,
            track,
            kind="question",
            confidence=0.9 if clear else 0.7,
            places=places_of(track, tops.runs.places),
            places_total=count,
            runs=count,
            longest_run=tops.runs.longest.frames if tops.runs.longest else 0,
            longest_at=tops.runs.longest.frame if tops.runs.longest else 0,
            dbfs=tops.dbfs,
            ms=tops.runs.samples() / sound.channels / sound.rate_hz * 1000,
            at_once=together,
            at_once_frame=moment,
        )


def _tops_of(track: Track, sound: SoundFormat, measures: Measures, brief: Brief) -> FlatTops | None:
    """The flat tops a file is asked about: at one exact value, or nearly level where something came after."""
    ceiling = measures.ceiling
    cuts = cuts_of(ceiling)
    if ceiling is not None and cuts.count() and _under_full_scale(sound, ceiling) and measures.has_sound:
        if _is_waveform(track, ceiling) or sound.sample_format == "lossy":
            return None
        tops = measures.flat_tops
        return tops if tops.runs.count() else FlatTops(runs=cuts, dbfs=ceiling.dbfs)
    return measures.flat_tops if _has_flat_tops(sound, measures, brief) else None


def _bends_over(measures: Measures) -> bool:
    """Whether a soft clipper made the ceiling; under dither the flat tops show a corner that the ceiling does not."""
    ceiling, tops = measures.ceiling, measures.flat_tops
    return ceiling is not None and _is_soft(ceiling.corner) and (tops.corner is None or _is_soft(tops.corner))


def _has_flat_tops(sound: SoundFormat, measures: Measures, brief: Brief) -> bool:
    tops = measures.flat_tops
    if tops.runs.count() < brief.threshold("clipping.earlier.tops") or not measures.has_sound:
        return False
    if sound.sample_format == "int" and tops.dbfs > _FULL_SCALE_DBFS:
        return False  # at full scale they are clipping.baked
    if _is_soft(tops.corner):
        return False
    return tops.share < brief.threshold("clipping.waveform_share")


def over(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Float samples beyond full scale: turn the file down, and the others by as much, and nothing is lost."""
    at_once = files_at_once(song, brief)
    found = [
        (t, *known)
        for t in song.assessed
        if (known := t.measured) is not None and known[0].sample_format == "float" and known[1].overs.count()
    ]
    most = max((m.sample_peak_dbfs for _, _, m in found), default=0.0)
    for track, sound, measures in found:
        together, moment = at_once.get(track.path, _ALONE)
        yield about(
            "clipping.over",
            Action.FIX,
            track,
            places=places_of(track, measures.overs.places),
            places_total=measures.overs.count(),
            runs=measures.overs.count(),
            dbfs=measures.sample_peak_dbfs,
            db=measures.sample_peak_dbfs,
            set_db=most,
            flat_tops=measures.flat_tops.runs.count() if _has_flat_tops(sound, measures, brief) else 0,
            at_once=together,
            at_once_frame=moment,
        )


def between_samples(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The waveform between the samples passes full scale, the samples do not."""
    for track in song.assessed:
        measures = track.measures
        if measures is not None and measures.true_peak_dbtp > 0 >= measures.sample_peak_dbfs:
            yield about("clipping.between-samples", Action.NOTE, track, db=measures.true_peak_dbtp)
