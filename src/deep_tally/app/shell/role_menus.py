"""What the selected files of the sheet are for, to which song they belong, and which is the rough mix."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu, QWidget

from deep_tally.app.base.plain import ask_text
from deep_tally.app.sheet.sheet_view import SheetView
from deep_tally.app.shell.actions import add_action
from deep_tally.app.shell.state import CheckState
from deep_tally.model.files import Role
from deep_tally.reply.action_words import readable
from deep_tally.reply.role_texts import likely_roles
from deep_tally.reply.role_words import role_words
from deep_tally.views.alike import files_like


class RoleMenus(QObject):
    """Actions of the Edit menu, which are the sheet's context menu too."""

    said = Signal(str)
    """One sentence for the user."""

    def __init__(self, state: CheckState, sheet: SheetView, menu: QMenu, window: QWidget) -> None:
        super().__init__(window)
        self._state, self._sheet = state, sheet
        self.role_menu = QMenu("The selected files are…", window)
        for number, role in enumerate(r for r in Role if r not in (Role.MIDI, Role.MIX)):
            if role in (Role.ROUGH_MIX, Role.DOCUMENT):
                self.role_menu.addSeparator()
            words = f"&{number + 1} {role_words(role)}" + (", left out" if role is Role.STRAY else "")
            add_action(self.role_menu, words, self._role_setter(role))
        self.song_menu = QMenu("The selected files belong to…", window)
        self.song_menu.aboutToShow.connect(self._fill_song_menu)
        mix_action = add_action(menu, "The selected file is the rough &mix", self._set_mix, "Ctrl+M")
        confirm = add_action(menu, "The selected files are what they &seem to be", self._confirm, "Ctrl+Shift+R")
        like = add_action(menu, "Select all files &like it", self._select_alike, "Ctrl+Shift+L")
        menu.addMenu(self.role_menu)
        menu.addMenu(self.song_menu)
        for words, key, opened in (
            ("What the selected files are for…", "Ctrl+R", self.role_menu),
            ("Which song the selected files belong to…", "Ctrl+G", self.song_menu),
        ):
            action = QAction(words, window)
            action.setShortcut(QKeySequence(key))
            action.triggered.connect(lambda checked=False, opened=opened: self._pop_up(opened))
            window.addAction(action)
        sheet.addActions([mix_action, confirm, like, self.role_menu.menuAction(), self.song_menu.menuAction()])

    def _pop_up(self, menu: QMenu) -> None:
        """Open a menu beside the row the user is at."""
        if self._sheet.isVisible() and self._sheet.current_row is not None:
            place = self._sheet.visualRect(self._sheet.currentIndex()).bottomLeft()
            menu.popup(self._sheet.viewport().mapToGlobal(place))

    def _role_setter(self, role: Role) -> Callable[[], None]:
        def set_role() -> None:
            if self._may_correct():
                self._state.sorter.set_roles(dict.fromkeys(self._sheet.selected_paths, role))

        return set_role

    def _fill_song_menu(self) -> None:
        self.song_menu.clear()
        intake = self._state.intake
        for song in intake.songs if intake is not None else ():
            words = readable(song).replace("&", "&&")
            add_action(self.song_menu, words, self._song_setter(song))
        self.song_menu.addSeparator()
        add_action(self.song_menu, "A new song…", self._set_new_song)

    def _song_setter(self, song: str) -> Callable[[], None]:
        return lambda: self._set_song(song)

    def _set_song(self, song: str) -> None:
        if song and self._may_correct():
            self._state.sorter.set_song(self._sheet.selected_paths, song)

    def _set_new_song(self) -> None:
        name, agreed = ask_text(self._sheet, "A new song", "The song's name:")
        if agreed:
            self._set_song(name.strip())

    def _set_mix(self) -> None:
        row = self._sheet.current_row
        if row is not None and self._may_correct():
            self._state.sorter.set_rough_mix(row.track.path)

    def _confirm(self) -> None:
        roles = likely_roles(self._state.delivery, self._sheet.selected_paths)
        if self._may_correct() and roles:
            self._state.sorter.set_roles(roles)

    def _select_alike(self) -> None:
        """Choose the files like the current one: what is said then is said of all of them."""
        row = self._sheet.current_row
        if row is None or not self._sheet.isVisible():
            return
        alike = files_like(row, self._sheet.sheet_model.sheet.rows)
        self._sheet.go_to(row.track.path, also=alike)
        if len(alike) == 1:
            self.said.emit("No other file is like this one: neither its role, its folder nor the words of its name.")

    def _may_correct(self) -> bool:
        """Whether roles and songs can be edited now; says why not."""
        if not self._sheet.isVisible():
            return False
        if not self._state.can_be_corrected:
            self.said.emit("Wait until all files are measured, or cancel; then set what they are for.")
            return False
        return True
