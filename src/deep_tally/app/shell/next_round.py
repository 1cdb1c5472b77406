"""The open delivery as the next round of a saved check: matched in a worker, judged together, compared."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from deep_tally.engine.opening import Opened
from deep_tally.engine.round_sides import Joining, RoundSide, rounds_of, sent_again, side_of_saved
from deep_tally.engine.saving import saved_check_of
from deep_tally.model.delivery import Track
from deep_tally.model.rounds import Rounds
from deep_tally.session.recent_checks import forget
from deep_tally.session.saved_checks import home

if TYPE_CHECKING:
    from deep_tally.app.shell.state import CheckState
    from deep_tally.engine.check_run import CheckRun


class NextRound(QObject):
    """Owned by the check's state."""

    failed = Signal(str)
    """It cannot be joined; one sentence for the user."""
    joining = Signal()
    """Files are matched and compared with the round before; `joined` or `failed` follows."""
    joined = Signal(object)
    """An Opened: the delivery as it is to be judged now, to be opened."""

    def __init__(self, state: CheckState) -> None:
        super().__init__(state)
        self._state = state
        self._waiting: Joining | None = None
        self._wanted: tuple[Path, int | None, bool | None] | None = None
        self._older: CheckRun | None = None
        self._after: tuple[Path, ...] = ()
        self._asked_of: CheckRun | None = None
        self._side: tuple[object, RoundSide] | None = None
        state.clerks.joined.connect(self._take)
        state.assessed.connect(self._go_on)
        state.autosave.saved.connect(self._go_on)

    def join(self, path: Path, *, rounds: int | None = None, partial: bool | None = None) -> None:
        """Make what is open the round after the first `rounds` of a check; None: after all."""
        self._wanted, self._older = (path, rounds, partial), None
        self._go_on()

    def join_opened(self, path: Path, *, rounds: int | None = None, partial: bool | None = None) -> None:
        """The same with what is being opened, once that is there."""
        self._wanted, self._older = (path, rounds, partial), self._state.run

    def open(self, paths: Sequence[Path]) -> None:
        """Open a delivery as the next round of the check that is open."""
        place = self._state.run.saved if self._state.run is not None else None
        self._state.open(paths)
        if place is not None:
            self.join_opened(place.path)

    def open_after(self, paths: Sequence[Path]) -> None:
        """Open a delivery as the next round of what is being opened, once that is measured and saved."""
        self._after = tuple(paths)
        self._go_on()

    def forget(self) -> None:
        """What was opened is no round of anything."""
        self._wanted, self._after = None, ()

    def join_again(self, *, partial: bool | None = None) -> None:
        """Match the open round once more with the one before, as the user says now."""
        run = self._state.run
        if run is not None and run.saved is not None and run.saved.since is not None:
            kept = run.saved.since.is_partial if partial is None else partial
            self.join(run.saved.path, rounds=len(run.saved.earlier), partial=kept)

    def _go_on(self) -> None:
        """Begin once all is measured and saved."""
        run = self._state.run
        is_wanted = self._wanted is not None or self._after
        if not is_wanted or run is None or run.delivery is None or run.stage != "done":
            return
        if self._wanted is not None and run is self._older:
            return
        if self._state.autosave.is_busy:
            self._state.autosave.flush()
            return  # once more when it is saved
        if self._after and run.saved is not None:
            after, self._after = self._after, ()
            self.open(after)
        elif self._wanted is not None:
            self._submit(run, *self._wanted)

    def _submit(self, run: CheckRun, path: Path, rounds: int | None, partial: bool | None) -> None:
        self._wanted = None
        second = saved_check_of(run).rounds[-1]
        place = run.saved
        said: Mapping[str, str] = run.corrections.stands_for
        self._asked_of = run
        self._state.clerks.join(
            Joining(
                path=path,
                rounds=rounds,
                second=sent_again(second) if rounds is not None else replace(second, since=None),
                brief=self._state.brief,
                partial=partial,
                said=said,
                checked_at=place.checked_at if place is not None and rounds is not None else "",
            )
        )
        self.joining.emit()

    def _take(self, opened: Opened | None, trouble: str) -> None:
        if self._asked_of is not self._state.run:
            return  # something else was opened meanwhile
        self._asked_of = None
        if opened is None:
            self.failed.emit(trouble)
            return
        self._put_away_own(opened)
        self.joined.emit(opened)

    def _put_away_own(self, opened: Opened) -> None:
        """What was saved of the delivery by itself is part of the round's check from now on."""
        place = self._state.run.saved if self._state.run is not None else None
        joined = opened.saved.path if opened.saved is not None else None
        if place is not None and place.path != joined and place.path.parent == home() and not place.earlier:
            forget(str(place.path))
            place.path.unlink(missing_ok=True)

    @property
    def first(self) -> RoundSide | None:
        """The round before the open one; None where there is none."""
        run = self._state.run
        if run is None or run.saved is None or run.saved.since is None or not run.saved.earlier:
            return None
        before = run.saved.earlier[-1]
        key = id(before), self._state.brief
        if self._side is None or self._side[0] != key:
            self._side = key, side_of_saved(before, self._state.brief, self._state.vocabulary)
        return self._side[1]

    @property
    def rounds(self) -> Rounds | None:
        """The open round against the one before; None where there is none."""
        run, first = self._state.run, self.first
        if run is None or run.saved is None or run.saved.since is None or first is None or run.delivery is None:
            return None
        return rounds_of(first.delivery, run.delivery, run.saved.since)

    @property
    def before(self) -> Mapping[str, Track]:
        """For each file that was replaced: the one it stands for, as it was measured."""
        run, first = self._state.run, self.first
        if run is None or run.saved is None or run.saved.since is None or first is None:
            return {}
        since, tracks = run.saved.since, {t.path: t for t in first.tracks}
        same = set(since.same)
        return {p: tracks[was] for p, was in since.successors.items() if was in tracks and p not in same}
