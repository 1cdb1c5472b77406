"""A day at the window in a minute: pages opened and closed, themes, views, files and deliveries, again and again.

What grows from cycle to cycle is left behind; what takes longer from cycle to cycle pays for it.
"""

from __future__ import annotations

import gc
import os
import statistics
import time
from pathlib import Path

from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication, QDialog

from common import PeakMemory
from deep_tally.app.shell.making import make_window
from deep_tally.app.shell.window import Window
from window import TimedApplication, _is_new, _run

_SLOW_MS = 100.0
_SETTLED_AFTER = 10


def soak(folder: Path, home: Path, cycles: int) -> None:
    """Print how widgets, memory and the slowest events go over some cycles."""
    os.environ["XDG_CACHE_HOME"], os.environ["XDG_CONFIG_HOME"] = str(home / "cache"), str(home / "config")
    if not os.environ.get("DISPLAY"):
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    application = TimedApplication(time.thread_time)  # the window's own time, not what others take from it
    _, window = make_window()
    window.resize(1280, 800)
    window.show()
    memory = PeakMemory()
    try:
        window.open([folder])
        _run(application, lambda: window.state.delivery is not None)
        gc.freeze()
        widgets, megabytes, themes, lasted = [], [], [], []
        for _ in range(cycles):
            application.forget()
            themes += _cycle(application, window, folder)
            # Without an event loop of its own, a script has to delete what is to be deleted later.
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
            lasted += application.lasted
            widgets.append(len(QApplication.allWidgets()))
            megabytes.append(memory.megabytes())
    finally:
        window.close()
    later = f"after {_SETTLED_AFTER}"
    slow = sorted(((ms, kind) for ms, kind in lasted if ms > _SLOW_MS), reverse=True)
    print(f"{cycles} cycles: {widgets[_SETTLED_AFTER]} widgets {later}, {widgets[-1]} at last")
    print(f"PSS of all processes {megabytes[_SETTLED_AFTER]:.0f} MB {later}, {megabytes[-1]:.0f} MB at last")
    print(f"changing the theme: median {statistics.median(themes):.0f} ms, longest {max(themes):.0f} ms in all")
    print(f"{len(lasted)} events, {len(slow)} of them over {_SLOW_MS:.0f} ms of its own time (asked: none): {slow[:6]}")


def _cycle(application: TimedApplication, window: Window, folder: Path) -> list[float]:
    for show in (window.show_keys, window.show_about):
        show()
        _run(application, lambda: True, seconds=0.05)
        for dialog in window.findChildren(QDialog):
            dialog.reject()
        _run(application, lambda: True, seconds=0.02)
    for show in (
        window.navigator.show_line_up,
        window.navigator.show_parts,
        window.navigator.show_names,
        window.navigator.show_reply,
        window.navigator.show_paper,
    ):
        show()
        _run(application, lambda: True, seconds=0.05)
    window.navigator.show_sheet()
    window.navigator.open_brief(True)
    for row in range(min(6, window.sheet.proxy.rowCount())):
        window.sheet.selectRow(row)
        for name in ("Spectrum", "Spectrogram", "Stereo", "Histogram", "Bits", "Waveform"):
            window.bench.show_view(name)
            _run(application, lambda: True, seconds=0.01)
    window.state.briefs.edit("bits_min", 16, "bits")
    window.state.undo_stack.undo()
    window.navigator.open_brief(False)
    themes = []
    for choice in ("night", "day"):
        started = time.perf_counter()
        window.theme.choose(choice)  # type: ignore[arg-type]
        _run(application, lambda: window.theme.is_settled and window.updatesEnabled())
        themes.append((time.perf_counter() - started) * 1000)
        _run(application, lambda: True, seconds=0.05)
    before = window.state.delivery
    window.open([folder])
    _run(application, lambda: _is_new(window.state.delivery, before))
    return themes
