"""The main window: band, steps, sheet and bench, reply; menus and keys; opening and measuring."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QAction, QActionGroup, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QMenu,
    QProgressBar,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.buttons import plain_button
from deep_tally.app.base.elided import ElidedLabel
from deep_tally.app.base.plain import PlainLabel, as_plain, ask_text
from deep_tally.app.base.theme import Choice, Theme, font
from deep_tally.app.shell.band import Band
from deep_tally.app.shell.empty import EmptyPage
from deep_tally.app.shell.song_strip import SongStrip
from deep_tally.model.findings import QUESTIONS, Action, count_findings
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.numbers import count, megabytes

if TYPE_CHECKING:
    from deep_tally.app.base.listening import Listening
    from deep_tally.app.base.settings import Settings
    from deep_tally.app.bench.bench import Bench
    from deep_tally.app.brief.brief_panel import BriefPanel
    from deep_tally.app.line_up.line_up_view import LineUpView
    from deep_tally.app.names.names_view import NamesView
    from deep_tally.app.pages.paper_view import PaperView
    from deep_tally.app.pages.reply_view import ReplyView
    from deep_tally.app.parts.parts_view import PartsView
    from deep_tally.app.player.player_bar import PlayerBar
    from deep_tally.app.sheet.sheet_view import SheetView
    from deep_tally.app.shell.state import CheckState
    from deep_tally.listen.plan import Ear
    from deep_tally.model.delivery import Delivery, Track
    from deep_tally.model.files import Role
    from deep_tally.model.measures import Excerpt
    from deep_tally.views.lanes import Lane
    from deep_tally.views.rows import Column, Filter, Row, SortBy

_FILES = (
    "Zips and audio (*.zip *.wav *.wave *.bwf *.aif *.aiff *.flac *.ogg *.mp3 *.caf *.w64 *.rf64 *.au);;All files (*)"
)
_REFILL_MS, _TELL_MS = 120, 60
_REFILL_SHARE = 8
_SAID_MS = 8000


class Window(QMainWindow):
    """The one window.

    Made in two steps: the first picture needs only the band and the empty page; `furnish` brings in the views
    and all they import, right after that picture stands.
    """

    state: CheckState
    sheet: SheetView
    bench: Bench
    reply: ReplyView
    brief_panel: BriefPanel
    line_up: LineUpView
    listening: Listening
    player_bar: PlayerBar
    parts: PartsView
    names: NamesView
    paper: PaperView

    def __init__(self, theme: Theme, settings: Settings) -> None:
        super().__init__()
        self.theme, self.settings = theme, settings
        self._replied: Delivery | None = None
        self._on_bench: tuple[Row | None, bool] = (None, False)
        self._played: tuple[tuple[Lane, ...], float] | None = None
        self._furnished = self._is_brief_open = self._closes_when_saved = False
        self.setWindowTitle("Deep Tally")
        self.resize(1280, 800)
        self.setMinimumSize(900, 560)
        self.setAcceptDrops(True)
        self.band = Band(theme)
        self.empty = EmptyPage(theme)
        self.empty.open_folder.clicked.connect(self.choose_folder)
        self.empty.open_files.clicked.connect(self.choose_files)
        self.empty.demo.clicked.connect(lambda: self.state.open_demo())
        self.splitter = QSplitter(Qt.Orientation.Vertical)
        self.songs = SongStrip(theme)
        self.desk = QWidget()
        desk = QVBoxLayout(self.desk)
        desk.setContentsMargins(0, 0, 0, 0)
        desk.setSpacing(0)
        desk.addWidget(self.songs)
        desk.addWidget(self.splitter, 1)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.empty)
        self.pages.addWidget(self.desk)
        whole = QWidget()
        self.column = column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.band)
        column.addWidget(self._make_steps())
        column.addWidget(self._make_progress())
        self.beside = QHBoxLayout()
        self.beside.setSpacing(0)
        self.beside.addWidget(self.pages, 1)
        column.addLayout(self.beside, 1)
        column.addWidget(self._make_said())
        self.setCentralWidget(whole)
        self._make_menus()
        for part in (self.menuBar(), self.band, self.steps, self.progress, self.empty, self.desk):
            theme.style(part)
        # While files come in one after the other, the sheet is filled in a few times a second, not at each.
        self._refill = QTimer(self)
        self._refill.setSingleShot(True)
        self._refill.setInterval(_REFILL_MS)
        self._refill.timeout.connect(self._fill)
        self._telling = QTimer(self)
        self._telling.setSingleShot(True)
        self._telling.setInterval(_TELL_MS)
        self._telling.timeout.connect(self._show_progress)
        self._show_page(self.empty)
        self.band.show_nothing()
        if (geometry := settings.state("window")) is not None:
            self.restoreGeometry(geometry)

    def furnish(self) -> None:
        """Bring in the views and the check's state."""
        from deep_tally.app.base.listening import Listening
        from deep_tally.app.bench.bench import Bench
        from deep_tally.app.brief.brief_panel import BriefPanel
        from deep_tally.app.line_up.line_up_view import LineUpView
        from deep_tally.app.names.names_view import NamesView
        from deep_tally.app.pages.paper_view import PaperView
        from deep_tally.app.pages.reply_view import ReplyView
        from deep_tally.app.parts.parts_view import PartsView
        from deep_tally.app.player.player_bar import PlayerBar
        from deep_tally.app.sheet.sheet_view import SheetView
        from deep_tally.app.shell.state import CheckState
        from deep_tally.views.rows import empty_sheet

        self.state = CheckState()
        self.sheet = SheetView(empty_sheet(self.state.brief), self.theme)
        self.bench = Bench(self.theme)
        self.reply = ReplyView(self.theme, self.settings)
        self.brief_panel = BriefPanel(self.theme)
        self.listening = Listening(self)
        self.line_up = LineUpView(self.theme, self.settings, self.listening)
        self.player_bar = PlayerBar(self.theme, self.listening)
        self.player_bar.hide()
        self.column.insertWidget(self.column.indexOf(self.said), self.player_bar)
        self.parts = PartsView(self.theme)
        self.names = NamesView(self.theme, self.settings)
        self.paper = PaperView(self.theme, self.settings)
        self.beside.addWidget(self.brief_panel)
        self.brief_panel.hide()
        self.splitter.addWidget(self.sheet)
        self.splitter.addWidget(self.bench)
        self.splitter.setHandleWidth(2)
        self.splitter.setCollapsible(0, False)
        self.splitter.setStretchFactor(0, 3)
        self.splitter.setStretchFactor(1, 1)
        self.splitter.setSizes([410, 240])
        for page in (self.line_up, self.parts, self.names, self.reply, self.paper):
            self.pages.addWidget(page)
        for part in (self.line_up, self.parts, self.names, self.reply, self.paper, self.player_bar):
            self.theme.style(part)
        self.sheet.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        self._fill_edit_menu()
        self._fill_view_menu()
        self._fill_listen_menu()
        for menu in (self.role_menu, self.song_menu, self.show_menu):
            self.theme.style(menu)
        self._connect()
        if (split := self.settings.state("splitter")) is not None:
            self.splitter.restoreState(split)
        self._show_brief()
        self._is_brief_open = self.settings.text("brief open") == "yes"
        self.brief_button.setChecked(self._is_brief_open)
        self._furnished = True
        self.say(readable(self.state.words_trouble))

    # -- building -----------------------------------------------------------------------------

    def _make_steps(self) -> QWidget:
        self.to_sheet = self._step("Sheet", "All files and what is wrong with them (Ctrl+1)")
        self.to_line_up = self._step("Line-up", "All files on one time axis (Ctrl+2)")
        self.to_parts = self._step("Parts", "The requested parts and the files received for them (Ctrl+3)")
        self.to_names = self._step("Names", "New names for the ready copy (Ctrl+4)")
        self.to_reply = self._step("Reply", "The reply to the client (Ctrl+5)")
        self.brief_button = plain_button(
            "Brief: Multitrack mix", "What is requested and what was received (Ctrl+B)", "quiet"
        )
        self.brief_button.setCheckable(True)
        self.show_button = plain_button("Show everything", "Show only some files", "quiet")
        self.sort_button = plain_button("&Sort", "Sort the sheet", "quiet")
        self.troubles_button = plain_button("", "What was not checked, and what to do about it", "quiet")
        self.troubles_button.setFont(font(14, 600))
        self.troubles_button.clicked.connect(self._show_troubles)
        self.troubles_button.hide()
        self.find_field = QLineEdit()
        self.find_field.setPlaceholderText("Find a file")
        self.find_field.setAccessibleName("Find a file by its name")
        self.find_field.setToolTip("Find a file by its name (Ctrl+F)")
        self.find_field.setClearButtonEnabled(True)
        self.find_field.setFixedWidth(180)
        line = QHBoxLayout()
        line.setContentsMargins(24, 0, 24, 0)
        line.setSpacing(4)
        for step in (self.to_sheet, self.to_line_up, self.to_parts, self.to_names, self.to_reply):
            line.addWidget(step)
        line.addStretch()
        for widget in (self.troubles_button, self.brief_button, self.show_button, self.sort_button, self.find_field):
            line.addWidget(widget)
        bar = QWidget()
        bar.setFixedHeight(42)
        bar.setLayout(line)
        self.steps = bar
        return bar

    def _step(self, words: str, tip: str) -> QPushButton:
        button = QPushButton(words)
        button.setProperty("look", "step")
        button.setCheckable(True)
        button.setToolTip(as_plain(tip))
        return button

    def _make_progress(self) -> QWidget:
        self.progress_words = ElidedLabel()
        self.progress_bar = QProgressBar()
        self.progress_bar.setTextVisible(False)
        self.progress_bar.setRange(0, 1000)
        self.progress_bar.setAccessibleName("Progress of measuring")
        self.cancel_button = QPushButton("Cancel")
        self.cancel_button.setToolTip("Stop measuring; what was measured is kept (Esc)")
        line = QHBoxLayout()
        line.setContentsMargins(24, 4, 24, 8)
        line.setSpacing(16)
        line.addWidget(self.progress_bar, 1)
        line.addWidget(self.progress_words, 1)
        line.addWidget(self.cancel_button)
        self.progress = QWidget()
        self.progress.setLayout(line)
        self.progress.hide()
        return self.progress

    def _make_said(self) -> QWidget:
        self.said = PlainLabel()
        self.said.setContentsMargins(24, 6, 24, 6)
        self.said.setWordWrap(True)
        self.said.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.said.hide()
        self.theme.follow(self.said, self._colour_said)
        self._said_timer = QTimer(self)
        self._said_timer.setSingleShot(True)
        self._said_timer.timeout.connect(self.said.hide)
        return self.said

    def _make_menus(self) -> None:
        files = self.menuBar().addMenu("&File")
        self._action(files, "Open a &folder…", self.choose_folder, QKeySequence.StandardKey.Open)
        self._action(files, "Open &zips or files…", self.choose_files, "Ctrl+Shift+O")
        self._action(files, "Open the &demo", lambda: self.state.open_demo())
        files.addSeparator()
        self._action(files, "Check against a &brief file…", self.choose_brief)
        self.again_action = self._action(files, "&Read the delivery again", lambda: self.state.open_again(), "F5")
        files.addSeparator()
        self._action(files, "&Save the reply…", self._save_reply, QKeySequence.StandardKey.Save)
        self._action(files, "Save the p&icture that is shown…", self.save_picture, "Ctrl+Shift+P")
        self._action(files, "&Copy the reply as text", self._copy_reply, "Ctrl+Shift+C")
        files.addSeparator()
        self._action(files, "&Quit", self.close, QKeySequence.StandardKey.Quit)
        self._edit_menu = self.menuBar().addMenu("&Edit")
        self._view_menu = self.menuBar().addMenu("&View")
        self._listen_menu = self.menuBar().addMenu("&Listen")
        helps = self.menuBar().addMenu("&Help")
        self._action(helps, "&Keys", self.show_keys, "F1")
        self._action(helps, "&About Deep Tally", self.show_about)
        self.cancel_action = self._action(helps, "&Cancel measuring", lambda: self.state.cancel(), "Esc")
        self.cancel_action.setEnabled(False)

    def _fill_edit_menu(self) -> None:
        """What the user may correct; the same actions are the sheet's context menu."""
        from deep_tally.model.files import Role

        stack = self.state.undo_stack
        for action, standard in (
            (stack.createUndoAction(self, "Undo"), QKeySequence.StandardKey.Undo),
            (stack.createRedoAction(self, "Redo"), QKeySequence.StandardKey.Redo),
        ):
            action.setShortcuts(standard)
            # The reply's text has an undo of its own.
            action.setShortcutContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            for widget in (self.desk, self.line_up, self.brief_panel, self.parts, self.names, self.paper):
                widget.addAction(action)
            self._edit_menu.addAction(action)
        self._edit_menu.addSeparator()
        self.role_menu = QMenu("The selected files are…", self)
        for number, role in enumerate(r for r in Role if r not in (Role.MIDI, Role.MIX)):
            if role in (Role.ROUGH_MIX, Role.DOCUMENT):
                self.role_menu.addSeparator()
            words = f"&{number + 1} {role.value}" + (", left out" if role is Role.STRAY else "")
            self._action(self.role_menu, words, self._role_setter(role))
        self.song_menu = QMenu("The selected files belong to…", self)
        self.song_menu.aboutToShow.connect(self._fill_song_menu)
        self.mix_action = self._action(self._edit_menu, "The selected file is the rough &mix", self._set_mix, "Ctrl+M")
        self._edit_menu.addMenu(self.role_menu)
        self._edit_menu.addMenu(self.song_menu)
        self.role_action = QAction("What the selected files are for…", self)
        self.song_action = QAction("Which song the selected files belong to…", self)
        menus = ((self.role_action, "Ctrl+R", self.role_menu), (self.song_action, "Ctrl+G", self.song_menu))
        for action, key, menu in menus:
            action.setShortcut(QKeySequence(key))
            action.triggered.connect(lambda checked=False, menu=menu: self._pop_up(menu))
            self.addAction(action)
        self.sheet.addActions([self.mix_action, self.role_menu.menuAction(), self.song_menu.menuAction()])

    def _pop_up(self, menu: QMenu) -> None:
        """Open a menu beside the row the user is at."""
        if self.pages.currentWidget() is self.desk and self.sheet.current_row is not None:
            place = self.sheet.visualRect(self.sheet.currentIndex()).bottomLeft()
            menu.popup(self.sheet.viewport().mapToGlobal(place))

    def _role_setter(self, role: Role) -> Callable[[], None]:
        def set_role() -> None:
            if self._may_correct():
                self.state.set_role(self.sheet.selected_paths, role)

        return set_role

    def _fill_song_menu(self) -> None:
        self.song_menu.clear()
        intake = self.state.intake
        for song in intake.songs if intake is not None else ():
            words = readable(song).replace("&", "&&")
            self._action(self.song_menu, words, self._song_setter(song))
        self.song_menu.addSeparator()
        self._action(self.song_menu, "A new song…", self._set_new_song)

    def _song_setter(self, song: str) -> Callable[[], None]:
        return lambda: self._set_song(song)

    def _set_song(self, song: str) -> None:
        if song and self._may_correct():
            self.state.set_song(self.sheet.selected_paths, song)

    def _set_new_song(self) -> None:
        name, agreed = ask_text(self.desk, "A new song", "The song's name:")
        if agreed:
            self._set_song(name.strip())

    def _may_correct(self) -> bool:
        """Whether files can be told apart now; says why not."""
        if self.pages.currentWidget() is not self.desk:
            return False
        if not self.state.can_be_corrected:
            self.say("Wait until all files are measured, or cancel; then set what they are for.")
            return False
        return True

    def _fill_view_menu(self) -> None:
        from deep_tally.views.rows import SORTS

        view = self._view_menu
        self._action(view, "&Sheet", self.show_sheet, "Ctrl+1")
        self._action(view, "&Line-up", self.show_line_up, "Ctrl+2")
        self._action(view, "&Parts", self.show_parts, "Ctrl+3")
        self._action(view, "&Names", self.show_names, "Ctrl+4")
        self._action(view, "&Reply", self.show_reply, "Ctrl+5")
        self._action(view, "The client's &page", self.show_paper, "Ctrl+6")
        self._action(view, "The &brief beside the sheet", self._toggle_brief, "Ctrl+B")
        self._action(view, "&Find a file", self._go_find, QKeySequence.StandardKey.Find)
        view.addSeparator()
        self._fill_file_menu(view.addMenu("The &file as"))
        self._fill_show_menu(view.addMenu("S&how"))
        self.show_menu = QMenu("Show", self)
        self._fill_show_menu(self.show_menu, keys=False)
        self.show_button.setMenu(self.show_menu)
        self.sort_menu = view.addMenu("S&ort by")
        for words, column, key in SORTS:
            self._action(self.sort_menu, words, self._sorter(column, key))
        self.sort_button.setMenu(self.sort_menu)
        view.addSeparator()
        colours = QActionGroup(self)
        choices: tuple[tuple[str, Choice], ...] = (("As the desktop", "desktop"), ("&Day", "day"), ("&Night", "night"))
        for words, choice in choices:
            action = self._action(view, words, self._theme_chooser(choice))
            action.setCheckable(True)
            action.setChecked(self.theme.choice == choice)
            colours.addAction(action)

    def _fill_listen_menu(self) -> None:
        from deep_tally.listen.plan import EARS

        menu, bar, listening = self._listen_menu, self.player_bar, self.listening
        self._action(menu, "&Play or stop", self._play, "Ctrl+Space")
        self._action(menu, "The selected file &alone", self._play_alone, "Ctrl+Shift+Space")
        self._action(menu, "&Loop the finding", bar.loop_button.click, "Ctrl+L")
        menu.addSeparator()
        self._action(menu, "&Sum or rough mix", self.line_up.toggle_bus, "Ctrl+K")
        self._action(menu, "At their &places, or as delivered", bar.placed_button.click)
        for ear, words in EARS.items():
            self._action(menu, f"Hear {words}", self._ear_setter(ear))
        self._action(menu, "S&wap the sides", lambda: listening.set_swapped(not listening.is_swapped))
        self._action(menu, "&Turned down, so that no sum goes over", lambda: listening.set_safe(not listening.is_safe))
        menu.addSeparator()
        self._action(menu, "&Hear all files again", self._hear_all)
        self.simulated_action = self._action(menu, "S&imulated output instead of the device", self._choose_output)
        self.simulated_action.setCheckable(True)
        self.simulated_action.setChecked(self.settings.text("output") == "simulated")
        listening.player.simulated = self.simulated_action.isChecked()
        self.record_action = self._action(menu, "Simulated output writes a &WAV…", self._choose_record)
        self.record_action.setCheckable(True)

    def _ear_setter(self, ear: Ear) -> Callable[[], None]:
        return lambda: self.listening.set_ear(ear)

    def _choose_output(self) -> None:
        simulated = self.simulated_action.isChecked()
        self.listening.player.simulated = simulated
        self.settings.set_text("output", "simulated" if simulated else "device")

    def _choose_record(self) -> None:
        """Ask where the simulated output writes what it plays; never to a client's file."""
        self.listening.record_to = None
        if self.record_action.isChecked():
            proposed = str(self.settings.folder("recording") / "Played.wav")
            chosen, _ = QFileDialog.getSaveFileName(self, "Write what plays", proposed, "WAV (*.wav)")
            if chosen and self._may_record(Path(chosen)):
                self.settings.set_folder("recording", Path(chosen).parent)
                self.listening.record_to = Path(chosen)
        self.record_action.setChecked(self.listening.record_to is not None)

    def _may_record(self, path: Path) -> bool:
        """Whether what plays may be written there; says why not."""
        from deep_tally.app.base.client_folder import may_save
        from deep_tally.model.errors import CannotWrite
        from deep_tally.work.whole import require_not_the_clients

        if not may_save(self.pages.currentWidget() or self, path, self.state.client):
            return False
        try:
            require_not_the_clients(path, self.state.client, into_delivery=True)
        except CannotWrite as refused:
            self.say(readable(str(refused)))
            return False
        return True

    def _hear_all(self) -> None:
        self.listening.set_solo(frozenset())
        self.listening.set_muted(frozenset())
        self.listening.trim(list(self.listening.trims_db), None)

    def _play_alone(self) -> None:
        if self.pages.currentWidget() is self.line_up:
            self.line_up.play_alone()
        else:
            self._play_on_bench()

    def _fill_file_menu(self, menu: QMenu) -> None:
        from deep_tally.app.bench.bench import VIEWS

        for name, key in VIEWS.items():
            self._action(menu, name, self.bench.views[name].click, key)
        self._action(menu, "&Turned down", self.bench.down.click, "Ctrl+D")

    def _fill_show_menu(self, menu: QMenu, *, keys: bool = True) -> None:
        from deep_tally.views.rows import Filter

        self._action(menu, "&Everything", lambda: self.keep(Filter()), "Alt+0" if keys else None)
        for number, action in enumerate(Action, start=1):
            wanted = Filter(action=action)
            self._action(menu, ACTION_WORDS[action], self._keeper(wanted), f"Alt+{number}" if keys else None)
        menu.addSeparator()
        for question in QUESTIONS:
            self._action(menu, f"Findings of {question}", self._keeper(Filter(question=question)))

    def _keeper(self, wanted: Filter) -> Callable[[], None]:
        return lambda: self.keep(wanted)

    def _sorter(self, column: Column, key: SortBy) -> Callable[[], None]:
        return lambda: self.sheet.sort(column, by=key)

    def _theme_chooser(self, choice: Choice) -> Callable[[], None]:
        def choose() -> None:
            self.theme.choose(choice)
            self.settings.set_theme(choice)

        return choose

    def _action(
        self, menu: QMenu, words: str, what: Callable[[], object], key: QKeySequence.StandardKey | str | None = None
    ) -> QAction:
        # Of the menu, so that it goes when the menu is filled anew.
        action = QAction(words, menu)
        if key is not None:
            action.setShortcut(QKeySequence(key))
        action.triggered.connect(lambda: what())
        menu.addAction(action)
        return action

    def _connect(self) -> None:
        state = self.state
        state.opening.connect(self._tell_opening)
        state.opening_moved.connect(self._show_opening)
        state.preparing_moved.connect(self._show_preparing)
        state.opened.connect(self._opened)
        state.corrected.connect(self._corrected)
        state.noticed.connect(self.say)
        state.measured.connect(self._measured)
        state.progressed.connect(self._progressed)
        state.assessed.connect(self._judged)
        state.brief_changed.connect(self._brief_changed)
        state.refused.connect(self._refused)
        state.abandoned.connect(self._abandoned)
        state.excerpts_came.connect(self._take_excerpts)
        state.picture_came.connect(lambda kind, path, value: self.bench.pictures[kind].take(path, value))
        for kind, picture in self.bench.pictures.items():
            picture.wanted.connect(self._picture_asker(kind))
        self.sheet.chosen.connect(self._choose)
        self.sheet.entered.connect(lambda: self.bench.waveform.setFocus())
        self.bench.waveform.excerpt_wanted.connect(
            lambda track, start, frames: state.request_excerpts(track.path, [(track.path, start, frames)])
        )
        self.songs.chosen.connect(lambda song: self._fill())
        self.reply.said.connect(self.say)
        self.to_sheet.clicked.connect(self.show_sheet)
        self.to_reply.clicked.connect(self.show_reply)
        self.band.next.clicked.connect(self._next_step)
        self.to_line_up.clicked.connect(self.show_line_up)
        self.line_up.corrected.connect(state.correct)
        self.line_up.tempo_given.connect(self._set_tempo)
        self.line_up.samples_wanted.connect(state.request_excerpts)
        self.line_up.file_wanted.connect(self._show_in_sheet)
        self.line_up.said.connect(self.say)
        self.line_up.play_wanted.connect(self._play_lanes)
        self.bench.waveform.play_pressed.connect(self._play_on_bench)
        self.bench.listen.clicked.connect(self._play_on_bench)
        self.player_bar.play_pressed.connect(self._play)
        self.player_bar.loop_pressed.connect(self._toggle_loop)
        self.player_bar.placed_pressed.connect(self._play_again)
        self.listening.said.connect(self.say)
        self.listening.moved.connect(self._show_playing)
        self.listening.changed.connect(self._show_playing)
        self.to_parts.clicked.connect(self.show_parts)
        self.to_names.clicked.connect(self.show_names)
        self.brief_button.clicked.connect(self.open_brief)
        panel = self.brief_panel
        panel.edited.connect(self._edit_brief)
        panel.misses.connect(self._keep_misses)
        panel.parts_wanted.connect(self.show_parts)
        panel.page_button.clicked.connect(self.show_paper)
        panel.closed.connect(lambda: self.open_brief(False))
        panel.menu.aboutToShow.connect(self._fill_brief_menu)
        self.parts.corrected.connect(state.correct)
        self.parts.parts_edited.connect(lambda parts, words: self._edit_brief("parts", parts, words))
        self.parts.word_taken.connect(self._take_word)
        self.names.corrected.connect(state.correct)
        self.names.said.connect(self.say)
        self.paper.said.connect(self.say)
        self.paper.left.connect(self.show_sheet)
        state.corrections_changed.connect(self._corrections_changed)
        state.saved.connect(self._saved)
        self.reply.slow_to_save.connect(state.save_page)
        self.paper.slow_to_save.connect(state.save_page)
        self.cancel_button.clicked.connect(state.cancel)
        self.find_field.textChanged.connect(self._find)
        self.find_field.installEventFilter(self)
        for action, tally in self.band.tallies.items():
            tally.clicked.connect(lambda checked, a=action: self._keep_action(a if checked else None))

    def _picture_asker(self, kind: str) -> Callable[[str, tuple[object, ...]], None]:
        return lambda path, arguments: self.state.request_picture(kind, path, arguments)

    # -- opening ------------------------------------------------------------------------------

    def choose_folder(self) -> None:
        """Ask for a folder and open it."""
        chosen = QFileDialog.getExistingDirectory(self, "Open a client's folder", str(self.settings.folder("delivery")))
        if chosen:
            self.settings.set_folder("delivery", Path(chosen).parent)
            self.open([Path(chosen)])

    def choose_files(self) -> None:
        """Ask for files and open them."""
        folder = str(self.settings.folder("delivery"))
        chosen, _ = QFileDialog.getOpenFileNames(self, "Open a client's files", folder, _FILES)
        if chosen:
            self.settings.set_folder("delivery", Path(chosen[0]).parent)
            self.open([Path(name) for name in chosen])

    def choose_brief(self) -> None:
        """Ask for a brief and check against it."""
        folder = str(self.settings.folder("brief"))
        chosen, _ = QFileDialog.getOpenFileName(self, "Check against a brief", folder, "Brief (*.json)")
        if chosen:
            self.settings.set_folder("brief", Path(chosen).parent)
            self.state.choose_brief(Path(chosen))

    def open(self, paths: Sequence[Path], *, rough_mix: Path | None = None) -> None:
        """Open a delivery."""
        self.state.open(paths, rough_mix=rough_mix)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.open(paths)

    # -- what the state tells -----------------------------------------------------------------

    def _tell_opening(self, words: str, name: str) -> None:
        self.said.hide()
        if self.state.intake is None:
            self.band.show_opening(name)
        self.progress_words.setText(f"{words}…")
        self.progress_bar.setRange(0, 0)
        self.progress.show()
        self.cancel_action.setEnabled(True)

    def _show_opening(self, done: int, total: int) -> None:
        """How far the looking and unpacking is."""
        self.progress_bar.setRange(0, 1000 if total else 0)
        self.progress_bar.setValue(round(done / total * 1000) if total else 0)
        if total:
            self.progress_words.setText(f"Unpacking, {megabytes(done, total)}")
        elif done:
            self.progress_words.setText(f"Looking through the files, {done} so far…")

    def _show_preparing(self, done: int, total: int) -> None:
        """How far it is with what is done once on each machine."""
        self.progress_bar.setRange(0, max(1, total))
        self.progress_bar.setValue(done)
        self.progress_words.setText("Preparing for this machine, once; it takes half a minute")

    def _opened(self, again: bool) -> None:
        self._replied = None
        self.reply.protected = self.paper.protected = self.names.protected = self.state.client
        if not again:
            self.listening.forget()
            self.listening.record_to = None  # it may lie in what was opened now
            self.record_action.setChecked(False)
        self.progress_bar.setRange(0, 1000)
        self.band.show_counts(None)
        self._show_page(self.desk)
        if not again:
            self.songs.song = ""
            self.find_field.clear()
            self._keep_action(None)
        self._fill()
        if not again:
            self.sheet.scrollToTop()
        self.sheet.setFocus()
        self._show_progress()
        self._tell_troubles()

    def _tell_troubles(self) -> None:
        """What was not checked is said once, and stays at hand in the line of steps."""
        from deep_tally.views.not_checked import button_words, sentences

        incomplete, troubles = sentences(self.state.intake, self.state.delivery)
        first = [*incomplete, *troubles]
        self.troubles_button.setText(button_words(self.state.intake, self.state.delivery))
        self.troubles_button.setVisible(bool(first))
        if first:
            rest = f" And {len(first) - 1} more: see “{self.troubles_button.text()}” above." if len(first) > 1 else ""
            self.say(first[0] + rest)

    def _show_troubles(self) -> None:
        from deep_tally.app.shell.dialogs import LeftOutPage
        from deep_tally.views.not_checked import sentences

        page = LeftOutPage(self, self.theme, *sentences(self.state.intake, self.state.delivery))
        page.accepted.connect(self.state.open_again)
        page.open()

    def _corrected(self) -> None:
        """Roles or songs changed; files that became audio are measured now."""
        self.band.show_counts(None)
        self._fill()
        if self.state.is_measuring:
            self.progress_bar.setRange(0, 1000)
            self.progress.show()
            self.cancel_action.setEnabled(True)
            self._show_progress()

    def _measured(self, track: Track) -> None:
        if not self._refill.isActive():
            self._refill.start()

    def _progressed(self) -> None:
        if not self._telling.isActive():
            self._telling.start()

    def _show_progress(self) -> None:
        measuring, comparing = self.state.measuring, self.state.comparing
        if measuring is None:
            return
        if measuring.is_done:
            if comparing is not None and not comparing.is_done:
                self.progress_words.setText("All files measured; comparing them now")
                self.progress_bar.setValue(round(comparing.share * 1000))
            return
        done, total = measuring.counts
        name = readable((measuring.at_work or "").rpartition("/")[2])
        self.progress_words.setText(f"{done} of {total} measured" + (f", now {name}" if name else ""))
        self.progress_bar.setValue(round(measuring.share * 1000))

    def _judged(self) -> None:
        self._refill.stop()
        self._calm()
        self._fill()
        delivery = self.state.delivery
        if delivery is not None:
            self.band.show_counts(count_findings(delivery.findings))
            self._show_came()
            self._fill_page()
            done = sum(t.is_done for t in delivery.tracks)
            comparing = self.state.comparing
            if delivery.incomplete:
                self._tell_troubles()
            if done < len(delivery.tracks):
                self.say(
                    f"Cancelled: {done} of {len(delivery.tracks)} files are measured, and only those are assessed."
                )
            elif comparing is not None and not comparing.is_whole and not comparing.incomplete:
                self.say("The files were not compared, so duplicates and groups are not reported. Press F5 to compare.")

    def _brief_changed(self) -> None:
        self._show_brief()
        if self.state.delivery is None or self.state.is_measuring:
            self._fill()  # else the assessment that follows fills everything

    def _show_brief(self) -> None:
        brief = self.state.brief
        self.brief_button.setText(f"Brief: {readable(brief.name)}".replace("&", "&&"))
        self.brief_panel.show_brief(brief, changed=self.state.is_brief_changed)
        if self.pages.currentWidget() is self.paper:
            self._fill_page()

    def _show_came(self) -> None:
        if self.brief_panel.isVisible():
            self.brief_panel.show_delivery(self.state.delivery, self.state.brief)

    def _fill_page(self) -> None:
        """Fill the page that is shown, as things are now."""
        page, delivery = self.pages.currentWidget(), self.state.delivery
        if page is self.paper:
            from deep_tally.reply.brief_page import write_brief_page

            brief = self.state.brief
            self.paper.show_page(write_brief_page(brief, engineer=self.reply.engineer.text()), brief.name)
        elif delivery is None:
            return
        elif page is self.reply:
            self._fill_reply()
        elif page is self.line_up:
            self.line_up.show_all(delivery, self.state.corrections, song=self._song_name(delivery))
        elif page is self.parts:
            self.parts.show_all(delivery, self.state.corrections, self.state.brief)
        elif page is self.names:
            self.names.show_all(delivery, self.state.corrections, self.state.brief)

    def _song_name(self, delivery: Delivery) -> str:
        """The name of the set whose files the sheet shows; empty when it shows all."""
        intake = self.state.intake
        songs = intake.songs if intake is not None else ()
        return delivery.sets[songs.index(self.songs.song)].name if self.songs.song in songs else ""

    def _set_tempo(self, name: str, bpm: float | None) -> None:
        """Take the tempo the user gives a song; it is known by its name in the intake."""
        intake, delivery = self.state.intake, self.state.delivery
        if intake is not None and delivery is not None:
            song = intake.songs[[s.name for s in delivery.sets].index(name)]
            self.state.correct(self.state.corrections.with_tempo(song, bpm), "Tempo")

    def _edit_brief(self, key: str, value: object, words: str) -> None:
        if not self.state.edit_brief(key, value, words):
            self._show_brief()

    def _corrections_changed(self) -> None:
        self._replied = None
        self._fill_page()

    def _take_word(self, part: str, phrase: str) -> None:
        if self.state.add_word(part, phrase):
            self.say(f"“{readable(phrase)}” is recognised as {readable(part)} from now on.")

    def _keep_misses(self, line: str, paths: tuple[str, ...]) -> None:
        from deep_tally.views.rows import Filter

        self.show_sheet()
        self.keep(Filter(paths=frozenset(paths), line=line))
        self.sheet.setFocus()

    # -- the brief ----------------------------------------------------------------------------

    def open_brief(self, is_open: bool) -> None:
        """Open the brief beside the sheet, or close it."""
        had_focus = self.brief_panel.isAncestorOf(self.focusWidget()) if self.focusWidget() else False
        self._is_brief_open = is_open
        self.brief_panel.setVisible(is_open)
        self.brief_button.setChecked(is_open)
        self.settings.set_text("brief open", "yes" if is_open else "no")
        if is_open:
            self._show_brief()
            self._show_came()
            self.brief_panel.focus_first()
        elif had_focus and (page := self.pages.currentWidget()) is not None:
            page.setFocus()

    def _toggle_brief(self) -> None:
        self.open_brief(not self._is_brief_open)

    def _fill_brief_menu(self) -> None:
        menu, state = self.brief_panel.menu, self.state
        menu.clear()
        for name in state.shelf.names():
            action = self._action(menu, readable(name).replace("&", "&&"), self._brief_chooser(name))
            action.setCheckable(True)
            action.setChecked(name == state.brief.name)
        menu.addSeparator()
        self._action(menu, "&Save", lambda: self._save_brief(state.brief.name)).setEnabled(state.is_brief_changed)
        self._action(menu, "Save &as…", self._save_brief_as)
        put_back = self._action(menu, "&Discard the changes", self.state.put_brief_back)
        put_back.setEnabled(state.is_brief_changed)
        self._action(menu, "Make it the &default", self._make_default)
        delete = self._action(menu, "&Delete it", self._delete_brief)
        delete.setEnabled(state.shelf.is_own(state.brief.name))
        menu.addSeparator()
        self._action(menu, "&Open a file…", self.choose_brief)
        self._action(menu, "E&xport to a file…", self._export_brief)
        for trouble in state.shelf.troubles:
            self.say(readable(trouble))

    def _brief_chooser(self, name: str) -> Callable[[], None]:
        return lambda: self.state.choose_named_brief(name)

    def _save_brief(self, name: str) -> None:
        if self.state.save_brief(name):
            self.say(f"The brief is saved as “{readable(name)}”.")

    def _save_brief_as(self) -> None:
        name, agreed = ask_text(
            self.brief_panel, "Save the brief", "Name of the brief (by its use):", text=readable(self.state.brief.name)
        )
        if agreed and name.strip():
            self._save_brief(name.strip())

    def _make_default(self) -> None:
        state = self.state
        if state.is_brief_changed:
            self.say("Save the brief first: an unsaved brief cannot be the default.")
        elif state.pick_default(state.brief.name):
            self.say(f"New windows open with “{readable(state.brief.name)}” now.")

    def _delete_brief(self) -> None:
        name = self.state.brief.name
        if self.state.delete_brief(name):
            self.say(f"“{readable(name)}” was deleted. The current brief stays in use until you choose another.")

    def _export_brief(self) -> None:
        proposed = self.settings.folder("brief") / f"{readable(self.state.brief.name.replace('/', '-'))}.json"
        chosen, _ = QFileDialog.getSaveFileName(self, "Export the brief", str(proposed), "Brief (*.json)")
        if chosen:
            self.export_brief_to(Path(chosen))

    def export_brief_to(self, path: Path) -> None:
        """Export the brief, and say what happened."""
        from deep_tally.app.base.client_folder import may_save
        from deep_tally.model.errors import DeepTallyError
        from deep_tally.work.whole import write_whole

        if not may_save(self.pages.currentWidget() or self, path, self.state.client):
            return
        try:
            write_whole(self.state.brief.to_json(), path, client=self.state.client, into_delivery=True)
        except DeepTallyError as error:
            self.say(str(error))
            return
        self.settings.set_folder("brief", path.parent)
        self.say(f"Saved: {path}")

    def save_picture(self) -> None:
        """Ask where to save the line-up, or the picture on the bench, as a PNG."""
        page = self.pages.currentWidget()
        shown = self.bench.stage.currentWidget() if page is self.desk else page
        if not self._has_delivery() or shown is None or page not in (self.desk, self.line_up):
            self.say("There is no picture to save here: go to the sheet or the line-up.")
            return
        name = self.bench.view_name if page is self.desk else "Line-up"
        file = self.sheet.current_row
        named = f"{file.title} {name}" if page is self.desk and file is not None else name
        proposed = self.settings.folder("pictures") / f"{named.replace('/', '-')}.png"
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the picture", str(proposed), "PNG (*.png)")
        if chosen:
            self.save_picture_to(Path(chosen), self.line_up.picture if page is self.line_up else shown)

    def save_picture_to(self, path: Path, widget: QWidget) -> None:
        """Save a widget as a PNG of twice its size, and say what happened."""
        from deep_tally.app.base.client_folder import may_save
        from deep_tally.app.base.export import png_of
        from deep_tally.model.errors import DeepTallyError
        from deep_tally.work.whole import write_whole

        path = path if path.suffix.casefold() == ".png" else path.with_name(f"{path.name}.png")
        if not may_save(self.pages.currentWidget() or self, path, self.state.client):
            return
        try:
            write_whole(png_of(widget), path, client=self.state.client, into_delivery=True)
        except DeepTallyError as error:
            self.say(str(error))
            return
        self.settings.set_folder("pictures", path.parent)
        self.say(f"Saved: {path}")

    def _abandoned(self) -> None:
        self._calm()
        if self.state.intake is None:
            self.band.show_nothing()

    def _refused(self, words: str) -> None:
        if not self.state.is_measuring:
            self._abandoned()
        self.say(readable(words))

    def _calm(self) -> None:
        self.progress.hide()
        self.cancel_action.setEnabled(False)

    def _fill(self) -> None:
        """Fill sheet, bench and band with what is known now."""
        state = self.state
        if state.intake is None:
            return
        from deep_tally.views.rows import make_sheet

        begun = time.perf_counter()
        is_whole = state.delivery is not None
        found = state.so_far()
        self.songs.show_songs(state.intake, found)
        sheet = make_sheet(
            state.intake,
            state.tracks,
            state.brief,
            found,
            is_whole=is_whole,
            song=self.songs.song,
            vocabulary=state.vocabulary,
        )
        self.sheet.show_sheet(sheet)
        self.band.show_sheet(state.intake, sheet)
        if not is_whole and found is not None:
            self.band.show_counts(count_findings(found.findings), to_come=self._to_come())
        row = self.sheet.current_row
        if not _is_same(row, self._on_bench[0]) or is_whole != self._on_bench[1]:
            self._choose(row)
        # A delivery of thousands of files is filled in less often: at most an eighth of the time goes into it.
        self._refill.setInterval(max(_REFILL_MS, round((time.perf_counter() - begun) * 1000 * _REFILL_SHARE)))

    def _choose(self, row: Row | None) -> None:
        from deep_tally.reply.wording.speaker import Speaker

        found, is_whole = self.sheet.sheet_model.sheet.delivery, self.state.delivery is not None
        self._on_bench = (row, is_whole)
        tracks = self.state.measuring.by_path if self.state.measuring is not None else {}
        self.bench.show_row(row, Speaker(found) if found is not None else None, tracks, is_whole=is_whole)

    def _to_come(self) -> str:
        """What is still to come, while files are measured and compared."""
        measuring = self.state.measuring
        left = 0
        if measuring is not None:
            done, total = measuring.counts
            left = total - done
        files = f"{count(left, 'file')}, then " if left else ""
        return f"So far. Still to come: {files}how the files compare."

    def _set_mix(self) -> None:
        row = self.sheet.current_row
        if row is not None and self._may_correct():
            self.state.set_rough_mix(row.track.path)

    def _take_excerpts(self, who: str, excerpts: Mapping[str, Excerpt]) -> None:
        if who == self.line_up.ASKS:
            self.line_up.take_excerpts(excerpts)
        elif who == self.line_up.edge.ASKS:
            self.line_up.edge.take_excerpts(excerpts)
        elif who in excerpts:
            self.bench.waveform.take_excerpt(who, excerpts[who])
        else:
            self.bench.waveform.miss_excerpt(who)

    # -- moving about -------------------------------------------------------------------------

    def show_sheet(self) -> None:
        """Go to the sheet, or to the first page when nothing is open."""
        if self.state.intake is not None:
            self._show_page(self.desk)
            self.sheet.setFocus()
        else:
            self._show_page(self.empty)

    def show_reply(self) -> None:
        """Go to the reply, when there is one."""
        if self._is_judged():
            self._fill_reply()
            self._show_page(self.reply)
            self.reply.text.setFocus()

    def show_line_up(self) -> None:
        """Go to the line-up, at the file the sheet is at."""
        if self._is_judged():
            self._show_page(self.line_up)
            self._fill_page()
            self.listening.warm_up()
            if self.sheet.current_path:
                self.line_up.list.go_to(self.sheet.current_path)
            self.line_up.list.setFocus()

    # -- listening ----------------------------------------------------------------------------

    def _play(self) -> None:
        """Play what the view that is shown is about, or stop."""
        if self.listening.is_playing:
            self.listening.halt()
        elif self.pages.currentWidget() is self.line_up:
            self.line_up.play()
        else:
            self._play_on_bench()

    def _play_lanes(self, lanes: Sequence[Lane], at_s: float) -> None:
        """Play files of the line-up; the rough mix is what their sum is held against, unless it is all there is."""
        from deep_tally.app.base.listening import Sounding
        from deep_tally.model.files import Role

        is_placed = self.player_bar.placed_button.isChecked()
        is_against = any(ln.track.role is not Role.ROUGH_MIX for ln in lanes)
        soundings = [
            Sounding(
                ln.track,
                ln.placement.frames if ln.placement is not None and is_placed else 0,
                "mix" if is_against and ln.track.role is Role.ROUGH_MIX else "sum",
            )
            for ln in lanes
        ]
        self._played = (tuple(lanes), at_s)
        self.listening.play(soundings, self.state.sources, rate_hz=self.line_up.canvas.rate_hz, at_s=at_s)

    def _play_again(self) -> None:
        """What plays goes on where it is, with the files where they are to be now."""
        position = self.listening.position_s
        if position is not None and self._played is not None:
            self._play_lanes(self._played[0], position)

    def _play_on_bench(self) -> None:
        """Hear the file on the bench, or stop what plays."""
        from deep_tally.app.base.listening import Sounding

        row = self._on_bench[0]
        if self.listening.is_playing:
            self.listening.halt()
        elif row is not None and row.track.format is not None:
            rate = row.track.format.rate_hz
            self._played = None
            at_s = self.bench.waveform.listen_from / rate
            self.listening.play([Sounding(row.track)], self.state.sources, rate_hz=rate, at_s=at_s)

    def _toggle_loop(self) -> None:
        """Loop the finding that the view is at, or no longer."""
        from deep_tally.app.line_up.line_up_view import LEAD_IN_S, LEAD_OUT_S

        row, mark = self._on_bench[0], self.bench.waveform.current_mark
        if self.pages.currentWidget() is self.line_up or self.listening.loop_s is not None:
            self.line_up.toggle_loop()
        elif row is None or row.track.format is None or mark is None:
            self.player_bar.show_state()
            self.say("There is no marked place to loop: go to one with N.")
        else:
            rate = row.track.format.rate_hz
            begin, end = mark.place.frame / rate, (mark.place.frame + mark.place.frames) / rate
            self.listening.set_loop((max(0.0, begin - LEAD_IN_S), end + LEAD_OUT_S))

    def _show_playing(self) -> None:
        """The place that is heard, on the bench and in the line under the views."""
        row, position = self._on_bench[0], self.listening.position_s
        rate = row.track.format.rate_hz if row is not None and row.track.format is not None else 0
        is_here = position is not None and row is not None and row.track.path in self.listening.paths
        self.bench.waveform.show_playing(position * rate if is_here and position is not None else None)
        self.bench.listen.setText("Stop" if self.listening.is_playing else "Play")
        self._show_player()

    def _show_player(self) -> None:
        is_wanted = self._has_delivery() and (self.pages.currentWidget() is self.line_up or self.listening.is_playing)
        self.player_bar.setVisible(is_wanted)

    def _show_in_sheet(self, path: str) -> None:
        self.show_sheet()
        self.sheet.go_to(path)

    def show_parts(self) -> None:
        """Go to the asked parts."""
        if self._is_judged():
            self._show_page(self.parts)
            self._fill_page()
            self.parts.tree.setFocus()

    def show_names(self) -> None:
        """Go to the new names."""
        if self._is_judged():
            self._show_page(self.names)
            self._fill_page()
            self.names.table.setFocus()
            if not self.names.table.currentIndex().isValid():
                self.names.table.selectRow(0)

    def _is_judged(self) -> bool:
        """Whether there is an assessed delivery; says why not, and marks the step that is still shown."""
        if self.state.delivery is not None:
            return True
        if (page := self.pages.currentWidget()) is not None:
            self._show_page(page)
        if self.state.intake is not None:
            self.say("Wait until all files are measured, or cancel; then this can be shown.")
        return False

    def show_paper(self) -> None:
        """Go to the client's page; it needs no delivery."""
        self._show_page(self.paper)
        self._fill_page()
        self.paper.text.setFocus()

    def _fill_reply(self) -> None:
        """Write the reply to the delivery as it is assessed now, unless that was done already."""
        delivery = self.state.delivery
        if delivery is not None and delivery is not self._replied:
            same = self._replied is not None and self._replied.source == delivery.source
            self.reply.show_delivery(delivery, same=same, renamed=self._renamed())
            self._replied = delivery

    def _renamed(self) -> Mapping[str, str]:
        """The new names, where the reply is to list them."""
        from deep_tally.app.names.names_view import plan_of
        from deep_tally.model.errors import PatternRefused

        said, delivery = self.state.corrections, self.state.delivery
        if not said.in_reply or delivery is None:
            return {}
        try:
            plan = plan_of(delivery, said, self.state.brief)
        except PatternRefused:
            return {}
        return {r.old: r.new for r in plan if r.new and r.old != r.new}

    def _next_step(self) -> None:
        if self.pages.currentWidget() is self.reply:
            self.reply.save_as()
        else:
            self.show_reply()

    def _copy_reply(self) -> None:
        if self.state.delivery is not None:
            self._fill_reply()
            self.reply.copy_text()

    def _save_reply(self) -> None:
        if self.state.delivery is not None:
            self.show_reply()
            self.reply.save_as()

    def _show_page(self, page: QWidget) -> None:
        if self._furnished and page is not self.pages.currentWidget() and self.listening.loop_s is not None:
            self.listening.set_loop(None)  # another view has other marks, and files elsewhere
        self.pages.setCurrentWidget(page)
        is_open = page is not self.empty and self._has_delivery()
        on_sheet = page is self.desk
        self.steps.setVisible(is_open)
        is_reply = self._furnished and page is self.reply
        for step in (self.to_sheet, self.to_line_up, self.to_parts, self.to_names, self.to_reply):
            step.setChecked(False)  # the client's page is none of the steps: then none is marked
        if self._furnished:
            # Nothing came yet that could be held against it; the client's page is made from it.
            self._show_player()
            self.brief_panel.setVisible(self._is_brief_open and (self._has_delivery() or page is self.paper))
            self._show_came()
            for step, of in (
                (self.to_sheet, self.desk),
                (self.to_line_up, self.line_up),
                (self.to_parts, self.parts),
                (self.to_names, self.names),
                (self.to_reply, self.reply),
            ):
                step.setChecked(page is of)
        for widget in (self.show_button, self.sort_button, self.find_field):
            widget.setVisible(on_sheet)
        self.band.next.setText("Save the reply…" if is_reply else "Write the reply")
        for tally in self.band.tallies.values():
            tally.setVisible(is_open)
        self.band.show_next(is_open)

    def _has_delivery(self) -> bool:
        return self._furnished and self.state.intake is not None

    def _keep_action(self, action: Action | None) -> None:
        self.keep(replace(self.sheet.proxy.filter, action=action, question=None))

    def keep(self, wanted: Filter) -> None:
        """Show only the rows that a filter keeps; the words in the find field stay in force."""
        wanted = replace(wanted, words=self.find_field.text())
        self.sheet.proxy.keep(wanted)
        self.show_button.setText(wanted.says)
        for action, tally in self.band.tallies.items():
            tally.setChecked(wanted.action is action)
        self.sheet.go_to(self.sheet.current_path)
        if not self.sheet.proxy.rowCount() and self.sheet.sheet_model.rowCount():
            self.say("No file matches. Press Alt+0 to show everything.")

    def _find(self, words: str) -> None:
        self.keep(self.sheet.proxy.filter)

    def _go_find(self) -> None:
        self.show_sheet()
        self.find_field.setFocus()
        self.find_field.selectAll()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.find_field and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            key = event.key()
            if key in (Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.sheet.setFocus()
                return True
            if key == Qt.Key.Key_Escape and self.find_field.text():
                self.find_field.clear()
                return True
        return super().eventFilter(watched, event)

    def say(self, words: str) -> None:
        """Tell something in one sentence at the foot of the window."""
        if words:
            self.said.setText(words)
            self._colour_said()
            self.said.show()
            self._said_timer.start(_SAID_MS)

    def _colour_said(self) -> None:
        colours = self.theme.colours
        self.said.setStyleSheet(f"background: {colours.ink}; color: {colours.raised}; font-weight: 600")

    def show_keys(self) -> None:
        """Show the page of keys."""
        from deep_tally.app.shell.dialogs import KeysPage

        KeysPage(self, self.theme).open()

    def show_about(self) -> None:
        """Show version and licences."""
        from deep_tally.app.shell.dialogs import AboutPage

        AboutPage(self, self.theme).open()

    def _saved(self, words: str, worked: bool) -> None:
        """A page was written or not; a window that waits for it closes now, unless it would be lost."""
        self.say(readable(words))
        if self._closes_when_saved and not self.state.is_saving:
            self._closes_when_saved = False
            if worked:
                self.close()

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._furnished and self.state.is_saving:
            self._closes_when_saved = True
            self.say("A page is being saved; the window closes when that is done.")
            event.ignore()
            return
        self.settings.set_state("window", self.saveGeometry())
        if self._furnished:
            self.settings.set_state("splitter", self.splitter.saveState())
            self.listening.close()
            self.state.close()
        super().closeEvent(event)


def _is_same(one: Row | None, other: Row | None) -> bool:
    """Whether two rows are the same file with the same findings."""
    if one is None or other is None:
        return one is other
    return one.track is other.track and one.findings == other.findings and one.common == other.common
