"""The check that is open in the window: its run, what the user changes of it, and what is asked of files beside it.

Holds the crews and polls them from a timer; the event loop never waits for a process, and no thread runs
beside it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoStack

from deep_tally.app.shell.autosave import Autosave
from deep_tally.app.shell.briefs import Briefs
from deep_tally.app.shell.clerks import Clerks
from deep_tally.app.shell.demo_opener import DemoOpener
from deep_tally.app.shell.file_reader import FileReader
from deep_tally.app.shell.next_round import NextRound
from deep_tally.app.shell.sorter import Sorter
from deep_tally.app.shell.undo import CorrectionChange
from deep_tally.compare.mix_job import MatchJob
from deep_tally.compare.run import CompareJob, Comparing
from deep_tally.engine.check_run import (
    KERNELS,
    Assessed,
    CheckRun,
    Event,
    Listed,
    Listing,
    Measured,
    Preparing,
    Refused,
    needs_assessing,
    unchanged,
)
from deep_tally.engine.opening import Opened
from deep_tally.measure.run import Job, Measuring
from deep_tally.model.brief import Brief
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.files import NO_CLIENT, ClientFiles, Intake
from deep_tally.reply.correction_words import correction_words
from deep_tally.reply.numbers import count, listed
from deep_tally.session.cached import compare_cached, match_cached, measure_cached
from deep_tally.session.words import add_word, vocabulary_at_hand
from deep_tally.work.crew import Crew, Progress

_POLL_MS, _EAGER_POLL_MS = 15, 2
"""How often the crews are asked: soon again after a job came back, for its worker waits for the next one."""

_KEEP_MS = 300
"""What the user says is written when he pauses: at every key the disk would make the window wait."""


class CheckState(QObject):
    """The open check. All signals are sent after the change they report."""

    opening = Signal(str, str)
    """Work before the list of files is known: (what is being done, the name of what is opened)."""
    opening_moved = Signal(int, int)
    """(bytes unpacked, bytes in all), or (files found, 0)."""
    preparing_moved = Signal(int, int)
    """Machine code is made for this machine, once: (functions that are ready, all)."""
    opened = Signal(bool)
    """`intake` and `tracks` are new; True when it is the delivery that was open, read again."""
    noticed = Signal(str)
    """One sentence for the user about what was opened: what is different, or what he said of it before."""
    corrected = Signal()
    """The user changed what files are for, or to which song they belong; the assessment follows."""
    measured = Signal(object)
    """One more Track is measured."""
    progressed = Signal()
    """`measuring` moved on."""
    assessed = Signal()
    """`delivery` is new: measuring ended or was cancelled, or the brief changed."""
    brief_changed = Signal()
    """`brief` is another one; an assessed delivery is assessed again right after."""
    corrections_changed = Signal()
    """`corrections` or `vocabulary` are others; what follows for the assessment was sent before."""
    abandoned = Signal()
    """Opening was cancelled before a list of files was there; what was open before still is."""
    refused = Signal(str)
    """Something could not be done; one sentence for the user."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.undo_stack = QUndoStack(self)
        self.briefs = Briefs(self.undo_stack, self)
        self.briefs.changed.connect(self._take_brief)
        self.briefs.refused.connect(self.refused)
        self.reader = FileReader(lambda: self.sources, self)
        self.clerks = Clerks(self)
        self.sorter = Sorter(self)
        self.autosave = Autosave(self.clerks, self)
        self.autosave.placed.connect(self.keep_corrections)
        self.autosave.said.connect(self.noticed)
        self.next_round = NextRound(self)
        self.next_round.joined.connect(self._open_joined)
        self.next_round.joining.connect(lambda: self.opening.emit("Comparing with the round before", ""))
        self.next_round.failed.connect(self._say_not_joined)
        self.vocabulary, self.words_trouble = vocabulary_at_hand()
        self.run: CheckRun | None = None  # the check that is open
        self.delivery: Delivery | None = None  # its assessment, as far as it was shown
        # What a worker does for one file, for the files of one song, and for their mix.
        self.job: Job = measure_cached
        self.compare_job: CompareJob = compare_cached
        self.match_job: MatchJob | None = match_cached
        self._next: CheckRun | None = None
        self._crew = Crew(preload=KERNELS)
        self.demo = DemoOpener(self)
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self._poll)
        for asked in (self.reader, self.clerks):
            asked.started.connect(self._timer.start)
        self._settling = _timer(self, 0, self._show_assessed)
        self._keeping = _timer(self, _KEEP_MS, self.keep_corrections)

    def warm_up(self) -> None:
        """Start the worker processes while nobody waits for them."""
        self._crew.warm_up()
        self.reader.readers.warm_up()
        self.clerks.tidy()

    def close(self) -> None:
        """End all work; changes to the brief that were not saved are there again next time."""
        self.autosave.flush()
        if self._keeping.isActive():
            self.keep_corrections()
        self.briefs.keep_unsaved()
        self._timer.stop()
        self._settling.stop()
        self._crew.close()
        self.reader.close()
        self.clerks.close()
        for run in (self._next, self.run):
            if run is not None:
                run.close()

    @property
    def brief(self) -> Brief:
        """The brief in force, with the user's changes."""
        return self.briefs.brief

    @property
    def is_measuring(self) -> bool:
        """Whether files are being measured or compared."""
        return self.run is not None and self.run.stage in ("measuring", "comparing")

    @property
    def is_matching(self) -> bool:
        """Whether a rough mix is being compared with its files; everything else is known then."""
        return self.run is not None and self.run.stage == "matching"

    @property
    def intake(self) -> Intake | None:
        """What was delivered, as the user corrected it; None while nothing is open."""
        return self.run.intake if self.run is not None else None

    @property
    def tracks(self) -> tuple[Track, ...]:
        """All audio files, measured or not."""
        return self.run.tracks if self.run is not None else ()

    @property
    def measuring(self) -> Measuring | None:
        """How far measuring is."""
        return self.run.measuring if self.run is not None else None

    @property
    def comparing(self) -> Comparing | None:
        """How far comparing is; None before it begins."""
        return self.run.comparing if self.run is not None else None

    @property
    def corrections(self) -> Corrections:
        """What the user said of the open delivery."""
        return self.run.corrections if self.run is not None else NO_CORRECTIONS

    def so_far(self) -> Delivery | None:
        """The assessment, or what the measured files show by themselves while it is not made."""
        return self.delivery or (self.run.so_far() if self.run is not None else None)

    def open(self, paths: Sequence[Path], *, rough_mix: Path | None = None) -> None:
        """List and measure a delivery; the one open before is put away once the new one is found."""
        self.next_round.forget()
        self._open(paths, rough_mix)

    def open_again(self) -> None:
        """Read the open delivery again: only files that are new or changed are measured."""
        saved = self.run.saved if self.run is not None else None
        if self.run is not None and saved is not None and saved.since is not None:
            self.open(self.run.paths)  # a further round is matched again with the one before
            self.next_round.join_opened(
                saved.path, rounds=len(saved.earlier), partial=saved.since.is_partial, shown=False
            )
        elif self.run is not None:
            self._open(self.run.paths, self.run.rough_mix, again=self.run)

    def open_moved(self, place: Path) -> None:
        """Open the saved check that is open once more, with its files where they are now."""
        if self.run is not None and self.run.saved is not None:
            self._open([self.run.saved.path], None, moved_to=place)

    def _open(
        self,
        paths: Sequence[Path],
        rough_mix: Path | None,
        *,
        again: CheckRun | None = None,
        moved_to: Path | None = None,
    ) -> None:
        self.opening.emit("Looking through the files", paths[0].name if paths else "")
        if self._keeping.isActive():
            self.keep_corrections()  # what was said a moment ago may be about what is opened now
        self.stop_measuring()
        self.abandon()
        self._next = CheckRun(
            paths,
            self.brief,
            vocabulary=self.vocabulary,
            rough_mix=rough_mix,
            crew=self._crew,
            again=again,
            moved_to=moved_to,
        )
        self._next.job, self._next.compare_job, self._next.match_job = self.job, self.compare_job, self.match_job
        self.clerks.tidy()
        self._timer.start()

    def _open_joined(self, opened: Opened) -> None:
        """Judge what was sent together with what is kept of the round before: all of that is measured."""
        if self.run is None:
            return
        self.abandon()
        # Whoever opens what was sent once more finds both rounds.
        opened = replace(opened, record=self.run.record or opened.record)
        joined = CheckRun(opened.paths, self.brief, vocabulary=self.vocabulary, crew=self._crew, given=opened)
        joined.job, joined.compare_job, joined.match_job = self.job, self.compare_job, self.match_job
        self.clerks.tidy(joined.take_over(self.run.let_go()))
        self._next = joined
        self._timer.start()

    def _say_not_joined(self, words: str) -> None:
        self.abandoned.emit()
        self.noticed.emit(words)

    def abandon(self) -> None:
        """Give up what is being opened."""
        if self._next is not None:
            self._next.cancel()
            self.clerks.tidy(self._next.let_go())
            self._next = None

    def cancel(self) -> None:
        """Stop measuring; what was measured is kept and assessed."""
        if self.is_measuring or self.is_matching:
            self.stop_measuring()
        elif self._next is not None or self.demo.is_being_made or self.next_round.is_joining:
            self.demo.cancel()
            self.next_round.cancel()
            self.abandon()
            self.abandoned.emit()

    def stop_measuring(self) -> None:
        """Stop what is measured or matched; what is known is shown."""
        if self.run is not None and (self.is_measuring or self.is_matching):
            self.run.cancel()
            self._settle()

    def correct(self, corrections: Corrections, words: str) -> None:
        """Take what the user says of this delivery; it is kept, and can be undone."""
        if self.run is not None and corrections != self.corrections:
            self.undo_stack.push(CorrectionChange(self.put_corrections, words, self.corrections, corrections))

    def put_corrections(self, corrections: Corrections) -> None:
        """Take what the user said for true: what became audio is measured, then all is compared and assessed again."""
        run = self.run
        if run is None:
            return
        self._keeping.start()
        self.autosave.changed()
        is_rematched = run.corrections.stands_for != corrections.stands_for
        is_to_show = needs_assessing(run.corrections, corrections)
        was_judged = self.delivery is not None or self._settling.isActive()
        if run.correct(corrections):
            self.abandon()  # its workers went with those of the files that were measured
            self._settling.stop()
            self.delivery = None
            self._timer.start()
            self.corrected.emit()
            self._settle()
        elif was_judged and is_to_show:
            self._show_assessed()
        self.corrections_changed.emit()
        if is_rematched:
            self.next_round.join_again()

    def keep_corrections(self) -> None:
        self._keeping.stop()
        if self.run is not None:
            try:
                self.run.keep_corrections()
            except DeepTallyError as error:
                self.refused.emit(str(error))

    def add_word(self, part: str, phrase: str) -> bool:
        """Keep a word of the user's own for a part; returns whether it can be used."""
        try:
            self.vocabulary = add_word(part, phrase)
        except DeepTallyError as error:
            self.refused.emit(str(error))
            return False
        self.assess_again()
        self.corrections_changed.emit()
        return True

    @property
    def can_be_corrected(self) -> bool:
        """Whether roles and songs can be changed now."""
        return self.intake is not None and not self.is_measuring

    @property
    def client(self) -> ClientFiles:
        """What nothing may be written over, or into."""
        return self.run.client if self.run is not None else NO_CLIENT

    @property
    def sources(self) -> dict[str, Path]:
        """Where the bytes of each file are."""
        return {e.path: e.source for e in self.intake.entries} if self.intake is not None else {}

    def _poll(self) -> None:
        self.clerks.poll()
        self.reader.poll()
        moved = returned = False
        for report in self._crew.poll():
            returned = returned or not isinstance(report, Progress)
            for run in (self._next, self.run):
                if run is not None and (events := run.take(report)) is not None:
                    moved = self._hear(run, events) or moved
                    break
        for run in (self._next, self.run):
            if not moved and run is not None:
                moved = self._hear(run, run.step())
        if moved:
            self.progressed.emit()
        is_busy = any(worker.is_busy for worker in (self._crew, self.reader, self.clerks))
        if not is_busy and not any(run is not None and run.is_to_step for run in (self._next, self.run)):
            self._timer.stop()
        else:
            self._timer.setInterval(_EAGER_POLL_MS if returned else _POLL_MS)

    def _hear(self, run: CheckRun, events: Sequence[Event]) -> bool:
        """Pass on what happened; whether measuring or comparing went on."""
        moved = False
        for event in events:
            match event:
                case Listing(done, total):
                    self.opening_moved.emit(done, total)
                case Preparing(done, total):
                    self.preparing_moved.emit(done, total)
                case Refused(error):
                    self._next = None
                    self.clerks.tidy(run.let_go())
                    self.refused.emit(str(error))
                case Listed():
                    self._replace(run)
                case Measured(track):
                    moved = True
                    self.measured.emit(track)
                case Assessed():
                    # Shown in an event of its own: this one may have taken its time already.
                    self._settling.start()
                    moved = True
                case _:
                    moved = True
        return moved and run is self.run

    def _replace(self, run: CheckRun) -> None:
        """A delivery was listed: it takes the place of the one that was open."""
        before = self.run
        if self._keeping.isActive():
            self.keep_corrections()
        is_again = before is not None and run.is_again
        self._next, self.run, self.delivery = None, run, None
        run.vocabulary = self.vocabulary
        self.autosave.watch(run)
        if run.saved is not None and run.saved.since is not None:
            self.keep_corrections()  # so that what was sent is known to be this round
        self._take_brief_of(run)
        self._settling.stop()
        if run.saved is None or run.saved.since is None or before is None or run.saved.path != _path_of(before):
            self.undo_stack.clear()  # files that are only matched another way are the same files
        self.opened.emit(is_again)
        if is_again and before is not None and before.found is not None and run.found is not None:
            self.noticed.emit(_difference(before.found, run.found))
        elif run.trouble:
            self.noticed.emit(run.trouble)
        elif correction_words(run.recalled):
            self.noticed.emit(f"Your earlier corrections apply: {correction_words(run.recalled)}.")
        if before is not None:
            self.clerks.tidy(before.let_go())

    def _take_brief_of(self, run: CheckRun) -> None:
        """A saved check is shown against the brief it was checked against; any other against the one in force."""
        asked = run.opened.brief if run.opened is not None else None
        if asked is not None:
            self.briefs.lend(asked)
        elif not run.is_again:
            self.briefs.give_back()
        run.brief = self.brief

    def _take_brief(self) -> None:
        self.brief_changed.emit()
        self.assess_again()

    def assess_again(self) -> None:
        """Assess again what is assessed already; what is not will be, when it is measured and compared."""
        if self.run is None:
            return
        self.run.brief, self.run.vocabulary = self.brief, self.vocabulary
        if self.run.delivery is not None:
            self.run.assess()
            self._show_assessed()

    def _settle(self) -> None:
        """Take all steps that need no worker, and show the result."""
        run = self.run
        if run is not None:
            while run.is_to_step:
                run.step()
            if run.delivery is not None:
                self._show_assessed()

    def _show_assessed(self) -> None:
        self._settling.stop()
        if self.run is not None and self.run.delivery is not None:
            self.delivery = self.run.delivery
            self.autosave.changed()
            self.assessed.emit()


def _path_of(run: CheckRun) -> Path | None:
    return run.saved.path if run.saved is not None else None


def _timer(owner: QObject, milliseconds: int, what: Callable[[], None]) -> QTimer:
    """One that does something once."""
    timer = QTimer(owner)
    timer.setSingleShot(True)
    timer.setInterval(milliseconds)
    timer.timeout.connect(what)
    return timer


def _difference(before: Intake, now: Intake) -> str:
    """What reading again brought, in words."""
    was, are = ({e.path for e in intake.entries} for intake in (before, now))
    changed = (are & was) - unchanged(before, now)
    parts = [
        count(len(paths), "file") + f" {what}"
        for paths, what in ((are - was, "added"), (changed, "changed"), (was - are, "gone"))
        if paths
    ]
    return f"Read again: {listed(parts)}." if parts else "Read again: nothing is different."
