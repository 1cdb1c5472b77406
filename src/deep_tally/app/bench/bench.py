"""The bench: the selected file large, and what is wrong with it in words."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QAbstractButton,
    QButtonGroup,
    QHBoxLayout,
    QScrollArea,
    QSizePolicy,
    QStackedLayout,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.buttons import plain_button
from deep_tally.app.base.elided import ElidedLabel
from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.bench.evidence import BitsView, SpectrumView
from deep_tally.app.bench.histogram_view import HistogramView
from deep_tally.app.bench.picture import Picture
from deep_tally.app.bench.spectrogram_view import SpectrogramView
from deep_tally.app.bench.stereo_view import StereoView
from deep_tally.app.bench.waveform import Waveform
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, Role, SoundFormat, Unchecked
from deep_tally.model.findings import Finding
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.numbers import clock, count, decibels, depth, kilohertz, size
from deep_tally.reply.wording.speaker import Speaker
from deep_tally.views.cell_texts import companion_text
from deep_tally.views.rows import Row

_PANEL_WIDTH = 380
_MARKERS_MOST = 40
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

    def __init__(self, finding: Finding, path: str, speaker: Speaker, theme: Theme, *, root: str = "") -> None:
        super().__init__()
        self.finding = finding
        self._theme = theme
        self._headline = speaker.headline(finding)
        evidence = readable(speaker.evidence(finding, path))
        matter = "" if root else speaker.matter(finding)
        mend = speaker.mend(finding) if not root and finding.action.value == "fix" else ""
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
        theme.changed.connect(self.update)

    def heightForWidth(self, width: int) -> int:
        return round(self._lay_out(None, width))

    def sizeHint(self) -> QSize:
        width = self.width() or _PANEL_WIDTH
        return QSize(_PANEL_WIDTH - 40, self.heightForWidth(width))

    def minimumSizeHint(self) -> QSize:
        return QSize(160, self.heightForWidth(self.width() or _PANEL_WIDTH))

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
            box = metrics.boundingRect(QRectF(28, 0, max(60, width - 36), 4000), int(flags), line)
            if painter is not None:
                painter.setFont(used)
                painter.setPen(QColor(colours.ink if head and not self._is_settled else colours.soft))
                painter.drawText(QRectF(28, y, max(60, width - 36), box.height() + 2), int(flags), line)
                if head:
                    colour = colours.action(self.finding.action)
                    draw_shape(painter, self.finding.action, QPointF(14, y + 9), 12, colour)
            y += box.height() + (3 if head else 1)
        return y + 7


class FindingPanel(QScrollArea):
    """All findings of a file. `pressed` tells the one the user wants to see."""

    pressed = Signal(object)

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
        if row is not None and row.track.format is not None and (said := said_lines(row.track.format)):
            head = PlainLabel("What the file says about itself")
            head.setFont(font(13, 600))
            head.setContentsMargins(8, 12, 0, 4)
            column.addWidget(head)
            for line in said:
                column.addWidget(_words(line))
        column.addStretch()
        self.setWidget(inside)
        inside.setAutoFillBackground(False)  # setWidget switches it on

    def _add(self, column: QVBoxLayout, card: FindingCard) -> None:
        card.clicked.connect(lambda: self.pressed.emit(card.finding))
        column.addWidget(card)
        self.cards.append(card)


def _words(text: str) -> PlainLabel:
    words = PlainLabel(text)
    words.setWordWrap(True)
    words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    words.setContentsMargins(8, 2, 8, 0)
    return words


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


def _companion_page(entry: Entry) -> str:
    """All that is known of a file that is not audio."""
    if entry.midi is not None:
        midi = entry.midi
        lines = [f"Song: {midi.title}"] if midi.title else []
        lines += [f"Tempo: {midi.tempo_bpm:g} BPM" if midi.tempo_bpm else "Tempo: unknown, the file states none"]
        lines += [f"It changes {count(midi.tempo_changes, 'time')}."] if midi.tempo_changes else []
        lines += [f"Meter: {midi.meter}"] if midi.meter else []
        lines += [f"Key: {midi.key}"] if midi.key else []
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
    if not row.track.role.is_asked:
        return f"This is the {row.track.role.value}. It is only checked for damage, sound and rate, and is fine."
    return "Nothing wrong with this file. It can go into the mix as it is."


_WITH_PARTNER = ("content.twin", "content.holds-another", "channels.split-pair")
_SPARE_DB = 3.0
_STEREO = 2
_VIEW_TIPS = {
    "Waveform": "The waveform",
    "Sides": "Both sides overlaid",
    "Spectrogram": "Levels over time and frequency",
    "Spectrum": "The long-term spectrum of the loudest moments",
    "Stereo": "Mid against side, and the correlation of the sides in each band",
    "Histogram": "How often each value occurs",
    "Bits": "Which bits ever change",
}


class Bench(QWidget):
    """Waveform on the left, findings on the right."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._row: Row | None = None
        self._tracks: Mapping[str, Track] = {}
        self.waveform = Waveform(theme)
        self.spectrum = SpectrumView(theme)
        self.bits = BitsView(theme)
        self.spectrogram = SpectrogramView(theme)
        self.stereo = StereoView(theme)
        self.histogram = HistogramView(theme)
        self.pictures: Mapping[str, Picture] = {
            "Spectrogram": self.spectrogram,
            "Stereo": self.stereo,
            "Histogram": self.histogram,
        }
        self.panel = FindingPanel(theme)
        self.panel.setFixedWidth(_PANEL_WIDTH)
        self.name = ElidedLabel()
        self.name.setFont(font(15, 700))
        self.facts = ElidedLabel()
        self.facts.setFont(font(13))
        self.to_finding = plain_button("Zoom to finding", "Go to the next marked place (N)")
        self.whole = plain_button("Whole file", "Show the whole file (0)")
        self.listen = plain_button("Play", "Hear this file from the finding, or from where the view begins (Space)")
        self.down = plain_button("Turn it down", "")
        self.down.setCheckable(True)
        self.down.toggled.connect(self._turn_down)
        self.views = {name: plain_button(name, f"{_VIEW_TIPS[name]} ({key})", "quiet") for name, key in VIEWS.items()}
        chooser = QButtonGroup(self)
        for name, button in self.views.items():
            button.setCheckable(True)
            button.setProperty("look", "tab")
            button.setAccessibleName(f"{name} of the file")
            chooser.addButton(button)
            button.clicked.connect(self._shower(name))
        self.views["Waveform"].setChecked(True)
        self.to_finding.clicked.connect(lambda: self.waveform.step_mark(1))
        self.whole.clicked.connect(self.waveform.show_all)
        head = QHBoxLayout()
        head.setContentsMargins(24, 6, 8, 0)
        head.setSpacing(12)
        head.addWidget(self.name, 1)
        for button in self.views.values():
            head.addWidget(button)
        left = QVBoxLayout()
        left.setSpacing(0)
        left.setContentsMargins(0, 0, 0, 0)
        left.addLayout(head)
        facts = QHBoxLayout()
        facts.setContentsMargins(24, 0, 8, 2)
        facts.addWidget(self.facts, 1)
        for button in (self.listen, self.down, self.to_finding, self.whole):
            facts.addWidget(button)
        left.addLayout(facts)
        wave = QHBoxLayout()
        wave.setContentsMargins(8, 0, 12, 4)
        self.page = QTextBrowser()
        self.page.setAccessibleName("What the file says")
        margin = QWidget()
        inside = QVBoxLayout(margin)
        inside.setContentsMargins(16, 2, 0, 8)
        inside.addWidget(self.page)
        self.stage = QStackedLayout()
        self.stage.addWidget(self.waveform)
        self.stage.addWidget(margin)
        self.stage.addWidget(self.spectrum)
        self.stage.addWidget(self.bits)
        for picture in self.pictures.values():
            self.stage.addWidget(picture)
        wave.addLayout(self.stage)
        left.addLayout(wave, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 12, 0)
        whole.setSpacing(8)
        whole.addLayout(left, 1)
        whole.addWidget(self.panel)
        self.panel.pressed.connect(self.show_evidence)
        theme.follow(self, self._colour)
        self._colour()
        self.show_row(None, None, is_whole=False)

    def show_view(self, name: str) -> None:
        """Show one of the pictures of the file (see `VIEWS`)."""
        if not self.views[name].isEnabled():
            name = "Waveform"
        self.views[name].setChecked(True)
        self.waveform.overlay_sides(name == "Sides")
        shown: Mapping[str, QWidget] = {"Spectrum": self.spectrum, "Bits": self.bits, **self.pictures}
        before, now = self.stage.currentWidget(), shown.get(name, self.waveform)
        self.stage.setCurrentWidget(now)
        # The waveform and the spectrogram show the same stretch.
        if now is self.spectrogram and before is not now:
            view = self.waveform.view
            self.spectrogram.show_stretch(view.start, view.scale * view.pixels / self.spectrogram.view.pixels)
        elif before is self.spectrogram and now is self.waveform:
            view = self.spectrogram.view
            self.waveform.show_stretch(view.start, view.scale * view.pixels)

    def _shower(self, name: str) -> Callable[[], None]:
        return lambda: self.show_view(name)

    @property
    def view_name(self) -> str:
        """The picture that is shown."""
        return next(name for name, button in self.views.items() if button.isChecked())

    def show_evidence(self, finding: Finding) -> None:
        """Show what proves a finding: its picture, and in the waveform its place."""
        self.show_view(evidence_view(finding.code))
        if self.view_name == "Sides":
            self.waveform.go_to_peak()  # what the sides do to each other shows in single waves
        else:
            self.waveform.go_to(finding)
        if finding.code in _WITH_PARTNER and self._row is not None:
            self._show_partner(finding, self._row.track.path)
        else:
            self.waveform.show_partner(None)

    def _show_partner(self, finding: Finding, path: str) -> None:
        """Draw the other file of a finding under this one; a twin so that equal sound stands under equal sound."""
        named = finding.evidence.get("partner")
        other = next((p for p in finding.files if p != path), named if isinstance(named, str) else "")
        later = finding.evidence.get("offset_frames")
        shift = int(later) if isinstance(later, (int, float)) else 0
        # The evidence tells how much later the second file comes than the first.
        is_second = path in finding.files[1:]
        self.waveform.show_partner(self._tracks.get(other), later=-shift if is_second else shift)

    def _turn_down(self, on: bool) -> None:
        self.waveform.turn_down(self._down_db() if on else 0.0)

    def _down_db(self) -> float:
        """What clears the file's overs, and a little more, so that its tops can be seen."""
        measures = self._row.track.measures if self._row is not None else None
        return max(0.0, measures.sample_peak_dbfs) + _SPARE_DB if measures is not None else 0.0

    def show_row(
        self,
        row: Row | None,
        speaker: Speaker | None,
        tracks: Mapping[str, Track] = MappingProxyType({}),
        *,
        is_whole: bool,
    ) -> None:
        """Put a file on the bench.

        `tracks` are all files by their paths, for what is shown beside it; `is_whole` says whether all is found.
        """
        track = row.track if row is not None else None
        same = self._row is not None and row is not None and self._row.track.path == row.track.path
        self._row, self._tracks = row, tracks
        self.name.setText("" if row is None else f"{row.number}  {row.title}".strip())
        self.facts.setText("" if row is None else _facts(row))
        companion = row.companion if row is not None else None
        measured = track is not None and track.measures is not None
        sound = track.format if track is not None else None
        is_stereo = measured and sound is not None and sound.channels == _STEREO
        self.views["Sides"].setEnabled(is_stereo)
        self.views["Spectrum"].setEnabled(measured)
        for name in ("Bits", "Spectrogram", "Histogram"):
            self.views[name].setEnabled(measured)
        self.views["Stereo"].setEnabled(is_stereo)
        self.spectrum.show_track(track)
        self.bits.show_track(track)
        for picture in self.pictures.values():
            picture.show_file(track, row.findings if row is not None else ())
        if companion is not None:
            self.stage.setCurrentIndex(1)
        else:
            self.show_view(self.view_name)
        self.page.setPlainText("" if companion is None else _companion_page(companion))
        self.waveform.show_track(track, row.findings if row is not None else ())
        self.panel.show_row(row, speaker, is_whole=is_whole)
        self.to_finding.setEnabled(bool(self.waveform.marks))
        self.whole.setEnabled(track is not None and track.measures is not None)
        self.listen.setEnabled(track is not None and track.measures is not None)
        for button in (self.listen, self.to_finding, self.whole, *self.views.values()):
            button.setVisible(companion is None)
        for name in ("Sides", "Stereo"):
            self.views[name].setVisible(is_stereo)
        if not same:
            self.down.setChecked(False)
        goes_flat = any(f.code.startswith("clipping.") for f in (row.findings if row is not None else ()))
        self.down.setVisible(companion is None and measured and goes_flat)
        self.down.setText(f"Turn it down {decibels(self._down_db())}")
        self.down.setToolTip("Show the file at a lower level: intact peaks come back, clipped ones stay flat")

    def paintEvent(self, event: QPaintEvent) -> None:
        QPainter(self).fillRect(self.rect(), QColor(self._theme.colours.raised))

    def _colour(self) -> None:
        self.update()
        self.facts.setStyleSheet(f"color: {self._theme.colours.soft}")


def _facts(row: Row) -> str:
    if row.companion is not None:
        return f"{row.companion.role.value}, {size(row.companion.bytes)}"
    sound, m = row.track.format, row.track.measures
    if sound is None or m is None:
        return ""
    channels = {1: "mono", 2: "stereo"}.get(sound.channels, f"{sound.channels} channels")
    parts = [
        channels,
        kilohertz(sound.rate_hz),
        depth(sound.bits, sound.sample_format),
        clock(sound.seconds, digits=3),
    ]
    if m.loudness_lufs is not None:
        parts.append(decibels(m.loudness_lufs, "LUFS"))
    if m.crest_db is not None:
        parts.append(f"crest {decibels(m.crest_db)}")
    return ", ".join(parts)
