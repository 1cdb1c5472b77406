"""Two rounds of a delivery: which files stand for which, and, where only some came again, both judged as one."""

from __future__ import annotations

import filecmp
from collections.abc import Mapping
from contextlib import ExitStack
from dataclasses import replace
from pathlib import Path

from deep_tally.check.round_files import successors
from deep_tally.check.rounds import compare_rounds, is_partial
from deep_tally.compare.sample_changes import sample_changes
from deep_tally.engine.check_run import CheckRun
from deep_tally.engine.opening import Opened
from deep_tally.intake.reading import open_plain
from deep_tally.intake.sound import SoundReader
from deep_tally.model.corrections import Corrections
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.files import Entry, Intake
from deep_tally.model.rounds import RoundFile, Rounds, SampleChanges


class RoundsOf:
    """Two runs that are done, first and second round.

    Parameters
    ----------
    first, second : CheckRun
        Assessed, and not closed.
    partial : bool or None
        Whether what was not sent again is kept from the first round; None decides by how much was.

    Raises
    ------
    ValueError
        A run is not assessed yet.
    """

    def __init__(self, first: CheckRun, second: CheckRun, *, partial: bool | None = None) -> None:
        if first.delivery is None or second.delivery is None:
            raise ValueError("a round is not assessed yet")
        self._first, self._second = first, second
        self._before, self._after = first.delivery, second.delivery
        self.successors: Mapping[str, str] = successors(
            self._before.tracks, self._after.tracks, first.contents, second.contents
        )
        self.is_partial = is_partial(self._before, self.successors) if partial is None else partial
        self.same = self._same()
        """Paths of the second round that are bit-identical to their predecessors."""

    def _same(self) -> frozenset[str]:
        """Those whose fingerprints are the same are read whole: fingerprints look at three places of a file only."""
        then, now = self._first.contents, self._second.contents
        before, after = _sources(self._first), _sources(self._second)
        alike = [(p, was) for p, was in self.successors.items() if p in now and now[p] == then.get(was)]
        return frozenset(p for p, was in alike if _is_same(before[was], after[p]))

    def merged(self) -> Opened:
        """The files of the second round and those of the first that were not sent again, as one delivery."""
        before, now = _intake(self._first), _intake(self._second)
        gone = set(self.successors.values())
        there = {e.path for e in now.entries}
        kept = [e for e in before.entries if e.path not in gone and e.path not in there]
        songs = {e.path: e.song for e in before.entries}
        entries = [*kept, *(self._in_song(entry, songs) for entry in now.entries)]
        files = {e.path: e for e in entries}
        contents = {p: c for run in (self._first, self._second) for p, c in run.contents.items() if p in files}
        found = Intake(
            source=now.source,
            name=before.name,
            entries=tuple(sorted(entries, key=lambda e: e.path)),
            archives=(*before.archives, *now.archives),
            folders=(*before.folders, *now.folders),
            troubles=now.troubles,
            incomplete=now.incomplete,
        )
        return Opened(found=found, files=contents, corrections=self._corrections())

    def _in_song(self, entry: Entry, songs: Mapping[str, str]) -> Entry:
        """In the song of the file it stands for; one of several songs keeps what its own round says."""
        was = self.successors.get(entry.path)
        every = {song for song in songs.values() if song}
        song = songs.get(was, "") if was is not None else next(iter(every)) if len(every) == 1 else entry.song
        return replace(entry, song=song or entry.song)

    def _corrections(self) -> Corrections:
        """What the user said of the first round, at the paths where its files are now: not where they lie in time."""
        said = self._first.corrections
        now: dict[str, str] = {}
        for path, was in self.successors.items():
            now.setdefault(was, path)
        return replace(
            said,
            roles={now.get(p, p): role for p, role in said.roles.items()},
            songs={now.get(p, p): song for p, song in said.songs.items()},
            parts={now.get(p, p): parts for p, parts in said.parts.items()},
            rough_mixes=tuple(now.get(p, p) for p in said.rough_mixes),
            names={now.get(p, p): name for p, name in said.names.items()},
            places={p: place for p, place in said.places.items() if p not in now},
            levels={p: level for p, level in said.levels.items() if p not in now},
        )

    def compared(self, judged: CheckRun) -> Rounds:
        """The rounds against each other; `judged` is the run of what is there now: the second, or one of `merged`.

        Raises
        ------
        ValueError
            That run is not assessed yet.
        """
        if judged.delivery is None:
            raise ValueError("what is there now is not assessed yet")
        found = compare_rounds(self._before, judged.delivery, self.successors, self.same, partial=self.is_partial)
        return replace(found, files=tuple(self._with_sound(file) for file in found.files))

    def _with_sound(self, file: RoundFile) -> RoundFile:
        """A replaced file with where its sound is another one: of plain samples, which need no decoder."""
        if file.state != "replaced" or file.was is None:
            return file
        before, after = _sources(self._first)[file.was], _sources(self._second)[file.path]
        late = _first_sound(self._second, file.path) - _first_sound(self._first, file.was)
        try:
            with ExitStack() as opened:
                readers = [open_plain(path) for path in (before, after)]
                one, two = (opened.enter_context(reader) if reader is not None else None for reader in readers)
                if one is None or two is None:
                    return file
                return replace(file, sound=_nearest(one, two, late))
        except DeepTallyError:
            return file  # what cannot be read any more was said where it was measured


def _nearest(before: SoundReader, after: SoundReader, late: int) -> SampleChanges | None:
    """As they were exported, or with their first sounds on each other: whichever leaves less that differs."""
    tried = [sample_changes(before, after, later_frames=frames) for frames in dict.fromkeys((0, late))]
    known = [found for found in tried if found is not None]
    return min(known, key=lambda found: sum(d.stop_s - d.start_s for d in found.differences), default=None)


def _first_sound(run: CheckRun, path: str) -> int:
    track = next((t for t in run.tracks if t.path == path), None)
    known = track.heard if track is not None else None
    return (known[1].extent.first_sound_frame or 0) if known is not None else 0


def _sources(run: CheckRun) -> dict[str, Path]:
    return {e.path: e.source for e in _intake(run).entries}


def _is_same(one: Path, other: Path) -> bool:
    try:
        return filecmp.cmp(one, other, shallow=False)
    except OSError:
        return False  # what cannot be read any more is not called the same


def _intake(run: CheckRun) -> Intake:
    if run.intake is None:
        raise ValueError("the files are not known yet")
    return run.intake
