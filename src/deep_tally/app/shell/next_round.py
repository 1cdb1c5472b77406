"""The open delivery as the next round of a saved check: matched in a worker, judged together, compared."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from deep_tally.engine.opening import Opened
from deep_tally.engine.round_sides import Joining, RoundSide, first_side, rounds_of, sent_again, side_of_saved
from deep_tally.engine.saving import saved_check_of
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.rounds import Rounds
from deep_tally.model.saved_check import SavedRound
from deep_tally.reply.history import PastRound, day_words, write_history
from deep_tally.reply.numbers import count
from deep_tally.reply.page import Page
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
    compared = Signal()
    """The rounds are compared, and are to be shown."""

    def __init__(self, state: CheckState) -> None:
        super().__init__(state)
        self._state = state
        self._wanted: tuple[Path, int | None, bool | None] | None = None
        self._older: CheckRun | None = None
        self._is_shown_after = True
        self._is_to_be_shown = False
        self._after: tuple[Path, ...] = ()
        self._asked_of: CheckRun | None = None
        self._first: tuple[object, RoundSide | None] = (None, None)
        self._rounds: tuple[object, Rounds | None] = (None, None)
        state.clerks.joined.connect(self._take)
        state.assessed.connect(self._go_on)
        state.assessed.connect(self._show)
        state.autosave.saved.connect(self._go_on)

    def join(self, path: Path, *, rounds: int | None = None, partial: bool | None = None) -> None:
        """Make what is open the round after the first `rounds` of a check; None: after all."""
        self._wanted, self._older, self._is_shown_after = (path, rounds, partial), None, True
        self._go_on()

    def join_opened(
        self, path: Path, *, rounds: int | None = None, partial: bool | None = None, shown: bool = True
    ) -> None:
        """The same with what is being opened, once that is there; `shown` says whether to go to the rounds then."""
        self._wanted, self._older, self._is_shown_after = (path, rounds, partial), self._state.run, shown

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

    @property
    def is_wanted(self) -> bool:
        """Whether what is opened is to be joined."""
        return self._wanted is not None or bool(self._after)

    @property
    def is_joining(self) -> bool:
        """Whether a worker is at it."""
        return self._asked_of is not None

    def cancel(self) -> None:
        """Leave what is open a delivery of its own."""
        self._asked_of = None
        self.forget()

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
        if not self.is_wanted or run is None or run.delivery is None or run.stage != "done":
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

    def _show(self) -> None:
        if self._is_to_be_shown and self.rounds is not None:
            self._is_to_be_shown = False
            self.compared.emit()

    def _take(self, opened: Opened | None, trouble: str) -> None:
        if self._asked_of is not self._state.run:
            return  # something else was opened meanwhile
        self._asked_of = None
        if opened is None:
            self.failed.emit(trouble)
            return
        self._is_to_be_shown = self._is_shown_after
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
        """The round before the open one; None where there is none. It is assessed again for another brief only."""
        run = self._state.run
        if run is None or run.saved is None:
            return None
        about = run.saved.earlier, run.saved.since is None, run.brief, run.vocabulary
        if not _is_same(about, self._first[0]):
            self._first = about, first_side(run)
        return self._first[1]

    @property
    def rounds(self) -> Rounds | None:
        """The open round against the one before; None where there is none."""
        run, first = self._state.run, self.first
        if run is None or run.saved is None or run.saved.since is None or first is None or run.delivery is None:
            return None
        about = first, run.delivery, run.saved.since
        if not _is_same(about, self._rounds[0]):
            self._rounds = about, rounds_of(first.delivery, run.delivery, run.saved.since)
        return self._rounds[1]

    def _side_of(self, saved: SavedRound) -> RoundSide:
        return side_of_saved(saved, self._state.brief, self._state.vocabulary)

    def history(self) -> Page:
        """All rounds as a page."""
        run = self._state.run
        past: list[PastRound] = []
        if run is None or run.delivery is None:
            return Page(())
        earlier = run.saved.earlier if run.saved is not None else ()
        last: Delivery | None = None
        for saved in (*earlier, saved_check_of(run).rounds[-1]):
            is_open = len(past) == len(earlier)
            delivery = run.delivery if is_open else self._side_of(saved).delivery
            rounds = rounds_of(last, delivery, saved.since) if last is not None and saved.since is not None else None
            past.append(PastRound(saved, delivery, rounds))
            last = delivery
        return write_history(run.delivery.name, past)

    @property
    def lines(self) -> tuple[str, ...]:
        """A line about each round, the latest first."""
        run = self._state.run
        if run is None or run.saved is None:
            return ()
        rounds = [(saved.checked_at, saved.letters) for saved in run.saved.earlier]
        rounds.append((run.saved.checked_at, run.saved.letters))
        said = []
        for number, (at, letters) in enumerate(rounds, start=1):
            written = f"; {count(len(letters), 'letter')}" if letters else ""
            said.append(f"Round {number}: {day_words(at)}{written}")
        return tuple(reversed(said))

    @property
    def before(self) -> Mapping[str, Track]:
        """For each file that was replaced: the one it stands for, as it was measured."""
        run, first = self._state.run, self.first
        if run is None or run.saved is None or run.saved.since is None or first is None:
            return {}
        since, tracks = run.saved.since, {t.path: t for t in first.tracks}
        same = set(since.same)
        return {p: tracks[was] for p, was in since.successors.items() if was in tracks and p not in same}


def _is_same(one: tuple[object, ...], other: object) -> bool:
    """Whether what something was worked out from are the very same things."""
    return isinstance(other, tuple) and all(a is b for a, b in zip(one, other, strict=True))
