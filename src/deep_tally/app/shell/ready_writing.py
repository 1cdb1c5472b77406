"""The ready copy being written: where to, how far, and what is offered when it is there."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QFileDialog

from deep_tally.app.pages.paper import plain_name
from deep_tally.engine.ready_run import Finished, Going, ReadyRun, Stopped
from deep_tally.model.errors import CannotWrite, DeepTallyError
from deep_tally.reply.action_words import readable
from deep_tally.reply.ready_folder import hand_overs
from deep_tally.reply.ready_words import proof_words

if TYPE_CHECKING:
    from deep_tally.app.shell.window import Window

_POLL_MS = 60


class ReadyWriting(QObject):
    """Owns the run that writes a plan."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window, self._state = window, window.state
        self._run: ReadyRun | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self._poll)

    @property
    def is_busy(self) -> bool:
        """Whether copies are being written."""
        return self._run is not None

    def ask(self) -> None:
        """Ask where, and write the plan that is shown."""
        delivery = self._state.delivery
        if delivery is None or self.is_busy:
            return
        chosen = QFileDialog.getExistingDirectory(
            self._window, "Where to put the ready copy's folder", str(self._window.settings.folder("ready"))
        )
        if chosen:
            self._window.settings.set_folder("ready", Path(chosen))
            self.write(Path(chosen), plain_name(f"{delivery.name} ready copy"))

    def write(self, parent: Path, name: str) -> None:
        """Write the plan into a folder of this name, or of the next one that can be used."""
        run, delivery = self._state.run, self._state.delivery
        if run is None or delivery is None or run.intake is None:
            return
        plan = self._window.ready.plan
        entries = {entry.path: entry for entry in run.intake.entries}
        sources = {path: entry.source for path, entry in entries.items()}
        error: DeepTallyError | None = None
        for number in range(1, 100):
            folder = parent / (name if number == 1 else f"{name} {number}")
            try:
                self._run = ReadyRun(
                    plan,
                    folder,
                    entries=entries,
                    delivery=delivery,
                    contents=run.contents,
                    client=run.client,
                    brief=run.brief,
                    hand_overs=tuple(hand_overs(delivery, plan, sources)),
                )
            except CannotWrite as refused:
                error = error or refused
                if not folder.is_dir() or folder.resolve() == parent.resolve() or self._is_the_clients(folder):
                    break
            else:
                self._window.ready.show_progress("comparing", 0, 1)
                self._timer.start()
                return
        self._window.say(readable(str(error)))

    def _is_the_clients(self, folder: Path) -> bool:
        return any(folder.resolve() in (p, *p.parents) for p in (f.resolve() for f in self._state.client.folders))

    def _poll(self) -> None:
        run = self._run
        if run is None:
            return
        for event in run.poll():
            if isinstance(event, Going):
                self._window.ready.show_progress(event.stage, event.done, event.total)
            elif isinstance(event, Stopped):
                self._end()
                self._window.saved(str(event.error), False)
            elif isinstance(event, Finished):
                words = " ".join(
                    proof_words(copies=len(run.plan.copies), error_dbfs=run.worst_error_dbfs, left=len(event.left))
                )
                self._end()
                self._window.check_saved()
                self._window.say(words)
                self._window.exports.saved(event.manifest.parent)

    def cancel(self) -> None:
        """Stop; what is whole stays, and the same plan goes on there."""
        run = self._run
        if run is not None:
            run.cancel()
            self._end()
            self._window.check_saved()
            words = f"Stopped. What is whole stays in {run.folder}; writing there again goes on with it."
            self._window.say(readable(words))

    def close(self) -> None:
        """Stop without a word: the window closes."""
        self._timer.stop()
        if self._run is not None:
            self._run.close()
            self._run = None

    def _end(self) -> None:
        self._timer.stop()
        if self._run is not None:
            self._run.close()
            self._run = None
        self._window.ready.show_rest()
