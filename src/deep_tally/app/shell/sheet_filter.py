"""Which rows of the sheet are shown, said by every control that chooses them."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from deep_tally.model.findings import Action
from deep_tally.views.filter import Filter

if TYPE_CHECKING:
    from deep_tally.app.shell.window import Window


class SheetFilter:
    """Keeps the sheet, the tallies in the band and the button in the line of steps at one filter."""

    def __init__(self, window: Window) -> None:
        self._window = window

    def keep_action(self, action: Action | None) -> None:
        """Show only the rows with findings of one action; None shows those of all."""
        self.keep(replace(self._window.sheet.proxy.filter, action=action, question=None))

    def keep(self, wanted: Filter) -> None:
        """Show only the rows that a filter keeps; the words in the find field stay in force."""
        wanted = replace(wanted, words=self._window.steps.find_field.text())
        self._window.sheet.proxy.keep(wanted)
        self._window.steps.show_button.setText(wanted.says)
        for action, tally in self._window.band.tallies.items():
            tally.setChecked(wanted.action is action)
        self._window.sheet.go_to(self._window.sheet.current_path)
        if not self._window.sheet.proxy.rowCount() and self._window.sheet.sheet_model.rowCount():
            self._window.say("No file matches. Press Alt+0 to show everything.")

    def keep_likely(self, paths: list[str]) -> None:
        """Show only the files that are probably no plain tracks, and go to the first."""
        self.keep(Filter(paths=frozenset(paths)))
        self._window.sheet.go_to(paths[0])
        self._window.sheet.setFocus()

    def find(self) -> None:
        """The words in the find field changed."""
        self.keep(self._window.sheet.proxy.filter)

    def go_find(self) -> None:
        """Go to the sheet's find field."""
        self._window.navigator.show_sheet()
        self._window.steps.go_find()

    def keep_misses(self, line: str, paths: tuple[str, ...]) -> None:
        """Show only the files that miss a line of the brief."""
        self._window.navigator.show_sheet()
        self.keep(Filter(paths=frozenset(paths), line=line))
        self._window.sheet.setFocus()
