"""What is wrong with the file on the bench, in words, and what the file says about itself."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QFontMetricsF,
    QKeyEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QAbstractButton,
    QHBoxLayout,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.buttons import plain_button
from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.model.comparison import MidiPair
from deep_tally.model.decisions import Decided
from deep_tally.model.files import Entry, Role, SoundFormat, Unchecked
from deep_tally.model.findings import Finding
from deep_tally.model.statements import Statement
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.decision_words import decided_words
from deep_tally.reply.numbers import clock, count
from deep_tally.reply.role_words import role_phrase
from deep_tally.reply.wording.speaker import Speaker
from deep_tally.views.cell_texts import companion_text, plays_text
from deep_tally.views.rows import Row

PANEL_WIDTH = 380
_MARKERS_MOST = 40
_MENU_WIDTH, _MENU_HEIGHT = 28, 22
_COMPANIONS = {
    Role.MIDI: "MIDI: tempo and key are taken from it where no name states them.",
    Role.DOCUMENT: "A document. Song, tempo and key are taken from it where nothing else states them.",
    Role.STRAY: "A stray file. It is left out of the check.",
}


VIEWS = {
    "Waveform": "F6",
    "Sides": "F7",
    "Spectrogram": "F10",
    "Spectrum": "F8",
    "Stereo": "F11",
    "Histogram": "F12",
    "Bits": "F9",
}
"""The pictures of a file that the bench offers, with their keys."""
_EVIDENCE = {
    "channels.": "Sides",
    "depth.": "Bits",
    "rate.upsampled": "Spectrum",
    "content.lossy-origin": "Spectrum",
}
"""Which picture proves a finding; the waveform proves all others."""


def evidence_view(code: str) -> str:
    """Which of the `VIEWS` proves a finding."""
    return next((view for start, view in _EVIDENCE.items() if code.startswith(start)), "Waveform")


class FindingCard(QAbstractButton):
    """One finding in words; pressing it goes to its place."""

    decide_wanted = Signal(QPoint)
    """The menu of decisions is wanted, at this place on the screen."""

    def __init__(self, finding: Finding, path: str, speaker: Speaker, theme: Theme, *, root: str = "") -> None:
        super().__init__()
        self.finding, self.path = finding, path
        self._theme = theme
        self._headline = speaker.headline(finding)
        evidence = readable(speaker.evidence(finding, path))
        matter = "" if root else speaker.matter(finding)
        mend = speaker.mend(finding) if not root else ""
        self._lines = [f"Explained by: {root[:1].lower()}{root[1:]}."] if root else []
        self._lines += [f"{evidence[:1].upper()}{evidence[1:]}."] if evidence else []
        self._lines += [matter] if matter else []
        self._lines += [f"Fix: {mend}."] if mend else []
        self._is_settled = bool(root)
        self.setText(f"{ACTION_WORDS[finding.action]}: {self._headline}")
        self.setAccessibleName(" ".join([f"{self.text()}.", *self._lines]))
        has_place = any(p.path == path for p in finding.places)
        tip = "Press to go to its place." if has_place else "It is about the whole file: press to see all of it."
        if (view := evidence_view(finding.code)) != "Waveform":
            tip = f"Press to see it: {view.lower()}."
        self.setToolTip(as_plain(f"{ACTION_WORDS[finding.action]} ({finding.code}).\n{tip}"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self.menu_button = QToolButton(self)
        self.menu_button.setText("…")
        self.menu_button.setAccessibleName(f"Decide about: {self._headline}")
        self.menu_button.setToolTip(as_plain("Decide: meant so, fixed here, asked already, answered (D)"))
        self.menu_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.menu_button.setVisible(not root)
        self.menu_button.clicked.connect(self._want_menu)
        theme.changed.connect(self.update)

    def _want_menu(self) -> None:
        self.decide_wanted.emit(self.menu_button.mapToGlobal(self.menu_button.rect().bottomLeft()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_D and not event.modifiers() and not self._is_settled:
            self._want_menu()
            return
        super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if not self._is_settled:
            self._want_menu()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.menu_button.setGeometry(self.width() - _MENU_WIDTH - 4, 4, _MENU_WIDTH, _MENU_HEIGHT)

    def heightForWidth(self, width: int) -> int:
        return round(self._lay_out(None, width))

    def sizeHint(self) -> QSize:
        width = self.width() or PANEL_WIDTH
        return QSize(PANEL_WIDTH - 40, self.heightForWidth(width))

    def minimumSizeHint(self) -> QSize:
        return QSize(160, self.heightForWidth(self.width() or PANEL_WIDTH))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        colours = self._theme.colours
        if self.hasFocus() or self.underMouse():
            painter.setPen(QPen(QColor(colours.fix if self.hasFocus() else colours.rule), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        self._lay_out(painter, self.width())

    def _lay_out(self, painter: QPainter | None, width: int) -> float:
        """Draw with a painter, measure without one; returns the height."""
        colours = self._theme.colours
        y = 7.0
        for number, line in enumerate([self._headline, *self._lines]):
            head = number == 0
            used = font(14 if head else 13, (400 if self._is_settled else 700) if head else 400)
            metrics = QFontMetricsF(used)
            flags = Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft
            room = max(60, width - 36 - (_MENU_WIDTH if head and not self._is_settled else 0))
            box = metrics.boundingRect(QRectF(28, 0, room, 4000), int(flags), line)
            if painter is not None:
                painter.setFont(used)
                painter.setPen(QColor(colours.ink if head and not self._is_settled else colours.soft))
                painter.drawText(QRectF(28, y, room, box.height() + 2), int(flags), line)
                if head:
                    colour = colours.action(self.finding.action)
                    draw_shape(painter, self.finding.action, QPointF(14, y + 9), 12, colour)
            y += box.height() + (3 if head else 1)
        return y + 7


class FindingPanel(QScrollArea):
    """All findings of a file. `pressed` carries the one the user wants to see."""

    pressed = Signal(object)
    decide_wanted = Signal(object, str, QPoint)
    """(the finding, the file, where on the screen): the menu of decisions is wanted."""
    taken_back = Signal(object)
    """A Decided that is not to count any more."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAccessibleName("What is wrong, and who acts")
        self.viewport().setAutoFillBackground(False)
        self.cards: list[FindingCard] = []

    def show_row(self, row: Row | None, speaker: Speaker | None, *, is_whole: bool) -> None:
        """Show a row's findings, or that there is nothing to say."""
        inside = QWidget()
        inside.setAutoFillBackground(False)
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 4, 8)
        column.setSpacing(2)
        title = PlainLabel("What is wrong, and who acts")
        title.setFont(font(13, 600))
        title.setContentsMargins(8, 4, 0, 4)
        column.addWidget(title)
        self.cards = []
        if row is not None and speaker is not None:
            for finding in sorted(row.findings, key=lambda f: -f.action.gravity):
                self._add(column, FindingCard(finding, row.track.path, speaker, self._theme))
                for consequence in finding.consequences:
                    if row.track.path in consequence.files:
                        root = speaker.headline(finding)
                        self._add(column, FindingCard(consequence, row.track.path, speaker, self._theme, root=root))
        if row is not None and (unchecked := row.track.unchecked) is not None:
            column.addWidget(_words(_not_checked(unchecked)))
        elif not self.cards:
            column.addWidget(_words(_nothing(row, is_whole=is_whole)))
        if row is not None and row.decided and speaker is not None:
            self._add_decided(column, row.decided, speaker)
        if row is not None and row.said:
            self._add_words(column, "What the client says about it", client_lines(row.said))
        if row is not None and row.track.format is not None and (said := said_lines(row.track.format)):
            self._add_words(column, "What the file says about itself", said)
        if row is not None and row.summed:
            self._add_words(column, "Its part in the sum", row.summed)
        column.addStretch()
        self.setWidget(inside)
        inside.setAutoFillBackground(False)  # setWidget switches it on

    def _add_words(self, column: QVBoxLayout, heading: str, lines: Sequence[str]) -> None:
        head = PlainLabel(heading)
        head.setFont(font(13, 600))
        head.setContentsMargins(8, 12, 0, 4)
        column.addWidget(head)
        for line in lines:
            column.addWidget(_words(line))

    def _add_decided(self, column: QVBoxLayout, decided: Sequence[Decided], speaker: Speaker) -> None:
        """What was decided stays listed, with a way back."""
        head = PlainLabel("Decided")
        head.setFont(font(13, 600))
        head.setContentsMargins(8, 12, 0, 4)
        column.addWidget(head)
        for each in decided:
            words = readable(f"{speaker.headline(each.finding)}. {decided_words(each)}")
            line = QHBoxLayout()
            line.addWidget(_words(words), 1)
            back = plain_button("Forget" if each.of_client else "Take back", "It counts again; Ctrl+Z does the same")
            back.setAccessibleName(f"{back.text()}: {words}")
            back.clicked.connect(lambda checked=False, d=each: self.taken_back.emit(d))
            line.addWidget(back, 0, Qt.AlignmentFlag.AlignTop)
            column.addLayout(line)

    def _add(self, column: QVBoxLayout, card: FindingCard) -> None:
        card.clicked.connect(lambda: self.pressed.emit(card.finding))
        card.decide_wanted.connect(lambda place: self.decide_wanted.emit(card.finding, card.path, place))
        column.addWidget(card)
        self.cards.append(card)


def _words(text: str) -> PlainLabel:
    words = PlainLabel(text)
    words.setWordWrap(True)
    words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    words.setContentsMargins(8, 2, 8, 0)
    return words


def client_lines(said: Sequence[Statement]) -> list[str]:
    """The client's sentences about a file, each with the note it stands in."""
    return [readable(f"“{s.words}” ({s.note.rpartition('/')[2]})") for s in said]


def said_lines(sound: SoundFormat) -> list[str]:
    """What a file carries besides its sound: texts and markers."""
    lines = [f"{label}: {text}" for label, text in sound.said]
    lines += [f"Says: {text}" for text in sound.comments if not any(text in line for line in lines)]
    if sound.time_reference is not None:
        lines.append(f"Time stamp: {clock(sound.time_reference / sound.rate_hz, digits=3)} after midnight")
    lines += [
        f"Marker at {clock(m.frame / sound.rate_hz)}: {m.text or 'no name'}" for m in sound.markers[:_MARKERS_MOST]
    ]
    if len(sound.markers) > _MARKERS_MOST:
        lines.append(f"and {len(sound.markers) - _MARKERS_MOST} more markers")
    return [readable(line) for line in lines]


def companion_page(entry: Entry, plays: MidiPair | None = None) -> str:
    """All that is known of a file that is not audio."""
    if entry.midi is not None:
        midi = entry.midi
        lines = [f"Song: {midi.title}"] if midi.title else []
        lines += [f"Tempo: {midi.tempo_bpm:g} BPM" if midi.tempo_bpm else "Tempo: unknown, the file states none"]
        lines += [f"It changes {count(midi.tempo_changes, 'time')}."] if midi.tempo_changes else []
        lines += [f"Meter: {midi.meter}"] if midi.meter else []
        lines += [f"Key: {midi.key}"] if midi.key else []
        words = plays_text(plays) if plays is not None else ""
        lines += [f"{words[:1].upper()}{words[1:]}."] if words else []
        length = f"{clock(midi.seconds)}, " if midi.seconds is not None else ""
        return "\n".join([*lines, f"Length: {length}{midi.beats:g} quarter notes"])
    if entry.text:
        return "\n".join(readable(line) for line in entry.text.split("\n"))
    words = companion_text(entry)
    return f"{words[:1].upper()}{words[1:]}."


def _not_checked(unchecked: Unchecked) -> str:
    return (
        f"This file could not be checked here: {unchecked.problem}. To do: {unchecked.remedy} (F5).\n"
        "The client is not asked for it."
    )


def _nothing(row: Row | None, *, is_whole: bool) -> str:
    if row is None:
        return "Choose a file in the sheet to see it here."
    if row.companion is not None:
        return f"{_COMPANIONS[row.track.role]} If that is wrong, set what it is for with Ctrl+R."
    if not is_whole and not row.is_measured:
        return "This file has not been measured yet."
    if not is_whole:
        return "Nothing so far. How it compares with the others follows once all are measured."
    if not row.is_measured:
        return "This file was not measured. Read the delivery again to measure it."
    if not row.track.role.is_assessed:
        seems = "is probably" if row.track.basis.is_likely else "is"
        reason = f" ({row.role_reason.removeprefix('likely, ')})" if row.role_reason else ""
        what = f"This {seems} {role_phrase(row.track.role)}{reason}."
        if row.track.role is Role.TRIGGER:
            return f"{what} It is not heard itself, so nothing is asked about it."
        return f"{what} It is only checked for damage, sound and rate, and is fine."
    return "Nothing wrong with this file. It can go into the mix as it is."
