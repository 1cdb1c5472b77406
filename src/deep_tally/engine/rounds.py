"""Two rounds of a delivery: which files stand for which, and, where only some came again, both judged as one."""

from __future__ import annotations

import filecmp
from collections.abc import Mapping
from contextlib import ExitStack
from dataclasses import replace
from pathlib import Path
from types import MappingProxyType

from deep_tally.check.round_files import successors
from deep_tally.check.rounds import is_partial
from deep_tally.compare.sample_changes import sample_changes
from deep_tally.engine.check_run import is_measured
from deep_tally.engine.opening import Opened
from deep_tally.engine.round_sides import RoundSide, rounds_of
from deep_tally.intake.fingerprint import fingerprint
from deep_tally.intake.reading import open_plain
from deep_tally.intake.sound import SoundReader
from deep_tally.model.corrections import Corrections
from deep_tally.model.delivery import Delivery
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.files import Entry, Intake
from deep_tally.model.letter_edits import NO_EDITS
from deep_tally.model.rounds import Rounds, SampleChanges
from deep_tally.model.saved_check import Since


class RoundsOf:
    """First and second round of a delivery.

    Parameters
    ----------
    first, second : RoundSide
    partial : bool or None
        Whether what was not sent again is kept from the first round; None decides by how much was.
    said : mapping of path to path
        For files of the second round: which one of the first they stand for, as the user said; empty for none.
    """

    def __init__(
        self,
        first: RoundSide,
        second: RoundSide,
        *,
        partial: bool | None = None,
        said: Mapping[str, str] = MappingProxyType({}),
    ) -> None:
        self._first, self._second = first, second
        found = successors(first.delivery.tracks, second.delivery.tracks, first.contents, second.contents)
        there = {t.path for t in second.delivery.tracks}
        found |= {path: was for path, was in said.items() if path in there}
        known = {t.path for t in first.delivery.tracks}
        self.successors: Mapping[str, str] = {path: was for path, was in found.items() if was in known}
        self.is_partial = is_partial(first.delivery, self.successors) if partial is None else partial
        self.same = self._same()
        """Paths of the second round that are bit-identical to their predecessors."""

    def _same(self) -> frozenset[str]:
        """Those whose fingerprints are the same are read whole: fingerprints look at three places of a file only."""
        then, now = self._first.contents, self._second.contents
        before, after = self._first.sources, self._second.sources
        alike = [(p, was) for p, was in self.successors.items() if p in now and now[p] == then.get(was)]
        return frozenset(p for p, was in alike if _is_same(before[was], after[p]))

    def merged(self) -> Opened:
        """The files of the second round and those of the first that were not sent again, as one delivery."""
        before, now = self._first.intake, self._second.intake
        gone = set(self.successors.values())
        there = {e.path for e in now.entries}
        kept = [e for e in before.entries if e.path not in gone and e.path not in there]
        songs = {e.path: e.song for e in before.entries}
        entries = [*kept, *(self._in_song(entry, songs) for entry in now.entries)]
        files = {e.path: e for e in entries}
        sides = (self._first, self._second)
        contents = {p: c for side in sides for p, c in side.contents.items() if p in files}
        tracks = {t.path: t for side in sides for t in side.tracks if t.path in files and is_measured(t)}
        found = Intake(
            source=now.source,
            name=before.name,
            entries=tuple(sorted(entries, key=lambda e: e.path)),
            archives=(*before.archives, *now.archives),
            folders=(*before.folders, *now.folders),
            troubles=now.troubles,
            incomplete=now.incomplete,
        )
        known = replace(self._first.known, tracks=tracks)
        return Opened(found=found, files=contents, corrections=self.corrections(), known=known)

    def _in_song(self, entry: Entry, songs: Mapping[str, str]) -> Entry:
        """In the song of the file it stands for; one of several songs keeps what its own round says."""
        was = self.successors.get(entry.path)
        every = {song for song in songs.values() if song}
        song = songs.get(was, "") if was is not None else next(iter(every)) if len(every) == 1 else entry.song
        return replace(entry, song=song or entry.song)

    def corrections(self) -> Corrections:
        """What the user said of the first round, at the paths where its files are now: not where they lie in time.

        Of the letter only what is the client's is taken along; the wording was about other findings.
        """
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
            letter=replace(NO_EDITS, client=said.letter.client, upload=said.letter.upload),
            decisions=tuple(replace(d, about=tuple(now.get(p, p) for p in d.about)) for d in said.decisions),
            stands_for={},
        )

    def opened(self) -> Opened:
        """The delivery as it is to be judged now: what was sent, and what is kept where only some was."""
        if self.is_partial:
            return self.merged()
        second = self._second
        tracks = {t.path: t for t in second.tracks if is_measured(t)}
        return Opened(
            found=second.found,
            files=dict(second.contents),
            corrections=self.corrections(),
            known=replace(second.known, tracks=tracks),
        )

    def since(self) -> Since:
        """What the files themselves show; reads the samples of those that were replaced."""
        replaced = [(path, was) for path, was in self.successors.items() if path not in self.same]
        sounds = {path: self._sound(path, was) for path, was in replaced}
        return Since(
            is_partial=self.is_partial,
            sent=tuple(e.path for e in self._second.intake.entries),
            successors=dict(self.successors),
            same=tuple(sorted(self.same)),
            sounds={path: sound for path, sound in sounds.items() if sound is not None},
        )

    def compared(self, judged: Delivery) -> Rounds:
        """The rounds against each other; `judged` is what is there now: the second round, or what `merged` gives."""
        return rounds_of(self._first.delivery, judged, self.since())

    def _sound(self, path: str, was: str) -> SampleChanges | None:
        """Where the sound of a replaced file is another one: of plain samples, which need no decoder."""
        before, after = self._first.sources[was], self._second.sources[path]
        if fingerprint(before) != self._first.contents.get(was):
            return None  # it was written over: what it was is gone
        late = _first_sound(self._second, path) - _first_sound(self._first, was)
        try:
            with ExitStack() as opened:
                readers = [open_plain(path) for path in (before, after)]
                one, two = (opened.enter_context(reader) if reader is not None else None for reader in readers)
                return _nearest(one, two, late) if one is not None and two is not None else None
        except (DeepTallyError, OSError):
            return None  # what cannot be read any more was said where it was measured


def _nearest(before: SoundReader, after: SoundReader, late: int) -> SampleChanges | None:
    """As they were exported, or with their first sounds on each other: whichever leaves less that differs."""
    tried = [sample_changes(before, after, later_frames=frames) for frames in dict.fromkeys((0, late))]
    known = [found for found in tried if found is not None]
    return min(known, key=lambda found: sum(d.stop_s - d.start_s for d in found.differences), default=None)


def _first_sound(side: RoundSide, path: str) -> int:
    track = next((t for t in side.tracks if t.path == path), None)
    known = track.heard if track is not None else None
    return (known[1].extent.first_sound_frame or 0) if known is not None else 0


def _is_same(one: Path, other: Path) -> bool:
    try:
        return filecmp.cmp(one, other, shallow=False)
    except OSError:
        return False  # what cannot be read any more is not called the same
