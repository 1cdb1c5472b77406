"""Measure all files of a delivery with a crew: what is done, what is at work, how far it all is."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from types import MappingProxyType

from deep_tally.measure.job import measure_entry, unchecked_track
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, Intake
from deep_tally.work.crew import Crew, Progress, Report, Returned
from deep_tally.work.isolated import OnProgress

Job = Callable[[OnProgress, Entry], Track]

_BINS_IN_ALL = 6_000_000
"""Bins of overviews that a delivery may hold in memory (12 bytes each for stereo): 125 files keep their finest level,
more files each a coarser one, and samples are read on demand below that."""


class Measuring:
    """One run over a delivery. The owner polls; cancelling keeps what was measured.

    `tracks` always has every audio file: one that is not measured yet is not done (`Track.is_done`).

    Parameters
    ----------
    intake : Intake
    crew : Crew
        Its workers do the job, the largest files first: then no long one is left for the end.
    job : callable
        Measures one entry, in a worker.
    known : mapping of path to Track
        Files that are measured already and need not be again.
    """

    def __init__(
        self,
        intake: Intake,
        crew: Crew,
        *,
        job: Job = measure_entry,
        known: Mapping[str, Track] = MappingProxyType({}),
    ) -> None:
        self._crew = crew
        self._entries = {entry.path: entry for entry in intake.sounds}
        self._tracks = {
            path: replace(known[path], role=e.role, basis=e.basis) if path in known else Track.of(e)
            for path, e in self._entries.items()
        }
        self._left = {path for path in self._entries if path not in known}
        self.shares: dict[str, float] = {}
        self._bytes = sum(max(1, self._entries[path].bytes) for path in self._left)
        self._done_bytes = 0
        for path in sorted(self._left, key=lambda p: -self._entries[p].bytes):
            crew.submit(path, job, self._entries[path])

    def is_about(self, report: Report) -> bool:
        """Whether a report is about a file that is still to be measured."""
        return report.job in self._left

    def take(self, report: Report) -> Track | None:
        """Take in one report of the crew; the track it completes, if any. Other jobs' reports are left alone."""
        if report.job not in self._left:
            return None
        entry = self._entries[report.job]
        if isinstance(report, Progress):
            self.shares[report.job] = report.done / report.total if report.total else 0.0
            return None
        track = report.value if isinstance(report, Returned) else unchecked_track(entry, report.problem, report.remedy)
        track = self._lightened(track)
        self._finish(entry, track)
        return track

    def poll(self, timeout_s: float = 0.0) -> list[Track]:
        """The tracks completed since the last call, waiting for at most `timeout_s`."""
        return [track for report in self._crew.poll(timeout_s) if (track := self.take(report)) is not None]

    def cancel(self) -> None:
        """Stop; what was measured is kept, the rest stays unmeasured."""
        self._crew.cancel()
        self._left.clear()
        self.shares.clear()

    @property
    def is_done(self) -> bool:
        """Whether nothing is left to measure."""
        return not self._left

    @property
    def counts(self) -> tuple[int, int]:
        """(files done, files in all)."""
        return len(self._entries) - len(self._left), len(self._entries)

    @property
    def share(self) -> float:
        """How much of all bytes is done, 0 to 1."""
        at_work = sum(share * max(1, self._entries[path].bytes) for path, share in self.shares.items())
        return min(1.0, (self._done_bytes + at_work) / self._bytes) if self._bytes else 1.0

    @property
    def at_work(self) -> str | None:
        """The path of the file that has been at work for longest, or is next; None when all is done."""
        return next(iter(self.shares), None) or next((path for path in self._entries if path in self._left), None)

    @property
    def by_path(self) -> Mapping[str, Track]:
        """All audio files by their paths."""
        return MappingProxyType(self._tracks)

    @property
    def tracks(self) -> tuple[Track, ...]:
        """All audio files in the delivery's order."""
        return tuple(self._tracks.values())

    def _lightened(self, track: Track) -> Track:
        """The track with an overview no finer than this delivery's number of files allows."""
        most = _BINS_IN_ALL // len(self._entries)
        if track.measures is None or not track.measures.overview or len(track.measures.overview[0].low) <= most:
            return track
        levels = tuple(level for level in track.measures.overview if len(level.low) <= most)
        return replace(track, measures=replace(track.measures, overview=levels or track.measures.overview[-1:]))

    def _finish(self, entry: Entry, track: Track) -> None:
        self._tracks[entry.path] = track
        self._left.discard(entry.path)
        self.shares.pop(entry.path, None)
        self._done_bytes += max(1, entry.bytes)
