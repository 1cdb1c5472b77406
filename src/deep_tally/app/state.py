"""The check that is open in the window: what came, what is measured so far, what was found.

Holds the crews and polls them from a timer; the event loop never waits for a process, and no thread runs
beside it.
"""

from __future__ import annotations

import contextlib
import shutil
import tempfile
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from platformdirs import user_cache_path
from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from deep_tally import __version__
from deep_tally.check.judge import judge
from deep_tally.compare.run import CompareJob, Comparing, Key
from deep_tally.intake.unpacked import UnpackFolder, sweep
from deep_tally.intake.walk import take_in, tell_rough_mix
from deep_tally.measure.crew import Crew, Failed, Progress, Returned
from deep_tally.measure.excerpt import read_excerpts
from deep_tally.measure.pictures import count_values, read_spectrogram, read_stereo_field
from deep_tally.measure.run import Job, Measuring
from deep_tally.model.brief import Brief, read_brief, with_value
from deep_tally.model.comparison import Comparison
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.errors import BriefRefused, DeepTallyError
from deep_tally.model.files import NO_CLIENT, ClientFiles, Entry, Intake, Role
from deep_tally.reply.numbers import count, listed
from deep_tally.reply.page import Page
from deep_tally.reply.save import save_reply
from deep_tally.session.recall import recall_or_compare, recall_or_measure
from deep_tally.session.shelf import Shelf, named_brief
from deep_tally.session.told import NOTHING_TOLD, Told, add_word, keep_told, recall_told, vocabulary_at_hand
from deep_tally.whole import sweep_unfinished

_POLL_MS, _EAGER_POLL_MS = 15, 2
"""How often the crews are asked: soon again after a job came back, for its worker waits for the next one."""

_KEEP_MS = 300
"""What is told is written when the user pauses: at every key the disk would make the window wait."""

_DEMO = "the demo delivery"
_UNFINISHED = "unfinished-demo-"
_ABANDONED_AFTER_S = 600.0
NUDGE = "Nudge "
"""How the words of a change begin that moves a file by a hair."""
_INTAKE = "what came"
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
    opened = Signal(bool)
    """`intake` and `tracks` are new; True when it is the delivery that was open, read again."""
    read_again = Signal(str)
    """The delivery that was open was read again; the words say what is different. Sent after `opened`."""
    corrected = Signal()
    """The user changed what files are for, or to which song they belong; the judgement follows."""
    measured = Signal(object)
    """One more Track is measured."""
    progressed = Signal()
    """`measuring` moved on."""
    judged = Signal()
    """`delivery` is new: measuring ended or was cancelled, or the brief changed."""
    brief_changed = Signal()
    """`brief` is another one; a judged delivery is judged anew right after."""
    told_changed = Signal()
    """`told` or `vocabulary` is another one: parts of files, new names, words; the judgement follows."""
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
        self.told: Told = NOTHING_TOLD
        self.vocabulary, self._refused_words = vocabulary_at_hand()
        self.intake: Intake | None = None
        self.measuring: Measuring | None = None
        self.delivery: Delivery | None = None
        self.comparing: Comparing | None = None
        self.job: Job = recall_or_measure
        """What a worker does for one file."""
        self.compare_job: CompareJob = recall_or_compare
        """What a worker does for the files of one song."""
        self._compared: dict[Key, Comparison] = {}
        self.undo_stack = QUndoStack(self)
        self._found: Intake | None = None
        self._asked_for: tuple[tuple[Path, ...], Path | None] = ((), None)
        self._opened: tuple[tuple[Path, ...], Path | None] = ((), None)
        self._is_again = False
        self._unpacked: UnpackFolder | None = None
        self._unpacking: UnpackFolder | None = None
        self._left_folders: list[UnpackFolder] = []
        self._crew = Crew()
        self._readers = Crew(workers=1, preload="deep_tally.intake.reading")
        # What the user sees must not wait for a page that is written, nor that for gigabytes that are deleted.
        self._clerks = Crew(workers=2, preload="deep_tally.whole")
        self._saving = 0
        # Beside the readers: what is seen of a waveform must not wait for a picture of a whole file.
        self._painters = Crew(workers=1, preload="deep_tally.measure.pictures")
        self._pictures: dict[str, tuple[str, str]] = {}
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self._poll)
        self._settling = QTimer(self)
        self._settling.setSingleShot(True)
        self._settling.timeout.connect(self._settle)
        self._judgement: Delivery | None = None
        self._keeping = QTimer(self)
        self._keeping.setSingleShot(True)
        self._keeping.setInterval(_KEEP_MS)
        self._keeping.timeout.connect(self._keep_told)

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
            self._keep_told()
        with contextlib.suppress(DeepTallyError):
            self.shelf.keep_unsaved(self.brief if self.is_brief_changed else None)
        self._timer.stop()
        self._settling.stop()
        self._crew.close()
        self._readers.close()
        self._painters.close()
        self._clerks.close()
        for folder in (self._unpacking, self._unpacked, *self._left_folders):
            if folder is not None:
                folder.remove()

    @property
    def is_measuring(self) -> bool:
        """Whether files are being measured, or held against each other."""
        if self.measuring is not None and not self.measuring.is_done:
            return True
        return self.comparing is not None and not self.comparing.is_done

    @property
    def tracks(self) -> tuple[Track, ...]:
        """All audio files, measured or not."""
        return self.measuring.tracks if self.measuring is not None else ()

    def open(self, paths: Sequence[Path], *, rough_mix: Path | None = None) -> None:
        """List and measure a delivery; the one open before is put away once the new one is found."""
        self._list(tuple(paths), rough_mix, again=False)

    def open_again(self) -> None:
        """Read the open delivery again: only files that are new or changed are measured."""
        if self.intake is not None:
            self._list(*self._opened, again=True)

    def _list(self, paths: tuple[Path, ...], rough_mix: Path | None, *, again: bool) -> None:
        self._stop_measuring()
        self._asked_for, self._is_again = (paths, rough_mix), again
        self._leave(self._unpacking)
        try:
            self._unpacking = UnpackFolder()
        except OSError:
            self._unpacking = None  # then zips are told to be unpacked by hand
        self.opening.emit("Looking through the files", paths[0].name if paths else "")
        self._crew.submit(_INTAKE, _take_in, paths, rough_mix, self._unpacking.files if self._unpacking else None)
        self._timer.start()

    def _leave(self, folder: UnpackFolder | None) -> None:
        """Have a worker delete what was unpacked, for it may be gigabytes, and what crashed windows left with it."""
        if folder is not None:
            self._left_folders.append(folder)
        self._tidy()

    def _tidy(self) -> None:
        self._clerks.submit(_TIDYING, _tidy, tuple(f.path for f in self._left_folders))
        self._timer.start()

    def open_demo(self) -> None:
        """Make the demo delivery, unless it is there already, and open it."""
        self._stop_measuring()
        self.opening.emit("Making the demo delivery", "The demo")
        self._crew.submit(_DEMO, _make_demo)
        self._timer.start()

    def cancel(self) -> None:
        """Stop measuring; what was measured is kept and judged."""
        if self.is_measuring:
            self._stop_measuring()
        else:
            self._crew.cancel()
            self._leave(self._unpacking)
            self._unpacking = None
            self.abandoned.emit()

    def _stop_measuring(self) -> None:
        self._crew.cancel()
        if self.measuring is not None and self.is_measuring:
            self.measuring.cancel()
            if self.comparing is not None:
                self.comparing.cancel()
            self._judge()

    def choose_brief(self, path: Path) -> None:
        """Judge anew with the brief in a file; no audio is read again."""
        self._choose(lambda: read_brief(path))

    def choose_named_brief(self, said: str) -> None:
        """Judge anew with a brief of the shelf, or in a file."""
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
        """Take a brief; what is measured is judged anew at once."""
        self.brief, self.chosen_brief = brief, chosen
        self.brief_changed.emit()
        self._judge_anew()

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

    def tell(self, told: Told, words: str) -> None:
        """Take what the user tells of this delivery; it is kept, and can be undone."""
        if told != self.told:
            self.undo_stack.push(_Telling(self, words, self.told, told))

    def put_told(self, told: Told) -> None:
        """Take for true what was told; parts of files are judged anew at once."""
        before = self.told
        is_judged_anew = (told.parts, told.places, told.tempos) != (before.parts, before.places, before.tempos)
        self.told = told
        self._keeping.start()
        if is_judged_anew:
            self._judge_anew()
        self.told_changed.emit()

    def _keep_told(self) -> None:
        self._keeping.stop()
        if self.intake is not None:
            source, told = self.intake.source, self.told
            self._try(lambda: keep_told(source, told))

    def add_word(self, part: str, phrase: str) -> bool:
        """Keep a word of the user's own for a part; tells whether it can be used."""
        try:
            self.vocabulary = add_word(part, phrase)
        except DeepTallyError as error:
            self.refused.emit(str(error))
            return False
        self._judge_anew()
        self.told_changed.emit()
        return True

    @property
    def can_be_corrected(self) -> bool:
        """Whether roles and songs can be changed now."""
        return self.intake is not None and not self.is_measuring

    def tell_rough_mix(self, path: str) -> None:
        """Say which file is its song's rough mix; what only looked like it is a reference then."""
        if self.intake is not None and self.can_be_corrected:
            self._correct(f"{_name(path)} is the rough mix", tell_rough_mix(self.intake.entries, path))

    def tell_role(self, paths: Iterable[str], role: Role) -> None:
        """Say what files are for. A note that belongs to no song joins the first one when it is said to be sound."""
        first = self.intake.songs[0] if self.intake is not None and role.is_audio else ""
        self._change(paths, f"{{}}: {role.value}", lambda e: replace(e, role=role, song=e.song or first))

    def tell_song(self, paths: Iterable[str], song: str) -> None:
        """Say to which song files belong; a new name makes a new song."""
        self._change(paths, f"{{}} to {song}", lambda entry: replace(entry, song=song))

    def _change(self, paths: Iterable[str], words: str, change: Callable[[Entry], Entry]) -> None:
        if self.intake is not None and self.can_be_corrected:
            meant = set(paths)
            entries = [change(e) if e.path in meant else e for e in self.intake.entries]
            named = listed([_name(p) for p in meant], most=1) if len(meant) == 1 else count(len(meant), "file")
            self._correct(words.replace("{}", named), entries)

    def _correct(self, words: str, entries: Sequence[Entry]) -> None:
        if self.intake is not None and tuple(entries) != self.intake.entries and any(e.role.is_audio for e in entries):
            self.undo_stack.push(_Correction(self, words, self.intake.entries, tuple(entries)))

    def put_entries(self, entries: tuple[Entry, ...]) -> None:
        """Take corrected entries for true: what is measured stays, what became audio is measured, all is judged."""
        if self.intake is None or self.measuring is None:
            return
        known = self.measuring.by_path
        if self.is_measuring:
            # An undo may come while a file that became audio is measured: what is not done is begun anew.
            self._crew.cancel()
            known = {path: track for path, track in known.items() if is_measured(track)}
        self.intake = replace(self.intake, entries=entries)
        self.delivery = self._judgement = None
        self.measuring = Measuring(self.intake, self._crew, job=self.job, known=known)
        self.comparing = None
        self._timer.start()
        self.corrected.emit()
        if self.measuring.is_done:
            self._compare()

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
        return self.intake.client if self.intake is not None else NO_CLIENT

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
                self._saving -= 1
                if isinstance(report, Returned):
                    self.saved.emit(*report.value)
                else:
                    self.saved.emit(f"The page cannot be written: {report.problem}; {report.remedy}.", False)
        for report in self._readers.poll():
            if not isinstance(report, Progress):
                self.excerpts_came.emit(report.job, report.value if isinstance(report, Returned) else {})
        for report in self._painters.poll():
            if not isinstance(report, Progress):
                self.picture_came.emit(*self._pictures[report.job], getattr(report, "value", None))
        moved = came = False
        for report in self._crew.poll():
            moved = True
            came = came or not isinstance(report, Progress)
            if report.job == _INTAKE:
                if isinstance(report, Progress):
                    self.opening_moved.emit(report.done, report.total)
                else:
                    self._start(report)
            elif report.job == _DEMO and not isinstance(report, Progress):
                self._open_made(report)
            elif self.comparing is not None and self.comparing.take(report):
                continue
            elif self.measuring is not None and (track := self.measuring.take(report)) is not None:
                self.measured.emit(track)
        if moved and self.measuring is not None:
            if self.measuring.is_done and self.delivery is None:
                # In events of their own: this one may have drawn a lot already.
                self._settling.start()
            self.progressed.emit()
        if not any(crew.is_busy for crew in (self._crew, self._readers, self._painters, self._clerks)):
            self._timer.stop()
        else:
            self._timer.setInterval(_EAGER_POLL_MS if came else _POLL_MS)

    def _start(self, report: Returned | Failed) -> None:
        value = report.value if isinstance(report, Returned) else f"{report.problem}; {report.remedy}."
        if not isinstance(value, Intake):
            self._leave(self._unpacking)
            self._unpacking = None
            self.refused.emit(str(value))
            return
        before, self._unpacked, self._unpacking = self._unpacked, self._unpacking, None
        known: dict[str, Track] = {}
        words = ""
        found = value
        if self._is_again and self._found is not None and self.intake is not None and self.measuring is not None:
            same = {e.path for e in found.entries} & {e.path for e in _unchanged(self._found, found)}
            known = {p: t for p, t in self.measuring.by_path.items() if p in same and is_measured(t)}
            words = _difference(self._found, found, same)
            value = _with_corrections(found, self._found, self.intake)
        if not self._is_again:
            self._compared = {}
        if self._keeping.isActive():
            self._keep_told()
        self._found, self.intake, self._opened = found, value, self._asked_for
        self.told = recall_told(value.source)
        self.undo_stack.clear()
        self.delivery = self._judgement = None
        self.measuring = Measuring(self.intake, self._crew, job=self.job, known=known)
        self.comparing = None
        self.opened.emit(self._is_again)
        if words:
            self.read_again.emit(words)
        if self.measuring.is_done:
            self._compare()
        self._leave(before)

    def _open_made(self, report: Returned | Failed) -> None:
        if isinstance(report, Returned):
            self.open([report.value])
        else:
            self.refused.emit(f"The demo cannot be made: {report.problem}; {report.remedy}.")

    def _settle(self) -> None:
        """One step towards the judgement, each in an event of its own: compare, judge, tell."""
        if self._judgement is not None:
            self._tell()
        else:
            self._compare(at_once=False)

    def _compare(self, *, at_once: bool = True) -> None:
        """When all is measured, hold the files against each other; then judge."""
        if self.intake is None or self.measuring is None or self.delivery is not None or not self.measuring.is_done:
            return
        if self.comparing is None:
            known = self._compared
            self.comparing = Comparing(
                self.intake, self.measuring.tracks, self._crew, job=self.compare_job, known=known
            )
            self._timer.start()
        if self.comparing.is_done:
            self._judge(at_once=at_once)

    def _judge_anew(self) -> None:
        """Judge again what is judged already; what is not will be, when it is measured and compared."""
        if self.delivery is not None or self._judgement is not None:
            self._judge()

    def _judge(self, *, at_once: bool = True) -> None:
        if self.intake is None or self.measuring is None:
            return
        comparisons: Mapping[str, Comparison] = {}
        if self.comparing is not None:
            self._compared |= self.comparing.found
            comparisons = self.comparing.by_song
        self._judgement = judge(
            self.intake,
            self.measuring.tracks,
            self.brief,
            comparisons=comparisons,
            told_parts=self.told.parts,
            told_places=self.told.places,
            told_tempos=self.told.tempos,
            vocabulary=self.vocabulary,
            incomplete=self.comparing.incomplete if self.comparing is not None else (),
        )
        if at_once:
            self._tell()
        else:
            self._settling.start()

    def _tell(self) -> None:
        self.delivery, self._judgement = self._judgement, None
        self.judged.emit()


class _Correction(QUndoCommand):
    """One correction by the user, as the entries before and after it."""

    def __init__(self, state: CheckState, words: str, before: tuple[Entry, ...], after: tuple[Entry, ...]) -> None:
        super().__init__(words)
        self._state, self._before, self._after = state, before, after

    def redo(self) -> None:
        self._state.put_entries(self._after)

    def undo(self) -> None:
        self._state.put_entries(self._before)


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


class _Telling(QUndoCommand):
    """What the user told of the delivery, before and after."""

    def __init__(self, state: CheckState, words: str, before: Told, after: Told) -> None:
        super().__init__(words)
        self._state, self._before, self._after = state, before, after

    def redo(self) -> None:
        self._state.put_told(self._after)

    def undo(self) -> None:
        self._state.put_told(self._before)

    def id(self) -> int:
        return 2

    def mergeWith(self, other: QUndoCommand) -> bool:
        """Typing at the pattern is one change, and so is nudging one file again and again."""
        if not isinstance(other, _Telling):
            return False
        was_typed = self._before.pattern != self._after.pattern
        typed = was_typed and replace(other._after, pattern=self._after.pattern) == self._after
        nudged = self.text() == other.text() and self.text().startswith(NUDGE)
        if typed or nudged:
            self._after = other._after
        return typed or nudged


def is_measured(track: Track) -> bool:
    """Whether what is known of a file need not be found out again: what could not be checked here is tried again."""
    return track.is_done and track.unchecked is None


def _name(path: str) -> str:
    return path.rpartition("/")[2]


def _unchanged(before: Intake, now: Intake) -> list[Entry]:
    """Entries of now whose files are the very ones that were there before."""
    identities = {e.path: e.identity for e in before.entries}
    return [e for e in now.entries if identities.get(e.path) == e.identity]


def _difference(before: Intake, now: Intake, same: set[str]) -> str:
    """What reading again brought, in words."""
    was, are = ({e.path for e in intake.entries} for intake in (before, now))
    parts = [
        count(len(paths), "file") + f" {what}"
        for paths, what in ((are - was, "added"), (are & was - same, "changed"), (was - are, "gone"))
        if paths
    ]
    return f"Read again: {listed(parts)}." if parts else "Read again: nothing is different."


def _with_corrections(now: Intake, found: Intake, corrected: Intake) -> Intake:
    """The user's corrections to what was found before, for the files that are still there."""
    as_found = {e.path: (e.role, e.song) for e in found.entries}
    told = {e.path: (e.role, e.song) for e in corrected.entries if (e.role, e.song) != as_found[e.path]}
    entries = [replace(e, role=told[e.path][0], song=told[e.path][1]) if e.path in told else e for e in now.entries]
    return replace(now, entries=tuple(entries))


def _take_in(
    progress: Callable[[int, int], None], paths: tuple[Path, ...], rough_mix: Path | None, unpack_into: Path | None
) -> Intake | str:
    """In a worker: a slow drive must not hold the window. A refusal comes back as its sentence."""
    try:
        return take_in(paths, rough_mix=rough_mix, unpack_into=unpack_into, on_step=progress)
    except DeepTallyError as error:
        return str(error)


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
