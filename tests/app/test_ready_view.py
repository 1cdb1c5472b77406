"""The ready copy in the window: its plan by mouse and keyboard, undone, written, stopped and proved."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu
from pytestqt.qtbot import QtBot

from app.conftest import wait
from deep_tally.app.shell.window import Window
from deep_tally.views.ready_rows import ready_rows
from engine.test_ready_run import RATE, hashes, part, written

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def sent(tmp_path: Path) -> Path:
    """Same sides in one file, and one that nothing places."""
    folder = written(tmp_path / "Tide 96 BPM", _05_Pad=(np.stack([part(5)] * 2, axis=1), "PCM_24"))
    soundfile.write(folder / "06 Horn.wav", part(6)[RATE : 2 * RATE + 24_000], RATE, "PCM_24")
    return folder


@pytest.fixture
def window(fresh: Window, sent: Path, qtbot: QtBot) -> Window:
    fresh.open([sent])
    wait(lambda: fresh.state.run is not None and fresh.state.run.stage == "done")
    fresh.activateWindow()
    wait(fresh.isActiveWindow)
    qtbot.keyClick(fresh, Qt.Key.Key_9, CTRL)
    assert fresh.pages.currentWidget() is fresh.ready
    return fresh


def texts(window: Window) -> list[tuple[str, str]]:
    items = (window.ready.list.topLevelItem(n) for n in range(window.ready.list.topLevelItemCount()))
    return [(item.text(0), item.text(2)) for item in items if item is not None]


def test_the_plan_is_shown_with_what_is_done_and_what_is_left_out(window: Window) -> None:
    assert window.ready.list.hasFocus()
    assert window.ready.summary.text() == "5 copies of 0:06.000, 1 file left out"
    assert texts(window)[0] == ("01 Kick.wav", "copied as it is")
    assert texts(window)[-1] == ("05 Pad.wav", "made mono: both sides are the same")
    assert window.ready.boxes["fold"].text() == "Make it mono (1)"
    item = window.ready.list.topLevelItem(4)
    assert item is not None
    assert item.data(1, Qt.ItemDataRole.AccessibleTextRole) == "sent as stereo; the copy is mono"
    assert window.steps.ready.isChecked()


def test_before_and_after_lie_on_one_axis(window: Window) -> None:
    assert window.state.delivery is not None
    rows = {row.name: row for row in ready_rows(window.ready.plan, window.state.delivery)}
    pad = rows["05 Pad.wav"]
    assert [bar.sides for bar in pad.sent] == [2]
    assert [bar.sides for bar in pad.copied] == [1]
    assert (pad.whole.begin, pad.whole.end) == (0.0, 1.0)
    # The sound lies between 1 s and 4 s of 6.
    assert 0.15 < pad.copied[0].sound_begin < 0.25
    assert 0.5 < pad.copied[0].sound_end <= 0.67
    window.state.correct(window.state.corrections.with_place("06 Horn.wav", 3 * RATE), "place")
    rows = {row.name: row for row in ready_rows(window.ready.plan, window.state.delivery)}
    horn = rows["06 Horn.wav"]
    assert horn.sent[0].begin == 0.0
    assert horn.copied[0].begin == pytest.approx(0.5)
    assert horn.copied[0].end == pytest.approx(0.75)
    assert window.ready.summary.text() == "6 copies of 0:06.000"


def test_a_step_is_switched_off_for_all_by_keyboard_and_undone(window: Window, qtbot: QtBot) -> None:
    box = window.ready.boxes["fold"]
    box.setFocus()
    qtbot.keyClick(box, Qt.Key.Key_Space)
    assert window.state.corrections.ready.off == ("fold",)
    assert texts(window)[-1] == ("05 Pad.wav", "copied as it is")
    assert not window.ready.boxes["fold"].isChecked()
    assert window.ready.boxes["fold"].hasFocus()
    window.state.undo_stack.undo()
    assert texts(window)[-1] == ("05 Pad.wav", "made mono: both sides are the same")
    assert window.ready.boxes["fold"].isChecked()


def test_a_step_is_switched_off_for_one_copy_by_its_menu(window: Window, qtbot: QtBot) -> None:
    window.ready.list.setCurrentItem(window.ready.list.topLevelItem(4))
    qtbot.keyClick(window.ready.list, Qt.Key.Key_Space)
    menu = window.ready.findChild(QMenu)
    assert menu is not None
    (fold,) = menu.actions()
    assert (fold.text(), fold.isChecked()) == ("Make it mono", True)
    fold.trigger()
    menu.close()
    assert window.state.corrections.ready.off_for == {"05 Pad.wav": ("fold",)}
    assert texts(window)[-1] == ("05 Pad.wav", "copied as it is")
    row = window.ready.list.current_row
    assert row is not None
    assert row.sources == ("05 Pad.wav",)
    QApplication.processEvents()
    qtbot.keyClick(window.ready.list, Qt.Key.Key_Return)
    again = window.ready.findChildren(QMenu)[-1]
    (fold,) = again.actions()
    assert not fold.isChecked()
    fold.trigger()
    again.close()
    assert window.state.corrections.ready.off_for == {}


def test_form_depth_and_rate_are_chosen_and_kept_with_the_delivery(window: Window, qtbot: QtBot, sent: Path) -> None:
    for box in (window.ready.container, window.ready.bits, window.ready.rate):
        box.setFocus()
        qtbot.keyClick(box, Qt.Key.Key_Down)
    ready = window.state.corrections.ready
    assert (ready.container, ready.depth, ready.rate_hz) == ("flac", "16", 44_100)
    assert texts(window)[0][0] == "01 Kick.flac"
    assert "converted from 48 kHz to 44.1 kHz; saved with 16 bit, dithered" in texts(window)[0][1]
    window.state.open_again()
    wait(lambda: window.state.run is not None and window.state.run.stage == "done")
    assert window.state.corrections.ready == ready


def test_a_conflict_stands_first_and_nothing_can_be_written(window: Window) -> None:
    window.state.correct(window.state.corrections.with_name("02 Bass.wav", "01 kick"), "name")
    said = (
        "Two copies would get the name “01 Kick.wav”: 01 Kick.wav and 02 Bass.wav. Give one of them a name of its own."
    )
    assert window.ready.trouble.text().startswith(said)
    assert window.ready.trouble.isVisible()
    assert not window.ready.write.isEnabled()
    assert window.ready.write.toolTip() == "Something has to be solved first"
    assert texts(window)[0][1].startswith(said)
    window.state.undo_stack.undo()
    assert window.ready.write.isEnabled()
    assert not window.ready.trouble.isVisible()


def test_it_is_written_proved_and_shown_in_its_folder(
    window: Window, tmp_path: Path, sent: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = hashes(sent)
    target = tmp_path / "mixes"
    target.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *args: str(target))
    window.ready.write.click()
    assert window.ready_writing.is_busy
    assert window.ready.progress.isVisible()
    assert not window.ready.write.isEnabled()
    wait(lambda: not window.ready_writing.is_busy, 100)
    assert "All 5 copies were read back: every sample is what the plan says." in window.said.text()
    assert "The same checks find nothing left to fix." in window.said.text()
    folder = target / "Tide 96 BPM ready copy"
    assert len(json.loads((folder / "manifest.json").read_text("utf-8"))["copies"]) == 5
    assert (folder / "Session" / "Session sheet.html").exists()
    assert "Saved: " in window.offer.words.text()
    assert not window.ready.progress.isVisible()
    assert window.ready.write.isEnabled()
    assert window.settings.folder("ready") == target
    assert hashes(sent) == before
    # Once more, it goes beside the first.
    window.ready.write.click()
    wait(lambda: not window.ready_writing.is_busy, 100)
    assert (target / "Tide 96 BPM ready copy 2" / "manifest.json").exists()


def test_it_is_stopped_and_goes_on_in_the_same_folder(window: Window, tmp_path: Path) -> None:
    window.ready_writing.write(tmp_path, "out")
    wait(lambda: (tmp_path / "out").exists())
    window.ready.cancel.click()
    assert not window.ready_writing.is_busy
    assert "Stopped. What is whole stays in" in window.said.text()
    assert not (tmp_path / "out" / "manifest.json").exists()
    window.ready_writing.write(tmp_path, "out")
    wait(lambda: not window.ready_writing.is_busy, 100)
    assert (tmp_path / "out" / "manifest.json").exists()


def test_the_clients_folder_is_refused_in_one_sentence(window: Window, sent: Path, tmp_path: Path) -> None:
    before = hashes(sent)
    window.ready_writing.write(sent, "ready copy")
    assert not window.ready_writing.is_busy
    assert "it lies in the client's folder; choose a place outside it." in window.said.text()
    window.ready_writing.write(tmp_path.parent, tmp_path.name)
    assert "the client's files lie in it" in window.said.text()
    assert hashes(sent) == before


def test_files_that_changed_are_named(window: Window, sent: Path, tmp_path: Path) -> None:
    soundfile.write(sent / "03 Voice.wav", part(77), RATE, "PCM_24")
    window.ready_writing.write(tmp_path, "out")
    wait(lambda: not window.ready_writing.is_busy)
    assert "03 Voice.wav: it has changed since it was checked; check the delivery again." in window.said.text()
    assert not (tmp_path / "out").exists()


def test_the_window_waits_for_it_or_stops_when_closed_once_more(window: Window, tmp_path: Path) -> None:
    window.ready_writing.write(tmp_path, "out")
    window.close()
    assert window.isVisible()
    assert "The ready copy is being saved; the window closes when that is done." in window.said.text()
    wait(lambda: not window.isVisible(), 100)
    assert (tmp_path / "out" / "manifest.json").exists()


def test_a_window_that_waits_stays_where_the_copy_cannot_be_written(window: Window, sent: Path, tmp_path: Path) -> None:
    soundfile.write(sent / "03 Voice.wav", part(77), RATE, "PCM_24")
    window.ready_writing.write(tmp_path, "out")
    window.close()
    wait(lambda: not window.ready_writing.is_busy)
    assert window.isVisible()
    assert "03 Voice.wav: it has changed since it was checked" in window.said.text()


def test_opening_another_delivery_stops_it(window: Window, tmp_path: Path) -> None:
    other = written(tmp_path / "Night 100 BPM")
    window.ready_writing.write(tmp_path, "out")
    window.open([other])
    assert not window.ready_writing.is_busy
