"""One job of a crew for each song: what comparing and matching have in common."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Generic, TypeVar

from deep_tally.work.crew import Crew, Failed, Progress, Report, Returned

K = TypeVar("K")
V = TypeVar("V")


class SongJobs(Generic[K, V]):
    """Songs whose results are known, awaited, or could not be had; what a result rests on is its key.

    Parameters
    ----------
    crew : Crew
    prefix : str
        Of the names of these jobs.
    """

    def __init__(self, crew: Crew, prefix: str) -> None:
        self._crew, self._prefix = crew, prefix
        self._keys: dict[str, K] = {}
        self._left: set[str] = set()
        self._failed: dict[str, Failed] = {}
        self._share = 0.0
        self._songs = 0
        self.found: dict[K, V] = {}

    def take(self, report: Report) -> bool:
        """Take in one report of the crew; whether it was about this."""
        if report.job not in self._left:
            return False
        if isinstance(report, Progress):
            self._share = report.done / report.total if report.total else 0.0
            return True
        # Files that could not be read (one vanished meanwhile) leave the findings that do not need this.
        song = report.job.removeprefix(self._prefix)
        if isinstance(report, Returned):
            self.found[self._keys[song]] = report.value
        else:
            self._failed[song] = report
        self._left.discard(report.job)
        self._share = 0.0
        return True

    def cancel(self) -> None:
        """Stop; what was found is kept."""
        self._crew.cancel()
        self._left.clear()

    @property
    def is_done(self) -> bool:
        """Whether nothing is left to do."""
        return not self._left

    @property
    def share(self) -> float:
        """How much is done, 0 to 1."""
        return (self._songs - len(self._left) + self._share) / self._songs if self._songs else 1.0

    @property
    def by_song(self) -> Mapping[str, V]:
        """What is known so far, by the songs' names in the intake."""
        return {song: self.found[key] for song, key in self._keys.items() if key in self.found}
