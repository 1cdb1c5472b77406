"""A rough mix compared with its files: do the files add up to what the client heard?"""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QGuiApplication, QResizeEvent, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from deep_tally.app.base.buttons import plain_button
from deep_tally.app.base.listening import Listening
from deep_tally.app.base.plain import PlainLabel
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.mix_match.mix_listening import MixListening
from deep_tally.app.mix_match.mix_strip import MixStrip
from deep_tally.app.mix_match.mix_table import MixTable
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections, Gains
from deep_tally.model.delivery import Delivery, SongSet
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import count
from deep_tally.views.mix_map import MixMap, candidates, mix_map, span_words

_LEGEND = (
    "Tall: loud. Strong: what the file holds there is in the mix; faint: it is not."
    " Dashed: where it stands as it was sent."
)
_WAITING = "The rough mix is being compared with the files. You can look at everything else meanwhile."
_WITHOUT = (
    "No rough mix came with this song. With one, this shows where every file belongs, how loud it was, whether it is in"
    " the mix at all, and what the mix holds that nobody sent."
)
_ANOTHER = "if another file is the rough mix, choose it in the sheet and press Ctrl+M"
_CANDIDATE = "If one of these is the rough mix, say so:"


class MixMatchView(QWidget):
    """The map, the strip above it, and what can be done with them.

    `corrected` sends (the corrections now, words); `mix_named` the path of the file that is the rough mix; `said`
    words for the message line; `file_wanted` the path of a file to go to.
    """

    corrected = Signal(object, str)
    mix_named = Signal(str)
    said = Signal(str)
    file_wanted = Signal(str)

    def __init__(self, theme: Theme, listening: Listening) -> None:
        super().__init__()
        self._theme = theme
        self._corrections: Corrections = NO_CORRECTIONS
        self._song: SongSet | None = None
        self.shown: MixMap | None = None
        self.verdict, self.remainder, self.legend = PlainLabel(), PlainLabel(), PlainLabel(_LEGEND)
        self.verdict.setFont(font(15, 600))
        self.verdict.setWordWrap(True)
        self.remainder.setWordWrap(True)
        self.legend.setWordWrap(True)
        self.verdict.setAccessibleName("How far the files account for the mix")
        self.places_button = plain_button(
            "Use these &places", "Place the files where the mix has them; Ctrl+Z takes it back", "quiet"
        )
        self.levels_button = plain_button(
            "Use these &levels",
            "Hear the files as loud as the mix has them, and keep that; Ctrl+Z takes it back",
            "quiet",
        )
        self.copy_button = plain_button("&Copy the levels", "Copy each file's gain in the mix, to be pasted", "quiet")
        self.places_button.clicked.connect(self.use_places)
        self.levels_button.clicked.connect(self.use_levels)
        self.copy_button.clicked.connect(self.copy_levels)
        self.strip = MixStrip(theme)
        self.strip.span_chosen.connect(self._say_span)
        self.listening = MixListening(listening, self.strip, self)
        self.strip.play_pressed.connect(self.listening.play)
        self.table = MixTable(theme)
        self.table.activated.connect(self._go_to)
        self.table.play_pressed.connect(self.listening.play)
        self.nothing = PlainLabel()
        self.nothing.setWordWrap(True)
        self.nothing.setFont(font(15))
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        self.offers: list[QPushButton] = []
        self._lay_out()

    def _lay_out(self) -> None:
        words = QVBoxLayout()
        words.setSpacing(2)
        words.addWidget(self.verdict)
        words.addWidget(self.remainder)
        head = QHBoxLayout()
        head.setContentsMargins(24, 10, 24, 0)
        head.addLayout(words, 1)
        head.addWidget(self.places_button)
        head.addWidget(self.levels_button)
        head.addWidget(self.copy_button)
        foot = QHBoxLayout()
        foot.setContentsMargins(24, 6, 24, 8)
        foot.addWidget(self.legend)
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(self.strip)
        column.addWidget(self.table, 1)
        column.addLayout(foot)
        empty = QWidget()
        self._empty = QVBoxLayout(empty)
        self._empty.setContentsMargins(120, 60, 120, 60)
        self._empty.setSpacing(12)
        self._empty.addWidget(self.nothing)
        self._empty.addStretch()
        self.pages = QStackedWidget()
        self.pages.addWidget(page)
        self.pages.addWidget(empty)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.pages)

    # -- showing ------------------------------------------------------------------------------

    def show_all(
        self, delivery: Delivery, corrections: Corrections, *, song: str = "", is_matching: bool = False
    ) -> None:
        """Show the match of a song (of the first one that has any, where none is named), or why there is none."""
        self._corrections = corrections
        sets = [s for s in delivery.sets if not song or s.name == song]
        self._song = next((s for s in sets if s.mix_match is not None), sets[0] if sets else None)
        self.shown = mix_map(delivery, self._song) if self._song is not None else None
        self.listening.show_song(self._song)
        if self.shown is None:
            self._show_nothing(is_matching=is_matching)
            return
        before = self.table.currentIndex().row()
        self.verdict.setText(f"{self.shown.verdict[:1].upper()}{self.shown.verdict[1:]}.")
        is_unrelated = self.shown.match.verdict == "unrelated"
        remainder = _ANOTHER if is_unrelated else self.shown.remainder
        self.remainder.setText(f"{remainder[:1].upper()}{remainder[1:]}." if remainder else "")
        self.remainder.setVisible(bool(remainder))
        self.strip.show_map(self.shown)
        self.table.rows.show_map(self.shown)
        self.table.selectRow(max(0, before))
        self.places_button.setEnabled(bool(self._places()))
        self.levels_button.setEnabled(bool(self._levels()))
        self.copy_button.setEnabled(any(row.level_db is not None for row in self.shown.rows))
        self.pages.setCurrentIndex(0)
        self._align()

    def _show_nothing(self, *, is_matching: bool) -> None:
        for offer in self.offers:
            self._empty.removeWidget(offer)
            offer.deleteLater()
        self.offers = []
        self.nothing.setText(_WAITING if is_matching else _WITHOUT)
        paths = candidates(self._song) if self._song is not None and not is_matching else ()
        if paths:
            self.nothing.setText(f"{_WITHOUT}\n\n{_CANDIDATE}")
        for path in paths:
            offer = QPushButton(readable(path).replace("&", "&&"))
            offer.setToolTip("This is the rough mix")
            offer.clicked.connect(lambda checked=False, p=path: self.mix_named.emit(p))
            self._empty.insertWidget(self._empty.count() - 1, offer, alignment=Qt.AlignmentFlag.AlignHCenter)
            self.offers.append(offer)
        self.pages.setCurrentIndex(1)

    def _align(self) -> None:
        self.strip.place_map(*self.table.share_width())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._align()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._align()

    # -- doing --------------------------------------------------------------------------------

    def _places(self) -> dict[str, int]:
        """Where the mix has files that stand elsewhere now, in frames of each file."""
        song = self._song
        if song is None or song.mix_match is None:
            return {}
        wanted: dict[str, int] = {}
        for track in song.assessed:
            found = song.in_mix.get(track.path)
            if found is None or found.presence != "in" or track.format is None:
                continue
            frames = round(found.start_frames * track.format.rate_hz / song.mix_match.rate_hz)
            if frames != song.placed_frames(track):
                wanted[track.path] = frames
        return wanted

    def use_places(self) -> None:
        """Place all files where the mix has them."""
        places = self._places()
        corrections = self._corrections
        for path, frames in places.items():
            corrections = corrections.with_place(path, frames)
        if places:
            self.corrected.emit(corrections, "Places of the mix")
            self.said.emit(f"{count(len(places), 'file')} placed where the mix has them. Ctrl+Z takes it back.")

    def _levels(self) -> dict[str, Gains]:
        """How loud the mix has files, where that is not what is used already."""
        song = self._song
        if song is None or song.mix_match is None or not song.mix_match.can_judge:
            return {}
        found = {path: f.gains for path, f in song.in_mix.items() if f.presence == "in"}
        return {path: gains for path, gains in found.items() if self._corrections.levels.get(path) != gains}

    def use_levels(self) -> None:
        """Hear all files as loud as the mix has them, and keep that with the delivery."""
        if levels := self._levels():
            self.corrected.emit(self._corrections.with_levels(levels), "Levels of the mix")
            self.said.emit(f"{count(len(levels), 'file')} set as loud as in the mix. Ctrl+Z takes it back.")

    def copy_levels(self) -> None:
        """Copy the levels, a line for each file."""
        if self.shown is not None:
            QGuiApplication.clipboard().setText(self.shown.levels_text())
            levels = sum(row.level_db is not None for row in self.shown.rows)
            self.said.emit(f"The levels of {count(levels, 'file')} are copied.")

    def _say_span(self, number: int) -> None:
        if self.shown is not None:
            self.said.emit(f"No file gives what the mix holds from {span_words(self.shown, number)}.")

    def _go_to(self) -> None:
        row = self.table.rows.row(self.table.currentIndex().row())
        if row is not None:
            self.file_wanted.emit(row.path)
