"""Compare the files of every song with each other in a crew, once all are measured."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType

from deep_tally.compare.job import compare_song, compared
from deep_tally.compare.song_jobs import SongJobs
from deep_tally.model.comparison import Comparison
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, Incomplete, Intake
from deep_tally.model.measures import FlatTops, Gaps, OverviewLevel, Runs
from deep_tally.work.crew import Crew
from deep_tally.work.isolated import OnProgress

CompareJob = Callable[[OnProgress, Sequence[Entry], Sequence[Track]], Comparison]
Key = tuple[tuple[object, ...], ...]
"""What a comparison rests on: the files that took part, as they were."""

_PREFIX = "comparing "
_BINS_MOST = 4096
_PEAK_BINS, _PEAK_BINS_OF_MANY, _MANY = 16_384, 4096, 100
# One of each for all files: what goes through a pipe is written once.
_NO_RUNS, _NO_TOPS, _NO_GAPS = Runs(), FlatTops(), Gaps()


class Comparing(SongJobs[Key, Comparison]):
    """One run over the songs of a delivery. The owner polls, as with `Measuring`.

    Parameters
    ----------
    intake : Intake
    tracks : sequence of Track
        Its measured files.
    crew : Crew
    job : callable
        Compares the files of one song, in a worker.
    known : mapping of Key to Comparison
        Sets of files that were compared already.
    """

    def __init__(
        self,
        intake: Intake,
        tracks: Sequence[Track],
        crew: Crew,
        *,
        job: CompareJob = compare_song,
        known: Mapping[Key, Comparison] = MappingProxyType({}),
    ) -> None:
        super().__init__(crew, _PREFIX)
        self._sounds: dict[str, tuple[str, ...]] = {}
        by_path = {t.path: t for t in tracks}
        for song in intake.songs:
            here = [t for e in intake.entries if e.song == song and (t := by_path.get(e.path)) is not None]
            taking_part = {t.path for t in compared(here)}
            entries = [e for e in intake.entries if e.path in taking_part]
            if len(entries) < 2:
                continue
            midi = [e for e in intake.entries if e.song == song and e.midi is not None and e.midi.note_quarters]
            bins = _PEAK_BINS_OF_MANY if len(entries) > _MANY else _PEAK_BINS
            slim = [lightened(by_path[e.path], finely=bool(midi), peak_bins=bins) for e in entries]
            self._sounds[song] = tuple(e.path for e in entries)
            entries += midi
            key = tuple((e.path, e.identity) for e in entries)
            self._keys[song] = key
            # What holds among many holds among some of them: leaving files out seldom asks for anything new.
            paths = {e.path for e in entries}
            among = (c.among(paths) for larger, c in known.items() if set(key) <= set(larger))
            earlier = known[key] if key in known else next((c for c in among if c is not None), None)
            if earlier is not None:
                self.found[key] = earlier
            else:
                self._left.add(_PREFIX + song)
                crew.submit(_PREFIX + song, job, entries, slim)
        self._songs = len(self._left)

    @property
    def is_whole(self) -> bool:
        """Whether every song was compared; not so when that was cancelled, or failed."""
        return self.is_done and len(self.by_song) == len(self._keys)

    @property
    def incomplete(self) -> tuple[Incomplete, ...]:
        """The songs whose files could not be compared here, and why; not those whose comparison was cancelled."""
        return tuple(
            Incomplete(
                what="comparing",
                files=self._sounds[song],
                problem=failed.problem,
                remedy=failed.remedy,
            )
            for song, failed in self._failed.items()
        )


def lightened(track: Track, *, finely: bool, peak_bins: int) -> Track:
    """The track with no more than comparing needs, of all channels together: it goes through a pipe, at one go.

    The first level of its overview is that of its RMS, the finest where notes are looked for; the last is that of its
    peaks.
    """
    if track.measures is None:
        return track
    levels = [lv for lv in track.measures.overview if finely or len(lv.low) <= _BINS_MOST]
    levels = levels or list(track.measures.overview[-1:])
    overview = []
    for level in levels[:1]:
        rms = level.rms.max(axis=1, keepdims=True)
        overview.append(replace(level, low=rms, high=rms, rms=rms))
    peaks = next((lv for lv in track.measures.overview if len(lv.low) <= peak_bins), track.measures.overview[-1:])
    for level in (peaks,) if isinstance(peaks, OverviewLevel) else peaks:
        low, high = level.low.min(axis=1, keepdims=True), level.high.max(axis=1, keepdims=True)
        overview.append(replace(level, low=low, high=high, rms=high[:0]))
    slim = replace(
        track.measures,
        overview=tuple(overview),
        clip_runs=_NO_RUNS,
        overs=_NO_RUNS,
        nonfinite=_NO_RUNS,
        flat_tops=_NO_TOPS,
        gaps=_NO_GAPS,
        sides=None,
        hum=None,
        worst_clip=None,
        worst_flat_top=None,
        spectrum=None,
    )
    return replace(track, measures=slim)
