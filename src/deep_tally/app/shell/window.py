"""The main window: band, steps, sheet and bench, reply; menus and keys; opening and measuring."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.theme import Theme
from deep_tally.app.shell.actions import add_action
from deep_tally.app.shell.band import Band
from deep_tally.app.shell.empty import EmptyPage
from deep_tally.app.shell.message_line import MessageLine
from deep_tally.app.shell.progress import ProgressStrip
from deep_tally.app.shell.song_strip import SongStrip
from deep_tally.app.shell.steps import Steps
from deep_tally.model.findings import Action
from deep_tally.reply.action_words import readable

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
    from deep_tally.app.shell.role_menus import RoleMenus
    from deep_tally.app.shell.state import CheckState
    from deep_tally.views.filter import Filter

_FILES = (
    "Zips and audio (*.zip *.wav *.wave *.bwf *.aif *.aiff *.flac *.ogg *.mp3 *.caf *.w64 *.rf64 *.au);;All files (*)"
)


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
    role_menus: RoleMenus
    line_up: LineUpView
    listening: Listening
    player_bar: PlayerBar
    parts: PartsView
    names: NamesView
    paper: PaperView

    def __init__(self, theme: Theme, settings: Settings) -> None:
        super().__init__()
        self.theme, self.settings = theme, settings
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
        self.show_page(self.empty)
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
        from deep_tally.app.shell.picture_saver import PictureSaver
        from deep_tally.app.shell.playback import Playback
        from deep_tally.app.shell.presenter import Presenter
        from deep_tally.app.shell.state import CheckState
        from deep_tally.app.shell.view_menu import ViewMenu
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
        self.presenter = Presenter(self)
        self.picture_saver = PictureSaver(self)
        self.brief_menu = BriefMenu(self.state, self.brief_panel, self.settings)
        self._fill_edit_menu()
        self.view_menu = ViewMenu(self, self._view_menu)
        self.playback.fill_menu(self._listen_menu)
        for menu in (self.role_menus.role_menu, self.role_menus.song_menu, self.view_menu.show_menu):
            self.theme.style(menu)
        self._connect()
        if (split := self.settings.state("splitter")) is not None:
            self.splitter.restoreState(split)
        self.presenter.show_brief()
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
        add_action(files, "Save the p&icture that is shown…", lambda: self.picture_saver.ask_and_save(), "Ctrl+Shift+P")
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
        """Undo, and what the user may correct."""
        from deep_tally.app.shell.role_menus import RoleMenus

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
        self.role_menus = RoleMenus(self.state, self.sheet, self._edit_menu, self)
        self.role_menus.said.connect(self.say)

    def _connect(self) -> None:
        self._connect_state()
        self._connect_views()
        for said in (
            self.state.noticed,
            self.reply.said,
            self.line_up.said,
            self.playback.said,
            self.brief_menu.said,
            self.names.said,
            self.paper.said,
        ):
            said.connect(self.say)

    def _connect_state(self) -> None:
        state, presenter = self.state, self.presenter
        state.opening.connect(presenter.opening)
        state.opening_moved.connect(self.progress.show_listing)
        state.preparing_moved.connect(self.progress.show_preparing)
        state.opened.connect(presenter.opened)
        state.corrected.connect(presenter.corrected)
        state.measured.connect(presenter.measured)
        state.progressed.connect(presenter.progressed)
        state.assessed.connect(presenter.assessed)
        state.brief_changed.connect(presenter.brief_changed)
        state.corrections_changed.connect(presenter.corrections_changed)
        state.abandoned.connect(presenter.abandoned)
        state.refused.connect(self._refused)
        state.clerks.saved.connect(self._saved)
        self.progress.cancel_button.clicked.connect(state.cancel)
        for view in (self.line_up, self.parts, self.names):
            view.corrected.connect(state.correct)
        for page in (self.reply, self.paper):
            page.slow_to_save.connect(lambda of, path: state.clerks.save_page(of, path, state.client))

    def _connect_views(self) -> None:
        state, steps, bench, panel = self.state, self.steps, self.bench, self.brief_panel
        for step, show in (
            (steps.sheet, self.show_sheet),
            (steps.line_up, self.show_line_up),
            (steps.parts, self.show_parts),
            (steps.names, self.show_names),
            (steps.reply, self.show_reply),
            (self.band.next, self._next_step),
        ):
            step.clicked.connect(show)
        steps.brief_button.clicked.connect(self.open_brief)
        steps.troubles_button.clicked.connect(self._show_troubles)
        steps.find_field.textChanged.connect(self._find)
        steps.left_field.connect(lambda: self.sheet.setFocus())
        self.songs.chosen.connect(lambda song: self.presenter.fill())
        self.sheet.chosen.connect(self.presenter.show_on_bench)
        self.sheet.entered.connect(lambda: bench.waveform.setFocus())
        for picture in bench.pictures.values():
            picture.wanted.connect(state.reader.request_picture)
        for view in (bench.waveform, self.line_up.canvas, self.line_up.edge):
            view.samples_wanted.connect(state.reader.request_samples)
        self.line_up.tempo_given.connect(self._set_tempo)
        self.line_up.file_wanted.connect(self._show_in_sheet)
        self.playback.changed.connect(self._show_player)
        panel.edited.connect(self._edit_brief)
        panel.misses.connect(self._keep_misses)
        panel.parts_wanted.connect(self.show_parts)
        panel.page_button.clicked.connect(self.show_paper)
        panel.closed.connect(lambda: self.open_brief(False))
        self.parts.parts_edited.connect(lambda parts, words: self._edit_brief("parts", parts, words))
        self.parts.word_taken.connect(self._take_word)
        self.paper.left.connect(self.show_sheet)
        for action, tally in self.band.tallies.items():
            tally.clicked.connect(lambda checked, a=action: self.keep_action(a if checked else None))

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

    def _show_troubles(self) -> None:
        from deep_tally.app.shell.dialogs import LeftOutPage
        from deep_tally.views.not_checked import sentences

        page = LeftOutPage(self, self.theme, *sentences(self.state.intake, self.state.delivery))
        page.accepted.connect(self.state.open_again)
        page.open()

    def _set_tempo(self, name: str, bpm: float | None) -> None:
        """Take the tempo the user gives a song; it is known by its name in the intake."""
        intake, delivery = self.state.intake, self.state.delivery
        if intake is not None and delivery is not None:
            song = intake.songs[[s.name for s in delivery.sets].index(name)]
            self.state.correct(self.state.corrections.with_tempo(song, bpm), "Tempo")

    def _edit_brief(self, key: str, value: object, words: str) -> None:
        if not self.state.briefs.edit(key, value, words):
            self.presenter.show_brief()

    def _take_word(self, part: str, phrase: str) -> None:
        if self.state.add_word(part, phrase):
            self.say(f"“{readable(phrase)}” is recognised as {readable(part)} from now on.")

    def _keep_misses(self, line: str, paths: tuple[str, ...]) -> None:
        from deep_tally.views.filter import Filter

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
            self.presenter.show_brief()
            self.presenter.show_coverage()
            self.brief_panel.focus_first()
        elif had_focus and (page := self.pages.currentWidget()) is not None:
            page.setFocus()

    def toggle_brief(self) -> None:
        """Open the brief, or close it."""
        self.open_brief(not self._is_brief_open)

    def _refused(self, words: str) -> None:
        if not self.state.is_measuring:
            self.presenter.abandoned()
        self.say(readable(words))

    # -- moving about -------------------------------------------------------------------------

    def show_sheet(self) -> None:
        """Go to the sheet, or to the first page when nothing is open."""
        if self.state.intake is not None:
            self.show_page(self.desk)
            self.sheet.setFocus()
        else:
            self.show_page(self.empty)

    def show_reply(self) -> None:
        """Go to the reply, when there is one."""
        if self._is_assessed():
            self.presenter.fill_reply()
            self.show_page(self.reply)
            self.reply.text.setFocus()

    def show_line_up(self) -> None:
        """Go to the line-up, at the file the sheet is at."""
        if self._is_assessed():
            self.show_page(self.line_up)
            self.presenter.fill_page()
            self.listening.warm_up()
            if self.sheet.current_path:
                self.line_up.list.go_to(self.sheet.current_path)
            self.line_up.list.setFocus()

    # -- listening ----------------------------------------------------------------------------

    def _show_player(self) -> None:
        is_wanted = self.has_delivery and (self.pages.currentWidget() is self.line_up or self.listening.is_playing)
        self.player_bar.setVisible(is_wanted)

    def _show_in_sheet(self, path: str) -> None:
        self.show_sheet()
        self.sheet.go_to(path)

    def show_parts(self) -> None:
        """Go to the asked parts."""
        if self._is_assessed():
            self.show_page(self.parts)
            self.presenter.fill_page()
            self.parts.tree.setFocus()

    def show_names(self) -> None:
        """Go to the new names."""
        if self._is_assessed():
            self.show_page(self.names)
            self.presenter.fill_page()
            self.names.table.setFocus()
            if not self.names.table.currentIndex().isValid():
                self.names.table.selectRow(0)

    def _is_assessed(self) -> bool:
        """Whether there is an assessed delivery; says why not, and marks the step that is still shown."""
        if self.state.delivery is not None:
            return True
        if (page := self.pages.currentWidget()) is not None:
            self.show_page(page)
        if self.state.intake is not None:
            self.say("Wait until all files are measured, or cancel; then this can be shown.")
        return False

    def show_paper(self) -> None:
        """Go to the client's page; it needs no delivery."""
        self.show_page(self.paper)
        self.presenter.fill_page()
        self.paper.text.setFocus()

    def _next_step(self) -> None:
        if self.pages.currentWidget() is self.reply:
            self.reply.save_as()
        else:
            self.show_reply()

    def _copy_reply(self) -> None:
        if self.state.delivery is not None:
            self.presenter.fill_reply()
            self.reply.copy_text()

    def _save_reply(self) -> None:
        if self.state.delivery is not None:
            self.show_reply()
            self.reply.save_as()

    def show_page(self, page: QWidget) -> None:
        if self._furnished and page is not self.pages.currentWidget() and self.listening.loop_s is not None:
            self.listening.set_loop(None)  # another view has other marks, and files elsewhere
        self.pages.setCurrentWidget(page)
        if self._furnished:
            self.playback.is_on_line_up = page is self.line_up
        is_open = page is not self.empty and self.has_delivery
        on_sheet = page is self.desk
        self.steps.setVisible(is_open)
        is_reply = self._furnished and page is self.reply
        self.steps.mark(None)
        if self._furnished:
            # Nothing was received yet that could be compared with it; the client's page is made from it.
            self._show_player()
            self.brief_panel.setVisible(self._is_brief_open and (self.has_delivery or page is self.paper))
            self.presenter.show_coverage()
            steps = {self.desk: self.steps.sheet, self.line_up: self.steps.line_up, self.parts: self.steps.parts}
            steps |= {self.names: self.steps.names, self.reply: self.steps.reply}
            self.steps.mark(steps.get(page))
        self.steps.show_sheet_tools(on_sheet)
        self.band.next.setText("Save the reply…" if is_reply else "Write the reply")
        for tally in self.band.tallies.values():
            tally.setVisible(is_open)
        self.band.show_next(is_open)

    @property
    def has_delivery(self) -> bool:
        """Whether a delivery is open."""
        return self._furnished and self.state.intake is not None

    def keep_action(self, action: Action | None) -> None:
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

    def go_find(self) -> None:
        """Go to the sheet's find field."""
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
        if self._closes_when_saved and not self.state.clerks.is_saving:
            self._closes_when_saved = False
            if worked:
                self.close()

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._furnished and self.state.clerks.is_saving:
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
