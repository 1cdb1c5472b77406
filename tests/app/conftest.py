"""A real window, offscreen or under Xvfb, on a delivery that is measured once."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication

from deep_tally.app.shell.making import make_window
from deep_tally.app.shell.window import Window
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.corrections import NO_CORRECTIONS
from deep_tally.views.filter import Filter


def wait(done: Callable[[], object], seconds: float = 60.0) -> None:
    """Let the window work until something is so."""
    deadline = time.monotonic() + seconds
    while not done():
        assert time.monotonic() < deadline, "the window did not get there"
        QApplication.processEvents()
        time.sleep(0.005)


def end(window: Window) -> None:
    """Close a window, without waiting for what it still saves."""
    window.close()
    if window.isVisible():
        window.close()


@pytest.fixture
def fresh(qapp: QApplication) -> Iterator[Window]:
    """A window with nothing open."""
    _, window = make_window()
    window.listening.player.simulated = True
    window.show()
    yield window
    end(window)
    # A window that is only closed would be styled again with every later one.
    window.deleteLater()
    QApplication.sendPostedEvents(window, QEvent.Type.DeferredDelete.value)


@pytest.fixture(scope="session")
def shared(qapp: QApplication, demo_folder: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Window]:
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("XDG_CONFIG_HOME", str(tmp_path_factory.mktemp("config")))
        _, window = make_window()
        window.listening.player.simulated = True
        window.theme.choose("day")
        window.resize(1280, 800)
        window.show()
        window.open([demo_folder])
        wait(lambda: window.state.delivery is not None)
        yield window
        end(window)


@pytest.fixture
def window(shared: Window) -> Window:
    """The window on the measured demo, put back to how it opens."""
    # Shortcuts reach the active window only, and another test's window may have been that.
    shared.activateWindow()
    wait(shared.isActiveWindow)
    shared.navigator.open_brief(False)
    shared.brief_panel.finer.setChecked(False)
    if shared.state.brief != DEFAULT_BRIEF:
        shared.state.briefs.put(DEFAULT_BRIEF, DEFAULT_BRIEF)
    shared.state.put_corrections(NO_CORRECTIONS)
    shared.listening.forget()
    shared.state.undo_stack.clear()
    shared.steps.find_field.clear()
    shared.filter.keep(Filter())
    shared.sheet.sort(0)
    shared.navigator.show_sheet()
    shared.sheet.go_to("01 Frame drum.wav")
    shared.bench.show_view("Waveform")
    shared.bench.waveform.show_all()
    shared.theme.choose("day")
    shared.resize(1280, 800)
    shared.reply.engineer.clear()
    shared.reply.address.clear()
    shared.reply.length.setCurrentIndex(shared.reply.length.findData("full"))
    shared.reply.tone.setCurrentIndex(shared.reply.tone.findData("friendly"))
    shared.presenter.fill_reply()
    QApplication.processEvents()
    return shared
