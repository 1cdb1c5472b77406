"""One check of one delivery: its files are listed, measured, compared and assessed, with the user's corrections.

Whoever owns a run polls it (the window) or iterates over it (the command line, tests). No call waits for a worker but
`poll` with a timeout. Cancelling keeps what is measured.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

from deep_tally.check.assess import assess, assess_so_far
from deep_tally.compare.job import compare_song
from deep_tally.compare.matching import Key as MatchKey
from deep_tally.compare.matching import Matching
from deep_tally.compare.mix_job import MatchJob, match_mix
from deep_tally.compare.run import CompareJob, Comparing, Key
from deep_tally.engine.opening import Opened, open_delivery
from deep_tally.engine.preparing import is_prepared, prepare
from deep_tally.engine.saved import SavedPlace
from deep_tally.intake.corrected import with_corrections
from deep_tally.intake.unpacked import UnpackFolder, new_unpack_folder
from deep_tally.measure.job import measure_entry
from deep_tally.measure.run import Job, Measuring
from deep_tally.model.brief import DEFAULT_BRIEF, Brief
from deep_tally.model.comparison import Comparison
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.errors import DeepTallyError, NotCheckedHere
from deep_tally.model.files import NO_CLIENT, ClientFiles, Intake
from deep_tally.model.mix_match import MixMatch
from deep_tally.names.vocabulary import Vocabulary
from deep_tally.session.cached import compare_cached, match_cached, measure_cached
from deep_tally.session.client_decisions import decisions_of
from deep_tally.session.corrections import keep
from deep_tally.work.crew import Crew, Failed, Progress, Report

Stage = Literal["opening", "preparing", "measuring", "comparing", "matching", "done"]

KERNELS = "deep_tally.measure.one_pass"
"""What a worker of a run makes ready while it is idle."""

_POLL_S = 0.1
_OPENING = "opening"
_PREPARING = "preparing"


@dataclass(frozen=True, slots=True)
class Listing:
    """Work before the list of files is known: (bytes unpacked, bytes in all), or (files found, 0)."""

    done: int
    total: int


@dataclass(frozen=True, slots=True)
class Preparing:
    """Machine code is made for this machine, which happens once: (functions that are ready, all)."""

    done: int
    total: int


@dataclass(frozen=True, slots=True)
class Listed:
    """The files are known: `CheckRun.intake` and `tracks` are there."""


@dataclass(frozen=True, slots=True)
class Refused:
    """There is nothing to check, or it cannot be listed; the run is over."""

    error: DeepTallyError


@dataclass(frozen=True, slots=True)
class Measured:
    """One more file is done."""

    track: Track


@dataclass(frozen=True, slots=True)
class Moved:
    """Measuring, comparing or matching went on; see `CheckRun.stage` and what it is named after."""


@dataclass(frozen=True, slots=True)
class Assessed:
    """The delivery is assessed; once more when its rough mix was compared with the files."""

    delivery: Delivery


Event = Listing | Preparing | Listed | Refused | Measured | Moved | Assessed


class CheckRun:
    """One check.

    Parameters
    ----------
    paths : sequence of Path
        One folder or zip, one or more files, or one saved check.
    brief : Brief or None
        None takes that of a saved check, else the default one.
    vocabulary : Vocabulary, optional
        The words for parts, with the user's own; else the shipped ones.
    rough_mix : Path, optional
        The rough mix, if its name does not say so.
    crew : Crew, optional
        The workers, which go on after the run; without one it has its own.
    is_cached : bool
        Whether measures are recalled and kept.
    is_fresh : bool
        Whether what the user said of the delivery before is left aside.
    again : CheckRun, optional
        A run of the same delivery: what it knows of files that did not change is taken from it, and its corrections.
    given : Opened, optional
        The files, where they are known already, as of two rounds put together: nothing is listed then.
    moved_to : Path, optional
        Where the files of a saved check are now.
    """

    def __init__(
        self,
        paths: Sequence[Path],
        brief: Brief | None,
        *,
        vocabulary: Vocabulary | None = None,
        rough_mix: Path | None = None,
        crew: Crew | None = None,
        is_cached: bool = True,
        is_fresh: bool = False,
        again: CheckRun | None = None,
        given: Opened | None = None,
        moved_to: Path | None = None,
    ) -> None:
        self.paths, self.rough_mix = tuple(paths), rough_mix
        self.brief: Brief = brief or DEFAULT_BRIEF
        self.vocabulary = vocabulary
        self._takes_brief = brief is None
        self.job: Job = measure_cached if is_cached else measure_entry
        self.compare_job: CompareJob = compare_cached if is_cached else compare_song
        self.match_job: MatchJob | None = match_cached if is_cached else match_mix  # None: not wanted
        self.found: Intake | None = None  # what was delivered, as it was found
        self.intake: Intake | None = None  # the same with the user's corrections of roles and songs
        self.corrections: Corrections = again.corrections if again is not None else NO_CORRECTIONS
        self.recalled: Corrections = NO_CORRECTIONS  # what the user had said before it was opened
        self.trouble = ""  # one sentence when what the user had said could not all be used
        self.measuring: Measuring | None = None
        self.comparing: Comparing | None = None
        self.matching: Matching | None = None
        self.delivery: Delivery | None = None  # None until all is measured, also after a correction
        self._files: Mapping[str, str] = {}
        self.record: Path | None = None
        self._compared: dict[Key, Comparison] = dict(again.compared) if again is not None else {}
        self._matched: dict[MatchKey, MixMatch] = dict(again.matched) if again is not None else {}
        self._is_match_assessed = False
        self._again = again
        self.is_again = again is not None
        self._is_over = False
        self._owns_crew = crew is None
        self.crew = crew or Crew(preload=KERNELS, forks=True)
        self._unpacked = new_unpack_folder()
        into = self._unpacked.files if self._unpacked else None
        self.opened: Opened | None = None
        """The delivery as it was found; None while it is looked for."""
        self.saved: SavedPlace | None = None
        """Where the check is saved, and what stands there beside this round."""
        self._is_prepared = is_prepared()
        if not self._is_prepared:
            self.crew.submit(_PREPARING, prepare)
        self._given = given
        if given is None:
            is_fresh = is_fresh or again is not None
            self.crew.submit(_OPENING, open_delivery, self.paths, rough_mix, into, is_fresh, moved_to)

    # -- going on -----------------------------------------------------------------------------

    def __iter__(self) -> Iterator[Event]:
        """All events until the delivery is assessed, or refused."""
        while not self.is_done:
            yield from self.poll(_POLL_S)

    def __enter__(self) -> CheckRun:
        return self

    def __exit__(self, *args: object) -> None:
        self.close()

    def poll(self, timeout_s: float = 0.0) -> list[Event]:
        """What happened since the last call, waiting for at most `timeout_s`; then at most one step is taken.

        A step (to begin comparing, to assess) can take tens of milliseconds.
        """
        reports = self.crew.poll(0.0 if self.is_to_step else timeout_s)
        events = [event for report in reports for event in self.take(report) or ()]
        return events or self.step()

    def take(self, report: Report) -> list[Event] | None:
        """Take in one report of a crew that others use as well; None where it is about nothing of this run."""
        if report.job == _OPENING:
            return self._take_opening(report) if self.measuring is None and not self._is_over else None
        if report.job == _PREPARING:
            return self._take_preparing(report) if not self._is_prepared else None
        if self.comparing is not None and self.comparing.take(report):
            return [Moved()]
        if self.matching is not None and self.matching.take(report):
            return [Moved()]
        if self.measuring is None or not self.measuring.is_about(report):
            return None
        track = self.measuring.take(report)
        return [Moved() if track is None else Measured(track)]

    def _take_opening(self, report: Report) -> list[Event]:
        if isinstance(report, Progress):
            return [Listing(report.done, report.total)]
        if isinstance(report, Failed):
            error: DeepTallyError = NotCheckedHere(", ".join(p.name for p in self.paths), report.problem, report.remedy)
            return self._refuse(error)
        opened: Opened | DeepTallyError = report.value
        if isinstance(opened, DeepTallyError):
            return self._refuse(opened)
        self.opened = opened
        return self._list() if self._is_prepared else [Moved()]

    def _take_preparing(self, report: Report) -> list[Event]:
        if isinstance(report, Progress):
            return [Preparing(report.done, report.total)]
        # Where it failed, each worker makes for itself what it needs.
        self._is_prepared = True
        return self._list()

    def _list(self) -> list[Event]:
        """The files are known, and can be measured."""
        opened = self.opened
        if opened is None or self.found is not None:
            return [Moved()]
        self.found, self._files = opened.found, opened.files
        self.paths, self.rough_mix = opened.paths or self.paths, opened.rough_mix or self.rough_mix
        known = dict(opened.known.tracks)
        self._compared |= opened.known.compared
        self._matched |= opened.known.matched
        if self._takes_brief and opened.brief is not None:
            self.brief = opened.brief
        if self._again is not None:
            known, self.record = self._again.known_of(opened.found), self._again.record
            if dict(self._again.contents) == opened.files:
                self.saved = self._again.saved
            self._again = None
        else:
            self.saved = opened.saved
            self.recalled = opened.corrections
            self.corrections = self._with_given_mix(opened.found, opened.corrections)
            self.record, self.trouble = opened.record, opened.trouble
        self._begin(known)
        return [Listed()]

    def _with_given_mix(self, found: Intake, corrections: Corrections) -> Corrections:
        """What was said before, without what contradicts the rough mix this run was given."""
        given = os.path.abspath(self.rough_mix) if self.rough_mix is not None else ""
        mix = next((e for e in found.entries if str(e.source) == given), None)
        if mix is None or corrections == NO_CORRECTIONS:
            return corrections
        of_song = {e.path for e in found.entries if e.song == mix.song}
        return corrections.with_rough_mix(mix.path, instead_of=of_song)

    def _refuse(self, error: DeepTallyError) -> list[Event]:
        self._is_over = True
        return [Refused(error)]

    def _begin(self, known: Mapping[str, Track]) -> None:
        """Measure what is not known yet."""
        assert self.found is not None
        self.intake = with_corrections(self.found, self.corrections)
        self.delivery = self.comparing = self.matching = None
        self._is_match_assessed = False
        self.measuring = Measuring(self.intake, self.crew, job=self.job, known=known)

    @property
    def is_to_step(self) -> bool:
        """Whether something is to be done here, and no worker to be waited for."""
        if self.measuring is None or not self.measuring.is_done:
            return self._given is not None
        if self.delivery is None:
            return self.comparing is None or self.comparing.is_done
        return self.matching is not None and self.matching.is_done and not self._is_match_assessed

    def step(self) -> list[Event]:
        """Take the next step that needs no worker: begin comparing, or assess and begin matching, or assess again."""
        if self._given is not None:
            self.opened, self._given = self._given, None
            return self._list() if self._is_prepared else [Moved()]
        if not self.is_to_step or self.measuring is None or self.intake is None:
            return []
        if self.comparing is None:
            self.comparing = Comparing(
                self.intake, self.measuring.tracks, self.crew, job=self.compare_job, known=self._compared
            )
            return [Moved()]
        if self.matching is not None:
            self._matched |= self.matching.found
            self._is_match_assessed = True
            return [Assessed(self.assess())]
        self._compared |= self.comparing.found
        delivery = self.assess()
        self._match(delivery)
        return [Assessed(delivery)]

    def _match(self, delivery: Delivery) -> None:
        """Compare the rough mixes with the files, whose roles are known now."""
        if self.match_job is None or self.intake is None or self.comparing is None or not self.comparing.is_whole:
            return
        songs = {name: song.tracks for name, song in zip(self.intake.songs, delivery.sets, strict=True)}
        matching = Matching(
            self.intake, songs, self.comparing.by_song, self.crew, job=self.match_job, known=self._matched
        )
        self.matching = matching if matching.by_song or not matching.is_done else None

    # -- what is known ------------------------------------------------------------------------

    @property
    def stage(self) -> Stage:
        """What is being done."""
        if self.delivery is not None and self.matching is not None and not self._is_match_assessed:
            return "matching"
        if self._is_over or self.delivery is not None:
            return "done"
        if self.measuring is None:
            return "opening" if self.opened is None else "preparing"
        return "comparing" if self.measuring.is_done else "measuring"

    @property
    def is_done(self) -> bool:
        """Whether nothing is left to do: assessed, refused, or cancelled before the files were known."""
        return self.stage == "done"

    @property
    def tracks(self) -> tuple[Track, ...]:
        """All audio files, measured or not."""
        return self.measuring.tracks if self.measuring is not None else ()

    @property
    def contents(self) -> Mapping[str, str]:
        """Fingerprints of the files' contents, by path."""
        return self._files

    @property
    def client(self) -> ClientFiles:
        """What nothing may be written over, or into."""
        return self.intake.client if self.intake is not None else NO_CLIENT

    @property
    def compared(self) -> Mapping[Key, Comparison]:
        """How files relate, by what that rests on."""
        return self._compared | (self.comparing.found if self.comparing is not None else {})

    @property
    def matched(self) -> Mapping[MatchKey, MixMatch]:
        """What mixes say of files, by what that rests on."""
        return self._matched | (self.matching.found if self.matching is not None else {})

    def known_of(self, now: Intake) -> dict[str, Track]:
        """The measured tracks of files that are still the very same in `now`."""
        if self.measuring is None or self.found is None:
            return {}
        same = unchanged(self.found, now)
        return {path: t for path, t in self.measuring.by_path.items() if path in same and is_measured(t)}

    def assess(self) -> Delivery:
        """Assess what is known with the brief and the corrections in force; reads no audio.

        Raises
        ------
        ValueError
            The files are not known yet.
        """
        if self.intake is None or self.measuring is None:
            raise ValueError("the files are not known yet")
        comparing = self.comparing
        self.delivery = assess(
            self.intake,
            self.measuring.tracks,
            self.brief,
            corrections=self.corrections,
            comparisons=comparing.by_song if comparing is not None else {},
            matches=self.matching.by_song if self.matching is not None else {},
            incomplete=(
                *(comparing.incomplete if comparing is not None else ()),
                *(self.matching.incomplete if self.matching is not None else ()),
            ),
            vocabulary=self.vocabulary,
            of_client=decisions_of(self.corrections.letter.client),
        )
        return self.delivery

    def so_far(self) -> Delivery | None:
        """What the measured files show by themselves, while others are still to come; None before any is known."""
        if self.intake is None or self.measuring is None:
            return None
        return self.delivery or assess_so_far(self.intake, self.measuring.tracks, self.brief)

    def alone(self, track: Track) -> Delivery | None:
        """What one file shows by itself; None before the files are known."""
        return assess_so_far(self.intake, (track,), self.brief) if self.intake is not None else None

    # -- changes ------------------------------------------------------------------------------

    def correct(self, corrections: Corrections) -> bool:
        """Take what the user says for true; returns whether files changed role or song: then some may be measured.

        Otherwise an assessed delivery is assessed again at once.
        """
        before, self.corrections = self.corrections, corrections
        if self.found is None or self.measuring is None or self.intake is None:
            return False
        if with_corrections(self.found, corrections).entries != self.intake.entries:
            known: Mapping[str, Track] = self.measuring.by_path
            if not self.measuring.is_done or self.stage == "matching":
                # What is being measured may not be wanted now: whatever is not done starts again.
                self.crew.cancel()
            self._begin({path: t for path, t in known.items() if is_measured(t)})
            return True
        if self.delivery is not None and needs_assessing(before, corrections):
            self.assess()
        return False

    def keep_corrections(self) -> None:
        """Keep what the user said for the next time.

        Raises
        ------
        CannotWrite
            The data folder cannot be written.
        """
        if self.found is not None and self.record is not None:
            saved_in = self.saved.path if self.saved is not None else None
            keep(self.record, self.found.source, self._files, self.corrections, saved_in)

    def cancel(self) -> None:
        """Stop measuring and comparing; what is measured is assessed with the next step. A run that opens is over."""
        self.crew.cancel()
        if self.measuring is None:
            self._is_over = True
            return
        self.measuring.cancel()
        if self.comparing is None and self.intake is not None:
            self.comparing = Comparing(self.intake, (), self.crew, job=self.compare_job)
        elif self.comparing is not None:
            self.comparing.cancel()
        if self.matching is not None:
            self.matching.cancel()

    def let_go(self) -> UnpackFolder | None:
        """The folder of what was unpacked, for somebody else to remove."""
        unpacked, self._unpacked = self._unpacked, None
        return unpacked

    def take_over(self, unpacked: UnpackFolder | None) -> UnpackFolder | None:
        """Own the folder of what another run unpacked; returns this one's own, to be removed."""
        before, self._unpacked = self._unpacked, unpacked
        return before

    def measure_anew(self) -> None:
        """Recall no measures: every file is read."""
        self.job = measure_entry

    def close(self) -> None:
        """End the workers, if they are its own, and remove what was unpacked."""
        if self._owns_crew:
            self.crew.close()
        if (unpacked := self.let_go()) is not None:
            unpacked.remove()


def needs_assessing(before: Corrections, now: Corrections) -> bool:
    """Whether findings may be others: of the letter only its client counts, where something holds for them for good."""
    was, is_now = before.letter.client, now.letter.client
    is_letter_alone = replace(before, letter=now.letter) == now
    return not is_letter_alone or (was != is_now and decisions_of(was) != decisions_of(is_now))


def is_measured(track: Track) -> bool:
    """Whether what is known of a file need not be found out again: what could not be checked here is tried again."""
    return track.is_done and track.unchecked is None


def unchanged(before: Intake, now: Intake) -> set[str]:
    """Paths of files that are the very ones that were there before."""
    identities = {e.path: e.identity for e in before.entries}
    return {e.path for e in now.entries if identities.get(e.path) == e.identity}
