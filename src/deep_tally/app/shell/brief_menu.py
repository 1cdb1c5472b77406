"""Which brief is in force: chosen, saved, made the default, deleted, read from a file or written to one."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog

from deep_tally.app.base.client_folder import may_save
from deep_tally.app.base.plain import ask_text
from deep_tally.app.base.settings import Settings
from deep_tally.app.brief.brief_panel import BriefPanel
from deep_tally.app.shell.actions import add_action
from deep_tally.app.shell.state import CheckState
from deep_tally.model.errors import DeepTallyError
from deep_tally.reply.action_words import readable
from deep_tally.work.atomic import write_atomically


class BriefMenu(QObject):
    """The menu over the brief's panel."""

    said = Signal(str)
    """One sentence for the user."""

    def __init__(self, state: CheckState, panel: BriefPanel, settings: Settings) -> None:
        super().__init__(panel)
        self._state, self._panel, self._settings = state, panel, settings
        panel.menu.aboutToShow.connect(self._fill)

    def _fill(self) -> None:
        menu, state = self._panel.menu, self._state
        menu.clear()
        for name in state.briefs.library.names():
            action = add_action(menu, readable(name).replace("&", "&&"), self._chooser(name))
            action.setCheckable(True)
            action.setChecked(name == state.brief.name)
        menu.addSeparator()
        add_action(menu, "&Save", lambda: self._save(state.brief.name)).setEnabled(state.briefs.is_changed)
        add_action(menu, "Save &as…", self._save_as)
        put_back = add_action(menu, "&Discard the changes", self._state.briefs.discard_changes)
        put_back.setEnabled(state.briefs.is_changed)
        add_action(menu, "Make it the &default", self._make_default)
        delete = add_action(menu, "&Delete it", self._delete)
        delete.setEnabled(state.briefs.library.is_own(state.brief.name))
        menu.addSeparator()
        add_action(menu, "&Open a file…", self.choose_file)
        add_action(menu, "E&xport to a file…", self._export)
        for trouble in state.briefs.library.troubles:
            self.said.emit(readable(trouble))

    def _chooser(self, name: str) -> Callable[[], None]:
        return lambda: self._state.briefs.choose(name)

    def _save(self, name: str) -> None:
        if self._state.briefs.save(name):
            self.said.emit(f"The brief is saved as “{readable(name)}”.")

    def _save_as(self) -> None:
        name, agreed = ask_text(
            self._panel, "Save the brief", "Name of the brief (by its use):", text=readable(self._state.brief.name)
        )
        if agreed and name.strip():
            self._save(name.strip())

    def _make_default(self) -> None:
        state = self._state
        if state.briefs.is_changed:
            self.said.emit("Save the brief first: an unsaved brief cannot be the default.")
        elif state.briefs.pick_default(state.brief.name):
            self.said.emit(f"New windows open with “{readable(state.brief.name)}” now.")

    def _delete(self) -> None:
        name = self._state.brief.name
        if self._state.briefs.delete(name):
            self.said.emit(f"“{readable(name)}” was deleted. The current brief stays in use until you choose another.")

    def _export(self) -> None:
        proposed = self._settings.folder("brief") / f"{readable(self._state.brief.name.replace('/', '-'))}.json"
        chosen, _ = QFileDialog.getSaveFileName(self._panel, "Export the brief", str(proposed), "Brief (*.json)")
        if chosen:
            self.export_to(Path(chosen))

    def export_to(self, path: Path) -> None:
        """Export the brief, and say what happened."""

        if not may_save(self._panel, path, self._state.client):
            return
        try:
            write_atomically(self._state.brief.to_json(), path, client=self._state.client, into_delivery=True)
        except DeepTallyError as error:
            self.said.emit(str(error))
            return
        self._settings.set_folder("brief", path.parent)
        self.said.emit(f"Saved: {path}")

    def choose_file(self) -> None:
        """Ask for a brief and check against it."""
        folder = str(self._settings.folder("brief"))
        chosen, _ = QFileDialog.getOpenFileName(self._panel, "Check against a brief", folder, "Brief (*.json)")
        if chosen:
            self._settings.set_folder("brief", Path(chosen).parent)
            self._state.briefs.choose_file(Path(chosen))
