"""Compare the rough mix of every song with its files, with a crew, once those are compared with each other."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType

from deep_tally.compare.mix_job import MatchJob, looked_for, match_mix
from deep_tally.compare.run import lightened
from deep_tally.compare.song_jobs import SongJobs
from deep_tally.model.comparison import Comparison
from deep_tally.model.delivery import Track
from deep_tally.model.files import Incomplete, Intake, Role
from deep_tally.model.mix_match import MixMatch
from deep_tally.work.crew import Crew

Key = tuple[object, ...]
"""What a match rests on: the mix and the files that were looked for, as they were."""
_PREFIX = "matching "
_PEAK_BINS = 4096
_NO_COMPARISON = Comparison()


class Matching(SongJobs[Key, MixMatch]):
    """One run over the songs of a delivery that have a rough mix. The owner polls, as with `Measuring`.

    Parameters
    ----------
    intake : Intake
    songs : mapping of str to sequence of Track
        The files of each song (by its name in the intake), measured, each with the role it was found to have.
    comparisons : mapping of str to Comparison
        By song.
    crew : Crew
    job : callable
        Matches the mix of one song, in a worker.
    known : mapping of Key to MixMatch
        What was found already.
    """

    def __init__(
        self,
        intake: Intake,
        songs: Mapping[str, Sequence[Track]],
        comparisons: Mapping[str, Comparison],
        crew: Crew,
        *,
        job: MatchJob = match_mix,
        known: Mapping[Key, MixMatch] = MappingProxyType({}),
    ) -> None:
        super().__init__(crew, _PREFIX)
        self._mixes: dict[str, str] = {}
        self._looked_for: dict[str, tuple[str, ...]] = {}
        by_path = {e.path: e for e in intake.entries}
        for song, here in songs.items():
            entries = [by_path[t.path] for t in here]
            comparison = comparisons.get(song, _NO_COMPARISON)
            chosen, _ = looked_for(here, comparison)
            mix = mix_of(here, comparison)
            if mix is None or not chosen:
                continue
            identities = {e.path: e.identity for e in entries}
            key = (mix.path, identities[mix.path], tuple((t.path, identities[t.path]) for t in chosen))
            self._keys[song], self._mixes[song] = key, mix.path
            self._looked_for[song] = tuple(t.path for t in chosen)
            if key in known:
                self.found[key] = known[key]
                continue
            slim = [lightened(t, finely=False, peak_bins=_PEAK_BINS) for t in here if t.role.is_assessed]
            self._left.add(_PREFIX + song)
            crew.submit(_PREFIX + song, job, by_path[mix.path], entries, slim, comparison)
        self._songs = len(self._left)

    @property
    def at_work(self) -> str:
        """The file that is looked for now, as far as that is known; empty when none is."""
        if not self._left:
            return ""
        paths = self._looked_for[min(self._left).removeprefix(_PREFIX)]
        # Every file is looked for in turn, and then all once more.
        return paths[min(len(paths) - 1, int(self._share * 4 * len(paths)) % len(paths))]

    @property
    def incomplete(self) -> tuple[Incomplete, ...]:
        """The mixes that could not be matched here, and why."""
        return tuple(
            Incomplete(what="matching", files=(self._mixes[song],), problem=failed.problem, remedy=failed.remedy)
            for song, failed in self._failed.items()
        )


def mix_of(tracks: Sequence[Track], comparison: Comparison) -> Track | None:
    """The mix that the files are looked for in: the rough mix, of several the one that holds most of them."""
    mixes = [t for t in tracks if t.role is Role.ROUGH_MIX and t.is_heard]
    members = {m.path: len(m.members) - (m.copy_of is not None) for m in comparison.mixes}
    return max(mixes, key=lambda t: members.get(t.path, 0), default=None)
