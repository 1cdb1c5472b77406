"""The main window: band, steps, sheet and bench, reply; menus and keys; opening and measuring."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QAction, QActionGroup, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.plain import ask_text
from deep_tally.app.base.theme import Choice, Theme
from deep_tally.app.shell.actions import add_action
from deep_tally.app.shell.band import Band
from deep_tally.app.shell.empty import EmptyPage
from deep_tally.app.shell.message_line import MessageLine
from deep_tally.app.shell.progress import ProgressStrip
from deep_tally.app.shell.song_strip import SongStrip
from deep_tally.app.shell.steps import Steps
from deep_tally.model.findings import QUESTIONS, Action, count_findings
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.numbers import count

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
    from deep_tally.app.shell.brief_menu import BriefMenu
    from deep_tally.app.shell.playback import Playback
    from deep_tally.app.shell.state import CheckState
    from deep_tally.model.delivery import Delivery, Track
    from deep_tally.model.files import Role
    from deep_tally.model.measures import Excerpt
    from deep_tally.views.rows import Column, Filter, Row, SortBy

_FILES = (
    "Zips and audio (*.zip *.wav *.wave *.bwf *.aif *.aiff *.flac *.ogg *.mp3 *.caf *.w64 *.rf64 *.au);;All files (*)"
)
_REFILL_MS, _TELL_MS = 120, 60
_REFILL_SHARE = 8


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
    brief_menu: BriefMenu
    playback: Playback
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
        self.steps, self.progress, self.said = Steps(), ProgressStrip(), MessageLine(theme)
        column.addWidget(self.steps)
        column.addWidget(self.progress)
        self.beside = QHBoxLayout()
        self.beside.setSpacing(0)
        self.beside.addWidget(self.pages, 1)
        column.addLayout(self.beside, 1)
        column.addWidget(self.said)
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
        from deep_tally.app.shell.brief_menu import BriefMenu
        from deep_tally.app.shell.playback import Playback
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
        self.playback = Playback(self.listening, self.player_bar, self.line_up, self.bench, self.state, self.settings)
        self.brief_menu = BriefMenu(self.state, self.brief_panel, self.settings)
        self._fill_edit_menu()
        self._fill_view_menu()
        self.playback.fill_menu(self._listen_menu)
        for menu in (self.role_menu, self.song_menu, self.show_menu):
            self.theme.style(menu)
        self._connect()
        if (split := self.settings.state("splitter")) is not None:
            self.splitter.restoreState(split)
        self._show_brief()
        self._is_brief_open = self.settings.text("brief open") == "yes"
        self.steps.brief_button.setChecked(self._is_brief_open)
        self._furnished = True
        self.say(readable(self.state.words_trouble))

    # -- building -----------------------------------------------------------------------------

    def _make_menus(self) -> None:
        files = self.menuBar().addMenu("&File")
        add_action(files, "Open a &folder…", self.choose_folder, QKeySequence.StandardKey.Open)
        add_action(files, "Open &zips or files…", self.choose_files, "Ctrl+Shift+O")
        add_action(files, "Open the &demo", lambda: self.state.open_demo())
        files.addSeparator()
        add_action(files, "Check against a &brief file…", lambda: self.brief_menu.choose_file())
        self.again_action = add_action(files, "&Read the delivery again", lambda: self.state.open_again(), "F5")
        files.addSeparator()
        add_action(files, "&Save the reply…", self._save_reply, QKeySequence.StandardKey.Save)
        add_action(files, "Save the p&icture that is shown…", self.save_picture, "Ctrl+Shift+P")
        add_action(files, "&Copy the reply as text", self._copy_reply, "Ctrl+Shift+C")
        files.addSeparator()
        add_action(files, "&Quit", self.close, QKeySequence.StandardKey.Quit)
        self._edit_menu = self.menuBar().addMenu("&Edit")
        self._view_menu = self.menuBar().addMenu("&View")
        self._listen_menu = self.menuBar().addMenu("&Listen")
        helps = self.menuBar().addMenu("&Help")
        add_action(helps, "&Keys", self.show_keys, "F1")
        add_action(helps, "&About Deep Tally", self.show_about)
        self.cancel_action = add_action(helps, "&Cancel measuring", lambda: self.state.cancel(), "Esc")
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
            add_action(self.role_menu, words, self._role_setter(role))
        self.song_menu = QMenu("The selected files belong to…", self)
        self.song_menu.aboutToShow.connect(self._fill_song_menu)
        self.mix_action = add_action(self._edit_menu, "The selected file is the rough &mix", self._set_mix, "Ctrl+M")
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
            add_action(self.song_menu, words, self._song_setter(song))
        self.song_menu.addSeparator()
        add_action(self.song_menu, "A new song…", self._set_new_song)

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
        add_action(view, "&Sheet", self.show_sheet, "Ctrl+1")
        add_action(view, "&Line-up", self.show_line_up, "Ctrl+2")
        add_action(view, "&Parts", self.show_parts, "Ctrl+3")
        add_action(view, "&Names", self.show_names, "Ctrl+4")
        add_action(view, "&Reply", self.show_reply, "Ctrl+5")
        add_action(view, "The client's &page", self.show_paper, "Ctrl+6")
        add_action(view, "The &brief beside the sheet", self._toggle_brief, "Ctrl+B")
        add_action(view, "&Find a file", self._go_find, QKeySequence.StandardKey.Find)
        view.addSeparator()
        self._fill_file_menu(view.addMenu("The &file as"))
        self._fill_show_menu(view.addMenu("S&how"))
        self.show_menu = QMenu("Show", self)
        self._fill_show_menu(self.show_menu, keys=False)
        self.steps.show_button.setMenu(self.show_menu)
        self.sort_menu = view.addMenu("S&ort by")
        for words, column, key in SORTS:
            add_action(self.sort_menu, words, self._sorter(column, key))
        self.steps.sort_button.setMenu(self.sort_menu)
        view.addSeparator()
        colours = QActionGroup(self)
        choices: tuple[tuple[str, Choice], ...] = (("As the desktop", "desktop"), ("&Day", "day"), ("&Night", "night"))
        for words, choice in choices:
            action = add_action(view, words, self._theme_chooser(choice))
            action.setCheckable(True)
            action.setChecked(self.theme.choice == choice)
            colours.addAction(action)

    def _fill_file_menu(self, menu: QMenu) -> None:
        from deep_tally.app.bench.bench import VIEWS

        for name, key in VIEWS.items():
            add_action(menu, name, self.bench.views[name].click, key)
        add_action(menu, "&Turned down", self.bench.down.click, "Ctrl+D")

    def _fill_show_menu(self, menu: QMenu, *, keys: bool = True) -> None:
        from deep_tally.views.rows import Filter

        add_action(menu, "&Everything", lambda: self.keep(Filter()), "Alt+0" if keys else None)
        for number, action in enumerate(Action, start=1):
            wanted = Filter(action=action)
            add_action(menu, ACTION_WORDS[action], self._keeper(wanted), f"Alt+{number}" if keys else None)
        menu.addSeparator()
        for question in QUESTIONS:
            add_action(menu, f"Findings of {question}", self._keeper(Filter(question=question)))

    def _keeper(self, wanted: Filter) -> Callable[[], None]:
        return lambda: self.keep(wanted)

    def _sorter(self, column: Column, key: SortBy) -> Callable[[], None]:
        return lambda: self.sheet.sort(column, by=key)

    def _theme_chooser(self, choice: Choice) -> Callable[[], None]:
        def choose() -> None:
            self.theme.choose(choice)
            self.settings.set_theme(choice)

        return choose

    def _connect(self) -> None:
        state = self.state
        state.opening.connect(self._tell_opening)
        state.opening_moved.connect(self.progress.show_listing)
        state.preparing_moved.connect(self.progress.show_preparing)
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
        self.steps.troubles_button.clicked.connect(self._show_troubles)
        self.songs.chosen.connect(lambda song: self._fill())
        self.reply.said.connect(self.say)
        self.steps.sheet.clicked.connect(self.show_sheet)
        self.steps.reply.clicked.connect(self.show_reply)
        self.band.next.clicked.connect(self._next_step)
        self.steps.line_up.clicked.connect(self.show_line_up)
        self.line_up.corrected.connect(state.correct)
        self.line_up.tempo_given.connect(self._set_tempo)
        self.line_up.samples_wanted.connect(state.request_excerpts)
        self.line_up.file_wanted.connect(self._show_in_sheet)
        self.line_up.said.connect(self.say)
        self.playback.said.connect(self.say)
        self.playback.changed.connect(self._show_player)
        self.steps.parts.clicked.connect(self.show_parts)
        self.steps.names.clicked.connect(self.show_names)
        self.steps.brief_button.clicked.connect(self.open_brief)
        panel = self.brief_panel
        panel.edited.connect(self._edit_brief)
        panel.misses.connect(self._keep_misses)
        panel.parts_wanted.connect(self.show_parts)
        panel.page_button.clicked.connect(self.show_paper)
        panel.closed.connect(lambda: self.open_brief(False))
        self.brief_menu.said.connect(self.say)
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
        self.progress.cancel_button.clicked.connect(state.cancel)
        self.steps.find_field.textChanged.connect(self._find)
        self.steps.left_field.connect(lambda: self.sheet.setFocus())
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
        self.progress.show_opening(words)
        self.cancel_action.setEnabled(True)

    def _show_progress(self) -> None:
        self.progress.show_run(self.state.measuring, self.state.comparing)

    def _opened(self, again: bool) -> None:
        self._replied = None
        self.reply.protected = self.paper.protected = self.names.protected = self.state.client
        if not again:
            self.playback.forget()
        self.progress.begin()
        self.band.show_counts(None)
        self._show_page(self.desk)
        if not again:
            self.songs.song = ""
            self.steps.find_field.clear()
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
        first, words = [*incomplete, *troubles], button_words(self.state.intake, self.state.delivery)
        self.steps.troubles_button.setText(words)
        self.steps.troubles_button.setVisible(bool(first))
        if first:
            self.say(first[0] + (f" And {len(first) - 1} more: see “{words}” above." if len(first) > 1 else ""))

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
            self.progress.begin()
            self.progress.show()
            self.cancel_action.setEnabled(True)
            self._show_progress()

    def _measured(self, track: Track) -> None:
        if not self._refill.isActive():
            self._refill.start()

    def _progressed(self) -> None:
        if not self._telling.isActive():
            self._telling.start()

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
        self.steps.brief_button.setText(f"Brief: {readable(brief.name)}".replace("&", "&&"))
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
        self.steps.brief_button.setChecked(is_open)
        self.settings.set_text("brief open", "yes" if is_open else "no")
        if is_open:
            self._show_brief()
            self._show_came()
            self.brief_panel.focus_first()
        elif had_focus and (page := self.pages.currentWidget()) is not None:
            page.setFocus()

    def _toggle_brief(self) -> None:
        self.open_brief(not self._is_brief_open)

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
        self.playback.row = row
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
        if self._furnished:
            self.playback.is_on_line_up = page is self.line_up
        is_open = page is not self.empty and self._has_delivery()
        on_sheet = page is self.desk
        self.steps.setVisible(is_open)
        is_reply = self._furnished and page is self.reply
        self.steps.mark(None)
        if self._furnished:
            # Nothing came yet that could be held against it; the client's page is made from it.
            self._show_player()
            self.brief_panel.setVisible(self._is_brief_open and (self._has_delivery() or page is self.paper))
            self._show_came()
            steps = {self.desk: self.steps.sheet, self.line_up: self.steps.line_up, self.parts: self.steps.parts}
            steps |= {self.names: self.steps.names, self.reply: self.steps.reply}
            self.steps.mark(steps.get(page))
        self.steps.show_sheet_tools(on_sheet)
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
        wanted = replace(wanted, words=self.steps.find_field.text())
        self.sheet.proxy.keep(wanted)
        self.steps.show_button.setText(wanted.says)
        for action, tally in self.band.tallies.items():
            tally.setChecked(wanted.action is action)
        self.sheet.go_to(self.sheet.current_path)
        if not self.sheet.proxy.rowCount() and self.sheet.sheet_model.rowCount():
            self.say("No file matches. Press Alt+0 to show everything.")

    def _find(self, words: str) -> None:
        self.keep(self.sheet.proxy.filter)

    def _go_find(self) -> None:
        self.show_sheet()
        self.steps.go_find()

    def say(self, words: str) -> None:
        """Say something in one sentence at the foot of the window."""
        self.said.say(words)

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
