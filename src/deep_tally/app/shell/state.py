"""The check that is open in the window: its run, what the user changes of it, and what is asked of files beside it.

Holds the crews and polls them from a timer; the event loop never waits for a process, and no thread runs
beside it.
"""

from __future__ import annotations

import contextlib
import shutil
import tempfile
import time
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from pathlib import Path

from platformdirs import user_cache_path
from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from deep_tally import __version__
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
    unchanged,
)
from deep_tally.intake.corrected import with_corrections
from deep_tally.intake.unpacked import UnpackFolder, sweep
from deep_tally.measure.excerpt import read_excerpts
from deep_tally.measure.pictures import count_values, read_spectrogram, read_stereo_field
from deep_tally.measure.run import Job, Measuring
from deep_tally.model.brief import Brief, read_brief, with_value
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.errors import BriefRefused, DeepTallyError
from deep_tally.model.files import NO_CLIENT, ClientFiles, Intake, Role
from deep_tally.reply.correction_words import correction_words
from deep_tally.reply.numbers import count, listed
from deep_tally.reply.page import Page
from deep_tally.reply.save import save_reply
from deep_tally.session.recall import recall_or_compare, recall_or_measure
from deep_tally.session.shelf import Shelf, named_brief
from deep_tally.session.words import add_word, vocabulary_at_hand
from deep_tally.views.lanes import NUDGE
from deep_tally.work.crew import Crew, Failed, Progress, Returned
from deep_tally.work.whole import sweep_unfinished

_POLL_MS, _EAGER_POLL_MS = 15, 2
"""How often the crews are asked: soon again after a job came back, for its worker waits for the next one."""

_KEEP_MS = 300
"""What the user says is written when he pauses: at every key the disk would make the window wait."""

_DEMO = "the demo delivery"
_UNFINISHED = "unfinished-demo-"
_ABANDONED_AFTER_S = 600.0
_TIDYING = "tidying up"
_SAVING = "saving a page"
PICTURES: dict[str, Callable[..., object]] = {
    "Spectrogram": read_spectrogram,
    "Stereo": read_stereo_field,
    "Histogram": count_values,
}
"""What pictures of a file there are, and the jobs that make them."""


class CheckState(QObject):
    """The open check. All signals are sent after the change they tell of."""

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
    saved = Signal(str, bool)
    """(one sentence for the user, whether it worked): a page was written, or could not be."""
    picture_came = Signal(str, str, object)
    """(kind, path, value): a picture of a file that was asked for; None where it cannot be read."""
    excerpts_came = Signal(str, object)
    """(who asked, {path: Excerpt}): samples that were asked for; a file that could not be read is missing."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.shelf = Shelf()
        self.chosen_brief: Brief = self.shelf.default
        """The brief as it lies on the shelf or in its file."""
        self.brief: Brief = self.shelf.unsaved or self.chosen_brief
        """The brief in force, with the user's changes."""
        self.vocabulary, self._refused_words = vocabulary_at_hand()
        self.run: CheckRun | None = None
        """The check that is open."""
        self.delivery: Delivery | None = None
        """Its assessment, as far as it was shown."""
        self.job: Job = recall_or_measure
        """What a worker does for one file."""
        self.compare_job: CompareJob = recall_or_compare
        """What a worker does for the files of one song."""
        self.undo_stack = QUndoStack(self)
        self._next: CheckRun | None = None
        self._left_folders: list[UnpackFolder] = []
        self._crew = Crew(preload=KERNELS)
        self._readers = Crew(workers=1, preload="deep_tally.intake.reading")
        # What the user sees must not wait for a page that is written, nor that for gigabytes that are deleted.
        self._clerks = Crew(workers=2, preload="deep_tally.work.whole")
        self._saving = 0
        self._is_making_demo = False
        # Beside the readers: what is seen of a waveform must not wait for a picture of a whole file.
        self._painters = Crew(workers=1, preload="deep_tally.measure.pictures")
        self._pictures: dict[str, tuple[str, str]] = {}
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self._poll)
        self._settling = QTimer(self)
        self._settling.setSingleShot(True)
        self._settling.timeout.connect(self._tell)
        self._keeping = QTimer(self)
        self._keeping.setSingleShot(True)
        self._keeping.setInterval(_KEEP_MS)
        self._keeping.timeout.connect(self._keep)

    @property
    def words_trouble(self) -> str:
        """What is wrong with the user's own words, in a sentence; empty when nothing is."""
        return self._refused_words

    def warm_up(self) -> None:
        """Start the worker processes while nobody waits for them."""
        self._crew.warm_up()
        self._readers.warm_up()
        self._tidy()

    def close(self) -> None:
        """End all work; changes to the brief that were not saved are there again next time."""
        if self._keeping.isActive():
            self._keep()
        with contextlib.suppress(DeepTallyError):
            self.shelf.keep_unsaved(self.brief if self.is_brief_changed else None)
        self._timer.stop()
        self._settling.stop()
        self._crew.close()
        self._readers.close()
        self._painters.close()
        self._clerks.close()
        for run in (self._next, self.run):
            if run is not None:
                run.close()
        for folder in self._left_folders:
            folder.remove()

    @property
    def is_measuring(self) -> bool:
        """Whether files are being measured, or held against each other."""
        return self.run is not None and self.run.stage in ("measuring", "comparing")

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
        self._open(paths, rough_mix, again=None)

    def open_again(self) -> None:
        """Read the open delivery again: only files that are new or changed are measured."""
        if self.run is not None:
            self._open(self.run.paths, self.run.rough_mix, again=self.run)

    def _open(self, paths: Sequence[Path], rough_mix: Path | None, *, again: CheckRun | None) -> None:
        if self._keeping.isActive():
            self._keep()  # what was said a moment ago may be about what is opened now
        self._stop_measuring()
        self._abandon()
        self.opening.emit("Looking through the files", paths[0].name if paths else "")
        self._next = CheckRun(
            paths, self.brief, vocabulary=self.vocabulary, rough_mix=rough_mix, crew=self._crew, again=again
        )
        self._next.job, self._next.compare_job = self.job, self.compare_job
        self._tidy()

    def _abandon(self) -> None:
        """Give up what is being opened."""
        if self._next is not None:
            self._next.cancel()
            self._leave(self._next)
            self._next = None

    def _leave(self, run: CheckRun) -> None:
        """Have a worker delete what a run unpacked, for it may be gigabytes, and what crashed windows left with it."""
        folder = run.let_go()
        if folder is not None:
            self._left_folders.append(folder)
        self._tidy()

    def _tidy(self) -> None:
        self._clerks.submit(_TIDYING, _tidy, tuple(f.path for f in self._left_folders))
        self._timer.start()

    def open_demo(self) -> None:
        """Make the demo delivery, unless it is there already, and open it."""
        self._stop_measuring()
        self._abandon()
        self.opening.emit("Making the demo delivery", "The demo")
        self._is_making_demo = True
        self._clerks.submit(_DEMO, _make_demo)
        self._timer.start()

    def cancel(self) -> None:
        """Stop measuring; what was measured is kept and assessed."""
        if self.is_measuring:
            self._stop_measuring()
        elif self._next is not None or self._is_making_demo:
            self._is_making_demo = False  # it is made all the same, and there at once the next time
            self._abandon()
            self.abandoned.emit()

    def _stop_measuring(self) -> None:
        if self.run is not None and self.is_measuring:
            self.run.cancel()
            self._settle()

    def choose_brief(self, path: Path) -> None:
        """Assess again with the brief in a file; no audio is read again."""
        self._choose(lambda: read_brief(path))

    def choose_named_brief(self, said: str) -> None:
        """Assess again with a brief of the shelf, or in a file."""
        self._choose(lambda: named_brief(said))

    def _choose(self, find: Callable[[], Brief]) -> None:
        try:
            brief = find()
        except DeepTallyError as error:
            self.refused.emit(str(error))
            return
        self.undo_stack.push(
            _BriefChange(self, f"Brief: {brief.name}", (self.brief, self.chosen_brief), (brief, brief))
        )

    def edit_brief(self, key: str, value: object, words: str) -> bool:
        """Change one line of the brief; tells whether the value can be used."""
        try:
            brief = with_value(self.brief, key, value)
        except BriefRefused as refused:
            self.refused.emit(str(refused))
            return False
        if brief != self.brief:
            now = self.chosen_brief
            self.undo_stack.push(_BriefChange(self, words, (self.brief, now), (brief, now), key))
        return True

    def put_brief(self, brief: Brief, chosen: Brief) -> None:
        """Take a brief; what is measured is assessed again at once."""
        self.brief, self.chosen_brief = brief, chosen
        self.brief_changed.emit()
        self._assess_again()

    @property
    def is_brief_changed(self) -> bool:
        """Whether the brief in force differs from the one that was chosen."""
        return self.brief != self.chosen_brief

    def save_brief(self, name: str) -> bool:
        """Keep the brief on the shelf under a name; tells whether it worked."""
        try:
            brief = with_value(self.brief, "name", name)
            self.shelf.save(brief)
        except DeepTallyError as error:
            self.refused.emit(str(error))
            return False
        self.put_brief(brief, brief)
        return True

    def save_page(self, page: Page, path: Path) -> None:
        """Write a page in a worker, which takes a second for a PDF; `saved` says how it went.

        Where it lies in the client's folder, the user agreed to that.
        """
        self._saving += 1
        self._clerks.submit(_SAVING, _save_page, page, path, self.client)
        self._timer.start()

    @property
    def is_saving(self) -> bool:
        """Whether a page is being written."""
        return self._saving > 0

    def put_brief_back(self) -> None:
        """Take the chosen brief again, without the changes; that can be undone."""
        self._choose(lambda: self.chosen_brief)

    def pick_default(self, name: str) -> bool:
        """Make a brief of the shelf the one that windows open with; tells whether it worked."""
        return self._try(lambda: self.shelf.pick_default(name))

    def delete_brief(self, name: str) -> bool:
        """Take one of the user's own briefs off the shelf; tells whether it worked."""
        return self._try(lambda: self.shelf.delete(name))

    def _try(self, what: Callable[[], None]) -> bool:
        try:
            what()
        except DeepTallyError as error:
            self.refused.emit(str(error))
            return False
        return True

    def correct(self, corrections: Corrections, words: str) -> None:
        """Take what the user says of this delivery; it is kept, and can be undone."""
        if self.run is not None and corrections != self.corrections:
            self.undo_stack.push(_Correction(self, words, self.corrections, corrections))

    def put_corrections(self, corrections: Corrections) -> None:
        """Take what the user said for true: what became audio is measured, then all is compared and assessed again."""
        run = self.run
        if run is None:
            return
        self._keeping.start()
        was_judged = self.delivery is not None or self._settling.isActive()
        if run.correct(corrections):
            self._abandon()  # its workers went with those of the files that were measured
            self._settling.stop()
            self.delivery = None
            self._timer.start()
            self.corrected.emit()
            self._settle()
        elif was_judged:
            self._tell()
        self.corrections_changed.emit()

    def _keep(self) -> None:
        self._keeping.stop()
        if self.run is not None:
            self._try(self.run.keep_corrections)

    def add_word(self, part: str, phrase: str) -> bool:
        """Keep a word of the user's own for a part; tells whether it can be used."""
        try:
            self.vocabulary = add_word(part, phrase)
        except DeepTallyError as error:
            self.refused.emit(str(error))
            return False
        self._assess_again()
        self.corrections_changed.emit()
        return True

    @property
    def can_be_corrected(self) -> bool:
        """Whether roles and songs can be changed now."""
        return self.intake is not None and not self.is_measuring

    def set_rough_mix(self, path: str) -> None:
        """Say which file is its song's rough mix; what only looked like it is a reference then."""
        if self.intake is not None:
            songs = {e.path: e.song for e in self.intake.entries}
            others = [p for p in self.corrections.rough_mixes if songs.get(p) == songs.get(path)]
            said = self.corrections.with_rough_mix(path, instead_of=others)
            self._sort(said, f"{_name(path)} is the rough mix")

    def set_role(self, paths: Iterable[str], role: Role) -> None:
        """Say what files are for. A note that belongs to no song joins the first one when it is said to be sound."""
        files = list(paths)
        self._sort(self.corrections.with_role(files, role), f"{_named(files)}: {role.value}")

    def set_song(self, paths: Iterable[str], song: str) -> None:
        """Say to which song files belong; a new name makes a new song."""
        files = list(paths)
        self._sort(self.corrections.with_song(files, song), f"{_named(files)} to {song}")

    def _sort(self, corrections: Corrections, words: str) -> None:
        """Take what is said of roles and songs, where it changes any."""
        if self.run is None or self.run.found is None or self.intake is None or not self.can_be_corrected:
            return
        if with_corrections(self.run.found, corrections).entries != self.intake.entries:
            self.correct(corrections, words)

    def request_excerpts(self, who: str, wanted: Iterable[tuple[str, int, int]]) -> None:
        """Ask for samples of files: (path, first frame, frames) each; `excerpts_came` brings them.

        A newer request of the same asker replaces one that still waits.
        """
        sources = self.sources
        jobs = [(path, sources[path], start, frames) for path, start, frames in wanted if path in sources]
        if jobs:
            self._readers.forget_waiting(who)
            self._readers.submit(who, read_excerpts, jobs)
            self._timer.start()

    def request_picture(self, kind: str, path: str, arguments: tuple[object, ...]) -> None:
        """Ask for a picture of a file (see `PICTURES`); `picture_came` brings it. The newest of a kind counts."""
        source = self.sources.get(path)
        if source is not None:
            for waiting in [job for job in self._pictures if self._pictures[job][0] == kind]:
                self._painters.forget_waiting(waiting)
            job = f"{kind}, {path}"
            self._pictures[job] = kind, path
            self._painters.submit(job, PICTURES[kind], source, *arguments)
            self._timer.start()

    @property
    def client(self) -> ClientFiles:
        """What nothing may be written over, or into."""
        return self.run.client if self.run is not None else NO_CLIENT

    @property
    def sources(self) -> dict[str, Path]:
        """Where the bytes of each file are."""
        return {e.path: e.source for e in self.intake.entries} if self.intake is not None else {}

    def _poll(self) -> None:
        for report in self._clerks.poll():
            if report.job == _TIDYING:
                for folder in [f for f in self._left_folders if not f.path.exists()]:
                    folder.remove()
                    self._left_folders.remove(folder)
            elif not isinstance(report, Progress):
                if report.job == _DEMO:
                    self._open_made(report)
                else:
                    self._take_saved(report)
        for report in self._readers.poll():
            if not isinstance(report, Progress):
                self.excerpts_came.emit(report.job, report.value if isinstance(report, Returned) else {})
        for report in self._painters.poll():
            if not isinstance(report, Progress):
                self.picture_came.emit(*self._pictures[report.job], getattr(report, "value", None))
        moved = came = False
        for report in self._crew.poll():
            came = came or not isinstance(report, Progress)
            for run in (self._next, self.run):
                if run is not None and (events := run.take(report)) is not None:
                    moved = self._hear(run, events) or moved
                    break
        if not moved and self.run is not None:
            moved = self._hear(self.run, self.run.step())
        if moved:
            self.progressed.emit()
        is_busy = any(crew.is_busy for crew in (self._crew, self._readers, self._painters, self._clerks))
        if not is_busy and (self.run is None or not self.run.is_to_step):
            self._timer.stop()
        else:
            self._timer.setInterval(_EAGER_POLL_MS if came else _POLL_MS)

    def _take_saved(self, report: Returned | Failed) -> None:
        self._saving -= 1
        if isinstance(report, Returned):
            self.saved.emit(*report.value)
        else:
            self.saved.emit(f"The page cannot be written: {report.problem}; {report.remedy}.", False)

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
                    self._leave(run)
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
            self._keep()
        is_again = before is not None and run.is_again
        self._next, self.run, self.delivery = None, run, None
        run.brief, run.vocabulary = self.brief, self.vocabulary
        self._settling.stop()
        self.undo_stack.clear()
        self.opened.emit(is_again)
        if is_again and before is not None and before.found is not None and run.found is not None:
            self.noticed.emit(_difference(before.found, run.found))
        elif run.trouble:
            self.noticed.emit(run.trouble)
        elif run.recalled != NO_CORRECTIONS:
            self.noticed.emit(f"Your earlier corrections apply: {correction_words(run.recalled)}.")
        if before is not None:
            self._leave(before)

    def _open_made(self, report: Returned | Failed) -> None:
        if not self._is_making_demo:
            return  # something else was opened meanwhile, or it was cancelled
        self._is_making_demo = False
        if isinstance(report, Returned):
            self.open([report.value])
        else:
            self.refused.emit(f"The demo cannot be made: {report.problem}; {report.remedy}.")

    def _assess_again(self) -> None:
        """Assess again what is assessed already; what is not will be, when it is measured and compared."""
        if self.run is None:
            return
        self.run.brief, self.run.vocabulary = self.brief, self.vocabulary
        if self.run.delivery is not None:
            self.run.assess()
            self._tell()

    def _settle(self) -> None:
        """Take all steps that need no worker, and show the result."""
        run = self.run
        if run is not None:
            while run.is_to_step:
                run.step()
            if run.delivery is not None:
                self._tell()

    def _tell(self) -> None:
        self._settling.stop()
        if self.run is not None and self.run.delivery is not None:
            self.delivery = self.run.delivery
            self.assessed.emit()


class _BriefChange(QUndoCommand):
    """One line of the brief changed, or another brief chosen: (in force, chosen) before and after it."""

    def __init__(
        self, state: CheckState, words: str, before: tuple[Brief, Brief], after: tuple[Brief, Brief], key: str = ""
    ) -> None:
        super().__init__(words)
        self._state, self._before, self._after, self._key = state, before, after, key

    def redo(self) -> None:
        self._state.put_brief(*self._after)

    def undo(self) -> None:
        self._state.put_brief(*self._before)

    def id(self) -> int:
        return 1 if self._key else -1

    def mergeWith(self, other: QUndoCommand) -> bool:
        """Turning a number up and down is one change."""
        is_number = self._key.startswith("thresholds.") or self._key.endswith(("_dbfs", "_seconds", "longest"))
        if not isinstance(other, _BriefChange) or other._key != self._key or not is_number:
            return False
        self._after = other._after
        return True


class _Correction(QUndoCommand):
    """What the user said of the delivery, before and after."""

    def __init__(self, state: CheckState, words: str, before: Corrections, after: Corrections) -> None:
        super().__init__(words)
        self._state, self._before, self._after = state, before, after

    def redo(self) -> None:
        self._state.put_corrections(self._after)

    def undo(self) -> None:
        self._state.put_corrections(self._before)

    def id(self) -> int:
        return 2

    def mergeWith(self, other: QUndoCommand) -> bool:
        """Typing at the pattern is one change, and so is nudging one file again and again."""
        if not isinstance(other, _Correction):
            return False
        was_typed = self._before.pattern != self._after.pattern
        typed = was_typed and replace(other._after, pattern=self._after.pattern) == self._after
        nudged = self.text() == other.text() and self.text().startswith(NUDGE)
        if typed or nudged:
            self._after = other._after
        return typed or nudged


def _name(path: str) -> str:
    return path.rpartition("/")[2]


def _named(paths: Sequence[str]) -> str:
    return listed([_name(p) for p in paths], most=1) if len(paths) == 1 else count(len(paths), "file")


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


def _save_page(progress: object, page: Page, path: Path, client: ClientFiles) -> tuple[str, bool]:
    """In a worker: write a page; returns a sentence about it, and whether it worked."""
    try:
        save_reply(page, path, client=client, into_delivery=True)
    except DeepTallyError as error:
        return str(error), False
    return f"Saved: {path}", True


def _tidy(progress: object, folders: tuple[Path, ...]) -> None:
    """In a worker: delete what is no longer needed, and what crashed windows left."""
    for folder in folders:
        shutil.rmtree(folder, ignore_errors=True)
    sweep()
    sweep_unfinished()


def _make_demo(progress: object) -> Path:
    from deep_tally.demo.delivery import FOLDER_NAME, write_demo

    home = user_cache_path("deep-tally") / f"demo-{__version__}"
    if (home / "planted.json").is_file():
        return home / FOLDER_NAME
    home.parent.mkdir(parents=True, exist_ok=True)
    for left in home.parent.glob(f"{_UNFINISHED}*"):
        if time.time() - left.stat().st_mtime > _ABANDONED_AFTER_S:
            shutil.rmtree(left, ignore_errors=True)
    # Made beside and renamed: a demo that was interrupted is never taken for a whole one.
    made = Path(tempfile.mkdtemp(dir=home.parent, prefix=_UNFINISHED))
    write_demo(made)
    made.rename(home)
    return home / FOLDER_NAME
