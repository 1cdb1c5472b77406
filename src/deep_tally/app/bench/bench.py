"""The bench: the selected file large, and what is wrong with it in words."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType

from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QStackedLayout,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.buttons import plain_button
from deep_tally.app.base.elided import ElidedLabel
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.bench.evidence import BitsView, SpectrumView
from deep_tally.app.bench.finding_panel import PANEL_WIDTH, VIEWS, FindingPanel, companion_page, evidence_view
from deep_tally.app.bench.histogram_view import HistogramView
from deep_tally.app.bench.picture import Picture
from deep_tally.app.bench.spectrogram_view import SpectrogramView
from deep_tally.app.bench.stereo_view import StereoView
from deep_tally.app.bench.waveform import Waveform
from deep_tally.model.delivery import Track
from deep_tally.model.findings import Finding
from deep_tally.reply.numbers import clock, decibels, depth, kilohertz, size
from deep_tally.reply.role_words import role_words
from deep_tally.reply.wording.speaker import Speaker
from deep_tally.views.rows import Row

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
        self.panel.setFixedWidth(PANEL_WIDTH)
        self.name = ElidedLabel()
        self.name.setFont(font(15, 700))
        self.facts = ElidedLabel()
        self.facts.setFont(font(13))
        self.to_finding = plain_button("Zoom to finding", "Go to the next marked place (N)")
        self.to_finding.clicked.connect(lambda: self.waveform.step_mark(1))
        self.whole = plain_button("Whole file", "Show the whole file (0)")
        self.whole.clicked.connect(self.waveform.show_all)
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
        self.page = QTextBrowser()
        self.page.setAccessibleName("What the file says")
        self.stage = QStackedLayout()
        self._lay_out()
        self.panel.pressed.connect(self.show_evidence)
        theme.follow(self, self._colour)
        self._colour()
        self.show_row(None, None, is_whole=False)

    def _lay_out(self) -> None:
        """Name and views above, facts and tools under them, then the picture; what is wrong at the right."""
        head = QHBoxLayout()
        head.setContentsMargins(24, 6, 8, 0)
        head.setSpacing(12)
        head.addWidget(self.name, 1)
        for button in self.views.values():
            head.addWidget(button)
        facts = QHBoxLayout()
        facts.setContentsMargins(24, 0, 8, 2)
        facts.addWidget(self.facts, 1)
        for button in (self.listen, self.down, self.to_finding, self.whole):
            facts.addWidget(button)
        margin = QWidget()
        inside = QVBoxLayout(margin)
        inside.setContentsMargins(16, 2, 0, 8)
        inside.addWidget(self.page)
        for shown in (self.waveform, margin, self.spectrum, self.bits, *self.pictures.values()):
            self.stage.addWidget(shown)
        wave = QHBoxLayout()
        wave.setContentsMargins(8, 0, 12, 4)
        wave.addLayout(self.stage)
        left = QVBoxLayout()
        left.setSpacing(0)
        left.setContentsMargins(0, 0, 0, 0)
        left.addLayout(head)
        left.addLayout(facts)
        left.addLayout(wave, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 12, 0)
        whole.setSpacing(8)
        whole.addLayout(left, 1)
        whole.addWidget(self.panel)

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
        # The evidence says how much later the second file comes than the first.
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
        plays = row.plays if row is not None else None
        self.page.setPlainText("" if companion is None else companion_page(companion, plays))
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
        return f"{role_words(row.companion.role)}, {size(row.companion.bytes)}"
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
