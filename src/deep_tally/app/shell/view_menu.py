"""The View menu: which view, which rows, in which order, by day or night."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QActionGroup, QKeySequence
from PySide6.QtWidgets import QMenu

from deep_tally.app.base.theme import Choice
from deep_tally.app.bench.finding_panel import VIEWS
from deep_tally.app.shell.actions import add_action
from deep_tally.model.findings import QUESTIONS, Action
from deep_tally.reply.action_words import ACTION_WORDS
from deep_tally.views.columns import SORTS, Column, SortBy
from deep_tally.views.filter import Filter

if TYPE_CHECKING:
    from deep_tally.app.shell.window import Window


class ViewMenu:
    """Fills the menu, and the two buttons in the line of steps that open parts of it."""

    def __init__(self, window: Window, view: QMenu) -> None:
        self._window = window
        add_action(view, "&Sheet", window.navigator.show_sheet, "Ctrl+1")
        add_action(view, "&Line-up", window.navigator.show_line_up, "Ctrl+2")
        add_action(view, "&Mix match", window.navigator.show_mix_match, "Ctrl+3")
        add_action(view, "&Parts", window.navigator.show_parts, "Ctrl+4")
        add_action(view, "&Names", window.navigator.show_names, "Ctrl+5")
        add_action(view, "&Reply", window.navigator.show_reply, "Ctrl+6")
        add_action(view, "The client's &page", window.navigator.show_paper, "Ctrl+7")
        add_action(view, "R&ounds", window.navigator.show_rounds, "Ctrl+8")
        add_action(view, "Read&y copy", window.navigator.show_ready, "Ctrl+9")
        add_action(view, "The &brief beside the sheet", window.navigator.toggle_brief, "Ctrl+B")
        add_action(view, "&Find a file", window.filter.go_find, QKeySequence.StandardKey.Find)
        view.addSeparator()
        self._fill_file_menu(view.addMenu("The &file as"))
        self._fill_show_menu(view.addMenu("S&how"))
        self.show_menu = QMenu("Show", window)
        self._fill_show_menu(self.show_menu, keys=False)
        window.steps.show_button.setMenu(self.show_menu)
        self.sort_menu = view.addMenu("S&ort by")
        for words, column, key in SORTS:
            add_action(self.sort_menu, words, self._sorter(column, key))
        window.steps.sort_button.setMenu(self.sort_menu)
        view.addSeparator()
        colours = QActionGroup(view)
        choices: tuple[tuple[str, Choice], ...] = (("As the desktop", "desktop"), ("&Day", "day"), ("&Night", "night"))
        for words, choice in choices:
            action = add_action(view, words, self._theme_chooser(choice))
            action.setCheckable(True)
            action.setChecked(window.theme.choice == choice)
            colours.addAction(action)

    def _fill_file_menu(self, menu: QMenu) -> None:
        for name, key in VIEWS.items():
            add_action(menu, name, self._window.bench.views[name].click, key)
        add_action(menu, "&Turned down", self._window.bench.down.click, "Ctrl+D")

    def _fill_show_menu(self, menu: QMenu, *, keys: bool = True) -> None:
        add_action(menu, "&Everything", lambda: self._window.filter.keep(Filter()), "Alt+0" if keys else None)
        for number, action in enumerate(Action, start=1):
            wanted = Filter(action=action)
            add_action(menu, ACTION_WORDS[action], self._keeper(wanted), f"Alt+{number}" if keys else None)
        menu.addSeparator()
        for question in QUESTIONS:
            add_action(menu, f"Findings of {question}", self._keeper(Filter(question=question)))

    def _keeper(self, wanted: Filter) -> Callable[[], None]:
        return lambda: self._window.filter.keep(wanted)

    def _sorter(self, column: Column, key: SortBy) -> Callable[[], None]:
        return lambda: self._window.sheet.sort(column, by=key)

    def _theme_chooser(self, choice: Choice) -> Callable[[], None]:
        def choose() -> None:
            self._window.theme.choose(choice)
            self._window.settings.set_theme(choice)

        return choose
