"""What is asked about a delivery once it is open: where its files are now, and whether to read what changed."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog

from deep_tally.engine.opening import Opened
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import count
from deep_tally.reply.saved_words import saved_words
from deep_tally.session.saved_checks import is_saved_check

if TYPE_CHECKING:
    from deep_tally.app.shell.window import Window


class Offers(QObject):
    """Asks in the strip under the steps; an answer that is not given changes nothing."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window, self._state = window, window.state
        self._state.opened.connect(self._opened)
        window.empty.recent.chosen.connect(lambda path: window.open([Path(path)]))

    def _opened(self, again: bool) -> None:
        run = self._state.run
        self._window.offer.put_away()
        if run is None or run.opened is None or again:
            return
        opened = run.opened
        if opened.resembles is not None and not self._state.next_round.is_wanted:
            self._ask_whether_next(opened.resembles)
        elif opened.missing and len(opened.missing) == len(opened.found.entries):
            self._ask_where(opened)
        elif opened.changed:
            self._ask_about_changes(opened)
        elif opened.missing:
            for words in saved_words(changed=(), missing=opened.missing, files=len(opened.found.entries)):
                self._window.say(readable(words))

    def _ask_whether_next(self, path: Path) -> None:
        self._window.offer.ask(
            "This looks like another round of a delivery that you have checked before.",
            (
                ("As its next round", "Compare it with what was asked then", lambda: self._state.next_round.join(path)),
                ("By itself", "Check it as a delivery of its own", None),
            ),
        )

    def dropped(self, paths: Sequence[Path]) -> None:
        """A delivery was dropped on the check that is open: it may be its next round."""
        delivery, run = self._state.delivery, self._state.run
        if delivery is None or run is None or run.saved is None or any(is_saved_check(path) for path in paths):
            self._window.open(paths)
            return
        self._window.offer.ask(
            readable(f"Is “{paths[0].name}” the next round of “{delivery.name}”?"),
            (
                (
                    "Yes, the next round",
                    "Compare it with what was asked, and keep what was not sent again",
                    lambda: self._state.next_round.open(paths),
                ),
                ("No, open it by itself", "Check it as a delivery of its own", lambda: self._window.open(paths)),
            ),
        )

    def _ask_where(self, opened: Opened) -> None:
        self._window.offer.ask(
            readable(f"The files of this check are not at {opened.found.source} any more. Where are they now?"),
            (
                ("Show me where…", "Choose the folder or zip that was checked, where it is now", self._choose_place),
                ("Go on without them", "Everything is shown but cannot be played", None),
            ),
        )

    def _choose_place(self) -> None:
        run = self._state.run
        if run is None or run.found is None:
            return
        start = str(self._window.settings.folder("delivery"))
        if run.found.archives and not run.found.folders:
            chosen, _ = QFileDialog.getOpenFileName(self._window, "Where is the zip now?", start, "Zips (*.zip)")
        else:
            chosen = QFileDialog.getExistingDirectory(self._window, "Where are the files now?", start)
        if chosen:
            self._state.open_moved(Path(chosen))

    def _ask_about_changes(self, opened: Opened) -> None:
        self._window.offer.ask(
            next(iter(readable(w) for w in saved_words(changed=opened.changed, missing=(), files=0))),
            (
                (
                    "Check again",
                    "Read the files as they are now (F5); this check stays as it is",
                    self._state.open_again,
                ),
                (
                    "Leave it",
                    f"Show the check as it was, before {count(len(opened.changed), 'file')} changed",
                    None,
                ),
            ),
        )
