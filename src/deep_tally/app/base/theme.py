"""Ink on ruled paper by day, chalk on slate by night: colours, type and spacing in one place."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from dataclasses import asdict, dataclass
from functools import partial
from importlib import resources
from pathlib import Path
from string import Template
from typing import Literal

from PySide6.QtCore import QEvent, QObject, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication, QWidget
from shiboken6 import isValid

from deep_tally.model.findings import Action

FAMILY = "Atkinson Hyperlegible Next"
RADIUS = 4
Choice = Literal["desktop", "day", "night"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Colours:
    """One set of colours. `ink` on `ground` and every action on `raised` keep a contrast of 4.5 to 1."""

    name: str
    ground: str
    raised: str
    rule: str
    ink: str
    soft: str
    wave: str
    ask: str
    fix: str
    note: str
    window: str

    def action(self, action: Action) -> QColor:
        """The colour of an action; never its only sign."""
        return QColor({Action.ASK: self.ask, Action.FIX: self.fix, Action.NOTE: self.note}[action])


DAY = Colours(
    name="day",
    ground="#F7F4EC",
    raised="#FFFDF7",
    rule="#DED7C6",
    ink="#22303C",
    soft="#59656F",
    wave="#4D5A66",
    ask="#A63E14",
    fix="#2A5C9A",
    note="#626454",
    window="#EADFB8",
)
NIGHT = Colours(
    name="night",
    ground="#1E2529",
    raised="#273036",
    rule="#39444B",
    ink="#E8E4D8",
    soft="#A7AFB2",
    wave="#C4C3BA",
    ask="#F08A5D",
    fix="#7FB2F0",
    note="#A9AC9A",
    window="#4A4632",
)


class Theme(QObject):
    """The colours in force. `changed` is sent after they changed.

    A style sheet for the whole application would be worked through for every widget there is, at one go, which takes
    half a second. So each view has its own (`style`), and changes in an event of its own: what is seen first, what is
    hidden after that, or when it is shown.
    """

    changed = Signal()

    def __init__(self, choice: Choice = "desktop") -> None:
        super().__init__()
        self._choice: Choice = choice
        self._colours = self._wanted()
        self._sheet = _style(self._colours)
        self._waiting: deque[tuple[QWidget, Callable[[], object]]] = deque()
        self._hidden: deque[tuple[QWidget, Callable[[], object]]] = deque()
        self._held: list[QWidget] = []
        self._working = QTimer(self)
        self._working.timeout.connect(self._work)
        QApplication.styleHints().colorSchemeChanged.connect(self._follow)
        QApplication.setPalette(_palette(self._colours))

    def style(self, widget: QWidget) -> None:
        """Give a widget and all in it the look of the theme, now and after every change."""
        widget.setStyleSheet(self._sheet)
        self.follow(widget, lambda: widget.setStyleSheet(self._sheet))

    def follow(self, widget: QWidget, recolour: Callable[[], object]) -> None:
        """Have `recolour` called after a change: at once while the widget is shown, else later or when it is shown."""
        _Follower(self, widget, recolour)

    def soon(self, widget: QWidget, what: Callable[[], object], *, is_seen: bool = True) -> None:
        """Do a part of a change in an event of its own; what is not seen waits for all that is.

        Nothing is done for a widget that is deleted meanwhile, as a page that was closed.
        """
        (self._waiting if is_seen else self._hidden).append((widget, what))

    @property
    def is_settled(self) -> bool:
        """Whether all that is shown has the colours in force."""
        return not self._waiting

    @property
    def colours(self) -> Colours:
        """The colours to draw with."""
        return self._colours

    @property
    def choice(self) -> Choice:
        """What the user chose: follow the desktop, or always day or night."""
        return self._choice

    def choose(self, choice: Choice) -> None:
        """Follow the desktop, or always day or night."""
        self._choice = choice
        self._follow()

    def _wanted(self) -> Colours:
        dark = QApplication.styleHints().colorScheme() == Qt.ColorScheme.Dark
        if self._choice == "night" or (self._choice == "desktop" and dark):
            return NIGHT
        return DAY

    def _follow(self) -> None:
        wanted = self._wanted()
        if wanted is not self._colours:
            self._colours = wanted
            self._sheet = _style(wanted)
            # Nothing is drawn half in one theme and half in the other.
            for window in QApplication.topLevelWidgets():
                if window.isVisible() and window.updatesEnabled():
                    window.setUpdatesEnabled(False)
                    self._held.append(window)
            QApplication.setPalette(_palette(wanted))
            self.changed.emit()
            self._working.start(0)

    def _work(self) -> None:
        """One part of a change; when all that is seen has changed it is drawn, and the rest follows."""
        if self._waiting:
            _do(*self._waiting.popleft())
        elif self._held:
            held, self._held = self._held, []
            for window in held:
                _do(window, partial(window.setUpdatesEnabled, True))
        elif self._hidden:
            _do(*self._hidden.popleft())
        else:
            self._working.stop()


def _do(widget: QWidget, what: Callable[[], object]) -> None:
    if isValid(widget):
        what()


class _Follower(QObject):
    """Calls a widget's `recolour` after a change of the theme, as soon as the widget is seen."""

    def __init__(self, theme: Theme, widget: QWidget, recolour: Callable[[], object]) -> None:
        super().__init__(widget)
        self._theme, self._widget, self._recolour = theme, widget, recolour
        self._is_behind = False
        widget.installEventFilter(self)
        theme.changed.connect(self._fall_behind)

    def _fall_behind(self) -> None:
        self._is_behind = True
        self._theme.soon(self._widget, self._catch_up, is_seen=self._widget.isVisible())

    def _catch_up(self) -> None:
        if self._is_behind:
            self._is_behind = False
            self._recolour()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Show:
            self._catch_up()
        return False


def load_fonts() -> None:
    """Make the shipped typeface known to Qt and the application's default."""
    for file in resources.files("deep_tally").joinpath("fonts").iterdir():
        if file.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(file.read_bytes())
    QApplication.setFont(font(14))


def font(pixels: int, weight: int = 400) -> QFont:
    """The one typeface at a size, with figures of equal width."""
    made = QFont(FAMILY)
    made.setPixelSize(pixels)
    made.setWeight(QFont.Weight(weight))
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def _palette(c: Colours) -> QPalette:
    palette = QPalette()
    role = QPalette.ColorRole
    for which, colour in (
        (role.Window, c.ground),
        (role.Base, c.raised),
        (role.AlternateBase, c.ground),
        (role.Button, c.raised),
        (role.ToolTipBase, c.raised),
        (role.WindowText, c.ink),
        (role.Text, c.ink),
        (role.ButtonText, c.ink),
        (role.ToolTipText, c.ink),
        (role.BrightText, c.ask),
        (role.PlaceholderText, c.soft),
        (role.Highlight, c.fix),
        (role.HighlightedText, c.raised),
        (role.Link, c.fix),
        (role.Mid, c.rule),
    ):
        palette.setColor(which, QColor(colour))
    for which in (role.WindowText, role.Text, role.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, which, QColor(c.soft))
    return palette


def _style(c: Colours) -> str:
    here = Path(__file__)
    pictures = {name: here.with_name("icons") / f"{name}-{c.name}.svg" for name in ("check", "down")}
    names = {**asdict(c), "radius": RADIUS, **{name: path.as_posix() for name, path in pictures.items()}}
    return Template(here.with_name("style.qss").read_text("utf-8")).substitute(names)
