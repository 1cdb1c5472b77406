"""The brief in force: chosen from the library or a file, changed line by line, saved; all of it can be undone."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoStack

from deep_tally.app.shell.undo import BriefChange
from deep_tally.model.brief import Brief, read_brief, with_value
from deep_tally.model.errors import BriefRefused, DeepTallyError
from deep_tally.session.brief_library import BriefLibrary, named_brief


class Briefs(QObject):
    """The brief in force and the library it comes from."""

    changed = Signal()
    """`brief` is another one."""
    refused = Signal(str)
    """Something could not be done; one sentence for the user."""

    def __init__(self, undo_stack: QUndoStack, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._undo_stack = undo_stack
        self.library = BriefLibrary()
        self.chosen: Brief = self.library.default
        """The brief as it is in the library or in its file."""
        self.brief: Brief = self.library.unsaved or self.chosen
        """The brief in force, with the user's changes."""
        self._own: tuple[Brief, Brief] | None = None

    def lend(self, brief: Brief) -> None:
        """Put the brief of a saved check in force, as long as that is open."""
        if self._own is None:
            self._own = self.brief, self.chosen
        self.put(brief, brief)

    def give_back(self) -> None:
        """Put the user's own brief in force again: that of a saved check is not the next delivery's."""
        if self._own is not None:
            (brief, chosen), self._own = self._own, None
            self.put(brief, chosen)

    def choose_file(self, path: Path) -> None:
        """Take the brief in a file."""
        self._choose(lambda: read_brief(path))

    def choose(self, said: str) -> None:
        """Take a brief of the library by its name, or one in a file by its path."""
        self._choose(lambda: named_brief(said))

    def discard_changes(self) -> None:
        """Take the chosen brief again, without the changes; that can be undone."""
        self._choose(lambda: self.chosen)

    def _choose(self, find: Callable[[], Brief]) -> None:
        try:
            brief = find()
        except DeepTallyError as error:
            self.refused.emit(str(error))
            return
        before = self.brief, self.chosen
        self._undo_stack.push(BriefChange(self.put, f"Brief: {brief.name}", before, (brief, brief)))

    def edit(self, key: str, value: object, words: str) -> bool:
        """Change one line of the brief; returns whether the value can be used."""
        try:
            brief = with_value(self.brief, key, value)
        except BriefRefused as refused:
            self.refused.emit(str(refused))
            return False
        if brief != self.brief:
            now = self.chosen
            self._undo_stack.push(BriefChange(self.put, words, (self.brief, now), (brief, now), key))
        return True

    def put(self, brief: Brief, chosen: Brief) -> None:
        """Put a brief in force."""
        self.brief, self.chosen = brief, chosen
        self.changed.emit()

    @property
    def is_changed(self) -> bool:
        """Whether the brief in force differs from the one that was chosen."""
        return self.brief != self.chosen

    def save(self, name: str) -> bool:
        """Save the brief to the library under a name; returns whether it worked."""
        try:
            brief = with_value(self.brief, "name", name)
            self.library.save(brief)
        except DeepTallyError as error:
            self.refused.emit(str(error))
            return False
        self.put(brief, brief)
        return True

    def pick_default(self, name: str) -> bool:
        """Make a brief of the library the one that windows open with; returns whether it worked."""
        return self._try(lambda: self.library.pick_default(name))

    def delete(self, name: str) -> bool:
        """Delete one of the user's own briefs; returns whether it worked."""
        return self._try(lambda: self.library.delete(name))

    def keep_unsaved(self) -> None:
        """Keep changes that were not saved for the next window."""
        with contextlib.suppress(DeepTallyError):
            brief, chosen = self._own or (self.brief, self.chosen)
            self.library.keep_unsaved(brief if brief != chosen else None)

    def _try(self, what: Callable[[], None]) -> bool:
        try:
            what()
        except DeepTallyError as error:
            self.refused.emit(str(error))
            return False
        return True
