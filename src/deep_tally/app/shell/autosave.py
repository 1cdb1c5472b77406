"""Saves the open check after every change, in a worker: what was measured once, what the user says each time.

What the user says is also in the delivery's record before that (`session.corrections`): a window that is killed while
the check is written loses nothing that was said.
"""

from __future__ import annotations

import pickle
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from deep_tally.engine.check_run import is_measured
from deep_tally.engine.saved import SavedPlace
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.saved_check import SentLetter
from deep_tally.session.saved_checks import ENDING, Base, SavedAs, free_place, home, now, require_saved_check
from deep_tally.work.atomic import require_not_the_clients

if TYPE_CHECKING:
    from deep_tally.app.shell.clerks import Clerks
    from deep_tally.engine.check_run import CheckRun
    from deep_tally.engine.saving import PackedCheck

_PAUSE_MS = 350
_TRACKS_AT_ONCE = 6
"""How many are packed in one turn of the event loop: 3 ms."""


class Autosave(QObject):
    """Owned by the check's state; tells it where the check is saved."""

    saved = Signal()
    """The open check is saved, or could not be; `CheckRun.saved` says where."""
    placed = Signal()
    """It is saved at another place than before."""
    said = Signal(str)
    """One sentence for the user: it could not be saved, or not over what somebody else has saved."""

    def __init__(self, clerks: Clerks, parent: QObject) -> None:
        super().__init__(parent)
        self._clerks = clerks
        self._run: CheckRun | None = None
        self._written: object = None
        """What was measured, as it is on disk: see `_measured_of`."""
        self._kept: object = None
        """All that is on disk: see `_all_of`."""
        self._packing: _Packing | None = None
        self._is_wanted = False
        self._is_at_work = False
        self._sends_all = False
        """Whether the document on disk turned out not to be there, or not to be what it was."""
        self._trouble = ""
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._go_on)
        clerks.check_saved.connect(self._take)

    def watch(self, run: CheckRun) -> None:
        """Save this check from now on; what of another is not saved yet is sent off first."""
        self.flush()
        self._run, self._written, self._kept, self._packing = run, None, None, None
        if run.opened is not None and run.opened.is_saved_check:
            self._written, self._kept = _measured_of(run), _all_of(run)

    def changed(self) -> None:
        """Something of the check is another: it is saved when that pauses."""
        self._is_wanted = True
        if not self._timer.isActive():
            self._timer.start(_PAUSE_MS)

    @property
    def is_busy(self) -> bool:
        """Whether something is not saved yet."""
        return self._is_wanted or self._is_at_work

    def flush(self) -> None:
        """Send off what is not saved yet, at once."""
        if self._is_wanted:
            self._timer.stop()
            while self._is_wanted and not self._is_at_work:
                self._go_on()

    def save_as(self, path: Path) -> None:
        """Save the check at a place of the user's from now on, unless something else lies there."""
        if self._run is not None:
            try:
                require_saved_check(path)
                require_not_the_clients(path, self._run.client, into_delivery=True)
            except DeepTallyError as error:
                self.said.emit(str(error))
                return
            place = self._run.saved or SavedPlace(path=path, revision="", checked_at=now())
            base = place.base or (place.path if place.revision else None)
            self._run.saved = replace(place, path=path, revision="", base=base)
            self.changed()
            self.flush()

    def add_letter(self, letter: SentLetter) -> None:
        """A letter was written about the round at hand."""
        if self._run is not None and self._run.saved is not None:
            self._run.saved = replace(self._run.saved, letters=(*self._run.saved.letters, letter))
            self.changed()

    def _go_on(self) -> None:
        """Pack some more tracks, or send the check off."""
        run = self._run
        if run is None or run.delivery is None or run.found is None:
            self._is_wanted = False
            return
        if self._is_at_work:
            return  # once more when that is done
        if self._kept == _all_of(run):
            self._is_wanted = False
            self.saved.emit()
            return
        if self._packing is None or self._packing.holds != _all_of(run):
            self._packing = _Packing(run, is_known=self._written == _measured_of(run), sends_all=self._sends_all)
        if not self._packing.go_on():
            self._timer.start(0)
            return
        packing, self._packing = self._packing, None
        self._is_wanted, self._is_at_work = False, True
        self._written, self._kept = _measured_of(run), packing.holds
        self._clerks.save_check(id(run), packing.packed(), run.client)

    def _take(self, run_of: object, at: SavedAs | None, trouble: str) -> None:
        """A worker saved the check, or could not."""
        self._is_at_work = False
        if at is None:
            if not self._sends_all:
                self._sends_all = self._is_wanted = True  # perhaps what lay there was moved or deleted
            elif trouble != self._trouble:  # said once, and not at every key while a disk is full
                self._trouble = trouble
                self.said.emit(trouble)
            self._written = self._kept = None
        elif (run := self._run) is not None and _is_about(run, run_of, at):
            self._trouble, self._sends_all = "", False
            place = run.saved or SavedPlace(path=at.path, revision=at.revision, checked_at=now())
            is_elsewhere = run.saved is None or place.path != at.path or place.base is not None
            run.saved = replace(place, path=at.path, revision=at.revision, base=None)
            if is_elsewhere:
                self.placed.emit()
            if at.is_beside:
                self.said.emit(f"Another window saved this check meanwhile: yours goes on as “{at.path.name}”.")
        if self._is_wanted:
            self._timer.start(0)
        self.saved.emit()


class _Packing:
    """A check that is made ready for a worker, some tracks at a time.

    Parameters
    ----------
    run : CheckRun
    is_known : bool
        Whether what was measured is saved already.
    sends_all : bool
        Whether the document there cannot be relied on.
    """

    def __init__(self, run: CheckRun, *, is_known: bool, sends_all: bool) -> None:
        from deep_tally.engine.saving import saved_check_of

        self.holds = _all_of(run)
        check = saved_check_of(run, with_tracks=False)
        *earlier, this = check.rounds
        place = run.saved
        self._base: Base | None = None
        if not sends_all and place is not None and (is_known or earlier):
            self._base = Base(path=place.base or place.path, rounds=len(earlier), with_tracks=is_known)
            earlier = []
        is_sent = self._base is None or not self._base.with_tracks
        self._left = [t for t in run.tracks if is_measured(t)] if is_sent else []
        self._packed: list[bytes] = []
        self._check = replace(check, rounds=(*earlier, this))
        self._path = place.path if place is not None else free_place(home() / f"{_stem(run)}{ENDING}")
        self._rests_on = (place.revision or None) if place is not None else None

    def go_on(self) -> bool:
        """Pack a few more; returns whether all are packed."""
        from deep_tally.engine.saving import lasting

        for track in self._left[:_TRACKS_AT_ONCE]:
            self._packed.append(pickle.dumps(lasting(track), protocol=5))
        del self._left[:_TRACKS_AT_ONCE]
        return not self._left

    def packed(self) -> PackedCheck:
        """What goes to the worker."""
        from deep_tally.engine.saving import PackedCheck

        return PackedCheck(
            check=self._check, tracks=tuple(self._packed), path=self._path, rests_on=self._rests_on, base=self._base
        )


def _is_about(run: CheckRun, run_of: object, at: SavedAs) -> bool:
    """Whether what was saved is this check, be it as an earlier run of it."""
    return run_of == id(run) or (run.saved is not None and run.saved.path == at.path)


def _measured_of(run: CheckRun) -> object:
    """What is another when there are other tracks, relations or rounds to be saved."""
    earlier = run.saved.earlier if run.saved is not None else ()
    measured = sum(is_measured(t) for t in run.tracks)
    return id(run), measured, len(run.matched), len(run.compared), len(earlier)


def _all_of(run: CheckRun) -> object:
    """What is another when anything is to be saved."""
    place = run.saved
    where = (place.path, place.base, place.letters) if place is not None else None
    return _measured_of(run), run.corrections, run.brief, where


def _stem(run: CheckRun) -> str:
    return run.record.stem if run.record is not None else "check"
