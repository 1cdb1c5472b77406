"""The reply view: names, requests in and out, editing, saving and copying."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QTextCursor
from PySide6.QtWidgets import QCheckBox
from pytestqt.qtbot import QtBot

from app.conftest import wait
from deep_tally.app.shell.window import Window
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.letter import write_letter

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def window(window: Window, qtbot: QtBot) -> Window:
    qtbot.keyClick(window, Qt.Key.Key_6, CTRL)
    assert window.pages.currentWidget() is window.reply
    return window


def boxes(window: Window) -> dict[str, QCheckBox]:
    return {b.text(): b for b in window.reply.findChildren(QCheckBox)}


def test_the_page_shows_what_the_letter_says(window: Window) -> None:
    assert window.state.delivery is not None
    assert to_text(window.reply.page) == to_text(write_letter(window.state.delivery))
    assert sum(b.picture is not None for b in window.reply.page.blocks) == 12


def test_names_are_typed_into_the_greeting_and_remembered(window: Window, qtbot: QtBot) -> None:
    qtbot.keyClicks(window.reply.client, "Marit")
    qtbot.keyClicks(window.reply.engineer, "Ada")
    text = window.reply.text.toPlainText()
    assert "Hello Marit, thank you" in text
    assert "Best wishes, Ada" in text
    assert (window.settings.text("client"), window.settings.text("engineer")) == ("Marit", "Ada")


def test_a_request_is_left_out_and_taken_in_again(window: Window, qtbot: QtBot) -> None:
    box = boxes(window)["Turn down, export again"]
    assert box.isChecked()
    qtbot.keyClick(box, Qt.Key.Key_Space)
    assert "Frame drum" not in window.reply.text.toPlainText()
    qtbot.keyClick(box, Qt.Key.Key_Space)
    assert "4  Please turn 01 Frame drum.wav down" in window.reply.text.toPlainText()


def edit(window: Window, words: str) -> None:
    cursor = window.reply.text.textCursor()
    cursor.movePosition(QTextCursor.MoveOperation.Start)
    cursor.movePosition(QTextCursor.MoveOperation.NextBlock)
    window.reply.text.setTextCursor(cursor)
    cursor.insertText(words)


def test_edits_are_kept_saved_and_can_be_undone_or_put_away(window: Window, tmp_path: Path, qtbot: QtBot) -> None:
    edit(window, "Dear all! ")
    assert window.reply.anew.isVisible()
    qtbot.keyClicks(window.reply.client, "Marit")
    assert "Dear all! Hello, thank you" in window.reply.text.toPlainText()
    for ending in ("txt", "md", "html"):
        assert window.reply.save_to(tmp_path / f"r.{ending}")
        content = (tmp_path / f"r.{ending}").read_text("utf-8")
        assert "Dear all" in content
        assert "Please turn 01 Frame drum.wav down" in content
    assert (tmp_path / "r.html").read_text("utf-8").count("<svg") == 12
    window.reply.text.undo()
    assert "Dear all" not in window.reply.text.toPlainText()
    edit(window, "Again ")
    window.reply.anew.click()
    assert "Again" not in window.reply.text.toPlainText()
    assert "Hello Marit" in window.reply.text.toPlainText()
    assert not window.reply.anew.isVisible()


def test_a_split_and_an_emptied_paragraph_keep_the_outline(window: Window) -> None:
    text = window.reply.text
    cursor = text.document().find("Please let 03 Hand bells.wav ring out")
    cursor.insertText("Let the bells ring")
    cursor.insertBlock()
    page = window.reply.page
    heading = next(b for b in page.blocks if b.text == "Let the bells ring")
    assert (heading.kind, heading.number) == ("heading", 2)
    assert all(b.text for b in page.blocks)


def test_copying_puts_plain_text_on_the_clipboard(window: Window, qtbot: QtBot) -> None:
    qtbot.keyClick(window, Qt.Key.Key_C, CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert QGuiApplication.clipboard().text() == to_text(window.reply.page)
    assert "on the clipboard" in window.said.text()


def test_save_as_adds_the_ending_that_was_chosen(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(
        "deep_tally.app.pages.paper.QFileDialog.getSaveFileName",
        lambda *args: (str(tmp_path / "For Marit"), "Markdown (*.md)"),
    )
    window.band.next.click()
    assert (tmp_path / "For Marit.md").read_text("utf-8").startswith("# Your files")
    assert window.settings.folder("reply") == tmp_path


def test_what_cannot_be_saved_is_said_and_the_client_is_never_overwritten(window: Window, tmp_path: Path) -> None:
    assert not window.reply.save_to(tmp_path / "none" / "r.txt")
    assert "it cannot be written (No such file or directory); choose another place." in window.said.text()
    assert window.state.delivery is not None
    notes = window.state.delivery.source / "Notes.txt"
    before = notes.read_bytes()
    assert not window.reply.save_to(notes)
    assert "it is one of the client's files" in window.said.text()
    assert notes.read_bytes() == before


def test_the_reply_needs_a_judged_delivery(fresh: Window) -> None:
    fresh.navigator.show_reply()
    assert fresh.pages.currentWidget() is fresh.empty
    wait(lambda: True)
