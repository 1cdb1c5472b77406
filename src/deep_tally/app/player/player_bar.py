"""The line under the views that plays: what is heard, how, where it is, how loud, and through what."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QButtonGroup, QMenu, QSizePolicy, QWidget

from deep_tally.app.base.buttons import plain_button
from deep_tally.app.base.flow_layout import FlowLayout
from deep_tally.app.base.listening import Listening
from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.listen.plan import EARS, Ear
from deep_tally.reply.numbers import clock, decibels, signed

_LOWEST_DBFS = -60.0
_HOLD_REPORTS = 40
"""Reports for which the highest peak stays: a second and a half."""
_HEIGHT = 38


class Meter(QWidget):
    """Peak and RMS of the two sides from -60 to 0 dBFS, as strokes and in figures."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._peaks = self._rms = self._held = (-math.inf, -math.inf)
        self._age = 0
        self._over = 0
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setToolTip(
            "Left above, right below: sample peak as a stroke, RMS of the last 0.3 s (AES17) as a bar, from"
            " \N{MINUS SIGN}60 to 0 dBFS"
        )
        theme.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(222, _HEIGHT)

    def show_levels(self, peaks: tuple[float, float], rms: tuple[float, float], over_frames: int) -> None:
        """Show what is heard; the highest peak stays for a while."""
        self._age += 1
        highest = max(peaks), max(self._held)
        if highest[0] >= highest[1] or self._age > _HOLD_REPORTS:
            self._held, self._age = peaks, 0
        self._peaks, self._rms, self._over = peaks, rms, over_frames
        self.setAccessibleName(f"Level: {self.words()}")
        self.update()

    def words(self) -> str:
        """The levels in figures."""
        over = f", {self._over} over" if self._over else ""
        return f"peak {signed(max(self._held))}{over}, RMS {signed(max(self._rms))} dBFS"

    def paintEvent(self, event: QPaintEvent) -> None:
        colours = self._theme.colours
        painter = QPainter(self)
        width = 80.0
        for side in range(2):
            y = 7.0 + side * 13
            painter.fillRect(QRectF(0, y, width, 8), QColor(colours.rule))
            painter.fillRect(QRectF(0, y, _share(self._rms[side]) * width, 8), QColor(colours.wave))
            x = _share(self._peaks[side]) * width
            if x:
                is_over = self._peaks[side] >= -1e-6
                painter.fillRect(QRectF(x - 1, y - 1, 2, 10), QColor(colours.ask if is_over else colours.ink))
        painter.setFont(font(12))
        painter.setPen(QColor(colours.ask if self._over else colours.ink))
        box = QRectF(width + 10, 0, self.width() - width - 10, self.height())
        first, _, second = self.words().rpartition(", ")
        painter.drawText(box.adjusted(0, 3, 0, -self.height() / 2), Qt.AlignmentFlag.AlignVCenter, first)
        painter.drawText(box.adjusted(0, self.height() / 2 - 3, 0, -4), Qt.AlignmentFlag.AlignVCenter, second)


def _share(dbfs: float) -> float:
    return min(1.0, max(0.0, 1 - dbfs / _LOWEST_DBFS)) if math.isfinite(dbfs) else 0.0


class PlayerBar(QWidget):
    """Buttons over a `Listening`; what the buttons mean to the views goes out as signals."""

    play_pressed = Signal()
    loop_pressed = Signal()
    placed_pressed = Signal(bool)

    def __init__(self, theme: Theme, listening: Listening) -> None:
        super().__init__()
        self._theme, self._listening = theme, listening
        self._is_match = False
        self.play_button = plain_button("Play", "Play from the cursor, or stop (Space)")
        self.play_button.setProperty("look", "")
        self.play_button.setMinimumWidth(76)
        self.loop_button = plain_button("Loop", "Play the marked place over and over (L)")
        self.loop_button.setCheckable(True)
        self.sum_button = plain_button("Sum", "Hear the trackouts together (B)")
        self.mix_button = plain_button("Rough mix", "Hear the rough mix instead, at the same place (B)")
        self.remainder_button = plain_button("Remainder", "Hear what is left of the rough mix without the files")
        self.levels_button = plain_button(
            "Mix levels", "Play files as loud as the rough mix has them; off: as they are"
        )
        self.levels_button.setCheckable(True)
        self.placed_button = plain_button("At their places", "Play files where they belong; off: all as delivered")
        self.placed_button.setCheckable(True)
        self.placed_button.setChecked(True)
        self.ear_button = plain_button("Both sides", "Hear both sides, their mono sum, or only their difference")
        self.swap_button = plain_button("Swap", "Swap left and right")
        self.swap_button.setCheckable(True)
        self.safe_button = plain_button("", "")
        self.safe_button.setCheckable(True)
        pair = QButtonGroup(self)
        for button in (self.sum_button, self.mix_button, self.remainder_button):
            button.setCheckable(True)
            pair.addButton(button)
        self.ear_menu = QMenu(self)
        for ear, words in EARS.items():
            self.ear_menu.addAction(words.capitalize(), self._ear_setter(ear)).setCheckable(True)
        self.ear_button.setMenu(self.ear_menu)
        self.time = PlainLabel("0:00.0")
        self.time.setFont(font(15, 600))
        self.time.setMinimumWidth(74)
        self.time.setAccessibleName("Where it plays")
        self.meter = Meter(theme)
        self.output = PlainLabel()
        self.output.setFont(font(11))
        self.output.setWordWrap(True)
        self.output.setFixedWidth(112)
        self._lay_out()
        self._connect()
        theme.follow(self, self._colour)
        self._colour()
        self.show_state()

    def _lay_out(self) -> None:
        line = FlowLayout(self, across=4)
        line.setContentsMargins(16, 4, 16, 4)
        widgets: tuple[QWidget, ...] = (
            self.play_button,
            self.time,
            self.loop_button,
            self.sum_button,
            self.mix_button,
            self.remainder_button,
            self.levels_button,
            self.placed_button,
            self.ear_button,
            self.swap_button,
            self.safe_button,
            self.output,
            self.meter,
        )
        for widget in widgets:
            line.addWidget(widget)

    def _connect(self) -> None:
        listening = self._listening
        self.play_button.clicked.connect(self.play_pressed)
        self.loop_button.clicked.connect(self.loop_pressed)
        self.placed_button.toggled.connect(self.placed_pressed)
        self.sum_button.clicked.connect(lambda: listening.set_bus("sum"))
        self.mix_button.clicked.connect(lambda: listening.set_bus("mix"))
        self.remainder_button.clicked.connect(lambda: listening.set_bus("remainder"))
        self.levels_button.clicked.connect(listening.set_at_mix_levels)
        self.swap_button.clicked.connect(listening.set_swapped)
        self.safe_button.clicked.connect(listening.set_safe)
        listening.changed.connect(self.show_state)
        listening.moved.connect(self._move)

    def show_match(self, is_match: bool) -> None:
        """Under the mix match files play where the mix has them; the remainder can be chosen before anything plays."""
        self._is_match = is_match
        self.show_state()

    def _ear_setter(self, ear: Ear) -> Callable[[], None]:
        return lambda: self._listening.set_ear(ear)

    def show_state(self) -> None:
        """Show what plays, and how."""
        listening = self._listening
        self.play_button.setText("Stop" if listening.is_playing else "Play")
        self.loop_button.setChecked(listening.loop_s is not None)
        self.sum_button.setChecked(listening.bus == "sum")
        self.mix_button.setChecked(listening.bus == "mix")
        for button in (self.sum_button, self.mix_button):
            button.setEnabled(listening.has_mix or not listening.paths)
        self.remainder_button.setChecked(listening.bus == "remainder")
        self.remainder_button.setVisible(self._is_match or (listening.has_mix and listening.has_levels))
        self.placed_button.setVisible(not self._is_match)
        self.loop_button.setVisible(not self._is_match)
        self.levels_button.setChecked(listening.is_at_mix_levels)
        self.levels_button.setVisible(self._is_match or listening.has_levels)
        self.ear_button.setText(EARS[listening.ear].capitalize())
        for action, ear in zip(self.ear_menu.actions(), EARS, strict=True):
            action.setChecked(ear == listening.ear)
        self.swap_button.setChecked(listening.is_swapped)
        self.safe_button.setChecked(listening.is_safe)
        down = decibels(listening.safe_db)
        known = f"Down {down}" if listening.paths else "Turned down"
        self.safe_button.setText(known if listening.is_safe else "Not turned down")
        self.safe_button.setToolTip(
            as_plain(
                f"Turned down by a fixed {down}, so that the sum never goes over full scale. Press to"
                " hear it at its own level; whatever goes over is limited to full scale and counted"
            )
        )
        self.output.setText(listening.output_words)

    def _move(self) -> None:
        heard = self._listening.heard
        if heard is not None:
            self.time.setText(clock(max(0.0, heard.seconds)))
            self.meter.show_levels(heard.peak_dbfs, heard.rms_dbfs, heard.over_frames)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self._theme.colours.raised))
        painter.fillRect(QRectF(0, 0, self.width(), 1), QColor(self._theme.colours.rule))

    def _colour(self) -> None:
        self.output.setStyleSheet(f"color: {self._theme.colours.soft}")
