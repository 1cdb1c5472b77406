"""The band: what was received, what most files agree on, the three tallies, and the next step."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from deep_tally.app.base.elided import ElidedLabel
from deep_tally.app.base.marks import BUNDLE, draw_shape, draw_tally, tally_width
from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.model.files import Intake, Role
from deep_tally.model.findings import Action, Count
from deep_tally.model.tempo_source import short_words
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.awaited import awaited_words
from deep_tally.reply.numbers import clock, count, depth, kilohertz, listed

if TYPE_CHECKING:
    from deep_tally.views.rows import Sheet

HEIGHT = 92
_MIX_COPY = "content.mix-copy"
_MARKS_MOST = 3 * BUNDLE


class Tally(QAbstractButton):
    """How many findings one action has, as figure and tally marks; pressing it shows only those files."""

    def __init__(self, action: Action, theme: Theme) -> None:
        super().__init__()
        self.action = action
        self._theme = theme
        self._count: Count | None = None
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        theme.changed.connect(self.update)
        self.show_count(None)

    def show_count(self, counted: Count | None) -> None:
        """Show a count; None while it is not known."""
        self._count = counted
        text = "not known yet"
        if counted is not None:
            text = f"{count(counted.findings, 'finding')} in {count(counted.files, 'file')}"
        self.setAccessibleName(f"{ACTION_WORDS[self.action]}: {text}")
        self.setToolTip(as_plain(f"{ACTION_WORDS[self.action]}: {text}.\nPress to show only these files."))
        self.setEnabled(counted is not None and counted.findings > 0)
        self.updateGeometry()
        self.update()

    @property
    def counted(self) -> Count | None:
        """What is shown."""
        return self._count

    def sizeHint(self) -> QSize:
        return QSize(164, 76)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        colours = self._theme.colours
        colour = colours.action(self.action)
        if self.isChecked():
            painter.fillRect(QRectF(0, self.height() - 3, self.width() - 12, 3), colour)
        if self.hasFocus():
            painter.setPen(QPen(QColor(colours.fix), 1))
            painter.drawRoundedRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1), 4, 4)
        draw_shape(painter, self.action, QPointF(12, 18), 12, colour)
        painter.setFont(font(13, 600))
        painter.setPen(colour)
        painter.drawText(QRectF(25, 8, self.width() - 25, 20), Qt.AlignmentFlag.AlignVCenter, ACTION_WORDS[self.action])
        if self._count is None:
            return
        figure = str(self._count.findings)
        painter.setFont(font(26, 700))
        width = QFontMetricsF(painter.font()).horizontalAdvance(figure)
        painter.drawText(QRectF(5, 28, width + 4, 36), Qt.AlignmentFlag.AlignVCenter, figure)
        left = width + 13
        shown = min(self._count.findings, _MARKS_MOST)
        draw_tally(painter, shown, QRectF(left, 32, tally_width(shown), 19), colour)
        if shown < self._count.findings:
            painter.setFont(font(16, 700))
            rest = QRectF(left + tally_width(shown) - 4, 30, 24, 20)
            painter.drawText(rest, Qt.AlignmentFlag.AlignVCenter, "…")
        painter.setFont(font(11))
        painter.setPen(QColor(colours.soft))
        if self._count.files:
            words = f"in {count(self._count.files, 'file')}"
            painter.drawText(QRectF(left, 54, self.width() - left, 16), Qt.AlignmentFlag.AlignVCenter, words)


def _short(folder: Path) -> str:
    """A path as it is shown, the home folder as ~."""
    home = Path.home()
    return readable(f"~/{folder.relative_to(home)}" if folder.is_relative_to(home) else str(folder))


class Band(QWidget):
    """The top of the window."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setFixedHeight(HEIGHT)
        self.title = ElidedLabel("Deep Tally")
        self.title.setFont(font(24, 700))
        self.facts = ElidedLabel()
        self.facts.setFont(font(14))
        self.source = ElidedLabel()
        self.source.setFont(font(11))
        words = QVBoxLayout()
        words.setSpacing(1)
        words.addStretch()
        words.addWidget(self.title)
        words.addWidget(self.facts)
        words.addWidget(self.source)
        words.addStretch()
        self.tallies = {action: Tally(action, theme) for action in Action}
        self.next = QPushButton("Write the reply")
        self.next.setProperty("look", "main")
        self.next.setMinimumHeight(38)
        self.next.setToolTip("Write the reply to the client (Ctrl+6)")
        self.to_come = PlainLabel()
        self.to_come.setFont(font(12))
        self.to_come.setWordWrap(True)
        self.to_come.setFixedWidth(self.next.sizeHint().width() + 24)
        self._has_next = False
        line = QHBoxLayout(self)
        line.setContentsMargins(24, 0, 24, 0)
        line.setSpacing(0)
        line.addLayout(words, 1)
        for tally in self.tallies.values():
            line.addWidget(tally)
        line.addSpacing(12)
        line.addWidget(self.next)
        line.addWidget(self.to_come)
        theme.follow(self, self._colour)
        self._colour()

    def show_counts(self, counts: dict[Action, Count] | None, *, to_come: str = "") -> None:
        """Show the tallies; None while they are not known. `to_come` says what they do not hold yet."""
        for action, tally in self.tallies.items():
            tally.show_count(counts[action] if counts is not None else None)
        self.next.setEnabled(counts is not None and not to_come)
        self.to_come.setText(to_come)
        self._show_next()

    def show_steps(self, *, is_open: bool, is_reply: bool) -> None:
        """Tallies and the next step, where a delivery is open; the reply's next step is to save it."""
        self.next.setText("Save the reply…" if is_reply else "Write the reply")
        for tally in self.tallies.values():
            tally.setVisible(is_open)
        self._has_next = is_open
        self._show_next()

    def _show_next(self) -> None:
        """The next step; while something is still to come, that is shown in its place."""
        has_next = self._has_next
        is_waiting = bool(self.to_come.text())
        self.next.setVisible(has_next and not is_waiting)
        self.to_come.setVisible(has_next and is_waiting)

    def show_sheet(self, intake: Intake, sheet: Sheet) -> None:
        """Show what was received and what most files agree on."""
        several = len(intake.songs) > 1
        self.title.setText(readable(intake.name if several else sheet.facts.title or intake.name))
        # A mix that is there once more is no second one.
        rows = [r for r in sheet.rows if r.companion is None and not any(f.code == _MIX_COPY for f in r.findings)]
        roles = Counter(r.track.role for r in rows)
        asked = sum(n for role, n in roles.items() if role.is_assessed)
        sent = roles[Role.MIX]
        what = [count(sent, "mix", "mixes") if sent and sent == asked else count(asked, "trackout")]
        mixes = roles[Role.ROUGH_MIX]
        what += ["a rough mix" if mixes == 1 else f"{mixes} rough mixes"] if mixes else []
        facts = [f"{len(sheet.songs)} songs"] if len(sheet.songs) > 1 else []
        facts += [" and ".join(what)]
        facts += (
            [f"{sheet.facts.tempo_bpm:g} BPM ({short_words(sheet.facts.tempo_from)})"] if sheet.facts.tempo_bpm else []
        )
        facts += [sheet.facts.key] if sheet.facts.key else []
        common = sheet.common
        facts += [kilohertz(common.rate_hz)] if common.rate_hz else []
        facts += [depth(common.bits, common.sample_format)] if common.sample_format else []
        facts += [clock(common.seconds)] if common.seconds is not None else []
        self.facts.setText("  ·  ".join(facts))
        some = sheet.songs if len(sheet.songs) < len(intake.songs) else ()
        awaited = awaited_words(sheet.delivery, some) if sheet.is_whole else ""
        notes = [e.path.rpartition("/")[2] for e in intake.entries if e.text and e.song in (*sheet.songs, "")]
        lines = [awaited, f"Read the notes first: {listed(notes, most=3)}" if notes else "", _short(intake.source)]
        self.source.setText("  ·  ".join(readable(line) for line in lines if line))

    def show_nothing(self) -> None:
        """No delivery is open."""
        self.title.setText("Deep Tally")
        self.facts.setText("Check a client's files before the mix begins")
        self.source.setText("")
        self.show_counts(None)

    def show_opening(self, name: str) -> None:
        """Something is being opened while nothing is open yet."""
        self.title.setText(readable(name))
        self.facts.setText("is being opened; nothing is written to it")

    def paintEvent(self, event: QPaintEvent) -> None:
        QPainter(self).fillRect(self.rect(), QColor(self._theme.colours.raised))

    def _colour(self) -> None:
        colours = self._theme.colours
        self.facts.setStyleSheet(f"color: {colours.soft}")
        self.source.setStyleSheet(f"color: {colours.soft}")
        self.to_come.setStyleSheet(f"color: {colours.soft}")
