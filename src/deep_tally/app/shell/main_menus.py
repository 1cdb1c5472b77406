"""The menus of the window."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence

from deep_tally.app.shell.actions import add_action
from deep_tally.reply.action_words import readable
from deep_tally.session.recent_checks import recent_checks

if TYPE_CHECKING:
    from deep_tally.app.shell.window import Window


class MainMenus:
    """Made in two steps, as the window is: what can be done before the views stand, and the rest."""

    def __init__(self, window: Window) -> None:
        self._window = window
        bar = window.menuBar()
        files = bar.addMenu("&File")
        add_action(files, "Open a &folder…", window.choose_folder, QKeySequence.StandardKey.Open)
        add_action(files, "Open &zips or files…", window.choose_files, "Ctrl+Shift+O")
        add_action(files, "Open the &next round…", window.choose_next_round, "Ctrl+Shift+N")
        add_action(files, "Open the &demo", lambda: window.state.demo.open())
        self._recent = files.addMenu("Recent &checks")
        self._recent.aboutToShow.connect(self._fill_recent)
        files.addSeparator()
        add_action(files, "Check against a &brief file…", lambda: window.brief_menu.choose_file())
        add_action(files, "&Read the delivery again", lambda: window.state.open_again(), "F5")
        files.addSeparator()
        add_action(files, "&Save the reply…", lambda: window.navigator.save_reply(), QKeySequence.StandardKey.Save)
        picture = "Save the p&icture that is shown…"
        add_action(files, picture, lambda: window.picture_saver.ask_and_save(), "Ctrl+Shift+P")
        add_action(files, "&Copy the reply as text", lambda: window.navigator.copy_reply(), "Ctrl+Shift+C")
        add_action(files, "Save the session s&heet…", lambda: window.exports.save_sheet(), "Ctrl+Alt+S")
        add_action(files, "Save the histor&y…", lambda: window.exports.save_history())
        add_action(files, "Save the chec&k as…", window.save_check_as, "Ctrl+Shift+S")
        files.addSeparator()
        add_action(files, "&Quit", window.close, QKeySequence.StandardKey.Quit)
        self._edit = bar.addMenu("&Edit")
        self._view = bar.addMenu("&View")
        self._listen = bar.addMenu("&Listen")
        helps = bar.addMenu("&Help")
        add_action(helps, "&Keys", window.show_keys, "F1")
        add_action(helps, "&About Deep Tally", window.show_about)
        self.cancel = add_action(helps, "&Cancel measuring", lambda: window.state.cancel(), "Esc")
        self.cancel.setEnabled(False)

    def _fill_recent(self) -> None:
        window = self._window
        window.theme.style(self._recent)
        self._recent.clear()
        checks = recent_checks()
        for check in checks:
            words = readable(check.name).replace("&", "&&")
            add_action(self._recent, words, partial(window.open, [Path(check.path)]))
        if not checks:
            add_action(self._recent, "None yet", lambda: None).setEnabled(False)

    def furnish(self) -> None:
        """Add what is about the views."""
        from deep_tally.app.shell.role_menus import RoleMenus
        from deep_tally.app.shell.view_menu import ViewMenu

        window = self._window
        self._add_undo()
        self.role_menus = RoleMenus(window.state, window.sheet, self._edit, window)
        self.role_menus.said.connect(window.say)
        self.view_menu = ViewMenu(window, self._view)
        window.playback.fill_menu(self._listen)
        for menu in (self.role_menus.role_menu, self.role_menus.song_menu, self.view_menu.show_menu):
            window.theme.style(menu)

    def _add_undo(self) -> None:
        window = self._window
        stack = window.state.undo_stack
        for action, standard in (
            (stack.createUndoAction(window, "Undo"), QKeySequence.StandardKey.Undo),
            (stack.createRedoAction(window, "Redo"), QKeySequence.StandardKey.Redo),
        ):
            action.setShortcuts(standard)
            action.setShortcutContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            views = (
                window.desk,
                window.line_up,
                window.mix_match,
                window.parts,
                window.names,
                window.reply,
                window.rounds,
                window.paper,
            )
            for widget in (*views, window.brief_panel):
                widget.addAction(action)
            self._edit.addAction(action)
        self._edit.addSeparator()
        add_action(self._edit, "&Decisions…", lambda: window.deciding.show_all(), "Ctrl+Shift+D")
        self._edit.addSeparator()
