"""The demo delivery: made by a worker, unless it is there, and opened."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

if TYPE_CHECKING:
    from deep_tally.app.shell.state import CheckState


class DemoOpener(QObject):
    """Opens what is made, unless something else was opened meanwhile or it was cancelled."""

    def __init__(self, state: CheckState) -> None:
        super().__init__(state)
        self._state = state
        self.is_being_made = False
        state.clerks.demo_made.connect(self._open)
        state.clerks.demo_failed.connect(self._refuse)

    def open(self, number: int = 1) -> None:
        """Make the demo and open its first sending, or the first and then the corrected one as its next round."""
        self._state.stop_measuring()
        self._state.abandon()
        self._state.opening.emit("Making the demo delivery", "The demo")
        self.is_being_made = True
        self._state.clerks.make_demo(number)

    def cancel(self) -> None:
        """Open nothing: it is made all the same, and there at once the next time."""
        self.is_being_made = False

    def _open(self, first: Path, second: Path | None) -> None:
        if self.is_being_made:
            self.is_being_made = False
            self._state.open([first])
            if second is not None:
                self._state.next_round.open_after([second])

    def _refuse(self, words: str) -> None:
        if self.is_being_made:
            self.is_being_made = False
            self._state.refused.emit(words)
