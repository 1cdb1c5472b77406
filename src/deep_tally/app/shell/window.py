"""The main window: band, steps, sheet and bench, reply; menus and keys; opening and measuring."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
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
from deep_tally.app.shell.band import Band
from deep_tally.app.shell.empty import EmptyPage
from deep_tally.app.shell.main_menus import MainMenus
from deep_tally.app.shell.message_line import MessageLine
from deep_tally.app.shell.navigator import Navigator
from deep_tally.app.shell.offer_strip import OfferStrip
from deep_tally.app.shell.progress import ProgressStrip
from deep_tally.app.shell.song_strip import SongStrip
from deep_tally.app.shell.steps import Steps
from deep_tally.reply.action_words import readable
from deep_tally.session.saved_checks import ENDING

if TYPE_CHECKING:
    from deep_tally.app.base.listening import Listening
    from deep_tally.app.base.settings import Settings
    from deep_tally.app.bench.bench import Bench
    from deep_tally.app.brief.brief_panel import BriefPanel
    from deep_tally.app.line_up.line_up_view import LineUpView
    from deep_tally.app.mix_match.mix_match_view import MixMatchView
    from deep_tally.app.names.names_view import NamesView
    from deep_tally.app.pages.paper_view import PaperView
    from deep_tally.app.pages.reply_view import ReplyView
    from deep_tally.app.parts.parts_view import PartsView
    from deep_tally.app.player.player_bar import PlayerBar
    from deep_tally.app.ready.ready_view import ReadyView
    from deep_tally.app.rounds.rounds_view import RoundsView
    from deep_tally.app.sheet.sheet_view import SheetView
    from deep_tally.app.shell.brief_menu import BriefMenu
    from deep_tally.app.shell.deciding import Deciding
    from deep_tally.app.shell.exports import Exports
    from deep_tally.app.shell.offers import Offers
    from deep_tally.app.shell.picture_saver import PictureSaver
    from deep_tally.app.shell.playback import Playback
    from deep_tally.app.shell.presenter import Presenter
    from deep_tally.app.shell.ready_writing import ReadyWriting
    from deep_tally.app.shell.sheet_filter import SheetFilter
    from deep_tally.app.shell.state import CheckState

_FILES = (
    "Zips, audio and saved checks"
    f" (*.zip *{ENDING} *.wav *.wave *.bwf *.aif *.aiff *.flac *.ogg *.mp3 *.caf *.w64 *.rf64 *.au);;All files (*)"
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
    deciding: Deciding
    exports: Exports
    filter: SheetFilter
    offers: Offers
    picture_saver: PictureSaver
    presenter: Presenter
    playback: Playback
    line_up: LineUpView
    listening: Listening
    player_bar: PlayerBar
    mix_match: MixMatchView
    parts: PartsView
    names: NamesView
    ready: ReadyView
    ready_writing: ReadyWriting
    rounds: RoundsView
    paper: PaperView

    def __init__(self, theme: Theme, settings: Settings) -> None:
        super().__init__()
        self.theme, self.settings = theme, settings
        self._furnished = self._closes_when_saved = False
        self.setWindowTitle("Deep Tally")
        self.resize(1280, 800)
        self.setMinimumSize(900, 560)
        self.setAcceptDrops(True)
        self.band = Band(theme)
        self.empty = EmptyPage(theme)
        self.empty.open_folder.clicked.connect(self.choose_folder)
        self.empty.open_files.clicked.connect(self.choose_files)
        self.empty.demo.clicked.connect(lambda: self.state.demo.open())
        self.splitter = QSplitter(Qt.Orientation.Vertical)
        self.songs = SongStrip(theme)
        self.desk = QWidget()
        self._desk_column = desk = QVBoxLayout(self.desk)
        desk.setContentsMargins(0, 0, 0, 0)
        desk.setSpacing(0)
        desk.addWidget(self.songs)
        desk.addWidget(self.splitter, 1)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.empty)
        self.pages.addWidget(self.desk)
        whole = QWidget()
        self._column = column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.band)
        self.steps, self.progress, self.said = Steps(), ProgressStrip(), MessageLine(theme)
        self.offer = OfferStrip(theme)
        column.addWidget(self.steps)
        column.addWidget(self.progress)
        column.addWidget(self.offer)
        self._beside = QHBoxLayout()
        self._beside.setSpacing(0)
        self._beside.addWidget(self.pages, 1)
        column.addLayout(self._beside, 1)
        column.addWidget(self.said)
        self.setCentralWidget(whole)
        self.navigator = Navigator(self)
        self.menus = MainMenus(self)
        for part in (self.menuBar(), self.band, self.steps, self.progress, self.offer, self.empty, self.desk):
            theme.style(part)
        self.empty.show_recent()
        self.navigator.show_empty()
        self.band.show_nothing()
        if (geometry := settings.state("window")) is not None:
            self.restoreGeometry(geometry)

    def furnish(self) -> None:
        """Bring in the views and the check's state."""
        from deep_tally.app.shell.brief_menu import BriefMenu
        from deep_tally.app.shell.deciding import Deciding
        from deep_tally.app.shell.exports import Exports
        from deep_tally.app.shell.offers import Offers
        from deep_tally.app.shell.picture_saver import PictureSaver
        from deep_tally.app.shell.playback import Playback
        from deep_tally.app.shell.presenter import Presenter
        from deep_tally.app.shell.ready_writing import ReadyWriting
        from deep_tally.app.shell.sheet_filter import SheetFilter
        from deep_tally.app.shell.state import CheckState
        from deep_tally.app.shell.wiring import Wiring

        self.state = CheckState()
        self._make_views()
        self._place_views()
        self.playback = Playback(
            self.listening, self.player_bar, self.line_up, self.mix_match, self.bench, self.state, self.settings
        )
        self.presenter = Presenter(self)
        self.filter = SheetFilter(self)
        self.picture_saver = PictureSaver(self)
        self.brief_menu = BriefMenu(self.state, self.brief_panel, self.settings)
        self.menus.furnish()
        self.deciding = Deciding(self)
        self.exports = Exports(self)
        self.ready_writing = ReadyWriting(self)
        self._wiring = Wiring(self)
        self.offers = Offers(self)
        if (split := self.settings.state("splitter")) is not None:
            self.splitter.restoreState(split)
        self.presenter.show_brief()
        self.navigator.restore_brief()
        self._furnished = True
        self.say(readable(self.state.words_trouble))

    def _make_views(self) -> None:
        from deep_tally.app.base.listening import Listening
        from deep_tally.app.bench.bench import Bench
        from deep_tally.app.brief.brief_panel import BriefPanel
        from deep_tally.app.line_up.line_up_view import LineUpView
        from deep_tally.app.mix_match.mix_match_view import MixMatchView
        from deep_tally.app.names.names_view import NamesView
        from deep_tally.app.pages.paper_view import PaperView
        from deep_tally.app.pages.reply_view import ReplyView
        from deep_tally.app.parts.parts_view import PartsView
        from deep_tally.app.player.player_bar import PlayerBar
        from deep_tally.app.ready.ready_view import ReadyView
        from deep_tally.app.rounds.rounds_view import RoundsView
        from deep_tally.app.sheet.sheet_view import SheetView
        from deep_tally.app.shell.likely_strip import LikelyStrip
        from deep_tally.views.rows import empty_sheet

        self.sheet = SheetView(empty_sheet(self.state.brief), self.theme)
        self.likely = LikelyStrip(self.theme)
        self.bench = Bench(self.theme)
        self.reply = ReplyView(self.theme, self.settings)
        self.brief_panel = BriefPanel(self.theme)
        self.listening = Listening(self)
        self.line_up = LineUpView(self.theme, self.settings, self.listening)
        self.player_bar = PlayerBar(self.theme, self.listening)
        self.mix_match = MixMatchView(self.theme, self.listening)
        self.parts = PartsView(self.theme)
        self.names = NamesView(self.theme, self.settings)
        self.rounds = RoundsView(self.theme)
        self.ready = ReadyView(self.theme)
        self.paper = PaperView(self.theme, self.settings)

    def _place_views(self) -> None:
        self.player_bar.hide()
        self._column.insertWidget(self._column.indexOf(self.said), self.player_bar)
        self._beside.addWidget(self.brief_panel)
        self.brief_panel.hide()
        self._desk_column.insertWidget(1, self.likely)
        self.splitter.addWidget(self.sheet)
        self.splitter.addWidget(self.bench)
        self.splitter.setHandleWidth(2)
        self.splitter.setCollapsible(0, False)
        self.splitter.setStretchFactor(0, 3)
        self.splitter.setStretchFactor(1, 1)
        self.splitter.setSizes([410, 240])
        pages = (self.line_up, self.mix_match, self.parts, self.names, self.reply, self.ready, self.rounds, self.paper)
        for page in pages:
            self.pages.addWidget(page)
        for part in (*pages, self.player_bar):
            self.theme.style(part)
        self.sheet.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)

    def choose_folder(self) -> None:
        """Ask for a folder and open it."""
        chosen = QFileDialog.getExistingDirectory(self, "Open a client's folder", str(self.settings.folder("delivery")))
        if chosen:
            self.settings.set_folder("delivery", Path(chosen).parent)
            self.open([Path(chosen)])

    def choose_next_round(self) -> None:
        """Ask for the folder of the next round, and open it as that."""
        if self.state.delivery is None:
            self.say("Open the round before first.")
            return
        start = str(self.settings.folder("delivery"))
        chosen = QFileDialog.getExistingDirectory(self, "Open the next round", start)
        if chosen:
            self.settings.set_folder("delivery", Path(chosen).parent)
            self.state.next_round.open([Path(chosen)])

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
            self.offers.dropped(paths) if self._furnished else self.open(paths)

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

    def saved(self, words: str, worked: bool) -> None:
        """A page was written, which is said where it can be opened, or not; a window that waits for it closes now."""
        if not worked:
            self.say(readable(words))
        self._close_when_saved(worked)

    def check_saved(self) -> None:
        """The check was saved, or could not be, which was said then."""
        self._close_when_saved(True)

    def _close_when_saved(self, worked: bool) -> None:
        if not worked:
            self._closes_when_saved = False  # what could not be written would be lost
        elif self._closes_when_saved and not self._is_saving:
            self._closes_when_saved = False
            self.close()

    @property
    def _is_saving(self) -> bool:
        return self.state.clerks.is_saving or self.state.autosave.is_busy or self.ready_writing.is_busy

    def save_check_as(self) -> None:
        """Ask where the check is to be saved from now on."""
        if self.state.delivery is None:
            self.say("There is no check to save yet.")
            return
        from deep_tally.app.pages.paper import plain_name

        name = plain_name(f"Check {self.state.delivery.name}")
        start = str(self.settings.folder("check") / f"{name}{ENDING}")
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the check", start, f"Saved checks (*{ENDING})")
        if chosen:
            path = Path(chosen)
            path = path if path.suffix.casefold() == ENDING else path.with_name(path.name + ENDING)
            self.settings.set_folder("check", path.parent)
            self.state.autosave.save_as(path)

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._furnished:
            self.reply.keep_edits()
            self.state.autosave.flush()
        if self._furnished and self._is_saving and not self._closes_when_saved:
            # What waits is written in a moment; whoever closes the window once more does not want to wait.
            self._closes_when_saved = True
            what = "A page" if self.state.clerks.is_saving else "The check"
            what = "The ready copy" if self.ready_writing.is_busy else what
            self.say(f"{what} is being saved; the window closes when that is done. Close it again to stop waiting.")
            event.ignore()
            return
        self.settings.set_state("window", self.saveGeometry())
        if self._furnished:
            self.settings.set_state("splitter", self.splitter.saveState())
            self.ready_writing.close()
            self.listening.close()
            self.state.close()
        super().closeEvent(event)
