"""How the window feels: a known delivery opened again, and the longest turn of its event loop while it works."""

from __future__ import annotations

import gc
import os
import statistics
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QEvent, QEventLoop, QObject, QTimer
from PySide6.QtWidgets import QApplication

from deep_tally.app.shell.making import make_window
from deep_tally.app.shell.window import Window
from deep_tally.model.delivery import Delivery

_TICK_MS = 16
_NOTHING_MS = 0.2


def feel(folder: Path, home: Path) -> None:
    """Open a delivery that was never measured while a script scrolls, then open it again."""
    os.environ["XDG_CACHE_HOME"], os.environ["XDG_CONFIG_HOME"] = str(home / "cache"), str(home / "config")
    if not os.environ.get("DISPLAY"):
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    application = TimedApplication()
    _, window = make_window()
    window.resize(1280, 800)
    window.show()
    window.state.warm_up()
    files = len(list(folder.iterdir()))
    try:
        _run(application, lambda: True, seconds=4.0)
        gc.freeze()  # as the program does when its window stands
        window.open([folder])
        started = time.perf_counter()
        application.tell("opening the window")
        _run(application, lambda: window.state.delivery is not None, each=lambda: _scroll(window, started))
        application.tell(f"{files} files filling while the sheet scrolls")
        _run(application, lambda: True, seconds=2.0)
        for number in range(3):
            before = window.state.delivery
            started = time.perf_counter()
            window.open([folder])
            _run(application, lambda before=before: _is_new(window.state.delivery, before))  # type: ignore[misc]
            seconds = time.perf_counter() - started
            print(f"{files} known files opened again, round {number + 1}: {seconds:.2f} s (asked: under 1)")
            application.tell("meanwhile")
            _run(application, lambda: True, seconds=0.5)
        _edit_the_brief(application, window, files)
    finally:
        window.close()


_EDITS: tuple[tuple[str, object], ...] = (
    ("bits_min", 16),
    ("rates", [44_100]),
    ("peak_window_dbfs", [-40.0, -12.0]),
    ("length.whole_bars", True),
    ("needs.key", True),
    ("thresholds.headroom.tolerance_db", 3.0),
    ("names.pattern", "{number} {part}"),
    ("parts", [{"part": "lead voice"}, {"part": "kick in"}, {"part": "drums"}]),
    ("scope", "groups"),
    ("rates", None),
)


def _edit_the_brief(application: QApplication, window: Window, files: int) -> None:
    """Change lines of the brief beside the sheet: all is assessed again and drawn."""
    window.navigator.open_brief(True)
    _run(application, lambda: True, seconds=0.5)
    tallied, drawn = [], []
    for key, value in _EDITS * 2:
        started = time.perf_counter()
        window.state.briefs.edit(key, value, key)
        changed = time.perf_counter()
        window.repaint()
        tallied.append((changed - started) * 1000)
        drawn.append((time.perf_counter() - started) * 1000)
        _run(application, lambda: True, seconds=0.1)
        window.state.undo_stack.undo()
        _run(application, lambda: True, seconds=0.1)
    print(
        f"a line of the brief changed with {files} files: tallied anew in {statistics.median(tallied):.0f} ms, longest"
        f" {max(tallied):.0f} ms (asked: under 50), the whole window drawn in {statistics.median(drawn):.0f} ms"
    )


class TimedApplication(QApplication):
    """Notes how long each event took that came from the event loop, with all it led to, by some clock."""

    def __init__(self, clock: Callable[[], float] = time.perf_counter) -> None:
        super().__init__([])
        self._clock = clock
        self._depth = 0
        self.lasted: list[tuple[float, str]] = []
        """Milliseconds and kind of each event since the last time they were forgotten."""

    def notify(self, receiver: QObject, event: QEvent) -> bool:
        self._depth += 1
        started = self._clock()
        try:
            return super().notify(receiver, event)
        finally:
            self._depth -= 1
            ms = (self._clock() - started) * 1000
            if self._depth == 0 and ms > _NOTHING_MS:
                self.lasted.append((ms, f"{event.type().name} to {type(receiver).__name__}"))

    def forget(self) -> None:
        """Begin anew."""
        self.lasted = []

    def tell(self, what: str) -> None:
        """Print the median, the slow ones and the worst since the last time, and forget them."""
        ordered = sorted(self.lasted)
        self.lasted = []
        median, slow = statistics.median(ms for ms, _ in ordered), ordered[int(0.99 * len(ordered))][0]
        worst, kind = ordered[-1]
        print(
            f"{what}: {len(ordered)} events, median {median:.1f} ms, 99 % under {slow:.0f} ms,"
            f" longest {worst:.0f} ms, {kind} (asked: under 50)"
        )


def _is_new(delivery: Delivery | None, before: Delivery | None) -> bool:
    return delivery is not None and delivery is not before


def _scroll(window: Window, started: float) -> None:
    """Up and down once in three seconds, as a person would."""
    bar = window.sheet.verticalScrollBar()
    share = (time.perf_counter() - started) % 3 / 3
    bar.setValue(round(bar.maximum() * (1 - abs(2 * share - 1))))


def _run(
    application: QApplication,
    done: Callable[[], bool],
    *,
    seconds: float = 0.0,
    each: Callable[[], None] = lambda: None,
) -> None:
    started = time.perf_counter()
    ticking = QTimer()
    ticking.timeout.connect(each)
    ticking.start(_TICK_MS)  # wakes the loop as a hand on the mouse would
    while not done() or time.perf_counter() - started < seconds:
        application.processEvents(
            QEventLoop.ProcessEventsFlag.AllEvents | QEventLoop.ProcessEventsFlag.WaitForMoreEvents
        )
