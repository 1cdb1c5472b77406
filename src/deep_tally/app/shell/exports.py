"""What is saved beside the letter: the session sheet and the history; and what is offered once something is saved."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QMimeData, QObject, QUrl
from PySide6.QtGui import QDesktopServices, QGuiApplication

from deep_tally.app.base.client_folder import may_save
from deep_tally.app.pages.paper import ask_where
from deep_tally.model.errors import DeepTallyError
from deep_tally.reply.action_words import readable
from deep_tally.reply.save import save_reply
from deep_tally.reply.session_sheet import session_sheets
from deep_tally.work.atomic import write_atomically

if TYPE_CHECKING:
    from deep_tally.app.shell.window import Window

_SHEET_KINDS = (("PDF", ".pdf"), ("Web page", ".html"), ("Table", ".csv"))


class Exports(QObject):
    """Asks where, saves, and offers to open what was saved."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window, self._state = window, window.state

    def save_sheet(self) -> None:
        """The session sheet, as PDF, web page or table."""
        from deep_tally.reply.formats.session_sheet import SHEET_FORMS

        delivery = self._state.delivery
        if delivery is None:
            self._window.say("There is no check to make a sheet of yet.")
            return
        path = self._ask("Save the session sheet", f"Session sheet {delivery.name}", _SHEET_KINDS)
        if path is None:
            return
        made = SHEET_FORMS[path.suffix.casefold()](session_sheets(delivery), self._window.reply.paper)
        self._write(lambda: write_atomically(made, path, client=self._state.client, into_delivery=True), path)

    def save_history(self) -> None:
        """The rounds with their letters and decisions, as one web page."""
        delivery = self._state.delivery
        name = f"History {delivery.name}" if delivery is not None else "History"
        path = self._ask("Save the history", name, (("Web page", ".html"),))
        if path is not None:
            page = self._state.next_round.history()
            self._write(lambda: save_reply(page, path, client=self._state.client, into_delivery=True), path)

    def _ask(self, title: str, name: str, kinds: tuple[tuple[str, str], ...]) -> Path | None:
        path = ask_where(self._window, self._window.settings, title, name, kinds)
        return path if path is not None and may_save(self._window, path, self._state.client) else None

    def _write(self, write: Callable[[], None], path: Path) -> None:
        try:
            write()
        except DeepTallyError as error:
            self._window.say(readable(str(error)))
            return
        self._window.settings.set_folder("reply", path.parent)
        self.saved(path)

    def saved(self, path: Path) -> None:
        """Something was saved: say so, and offer to go there."""
        self._window.offer.ask(
            readable(f"Saved: {path}"),
            (
                ("Open", "In the program for such files", lambda: self._open(path)),
                ("Show in folder", "Open the folder it lies in", lambda: self._open(path.parent)),
                (
                    "Copy the file",
                    "Put the file on the clipboard, to be pasted into a mail or a folder",
                    lambda: _copy(path),
                ),
                ("Close", "Put this line away", None),
            ),
        )

    def _open(self, path: Path) -> None:
        if not QDesktopServices.openUrl(QUrl.fromLocalFile(str(path))):
            self._window.say(readable(f"No program opens {path} here."))


def _copy(path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    data.setText(str(path))
    QGuiApplication.clipboard().setMimeData(data)
