"""Changes that can be undone: a line of the brief, another brief, a correction."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtGui import QUndoCommand

from deep_tally.model.brief import Brief
from deep_tally.model.corrections import Corrections
from deep_tally.views.lanes import NUDGE

PutBrief = Callable[[Brief, Brief], None]
"""(brief in force, brief as it was chosen) -> None."""


class BriefChange(QUndoCommand):
    """One line of the brief changed, or another brief chosen: (in force, chosen) before and after it."""

    def __init__(
        self, put: PutBrief, words: str, before: tuple[Brief, Brief], after: tuple[Brief, Brief], key: str = ""
    ) -> None:
        super().__init__(words)
        self._put, self._before, self._after, self._key = put, before, after, key

    def redo(self) -> None:
        self._put(*self._after)

    def undo(self) -> None:
        self._put(*self._before)

    def id(self) -> int:
        return 1 if self._key else -1

    def mergeWith(self, other: QUndoCommand) -> bool:
        """Turning a number up and down is one change."""
        is_number = self._key.startswith("thresholds.") or self._key.endswith(("_dbfs", "_seconds", "longest"))
        if not isinstance(other, BriefChange) or other._key != self._key or not is_number:
            return False
        self._after = other._after
        return True


class CorrectionChange(QUndoCommand):
    """The user's corrections before and after a change."""

    def __init__(self, put: Callable[[Corrections], None], words: str, before: Corrections, after: Corrections) -> None:
        super().__init__(words)
        self._put, self._before, self._after = put, before, after

    def redo(self) -> None:
        self._put(self._after)

    def undo(self) -> None:
        self._put(self._before)

    def id(self) -> int:
        return 2

    def mergeWith(self, other: QUndoCommand) -> bool:
        """Typing at the pattern is one change, and so is nudging one file again and again."""
        if not isinstance(other, CorrectionChange):
            return False
        was_typed = self._before.pattern != self._after.pattern
        typed = was_typed and replace(other._after, pattern=self._after.pattern) == self._after
        nudged = self.text() == other.text() and self.text().startswith(NUDGE)
        if typed or nudged:
            self._after = other._after
        return typed or nudged
