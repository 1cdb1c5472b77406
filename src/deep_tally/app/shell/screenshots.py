"""Pictures of the main views on the demo delivery, for the documentation and for looking at."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from pathlib import Path

from platformdirs import user_cache_path
from PySide6.QtCore import QEventLoop
from PySide6.QtWidgets import QApplication, QWidget

from deep_tally.app.shell.making import make_window
from deep_tally.app.shell.window import Window
from deep_tally.demo.bundle import SECOND_SONG, write_bundle
from deep_tally.model.corrections import Corrections
from deep_tally.model.errors import CannotWrite
from deep_tally.model.phrase import Phrase

_SIZE = (1280, 800)
_PATIENCE_S = 120.0
_CLIPPED = "01 Frame drum.wav"
_PICTURES = (
    ("22 Brushes.wav", "Spectrogram"),
    ("31 Mandola.wav", "Stereo"),
    ("01 Frame drum.wav", "Histogram"),
)
_NEEDS_PLACE, _BAR_5_FRAMES = "06 Nylon guitar left.wav", 480_000
_PLAYED_TO_S = 14.0
_PARTS = [
    {"part": "lead voice", "variants": ["dry", "wet"], "printed": {"insert_processing": "out"}},
    {"part": "lead voice double"},
    {"part": "choir", "channels": 2},
    {"part": "nylon guitar"},
    {"part": "kick in", "channels": 1},
    {"part": "percussion"},
    {"part": "double bass", "channels": 1},
    {"part": "harmonium", "channels": 2},
]
_CLASH = 10
_CUT_OFF = f"{SECOND_SONG}/04 Sub.wav"


def take_shots(folder: Path) -> int:
    """Write a PNG of each main view into a folder; returns the exit status.

    Raises
    ------
    CannotWrite
        The folder cannot be made or written.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(
            str(folder), Phrase("write.no-folder", why=error.strerror), Phrase("do.other-folder")
        ) from error
    application, window = make_window()
    window.theme.choose("day")
    window.resize(*_SIZE)
    window.show()
    try:
        _take_all(application, window, folder)
    finally:
        window.close()
    return 0


def _take_all(application: QApplication, window: Window, folder: Path) -> None:
    def shoot(name: str, widget: QWidget = window) -> None:
        _settle(application)
        path = folder / f"{name}.png"
        if not widget.grab().save(str(path)):
            raise CannotWrite(str(path), Phrase("write.picture"), Phrase("do.other-folder"))
        sys.stderr.write(f"{path}\n")

    window.state.warm_up()
    window.state.demo.open()
    _wait(application, lambda: window.state.run is not None and window.state.delivery is not None)
    _wait(application, lambda: window.state.run is not None and window.state.run.is_done)
    window.sheet.go_to(_CLIPPED)
    shoot("sheet")
    window.theme.choose("night")
    shoot("sheet-night")
    window.theme.choose("day")
    _shoot_bench(application, window, shoot)
    _shoot_line_up(application, window, shoot)
    window.navigator.show_mix_match()
    shoot("mix-match")
    window.navigator.show_reply()
    shoot("reply")
    window.navigator.show_ready()
    shoot("ready")
    window.navigator.show_sheet()
    window.sheet.go_to(_CLIPPED)
    window.navigator.open_brief(True)
    shoot("brief")
    window.navigator.show_paper()
    shoot("client-page")
    window.navigator.open_brief(False)
    window.state.briefs.edit("parts", _PARTS, "Parts")
    window.navigator.show_parts()
    shoot("parts")
    window.navigator.show_names()
    window.state.correct(Corrections(pattern="{part} {side}"), "Pattern")
    window.names.table.selectRow(_CLASH)
    shoot("names")
    window.state.undo_stack.undo()
    window.state.undo_stack.undo()
    window.state.demo.open(2)
    _wait(application, lambda: window.pages.currentWidget() is window.rounds and _is_at_rest(window))
    shoot("rounds")
    bundle = write_bundle(user_cache_path("deep-tally") / "demo-bundle")
    window.open([bundle])
    _wait(application, lambda: _has_opened(window, bundle))
    window.songs.tabs[1].click()
    window.sheet.go_to(_CUT_OFF)
    shoot("songs")
    _wait(application, lambda: _is_at_rest(window))
    first = Window(window.theme, window.settings)  # as it begins the next time, with the checks of this one
    first.resize(*_SIZE)
    first.show()
    shoot("empty", first)
    first.close()


def _is_at_rest(window: Window) -> bool:
    """Whether all is measured, compared and saved."""
    run = window.state.run
    return run is not None and run.is_done and not window.state.autosave.is_busy and not window.state.clerks.is_busy


def _shoot_bench(application: QApplication, window: Window, shoot: Callable[[str], None]) -> None:
    """The pictures of single files."""
    window.bench.panel.cards[0].click()
    _wait(application, lambda: window.bench.waveform.has_samples)
    shoot("clipped-samples")
    for path, name in _PICTURES:
        window.sheet.go_to(path)
        window.bench.show_view(name)
        _wait(application, lambda name=name: window.bench.pictures[name].is_complete)  # type: ignore[misc]
        shoot(name.casefold())
    window.bench.show_view("Waveform")


def _shoot_line_up(application: QApplication, window: Window, shoot: Callable[[str], None]) -> None:
    """The whole song, a file placed while it plays, and the common end sample by sample."""
    view, listening = window.line_up, window.listening
    listening.player.simulated = True
    window.navigator.show_line_up()
    view.list.go_to(_CLIPPED)
    _wait(application, lambda: view.canvas.waves.is_fine)
    shoot("line-up")
    view.place(_NEEDS_PLACE, _BAR_5_FRAMES)
    view.set_height(46)
    view.list.go_to(_NEEDS_PLACE)
    view.canvas.set_cursor(_PLAYED_TO_S - 1)
    view.listening.play()
    _wait(application, lambda: (listening.position_s or 0.0) > _PLAYED_TO_S)
    shoot("listening")
    listening.halt()
    _wait(application, lambda: not listening.is_playing)
    view.set_order("family")
    view.set_height(34)
    view.show_edge("end")
    _wait(application, lambda: view.edge.has_samples and view.canvas.waves.is_fine)
    shoot("edge")
    view.show_edge(None)
    view.set_order("delivered")
    window.state.undo_stack.undo()


def _has_opened(window: Window, path: Path) -> bool:
    intake = window.state.intake
    return intake is not None and intake.source == path and window.state.delivery is not None


def _wait(application: QApplication, done: Callable[[], bool]) -> None:
    deadline = time.monotonic() + _PATIENCE_S
    while not done():
        if time.monotonic() > deadline:
            raise TimeoutError("the window did not get there")
        application.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)


def _settle(application: QApplication) -> None:
    for _ in range(5):
        application.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)
