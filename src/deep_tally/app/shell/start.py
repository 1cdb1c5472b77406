"""Start the window: with a display, under Xvfb, or offscreen; print when the first picture stood."""

from __future__ import annotations

import gc
import os
import shutil
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from deep_tally.app.shell.window import Window


def run_window(paths: Sequence[Path] = (), *, brief: str | None = None, rough_mix: Path | None = None) -> int:
    """Open the window, with a delivery when paths are given; returns the exit status."""

    def begin(window: Window) -> None:
        if brief is not None:
            window.state.briefs.choose(brief)
        if paths:
            window.open(list(paths), rough_mix=rough_mix)
        else:
            window.state.warm_up()

    return _run(begin)


def run_demo(shot_to: Path | None = None, rounds: int = 1) -> int:
    """Open the window on the demo delivery, with its second round if wanted, or write a picture of each main view."""
    if shot_to is not None:
        from deep_tally.app.shell.screenshots import take_shots

        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        with tempfile.TemporaryDirectory() as home:
            # Pictures show the program as it comes, without the user's briefs, words and corrections of the demo.
            os.environ["XDG_DATA_HOME"] = os.environ["XDG_CONFIG_HOME"] = home
            return take_shots(shot_to)
    return _run(lambda window: window.state.demo.open(rounds))


def _run(begin: Callable[[Window], None]) -> int:
    """Show the window, furnish it once its first picture stands, and let it begin."""
    from PySide6.QtCore import QTimer

    from deep_tally.app.shell.making import make_bare_window
    from deep_tally.app.shell.signals import EndingSignals

    _require_display()
    application, window = make_bare_window()
    signals = EndingSignals(window.close, window)
    window.show()

    def painted() -> None:
        window.repaint()
        print(f"First paint {_seconds_alive():.2f} s after the start.", file=sys.stderr)  # noqa: T201
        QTimer.singleShot(0, furnish)

    def furnish() -> None:
        window.furnish()
        # What is loaded now stays: the collector need not walk it again, which takes 80 ms each time.
        gc.freeze()
        begin(window)

    # The first timeout comes after the events of showing; then the picture is drawn at once.
    QTimer.singleShot(0, painted)
    status = application.exec()
    return 128 + signals.number if signals.number else status


def _seconds_alive() -> float:
    """Seconds since this process was started (proc(5): field 22 of /proc/self/stat, in clock ticks after boot)."""
    after_name = Path("/proc/self/stat").read_text().rpartition(")")[2].split()
    started = int(after_name[19]) / os.sysconf("SC_CLK_TCK")
    return time.clock_gettime(time.CLOCK_BOOTTIME) - started


def _require_display() -> None:
    """Without a display, say so in one line and go on under Xvfb, else offscreen."""
    if os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM"):
        return
    runner = shutil.which("xvfb-run")
    if runner is not None and shutil.which("xauth"):
        print("No display found: running under Xvfb; press Ctrl+C to end.", file=sys.stderr)  # noqa: T201
        os.execv(
            runner, [runner, "-a", "-s", "-screen 0 1280x800x24", sys.executable, "-m", "deep_tally", *sys.argv[1:]]
        )
    print("No display found: running on Qt's offscreen platform; press Ctrl+C to end.", file=sys.stderr)  # noqa: T201
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
