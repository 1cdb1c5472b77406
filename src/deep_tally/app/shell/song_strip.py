"""The strip of songs: which of a delivery's songs the sheet shows, and how each one stands."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QHBoxLayout, QScrollArea, QSizePolicy, QWidget

from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.plain import as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.model.findings import Action
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.numbers import count

if TYPE_CHECKING:
    from deep_tally.model.delivery import Delivery
    from deep_tally.model.files import Intake

HEIGHT = 46
_NAME_MOST = 260.0
_PAD = 12.0


class SongTab(QAbstractButton):
    """One song: its name, how many files it has, and how many findings of each action."""

    def __init__(self, song: str, name: str, theme: Theme) -> None:
        super().__init__()
        self.song = song
        self._theme = theme
        self._files = 0
        self._counts: dict[Action, int] = {}
        self.setText(readable(name))
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        theme.changed.connect(self.update)

    def show_counts(self, files: int, counts: dict[Action, int]) -> None:
        """Show how the song stands; without counts it is not assessed yet."""
        self._files, self._counts = files, counts
        lines = [f"{ACTION_WORDS[a]}: {count(n, 'finding')}" for a, n in counts.items() if n]
        self.setAccessibleName(f"{self.text()}, {count(files, 'file')}. {'. '.join(lines)}")
        self.setToolTip(as_plain("\n".join([self.text(), count(files, "file"), *lines])))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        name = QFontMetricsF(font(14, 600)).horizontalAdvance(self.text())
        return QSize(round(max(min(name, _NAME_MOST), self._lay_out(None)) + 2 * _PAD) + 2, HEIGHT)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        colours = self._theme.colours
        if self.isChecked():
            painter.fillRect(self.rect(), QColor(colours.raised))
            painter.fillRect(QRectF(0, self.height() - 3, self.width(), 3), QColor(colours.ink))
        if self.hasFocus():
            painter.setPen(QPen(QColor(colours.fix), 1))
            painter.drawRoundedRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1), 4, 4)
        used = font(14, 600)
        painter.setFont(used)
        painter.setPen(QColor(colours.ink if self.isChecked() or self.underMouse() else colours.soft))
        name = QFontMetricsF(used).elidedText(self.text(), Qt.TextElideMode.ElideMiddle, _NAME_MOST)
        painter.drawText(QRectF(_PAD, 4, self.width() - _PAD, 20), Qt.AlignmentFlag.AlignVCenter, name)
        self._lay_out(painter)

    def _lay_out(self, painter: QPainter | None) -> float:
        """Draw the second line with a painter, measure it without one; returns its width."""
        metrics = QFontMetricsF(font(11))
        x = _PAD
        parts: list[tuple[Action | None, str]] = [(None, count(self._files, "file"))]
        parts += [(action, str(n)) for action, n in self._counts.items() if n]
        for action, words in parts:
            if action is not None:
                if painter is not None:
                    colour = self._theme.colours.action(action)
                    draw_shape(painter, action, QPointF(x + 4, 32), 8, colour)
                x += 12
            if painter is not None:
                painter.setFont(font(11))
                painter.setPen(QColor(self._theme.colours.soft))
                painter.drawText(QRectF(x, 24, 200, 16), Qt.AlignmentFlag.AlignVCenter, words)
            x += metrics.horizontalAdvance(words) + 10
        return x - _PAD - 10


class SongStrip(QScrollArea):
    """All songs side by side, and all of them together. `chosen` carries the one to show; empty is all."""

    chosen = Signal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.song = ""
        self.tabs: list[SongTab] = []
        self._group = QButtonGroup(self)
        self.setAccessibleName("Songs of this delivery")
        self.setFixedHeight(HEIGHT + 2)
        self.setWidgetResizable(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.hide()

    def show_songs(self, intake: Intake, delivery: Delivery | None) -> None:
        """Show a delivery's songs; nothing at all where there is only one."""
        songs = ("", *intake.songs)
        if self.song not in songs:
            self.song = ""
        if [t.song for t in self.tabs] != list(songs):
            self._make_tabs(songs)
        for tab in self.tabs:
            entries = [e for e in intake.entries if tab.song in ("", e.song) and e.role.is_audio]
            counts: dict[Action, int] = {}
            if delivery is not None:
                mine = [f for f in delivery.findings if tab.song in ("", f.song)]
                counts = {a: sum(f.action is a for f in mine) for a in Action}
            tab.show_counts(len(entries), counts)
            tab.setChecked(tab.song == self.song)
        self.setVisible(len(intake.songs) > 1)

    def _make_tabs(self, songs: Sequence[str]) -> None:
        inside = QWidget()
        line = QHBoxLayout(inside)
        line.setContentsMargins(20, 0, 20, 2)
        line.setSpacing(4)
        self.tabs = [SongTab(song, song or "All songs", self._theme) for song in songs]
        for tab in self.tabs:
            self._group.addButton(tab)
            tab.clicked.connect(lambda checked=False, song=tab.song: self._choose(song))
            line.addWidget(tab)
        line.addStretch()
        self.setWidget(inside)
        inside.setAutoFillBackground(False)
        self.viewport().setAutoFillBackground(False)

    def _choose(self, song: str) -> None:
        self.song = song
        self.chosen.emit(song)
