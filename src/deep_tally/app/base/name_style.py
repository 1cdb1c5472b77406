"""A name in ink: what was understood of it by weight and underline. Colour means action, so it says nothing here."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPen

from deep_tally.app.base.theme import Colours, font
from deep_tally.model.names import ParsedName, TokenKind
from deep_tally.reply.action_words import readable

_HEAVY: frozenset[TokenKind] = frozenset({"part"})
_UNDERLINED: frozenset[TokenKind] = frozenset({"side", "variant", "index"})
_PLAIN: frozenset[TokenKind] = frozenset({"rest"})


@dataclass(frozen=True, slots=True)
class _Stretch:
    text: str
    kind: TokenKind | None


def _stretches(name: ParsedName, start: int) -> Iterator[_Stretch]:
    """The name from `start` on, cut where what it stands for changes."""
    at = start
    for token in name.tokens:
        if token.end <= start:
            continue
        if token.start > at:
            yield _Stretch(name.stem[at : token.start], None)
        yield _Stretch(name.stem[max(at, token.start) : token.end], token.kind)
        at = token.end
    if at < len(name.stem):
        yield _Stretch(name.stem[at:], None)


def _look(kind: TokenKind | None, pixels: int) -> QFont:
    return font(pixels, 700 if kind in _HEAVY else 400)


def draw_name(
    painter: QPainter, area: QRectF, name: ParsedName, colours: Colours, *, pixels: int = 13, after_number: bool = True
) -> float:
    """Draw a name into an area, cut with an ellipsis at its edge; returns where the ink ends.

    `after_number` leaves the track number out.
    """
    start = 0
    if after_number and name.tokens and name.tokens[0].kind == "number":
        end = name.tokens[0].end
        start = end + len(name.stem[end:]) - len(name.stem[end:].lstrip(" _-.)]:#"))
    x = area.left()
    for stretch in _stretches(name, start):
        used = _look(stretch.kind, pixels)
        metrics = QFontMetricsF(used)
        text = readable(stretch.text)
        room = area.right() - x
        width = metrics.horizontalAdvance(text)
        shown = text if width <= room else metrics.elidedText(text, Qt.TextElideMode.ElideRight, max(0.0, room))
        is_ink = stretch.kind in _HEAVY | _UNDERLINED | _PLAIN
        painter.setFont(used)
        painter.setPen(QColor(colours.ink if is_ink else colours.soft))
        painter.drawText(
            QRectF(x, area.top(), room + 2, area.height()),
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
            shown,
        )
        drawn = metrics.horizontalAdvance(shown)
        if stretch.kind in _UNDERLINED:
            y = area.center().y() + metrics.ascent() / 2 + 2.5
            painter.setPen(QPen(QColor(colours.soft), 1))
            painter.drawLine(QPointF(x, y), QPointF(x + drawn, y))
        x += drawn
        if shown != text:
            break
    return x
