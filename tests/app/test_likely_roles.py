"""What files seem to be is a question to the engineer, over the sheet: one key confirms, one refuses, one undoes it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from app.conftest import wait
from app.test_window import shown, small_delivery
from deep_tally.app.shell.window import Window
from deep_tally.model.files import Role
from deep_tally.views.cell_texts import cell_text
from deep_tally.views.columns import Column
from sounds import RATE

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def likely(fresh: Window, tmp_path: Path) -> Window:
    """Four parts, a mix that only its name suggests, and another song's sound named as a trigger."""
    folder = small_delivery(tmp_path / "Salt House 96 BPM C minor", 4)
    for number, name in enumerate(("Master.wav", "Ghost kick.wav")):
        noise = np.random.default_rng(number + 70).standard_normal((6 * RATE, 1 + (number == 0)))
        soundfile.write(folder / name, 0.05 * noise, RATE, subtype="PCM_24")
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    fresh.activateWindow()
    wait(fresh.isActiveWindow)
    return fresh


def roles(window: Window) -> dict[str, tuple[Role, bool]]:
    assert window.state.delivery is not None
    return {t.path: (t.role, t.basis.is_likely) for t in window.state.delivery.tracks if " Bass " not in t.path}


def settle(window: Window) -> None:
    wait(lambda: window.state.delivery is not None)


def test_what_is_likely_is_asked_of_the_engineer_and_not_of_the_client(likely: Window) -> None:
    assert likely.likely.isVisible()
    assert likely.likely.words.text() == "2 files are probably no plain tracks, but nothing says so for sure."
    assert roles(likely)["Master.wav"] == (Role.ROUGH_MIX, True)
    assert roles(likely)["Ghost kick.wav"] == (Role.TRIGGER, True)
    assert likely.state.delivery is not None
    found = likely.state.delivery.findings
    assert "content.no-rough-mix" not in {f.code for f in found}
    assert not any(path in ("Master.wav", "Ghost kick.wav") for f in found for path in f.files)


def test_the_cell_says_what_a_file_seems_to_be_and_why(likely: Window) -> None:
    row = next(r for r in likely.sheet.sheet_model.sheet.rows if r.track.path == "Master.wav")
    assert cell_text(row, Column.NAME) == "Master.wav (rough mix, likely, by its name)"


def test_all_are_confirmed_with_a_click_and_undone_with_a_key(likely: Window, qtbot: QtBot) -> None:
    qtbot.mouseClick(likely.likely.yes, Qt.MouseButton.LeftButton)
    settle(likely)
    assert roles(likely) == {"Master.wav": (Role.ROUGH_MIX, False), "Ghost kick.wav": (Role.TRIGGER, False)}
    assert not likely.likely.isVisible()
    likely.sheet.setFocus()
    qtbot.keyClick(likely.sheet, Qt.Key.Key_Z, CTRL)
    settle(likely)
    assert roles(likely)["Master.wav"] == (Role.ROUGH_MIX, True)
    assert likely.likely.isVisible()


def test_one_is_confirmed_with_a_key_in_the_sheet(likely: Window, qtbot: QtBot) -> None:
    likely.sheet.go_to("Master.wav")
    likely.sheet.setFocus()
    qtbot.keyClick(likely.sheet, Qt.Key.Key_R, CTRL | SHIFT)
    settle(likely)
    assert roles(likely)["Master.wav"] == (Role.ROUGH_MIX, False)
    assert likely.likely.words.text() == "“Ghost kick.wav” is probably a trigger (by its name)."
    assert likely.likely.yes.text() == "Yes"


def test_refused_they_are_tracks_and_asked_about_as_such(likely: Window, qtbot: QtBot) -> None:
    qtbot.mouseClick(likely.likely.no, Qt.MouseButton.LeftButton)
    settle(likely)
    assert roles(likely) == {"Master.wav": (Role.TRACKOUT, False), "Ghost kick.wav": (Role.TRACKOUT, False)}
    assert likely.state.delivery is not None
    assert "content.no-rough-mix" in {f.code for f in likely.state.delivery.findings}


def test_they_can_be_shown_alone(likely: Window, qtbot: QtBot) -> None:
    qtbot.mouseClick(likely.likely.show_files, Qt.MouseButton.LeftButton)
    assert [words.split(" (")[0] for words in shown(likely)] == ["Ghost kick.wav", "Master.wav"]
    assert likely.steps.show_button.text() == "Only: probably no plain tracks"
    assert likely.sheet.hasFocus()


def test_what_was_confirmed_stays_so_when_the_delivery_is_opened_again(likely: Window, qtbot: QtBot) -> None:
    qtbot.mouseClick(likely.likely.yes, Qt.MouseButton.LeftButton)
    settle(likely)
    likely.state.keep_corrections()
    likely.state.open_again()
    wait(lambda: not likely.state.is_measuring and likely.state.delivery is not None)
    assert roles(likely)["Master.wav"] == (Role.ROUGH_MIX, False)
    assert not likely.likely.isVisible()
