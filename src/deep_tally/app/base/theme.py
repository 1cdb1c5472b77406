"""Ink on ruled paper by day, chalk on slate by night: colours, type and spacing in one place."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from importlib import resources
from pathlib import Path
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
    icons = Path(__file__).with_name("icons")
    check, down = (icons.joinpath(f"{name}-{c.name}.svg").as_posix() for name in ("check", "down"))
    return f"""
    QMainWindow, QDialog, QStackedWidget {{ background: {c.ground}; }}
    QToolTip {{ background: {c.raised}; color: {c.ink}; border: 1px solid {c.rule}; padding: 6px; }}
    QMenuBar {{ background: {c.raised}; color: {c.ink}; border-bottom: 1px solid {c.rule}; padding: 0 20px; }}
    QMenuBar::item {{ padding: 5px 8px; background: transparent; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {c.ink}; color: {c.raised}; }}
    QMenu {{ background: {c.raised}; color: {c.ink}; border: 1px solid {c.rule}; padding: 4px; }}
    QMenu::item {{ padding: 6px 20px 6px 24px; }}
    QMenu::item:disabled {{ color: {c.soft}; }}
    QMenu::separator {{ height: 1px; background: {c.rule}; margin: 4px 8px; }}
    QPushButton {{ background: {c.raised}; color: {c.ink}; border: 1px solid {c.soft};
        border-radius: {RADIUS}px;
        padding: 6px 14px; }}
    QPushButton:hover {{ background: {c.rule}; }}
    QPushButton:focus {{ border: 2px solid {c.fix}; padding: 5px 13px; }}
    QPushButton:disabled {{ color: {c.soft}; border-color: {c.rule}; }}
    QPushButton[look="main"] {{ background: {c.ink}; color: {c.raised}; border-color: {c.ink}; font-weight: 600; }}
    QPushButton[look="main"]:hover {{ background: {c.soft}; }}
    QPushButton[look="main"]:disabled {{ background: {c.rule}; color: {c.soft}; border-color: {c.rule}; }}
    QPushButton[look="quiet"] {{ background: transparent; border-color: transparent; color: {c.soft};
        padding: 4px 8px; }}
    QPushButton[look="quiet"]:hover {{ color: {c.ink}; background: {c.rule}; }}
    QPushButton[look="quiet"]:focus {{ border: 2px solid {c.fix}; padding: 3px 7px; }}
    QPushButton[look="quiet"]::menu-indicator {{ width: 0; }}
    QPushButton[look="small"] {{ background: transparent; border: 1px solid transparent; color: {c.soft};
        padding: 0 8px; }}
    QPushButton[look="small"]:hover {{ color: {c.ink}; background: {c.rule}; }}
    QPushButton[look="small"]:focus {{ border-color: {c.fix}; }}
    QPushButton[look="small"]:checked {{ color: {c.ink}; background: {c.rule}; }}
    QPushButton[look="tab"] {{ background: transparent; border: 0; border-bottom: 2px solid transparent;
        border-radius: 0; color: {c.soft}; padding: 4px 2px 3px 2px; }}
    QPushButton[look="tab"]:hover {{ color: {c.ink}; }}
    QPushButton[look="tab"]:checked {{ color: {c.ink}; border-bottom-color: {c.ink}; font-weight: 600; }}
    QPushButton[look="tab"]:focus {{ color: {c.fix}; border-bottom-color: {c.fix}; }}
    QPushButton[look="tab"]:disabled {{ color: {c.rule}; }}
    QPushButton[look="quiet"]:checked {{ color: {c.ink}; background: {c.rule}; }}
    QPushButton[look="step"] {{ background: transparent; border: 0; border-bottom: 3px solid transparent;
        border-radius: 0; color: {c.soft};
        padding: 8px 2px 5px 2px; margin-right: 20px; }}
    QPushButton[look="step"]:hover {{ background: transparent; color: {c.ink}; }}
    QPushButton[look="step"]:checked {{ color: {c.ink}; border-bottom-color: {c.ink}; font-weight: 600; }}
    QPushButton[look="step"]:focus {{ color: {c.fix}; border-bottom-color: {c.fix}; }}
    QPushButton[look="step"]:disabled {{ color: {c.soft}; }}
    QLineEdit, QTextEdit, QTextBrowser {{ background: {c.raised}; color: {c.ink}; border: 1px solid {c.rule};
        border-radius: {RADIUS}px; padding: 4px 6px; selection-background-color: {c.fix};
        selection-color: {c.raised}; }}
    QLineEdit:focus {{ border: 2px solid {c.fix}; padding: 3px 5px; }}
    QComboBox, QSpinBox, QDoubleSpinBox {{ background: {c.raised}; color: {c.ink}; border: 1px solid {c.rule};
        border-radius: {RADIUS}px; padding: 3px 6px; selection-background-color: {c.fix};
        selection-color: {c.raised}; }}
    QAbstractSpinBox::up-button, QAbstractSpinBox::down-button {{ width: 0; height: 0; border: 0; }}
    QAbstractSpinBox QLineEdit {{ background: transparent; border: 0; padding: 0 4px; }}
    QComboBox:focus, QSpinBox:focus, QDoubleSpinBox:focus {{ border: 2px solid {c.fix}; padding: 2px 5px; }}
    QComboBox:disabled, QSpinBox:disabled, QDoubleSpinBox:disabled {{ color: {c.soft}; background: {c.ground}; }}
    QComboBox::drop-down {{ border: 0; width: 18px; }}
    QComboBox::down-arrow {{ image: url({down}); width: 10px; height: 6px; }}
    QComboBox QAbstractItemView {{ background: {c.raised}; color: {c.ink}; border: 1px solid {c.rule};
        selection-background-color: {c.ink}; selection-color: {c.raised}; outline: 0; }}
    QPushButton[look="title"] {{ background: transparent; border: 1px solid transparent; padding: 4px 6px 4px 8px;
        text-align: left; }}
    QPushButton[look="title"]:hover {{ background: {c.rule}; }}
    QPushButton[look="title"]:focus {{ border: 1px solid {c.fix}; }}
    QPushButton[look="title"]::menu-indicator {{ width: 0; }}
    QPushButton[look="coverage"] {{ background: transparent; border: 1px solid transparent; color: {c.soft};
        padding: 2px 4px; text-align: right; }}
    QPushButton[look="coverage"][state="open"] {{ color: {c.ink}; font-weight: 700; }}
    QPushButton[look="coverage"][state="open"]:enabled {{ text-decoration: underline; }}
    QPushButton[look="coverage"]:hover:enabled {{ background: {c.rule}; }}
    QPushButton[look="coverage"]:focus {{ border-color: {c.fix}; }}
    QTreeWidget, QListWidget, QListView {{ background: {c.ground}; color: {c.ink}; border: 0; outline: 0; }}
    QTreeWidget::item, QListWidget::item {{ border-bottom: 1px solid {c.rule}; padding: 5px 8px; }}
    QTreeWidget::item:selected, QListWidget::item:selected {{ background: {c.raised};
        border-bottom: 1px solid {c.ink}; }}
    QTreeWidget::item:focus, QListWidget::item:focus {{ border-bottom: 2px solid {c.fix}; }}
    QListWidget::item:selected {{ color: {c.ink}; }}
    QHeaderView {{ background: {c.ground}; border: 0; }}
    QHeaderView::section {{ background: {c.ground}; color: {c.ink}; border: 0;
        border-bottom: 1px solid {c.soft}; padding: 5px 12px; font-weight: 600; }}
    QLabel[look="soft"] {{ color: {c.soft}; }}
    QCheckBox {{ spacing: 10px; }}
    QCheckBox:focus {{ color: {c.fix}; }}
    QCheckBox::indicator {{ width: 14px; height: 14px; border: 2px solid {c.ink}; border-radius: 2px;
        background: {c.raised}; }}
    QCheckBox::indicator:checked {{ background: {c.ink}; image: url({check}); }}
    QProgressBar {{ background: {c.rule}; border: 0; border-radius: 2px; max-height: 4px; min-height: 4px; }}
    QProgressBar::chunk {{ background: {c.ink}; border-radius: 2px; }}
    QTableView {{ background: {c.ground}; border: 0; outline: 0; gridline-color: transparent; }}
    QScrollArea {{ border: 0; background: transparent; }}
    QSplitter::handle {{ background: {c.soft}; }}
    QSplitter::handle:hover {{ background: {c.fix}; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle {{ background: {c.rule}; border-radius: 4px; min-height: 28px; min-width: 28px; margin: 1px; }}
    QScrollBar::handle:hover {{ background: {c.soft}; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none;
        width: 0; height: 0; }}
    """
