"""Are the tops of the waveform intact? Findings of the question "clipping"."""

from __future__ import annotations

from collections.abc import Iterator

from deep_tally.check._build import about, places_of
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet
from deep_tally.model.findings import Action, Finding

_CLEAR_RUNS = 10  # one to nine short runs may have been clipped at the source on purpose


def baked(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Runs at full scale in a fixed-point file: gone for good."""
    least = int(brief.threshold("clipping.baked.run"))
    for track in song.asked:
        if track.measures is None or track.format is None:
            continue
        runs = track.measures.clip_runs
        count = runs.count(least)
        if count and runs.longest is not None:
            channels = track.format.channels
            yield about(
                "clipping.baked",
                Action.ASK,
                track,
                confidence=0.99 if count >= _CLEAR_RUNS else 0.85,
                places=places_of(track, runs.places_of(least)),
                places_total=count,
                runs=count,
                longest_run=runs.longest.frames,
                longest_at=runs.longest.frame,
                ms=runs.samples(least) / channels / track.format.rate_hz * 1000,
            )


def over(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Float samples beyond full scale: turn the file down and nothing is lost."""
    for track in song.asked:
        if track.measures is None or track.format is None or track.format.sample_format != "float":
            continue
        overs = track.measures.overs
        if overs.count():
            yield about(
                "clipping.over",
                Action.FIX,
                track,
                places=places_of(track, overs.places),
                places_total=overs.count(),
                runs=overs.count(),
                dbfs=track.measures.sample_peak_dbfs,
                db=track.measures.sample_peak_dbfs,
            )


def between_samples(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The waveform between the samples passes full scale, the samples do not."""
    for track in song.asked:
        measures = track.measures
        if measures is not None and measures.true_peak_dbtp > 0 >= measures.sample_peak_dbfs:
            yield about("clipping.between-samples", Action.NOTE, track, db=measures.true_peak_dbtp)
