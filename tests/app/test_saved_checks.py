"""Saved checks in the window: saved by themselves, listed on the first page, opened without the audio."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from app.conftest import end, wait
from deep_tally.app.shell.making import make_window
from deep_tally.app.shell.window import Window
from deep_tally.model.files import Role
from deep_tally.session.recent_checks import recent_checks
from deep_tally.session.saved_checks import home, read_check


def write_wav(path: Path, samples: NDArray[np.float64]) -> None:
    path.parent.mkdir(exist_ok=True)
    soundfile.write(path, samples, 48_000, subtype="PCM_24")


@pytest.fixture
def delivery(tmp_path: Path) -> Path:
    folder = tmp_path / "Slow Ferry 90 BPM"
    rng = np.random.default_rng(4)
    for number, name in enumerate(("Tambourine", "Cello", "Voice")):
        write_wav(folder / f"{number + 1:02d} {name}.wav", 0.1 * rng.standard_normal((48_000, 1)))
    return folder


@pytest.fixture
def opened(fresh: Window, delivery: Path) -> Window:
    fresh.open([delivery])
    wait(lambda: fresh.state.delivery is not None)
    wait(lambda: not fresh.state.autosave.is_busy)
    return fresh


@pytest.fixture
def windows() -> Iterator[list[Window]]:
    """Further windows; each is ended."""
    made: list[Window] = []
    yield made
    for window in made:
        end(window)


def another(windows: list[Window]) -> Window:
    _, window = make_window()
    windows.append(window)
    window.show()
    return window


def only_check() -> Path:
    (path,) = home().glob("*.deeptally")
    return path


def test_a_check_is_saved_by_itself_and_listed_on_the_first_page(opened: Window, windows: list[Window]) -> None:
    saved = read_check(only_check())
    assert saved.name == "Slow Ferry 90 BPM"
    assert len(saved.rounds[0].tracks) == 3
    page = another(windows).empty
    (row,) = page.recent.rows
    assert page.recent.isVisible()
    assert "Slow Ferry 90 BPM" in row.accessibleName()
    assert "3 files" in row.accessibleName()
    assert "today" in row.accessibleName()


def test_what_is_said_is_in_the_saved_check_within_a_second(opened: Window) -> None:
    opened.state.sorter.set_roles({"02 Cello.wav": Role.GROUP})
    wait(lambda: read_check(only_check()).rounds[-1].corrections.roles == {"02 Cello.wav": Role.GROUP}, seconds=1.5)
    opened.state.undo_stack.undo()
    wait(lambda: read_check(only_check()).rounds[-1].corrections.roles == {}, seconds=1.5)
    assert len(read_check(only_check()).rounds[-1].tracks) == 3


def test_a_recent_check_opens_by_keyboard_without_its_files(
    opened: Window, delivery: Path, windows: list[Window], qtbot: QtBot
) -> None:
    opened.state.sorter.set_roles({"02 Cello.wav": Role.GROUP})
    wait(lambda: not opened.state.autosave.is_busy)
    before = opened.state.delivery
    shutil.rmtree(delivery)
    window = another(windows)
    row = window.empty.recent.rows[0]
    row.setFocus()
    qtbot.keyClick(row, Qt.Key.Key_Return)
    wait(lambda: window.state.delivery is not None)
    assert before is not None
    assert window.state.delivery is not None
    assert window.state.delivery.findings == before.findings
    assert window.state.corrections.roles == {"02 Cello.wav": Role.GROUP}
    assert window.state.tracks[0].measures is not None
    assert window.offer.isVisible()
    assert window.offer.words.text().endswith("are not at " + str(delivery) + " any more. Where are they now?")


def test_the_files_of_a_check_that_were_moved_are_found_where_the_user_says(
    opened: Window, delivery: Path, windows: list[Window], monkeypatch: pytest.MonkeyPatch
) -> None:
    place = delivery.with_name("moved")
    delivery.rename(place)
    window = another(windows)
    window.open([only_check()])
    wait(lambda: window.state.delivery is not None)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(place))
    window.offer.buttons[0].click()
    wait(lambda: window.state.sources["01 Tambourine.wav"] == place / "01 Tambourine.wav")
    wait(lambda: window.state.delivery is not None)
    assert not window.offer.isVisible()
    assert window.state.run is not None
    assert window.state.run.opened is not None
    assert window.state.run.opened.missing == ()


def test_files_that_changed_since_are_named_and_read_again_on_demand(
    opened: Window, delivery: Path, windows: list[Window]
) -> None:
    write_wav(delivery / "03 Voice.wav", np.zeros((24_000, 1)))
    window = another(windows)
    window.open([only_check()])
    wait(lambda: window.state.delivery is not None)
    assert window.state.tracks[2].measures is not None
    assert window.state.tracks[2].measures.has_sound  # as it was then
    assert "Changed since this check was saved: “03 Voice.wav”" in window.offer.words.text()
    first = only_check()
    button = next(b for b in window.offer.buttons if b.text() == "Check again")
    button.click()
    wait(lambda: window.state.delivery is not None and not window.state.tracks[2].measures.has_sound)  # type: ignore[union-attr]
    wait(lambda: not window.state.autosave.is_busy)
    assert len(list(home().glob("*.deeptally"))) == 2
    assert read_check(first).rounds[-1].tracks[2].measures.has_sound  # type: ignore[union-attr] # kept as it was


def test_a_check_that_is_only_looked_at_is_not_written_again(opened: Window, windows: list[Window]) -> None:
    before = only_check().read_bytes()
    window = another(windows)
    window.open([only_check()])
    wait(lambda: window.state.delivery is not None and not window.state.autosave.is_busy)
    assert only_check().read_bytes() == before
    window.state.sorter.set_roles({"02 Cello.wav": Role.GROUP})
    wait(lambda: not window.state.autosave.is_busy)
    assert read_check(only_check()).rounds[-1].corrections.roles == {"02 Cello.wav": Role.GROUP}


def test_reading_again_right_after_an_edit_is_no_other_window(opened: Window, qtbot: QtBot) -> None:
    opened.activateWindow()
    wait(opened.isActiveWindow)
    opened.state.sorter.set_roles({"02 Cello.wav": Role.GROUP})
    qtbot.keyClick(opened, Qt.Key.Key_F5)
    wait(lambda: opened.state.delivery is not None and not opened.state.autosave.is_busy)
    opened.state.sorter.set_roles({"03 Voice.wav": Role.GROUP})
    wait(lambda: not opened.state.autosave.is_busy)
    said = {"02 Cello.wav": Role.GROUP, "03 Voice.wav": Role.GROUP}
    assert read_check(only_check()).rounds[-1].corrections.roles == said


def test_a_window_that_closes_waits_for_the_check(opened: Window, qtbot: QtBot) -> None:
    opened.state.sorter.set_roles({"02 Cello.wav": Role.GROUP})
    opened.close()
    assert opened.isVisible()
    assert "The check is being saved" in opened.said.text()
    wait(lambda: not opened.isVisible())
    assert read_check(only_check()).rounds[-1].corrections.roles == {"02 Cello.wav": Role.GROUP}


def test_whoever_closes_it_once_more_need_not_wait_and_loses_nothing(
    opened: Window, delivery: Path, windows: list[Window]
) -> None:
    opened.state.sorter.set_roles({"02 Cello.wav": Role.GROUP})
    opened.close()
    opened.close()
    assert not opened.isVisible()
    window = another(windows)
    window.open([only_check()])
    wait(lambda: window.state.delivery is not None)
    assert window.state.corrections.roles == {"02 Cello.wav": Role.GROUP}


def test_two_windows_that_save_one_check_lose_nothing(opened: Window, windows: list[Window]) -> None:
    window = another(windows)
    window.open([only_check()])
    wait(lambda: window.state.delivery is not None)
    first = only_check()
    opened.state.sorter.set_roles({"02 Cello.wav": Role.GROUP})
    wait(lambda: not opened.state.autosave.is_busy)
    window.state.sorter.set_roles({"03 Voice.wav": Role.REFERENCE})
    wait(lambda: not window.state.autosave.is_busy)
    assert "Another window saved this check meanwhile" in window.said.text()
    beside = next(p for p in home().glob("*.deeptally") if p != first)
    assert read_check(first).rounds[-1].corrections.roles == {"02 Cello.wav": Role.GROUP}
    assert read_check(beside).rounds[-1].corrections.roles == {"03 Voice.wav": Role.REFERENCE}


def test_a_check_is_saved_where_the_user_wants_and_goes_on_there(
    opened: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
) -> None:
    place = tmp_path / "mine.deeptally"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "mine"), ""))
    opened.activateWindow()
    wait(opened.isActiveWindow)
    qtbot.keyClick(opened, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    wait(lambda: place.exists() and not opened.state.autosave.is_busy)
    assert len(read_check(place).rounds[0].tracks) == 3
    opened.state.sorter.set_roles({"02 Cello.wav": Role.GROUP})
    wait(lambda: not opened.state.autosave.is_busy)
    assert read_check(place).rounds[-1].corrections.roles == {"02 Cello.wav": Role.GROUP}
    assert recent_checks()[0].path == str(place)


def test_a_check_is_saved_over_no_other_file(opened: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    place = tmp_path / "letter.deeptally"
    place.write_text("dear diary")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(place), ""))
    opened.save_check_as()
    assert "something that is not a saved check lies there" in opened.said.text()
    assert place.read_text() == "dear diary"


def test_a_folder_that_cannot_be_written_is_said_once(opened: Window) -> None:
    aside = home().with_name("aside")
    home().rename(aside)
    home().write_text("a file where the folder was")
    said: list[str] = []
    opened.state.noticed.connect(said.append)
    for role in (Role.GROUP, Role.REFERENCE):
        opened.state.sorter.set_roles({"02 Cello.wav": role})
        wait(lambda: not opened.state.autosave.is_busy)
    assert len(said) == 1
    assert said[0].startswith(f"The check cannot be saved in {home()}: ")
    home().unlink()
    aside.rename(home())
    opened.state.sorter.set_roles({"02 Cello.wav": Role.GROUP})
    wait(lambda: not opened.state.autosave.is_busy)
    assert read_check(only_check()).rounds[-1].corrections.roles == {"02 Cello.wav": Role.GROUP}


def test_a_check_is_taken_off_the_list_by_keyboard_and_stays_where_it_is(
    opened: Window, windows: list[Window], qtbot: QtBot
) -> None:
    page = another(windows).empty
    row = page.recent.rows[0]
    qtbot.keyClick(row, Qt.Key.Key_Delete)
    QApplication.processEvents()
    assert page.recent.rows == []
    assert not page.recent.isVisible()
    assert only_check().exists()


def test_a_saved_check_brings_its_brief_and_takes_it_away_again(
    opened: Window, delivery: Path, windows: list[Window]
) -> None:
    opened.state.briefs.edit("bits_min", 32, "Bits")
    wait(lambda: not opened.state.autosave.is_busy)
    window = another(windows)
    own = window.state.brief
    window.open([only_check()])
    wait(lambda: window.state.delivery is not None)
    assert window.state.brief.bits_min == 32
    other = delivery.with_name("Other")
    write_wav(other / "Drum.wav", np.ones((4800, 1)) * 0.1)
    window.open([other])
    wait(lambda: window.state.delivery is not None and window.state.delivery.name == "Other")
    assert window.state.brief == own


def test_a_check_that_was_deleted_or_damaged_meanwhile_is_saved_whole_again(opened: Window) -> None:
    path = only_check()
    for spoil in (path.unlink, lambda: path.write_bytes(path.read_bytes()[:300])):
        spoil()
        said = opened.state.corrections
        letter = replace(said.letter, deadline=f"{said.letter.deadline}x")  # nothing that is assessed and saved again
        opened.state.correct(replace(said, letter=letter), "Deadline")
        wait(lambda: not opened.state.autosave.is_busy)
        this = read_check(path).rounds[-1]
        assert len(this.tracks) == 3
        assert this.corrections.letter == letter
