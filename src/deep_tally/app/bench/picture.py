"""What all pictures of a file share that are read on demand: asking, waiting, reading off with pointer and keys."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPen,
    QResizeEvent,
)

from deep_tally.app.base.file_requests import PictureKind, PictureRequest
from deep_tally.app.base.theme import Theme
from deep_tally.app.bench.evidence import Evidence
from deep_tally.model.delivery import Track
from deep_tally.model.findings import Finding
from deep_tally.reply.numbers import decibels

_LEFT, _TOP, _BOTTOM, _RIGHT = 58, 14, 24, 14
_WAIT_MS = 90
_KEY_PX = 8


class Picture(Evidence):
    """A picture that is read by a worker. It is `wanted` when it is looked at, and says so until it is there."""

    wanted = Signal(object)
    """A `PictureRequest`."""

    def __init__(self, theme: Theme, name: str, kind: PictureKind) -> None:
        super().__init__(theme, name)
        self._kind = kind
        self._findings: tuple[Finding, ...] = ()
        self._failed = False
        self._at: QPointF | None = None
        self.setMouseTracking(True)
        self._asking = QTimer(self)
        self._asking.setSingleShot(True)
        self._asking.setInterval(_WAIT_MS)
        self._asking.timeout.connect(self._ask)

    def show_file(self, track: Track | None, findings: Sequence[Finding]) -> None:
        """Show a file with what was found in it."""
        self._findings = tuple(findings)
        self._failed = False
        self._at = None
        self.show_track(track)
        self._want()

    def _want(self) -> None:
        """Ask soon: only for what is looked at, and not at every step of a zoom."""
        if self.isVisible() and self._measures is not None and not self.is_complete:
            self._asking.start()

    def _ask(self) -> None:
        arguments = self._arguments() if self._measures is not None else None
        if self._track is not None and arguments is not None:
            self.wanted.emit(PictureRequest(self._kind, self._track.path, arguments, self._take))

    def _arguments(self) -> tuple[object, ...]:
        """What the job needs besides the file."""
        raise NotImplementedError

    @property
    def is_complete(self) -> bool:
        """Whether all of the picture is there."""
        raise NotImplementedError

    def _take(self, path: str, value: object) -> None:
        if self._track is not None and path == self._track.path:
            self._failed = value is None
            self._put(value)
            self.setAccessibleDescription(self.words())
            self.update()

    def _put(self, value: object) -> None:
        raise NotImplementedError

    def _missing_words(self) -> str:
        if self._track is None or self._measures is None:
            return "Not measured yet."
        return "This file cannot be read any more." if self._failed else "Reading the file…"

    def _first(self, *starts: str) -> Finding | None:
        """The gravest finding whose code begins so."""
        about = [f for f in self._findings if f.code.startswith(starts)]
        return max(about, key=lambda f: f.action.gravity, default=None)

    def showEvent(self, event: object) -> None:
        self._want()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._want()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.read_at(event.position())

    def leaveEvent(self, event: object) -> None:
        self.read_at(None)

    def read_at(self, at: QPointF | None) -> None:
        """Read off at a point of the picture; None ends that."""
        self._at = at
        self.setAccessibleDescription(f"{self.words()} {self.readout()}".strip())
        self.update()

    def readout(self) -> str:
        """What lies at the point that is read off, with units."""
        raise NotImplementedError

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: (-_KEY_PX, 0),
            Qt.Key.Key_Right: (_KEY_PX, 0),
            Qt.Key.Key_Up: (0, -_KEY_PX),
            Qt.Key.Key_Down: (0, _KEY_PX),
        }
        step = steps.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        at = self._at or QPointF(self.width() / 2, self.height() / 2)
        x = min(max(at.x() + step[0], _LEFT), self.width() - _RIGHT)
        self.read_at(QPointF(x, min(max(at.y() + step[1], _TOP), self.height() - _BOTTOM)))

    def _axis_words(self, painter: QPainter, y: float, words: str) -> None:
        painter.setPen(QColor(self._theme.colours.soft))
        box = QRectF(0, y - 8, _LEFT - 6, 16)
        painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)

    def _draw_readout(self, painter: QPainter) -> None:
        words = self.readout()
        if self._at is not None and words:
            painter.setPen(QPen(QColor(self._theme.colours.fix), 1))
            for dx, dy in ((6, 0), (0, 6)):
                painter.drawLine(QLineF(self._at.x() - dx, self._at.y() - dy, self._at.x() + dx, self._at.y() + dy))
            to_left = self._at.x() > self.width() / 2
            x = self._at.x() + (-10 if to_left else 10)
            y = min(max(self._at.y() - 26, 2.0), self.height() - 22.0)
            self._note(painter, x, y, words, to_left=to_left)


def dbfs(value: float) -> str:
    """A value as a level, with the sign of the half wave it lies in."""
    if abs(value) < 1e-9:
        return "\N{MINUS SIGN}∞ dBFS"
    return f"{decibels(20 * math.log10(abs(value)), 'dBFS')}{'' if value > 0 else ' below zero'}"


_NOMINAL = (1.0, 1.25, 1.6, 2.0, 2.5, 3.15, 4.0, 5.0, 6.3, 8.0)


def hertz(hz: float) -> str:
    """A band's middle by its nominal frequency (IEC 61260-1, annex E): "125 Hz", "3.15 kHz"."""
    tens, number = divmod(round(10 * math.log10(hz)), 10)
    nominal = _NOMINAL[number] * 10**tens
    return f"{nominal / 1000:g} kHz" if nominal >= 1000 else f"{nominal:g} Hz"


@lru_cache(maxsize=4)
def palette(paper: str, ink: str, loud: str) -> list[int]:
    """From paper through ink to the loudest: 256 opaque colours."""
    stops = [QColor(c) for c in (paper, ink, loud)]
    shades = []
    for number in range(256):
        share = (number / 255) ** 0.9
        low, high, part = (0, 1, share / 0.8) if share < 0.8 else (1, 2, (share - 0.8) / 0.2)
        a, b = stops[low], stops[high]
        red, green, blue = (
            round(x + (y - x) * part) for x, y in ((a.red(), b.red()), (a.green(), b.green()), (a.blue(), b.blue()))
        )
        shades.append(QColor(red, green, blue).rgb())
    return shades
