"""Rounds in the window: the demo's two, by menu and drop; matched by drag and keyboard; undone, kept, in words."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QLabel, QMenu, QTreeWidgetItem
from pytestqt.qtbot import QtBot

from app.conftest import end, wait
from deep_tally.app.shell.making import make_window
from deep_tally.app.shell.window import Window
from deep_tally.cli.main import main
from deep_tally.demo.round_two import write_round_two
from deep_tally.reply.formats.text import to_text
from deep_tally.session.saved_checks import home, read_check

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture(scope="module")
def second(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_round_two(tmp_path_factory.mktemp("second"))


@pytest.fixture(scope="module")
def joined(
    qapp: QApplication, demo_folder: Path, second: Path, tmp_path_factory: pytest.TempPathFactory
) -> Iterator[Window]:
    """A window with both rounds of the demo; its folders are those of its first test."""
    with pytest.MonkeyPatch.context() as patch:
        for name in ("CONFIG", "DATA", "CACHE"):
            patch.setenv(f"XDG_{name}_HOME", str(tmp_path_factory.mktemp(name.lower())))
        _, window = make_window()
        window.show()
        window.open([demo_folder])
        wait(lambda: window.state.delivery is not None and not window.state.autosave.is_busy)
        window.state.next_round.open([second])
        settle(window)
        yield window
        end(window)


@pytest.fixture
def window(joined: Window) -> Window:
    joined.activateWindow()
    wait(joined.isActiveWindow)
    joined.navigator.show_rounds()
    return joined


def settle(window: Window) -> None:
    """Until both rounds are compared, and saved."""
    wait(lambda: window.state.next_round.rounds is not None and window.state.delivery is not None)
    wait(lambda: window.state.run is not None and window.state.run.stage == "done")
    wait(lambda: not window.state.clerks.is_busy and not window.state.autosave.is_busy)
    QApplication.processEvents()


def words(window: Window) -> list[str]:
    return [label.text() for label in window.rounds.findChildren(QLabel) if label.isVisible()]


def item_of(window: Window, path: str) -> QTreeWidgetItem:
    tree = window.rounds.tree
    places = [tree.topLevelItem(n) for n in range(tree.topLevelItemCount())]
    items = [*places, *(place.child(n) for place in places for n in range(place.childCount()))]
    return next(item for item in items if item.data(0, Qt.ItemDataRole.UserRole.value) == path)


def under(window: Window, path: str) -> str:
    item = item_of(window, path)
    return str(item.data(0, Qt.ItemDataRole.UserRole.value + 1))


def test_what_was_met_what_was_not_and_what_is_new(window: Window) -> None:
    said = words(window)
    assert window.steps.rounds.isVisible()
    unmet = said[said.index("✗  Not met") : said.index("◐  Partly met")]
    assert unmet[unmet.index("Cut off while still sounding") + 1] == "03 Hand bells.wav: sent again unchanged"
    assert "◐  Partly met" in said
    assert "✓  Met" in said
    assert any("40 Bandoneon.wav has gaps" in line for line in said)
    assert window.rounds.summary.text().startswith("Round 2: 3 of 6 requests are met, 1 in part; 1 new problem.")
    assert "35 are kept" in window.rounds.summary.text()
    assert under(window, "24 Melodica v2.wav") == "24 Melodica.wav"
    assert item_of(window, "03 Hand bells.wav").text(1) == "unchanged"
    assert "differs at 0:17.9" in item_of(window, "24 Melodica v2.wav").text(2)


def test_both_rounds_lie_over_each_other_in_the_line_up(window: Window) -> None:
    window.navigator.show_line_up()
    before = {lane.path: lane.before for lane in window.line_up.lanes}
    assert before["24 Melodica v2.wav"] is not None
    assert before["24 Melodica v2.wav"].path.endswith("24 Melodica.wav")
    assert before["03 Hand bells.wav"] is None  # it is what it was
    assert before["02 Shaker.wav"] is None
    assert not window.line_up.canvas.grab().isNull()


def test_the_command_line_writes_the_letter_that_the_window_shows(
    window: Window, capsys: pytest.CaptureFixture[str]
) -> None:
    window.reply.length.setCurrentIndex(0)
    window.navigator.show_reply()
    settle(window)
    assert window.state.run is not None
    assert window.state.run.saved is not None
    with pytest.raises(SystemExit):
        main(["reply", str(window.state.run.saved.path)])
    assert capsys.readouterr().out == to_text(window.reply.page)


def test_the_second_letter_thanks_and_repeats_only_what_is_open(window: Window) -> None:
    window.navigator.show_reply()
    text = window.reply.text.toPlainText()
    assert "thank you for the new files" in text
    assert "08 Fiddle, 24 Melodica v2 and 23 Rain stick are fine now." in text
    assert "01 Frame drum, still: distorts" in text
    assert "40 Bandoneon, new: has gaps in the sound" in text


def test_both_rounds_are_kept_in_one_document(window: Window) -> None:
    run = window.state.run
    assert run is not None
    assert run.saved is not None
    check = read_check(run.saved.path)
    assert [len(r.tracks) for r in check.rounds] == [41, 42]
    assert check.rounds[1].since is not None
    assert check.rounds[1].since.same == ("03 Hand bells.wav", "22 Brushes.wav")
    assert len(list(run.saved.path.parent.glob("*.deeptally"))) == 1  # the second is not listed by itself


def test_a_wrong_match_is_corrected_by_keyboard_and_undone(window: Window, qtbot: QtBot) -> None:
    tree = window.rounds.tree
    tree.setCurrentItem(item_of(window, "40 Bandoneon.wav"))
    tree.setFocus()
    qtbot.keyClick(tree, Qt.Key.Key_Return)
    menu = next(m for m in window.rounds.findChildren(QMenu) if m.isVisible())
    next(a for a in menu.actions() if a.text() == "20 Accordion.flac").trigger()
    menu.close()
    wait(lambda: under(window, "40 Bandoneon.wav") == "20 Accordion.flac")
    settle(window)
    assert "34 are kept" in window.rounds.summary.text()
    window.state.undo_stack.undo()
    wait(lambda: under(window, "40 Bandoneon.wav") == "")
    settle(window)
    assert "35 are kept" in window.rounds.summary.text()


def test_a_wrong_match_is_corrected_by_drag_and_by_delete(window: Window, qtbot: QtBot) -> None:
    tree = window.rounds.tree
    item = item_of(window, "24 Melodica v2.wav")
    place = next(
        tree.topLevelItem(n) for n in range(tree.topLevelItemCount()) if tree.topLevelItem(n).text(0).startswith("05 ")
    )
    tree.scrollToItem(place)
    data = tree.mimeData([item])
    event = QDropEvent(
        QPointF(tree.visualItemRect(place).center()),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    tree.dropEvent(event)
    wait(lambda: under(window, "24 Melodica v2.wav") == "05 Harmonium.wav")
    settle(window)
    tree.setCurrentItem(item_of(window, "24 Melodica v2.wav"))
    QTest.keyClick(tree, Qt.Key.Key_Delete)
    wait(lambda: under(window, "24 Melodica v2.wav") == "")
    settle(window)
    window.state.undo_stack.undo()
    window.state.undo_stack.undo()
    wait(lambda: under(window, "24 Melodica v2.wav") == "24 Melodica.wav")
    settle(window)


def test_what_did_not_come_can_be_left_out(window: Window) -> None:
    window.rounds.kept.setCurrentIndex(1)
    window.rounds.kept.activated.emit(1)
    wait(lambda: "not sent again" in window.rounds.summary.text())
    settle(window)
    assert len(window.state.tracks) == 7
    window.rounds.kept.setCurrentIndex(0)
    window.rounds.kept.activated.emit(0)
    wait(lambda: "are kept" in window.rounds.summary.text())
    settle(window)
    assert len(window.state.tracks) == 42


def test_reading_again_keeps_both_rounds(window: Window, qtbot: QtBot) -> None:
    before = window.state.run
    qtbot.keyClick(window, Qt.Key.Key_F5)
    wait(lambda: window.state.run is not before)
    settle(window)
    assert len(window.state.tracks) == 42
    assert window.state.next_round.rounds is not None


def test_the_history_is_one_page(window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    window.navigator.show_reply()
    window.reply.copy_text()
    window.navigator.show_rounds()
    settle(window)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "history.html"), ""))
    window.rounds.history.click()
    page = (tmp_path / "history.html").read_text("utf-8")
    assert "2 rounds" in page
    assert page.index("Round 2, ") < page.index("thank you for the new files") < page.index("Round 1, ")
    assert "<script" not in page
    assert any("1 letter" in line for line in words(window))


def test_a_saved_check_of_two_rounds_opens_with_both(window: Window, tmp_path: Path) -> None:
    settle(window)
    assert window.state.run is not None
    assert window.state.run.saved is not None
    copied = tmp_path / "both.deeptally"
    shutil.copy(window.state.run.saved.path, copied)
    _, other = make_window()
    try:
        other.show()
        other.open([copied])
        wait(lambda: other.state.delivery is not None)
        assert other.state.next_round.rounds == window.state.next_round.rounds
        other.navigator.show_rounds()
        assert other.rounds.summary.text() == window.rounds.summary.text()
    finally:
        end(other)


def drop(window: Window, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    event = QDropEvent(
        QPointF(50, 50), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    window.dropEvent(event)


def test_a_drop_on_an_open_check_asks_whether_it_is_the_next_round(fresh: Window, tmp_path: Path, second: Path) -> None:
    first = tmp_path / "first"
    first.mkdir()
    for name in ("03 Hand bells.wav", "22 Brushes.wav", "08 Fiddle.wav"):
        shutil.copy(second / name, first)
    fresh.open([first])
    wait(lambda: fresh.state.delivery is not None and not fresh.state.autosave.is_busy)
    again = tmp_path / "again"
    again.mkdir()
    shutil.copy(second / "03 Hand bells.wav", again)
    drop(fresh, again)
    assert fresh.offer.words.text() == "Is “again” the next round of “first”?"
    fresh.offer.buttons[1].click()
    wait(lambda: fresh.state.delivery is not None and fresh.state.delivery.name == "again")
    assert fresh.state.next_round.rounds is None
    assert not fresh.steps.rounds.isVisible()
    fresh.open([next(home().glob("*.deeptally"))])
    wait(lambda: fresh.state.delivery is not None and not fresh.state.autosave.is_busy)
    fresh.open([first])
    wait(lambda: fresh.state.delivery is not None and fresh.state.delivery.name == "first")
    wait(lambda: not fresh.state.autosave.is_busy)
    drop(fresh, again)
    fresh.offer.buttons[0].click()
    settle(fresh)
    assert len(fresh.state.tracks) == 3  # one came unchanged, two are kept
    assert {f.state for f in fresh.state.next_round.rounds.files} == {"same", "kept"}  # type: ignore[union-attr]


def test_files_written_over_in_place_are_offered_as_the_next_round(fresh: Window, tmp_path: Path, second: Path) -> None:
    place = tmp_path / "place"
    place.mkdir()
    for name in ("03 Hand bells.wav", "22 Brushes.wav", "08 Fiddle.wav"):
        shutil.copy(second / name, place)
    fresh.open([place])
    wait(lambda: fresh.state.delivery is not None and not fresh.state.autosave.is_busy)
    shutil.copy(second / "23 Rain stick.wav", place / "08 Fiddle.wav")
    fresh.open([place])
    wait(lambda: fresh.offer.isVisible())
    assert "looks like another round" in fresh.offer.words.text()
    fresh.offer.buttons[0].click()
    settle(fresh)
    states = {f.path: f.state for f in fresh.state.next_round.rounds.files}  # type: ignore[union-attr]
    assert states == {"03 Hand bells.wav": "same", "22 Brushes.wav": "same", "08 Fiddle.wav": "replaced"}
    check = read_check(next(home().glob("*.deeptally")))
    assert len(check.rounds) == 2
    before = fresh.state.run
    fresh.open([place])
    wait(lambda: fresh.state.run is not before and fresh.state.delivery is not None)
    assert fresh.state.next_round.rounds is not None  # what was sent is known to be that round
    assert not fresh.offer.isVisible()


def test_joining_says_what_it_does_and_can_be_cancelled(
    fresh: Window, tmp_path: Path, second: Path, qtbot: QtBot
) -> None:
    first, again = tmp_path / "first", tmp_path / "again"
    for folder in (first, again):
        folder.mkdir()
        shutil.copy(second / "03 Hand bells.wav", folder)
    fresh.open([first])
    wait(lambda: fresh.state.delivery is not None and not fresh.state.autosave.is_busy)
    fresh.state.next_round.open([again])
    wait(lambda: fresh.state.next_round.is_joining)
    assert fresh.progress.words.text() == "Comparing with the round before…"
    fresh.progress.cancel_button.click()
    assert not fresh.progress.isVisible()
    wait(lambda: not fresh.state.clerks.is_busy)
    assert fresh.state.next_round.rounds is None
    assert fresh.state.delivery is not None
    assert fresh.state.delivery.name == "again"


def test_there_is_no_rounds_page_without_a_round_before(fresh: Window, tmp_path: Path, second: Path) -> None:
    fresh.choose_next_round()
    assert "Open the round before first." in fresh.said.text()
    first = tmp_path / "first"
    first.mkdir()
    shutil.copy(second / "03 Hand bells.wav", first)
    fresh.open([first])
    wait(lambda: fresh.state.delivery is not None)
    fresh.navigator.show_rounds()
    assert "There is only one round yet." in fresh.said.text()
    assert fresh.pages.currentWidget() is not fresh.rounds
