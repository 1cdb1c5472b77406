"""The reply view: names, requests in and out, editing, saving and copying."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QTextCursor
from PySide6.QtWidgets import QApplication, QCheckBox, QPushButton
from pytestqt.qtbot import QtBot

from app.conftest import wait
from deep_tally.app.base.plain import PlainLabel
from deep_tally.app.shell.window import Window
from deep_tally.model.corrections import NO_CORRECTIONS
from deep_tally.model.letter_edits import LetterEdits
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.letter import write_letter
from deep_tally.session.engineer import engineer_at_hand

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


def wording(window: Window) -> LetterEdits:
    return window.state.corrections.letter


def test_names_are_typed_and_belong_to_the_delivery_or_to_the_user(window: Window, qtbot: QtBot) -> None:
    qtbot.keyClicks(window.reply.client, "Marit")
    qtbot.keyClicks(window.reply.of_delivery["deadline"], "Friday")
    qtbot.keyClicks(window.reply.of_delivery["upload"], "our folder")
    qtbot.keyClicks(window.reply.engineer, "Ada")
    text = window.reply.text.toPlainText()
    assert "Hello Marit, thank you" in text
    assert "I need them by Friday." in text
    assert "Upload: our folder" in text
    assert "Best wishes, Ada" in text
    window.reply.keep_edits()
    assert (wording(window).client, engineer_at_hand().name) == ("Marit", "Ada")
    window.state.put_corrections(NO_CORRECTIONS)  # as another delivery has it
    assert window.reply.client.text() == ""
    assert "Hello, thank you" in window.reply.text.toPlainText()
    assert window.reply.engineer.text() == "Ada"


def test_a_request_is_left_out_taken_in_again_and_undone(window: Window, qtbot: QtBot) -> None:
    def box() -> QCheckBox:
        return boxes(window)["Turn down, export again"]

    assert box().isChecked()
    box().setFocus()
    qtbot.keyClick(box(), Qt.Key.Key_Space)
    QApplication.processEvents()
    assert "Frame drum" not in window.reply.text.toPlainText()
    assert not box().isChecked()
    assert box().hasFocus()
    qtbot.keyClick(box(), Qt.Key.Key_Space)
    assert "01 Frame drum: distorts" in window.reply.text.toPlainText()
    qtbot.keyClick(box(), Qt.Key.Key_Space)
    window.state.undo_stack.undo()
    assert box().isChecked()
    assert "01 Frame drum: distorts" in window.reply.text.toPlainText()


def type_into(window: Window, found: str, words: str, qtbot: QtBot) -> None:
    """Put the cursor behind words of the letter, and type."""
    cursor = window.reply.text.document().find(found)
    assert not cursor.isNull(), found
    cursor.setPosition(cursor.selectionEnd())
    window.reply.text.setFocus()
    window.reply.text.setTextCursor(cursor)
    qtbot.keyClicks(window.reply.text, words)


def test_what_is_typed_stays_in_its_paragraph_and_all_else_follows(
    window: Window, tmp_path: Path, qtbot: QtBot
) -> None:
    type_into(window, "thank you for the files.", " What a song!", qtbot)
    wait(lambda: wording(window).reworded)
    assert list(wording(window).reworded) == ["greeting"]
    assert window.reply.discard.isVisible()
    qtbot.keyClick(boxes(window)["The same sound twice?"], Qt.Key.Key_Space)
    text = window.reply.text.toPlainText()
    assert "What a song!" in text
    assert "are identical" not in text
    for ending in ("txt", "md", "html", "eml"):
        assert window.reply.save_to(tmp_path / f"r.{ending}")
        content = (tmp_path / f"r.{ending}").read_text("utf-8")
        assert "What a song" in content
        assert "Frame drum: distorts" in content
    assert (tmp_path / "r.html").read_text("utf-8").count("<svg") == 11
    window.state.undo_stack.undo()
    window.state.undo_stack.undo()
    assert "What a song" not in window.reply.text.toPlainText()
    window.state.undo_stack.redo()
    window.reply.discard.click()
    assert "What a song" not in window.reply.text.toPlainText()
    assert not window.reply.discard.isVisible()
    qtbot.keyClick(window.reply.text, Qt.Key.Key_Z, CTRL)
    assert "What a song!" in window.reply.text.toPlainText()


def test_a_worded_paragraph_whose_findings_changed_offers_both(window: Window, qtbot: QtBot) -> None:
    """The greeting changes with the client's name."""
    type_into(window, "thank you for the files.", " What a song!", qtbot)
    window.reply.keep_edits()
    qtbot.keyClicks(window.reply.client, "Marit")
    assert "What a song!" in window.reply.text.toPlainText()
    newer = [w.text() for w in window.reply.findChildren(PlainLabel) if w.text().startswith("From the findings now")]
    assert newer == ["From the findings now: Hello Marit, thank you for the files."]
    button(window, "Keep mine").click()
    assert "What a song!" in window.reply.text.toPlainText()
    assert not buttons(window, "Keep mine")
    window.state.undo_stack.undo()
    button(window, "Take the new one").click()
    assert "Hello Marit, thank you for the files." in window.reply.text.toPlainText()
    assert "What a song!" not in window.reply.text.toPlainText()


def buttons(window: Window, words: str) -> list[QPushButton]:
    QApplication.processEvents()
    return [b for b in window.reply.findChildren(QPushButton) if b.text() == words and b.isVisible()]


def button(window: Window, words: str) -> QPushButton:
    (found,) = buttons(window, words)
    return found


def test_paragraphs_are_split_deleted_added_and_moved_and_numbers_follow(window: Window, qtbot: QtBot) -> None:
    text = window.reply.text
    type_into(window, "In mono, 14 Choir is gone.", "", qtbot)
    cursor = text.textCursor()
    cursor.select(QTextCursor.SelectionType.BlockUnderCursor)
    text.setTextCursor(cursor)
    qtbot.keyClick(text, Qt.Key.Key_Delete)
    window.reply.keep_edits()
    assert wording(window).left_out == ("is-opposed",)
    assert "3. What plays in these" in text.toPlainText()  # it was the fourth
    assert not boxes(window)["Meant to disappear in mono?"].isChecked()
    type_into(window, "thank you for the files.", "", qtbot)
    qtbot.keyClick(text, Qt.Key.Key_Return)
    qtbot.keyClicks(text, "A line of my own.")
    window.reply.keep_edits()
    assert [(line.text, line.after) for line in wording(window).own] == [("A line of my own.", "greeting")]
    qtbot.keyClick(text, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    window.reply.keep_edits()
    assert [line.after for line in wording(window).own] == ["again"]
    shown = [b.text for b in window.reply.page.blocks]
    assert shown.index("A line of my own.") == shown.index("Please export these 6 files again, in one go.") + 1


def test_what_was_typed_a_moment_ago_survives_reading_again_and_quitting(window: Window, qtbot: QtBot) -> None:
    type_into(window, "thank you for the files.", " What a song!", qtbot)
    before = window.state.run
    qtbot.keyClick(window, Qt.Key.Key_F5)
    wait(lambda: window.state.run not in (None, before) and window.state.run.is_done)  # type: ignore[union-attr]
    wait(lambda: window.state.delivery is not None)
    assert wording(window).reworded["greeting"].text.endswith("What a song!")
    window.navigator.show_reply()
    assert "What a song!" in window.reply.text.toPlainText()
    record = window.state.run.record if window.state.run is not None else None
    wait(lambda: record is not None and record.exists() and "What a song!" in record.read_text("utf-8"))


def test_the_first_part_alone_is_short_and_that_is_remembered(window: Window) -> None:
    window.reply.length.setCurrentIndex(window.reply.length.findData("short"))
    window.reply.length.activated.emit(window.reply.length.currentIndex())
    assert "Details" not in window.reply.text.toPlainText()
    assert window.settings.text("letter.length") == "short"
    assert len(to_text(window.reply.page).split()) <= 250


def test_the_language_is_chosen_by_keyboard_saved_undone_and_the_deliverys_own(
    window: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    window.reply.language.setFocus()
    qtbot.keyClick(window.reply.language, Qt.Key.Key_Down)
    assert window.reply.language.currentText() == "Deutsch"
    assert "Hallo, vielen Dank für die Dateien." in window.reply.text.toPlainText()
    assert wording(window).language == "de"
    assert window.reply.save_to(tmp_path / "a.html")
    saved = (tmp_path / "a.html").read_text("utf-8")
    assert '<html lang="de">' in saved
    assert "Einzelheiten" in saved
    go_to(window, "Hallo")
    qtbot.keyClick(window.reply.text, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    wait(lambda: bool(wording(window).order))
    assert window.reply.page.language == "de"
    window.reply.rewrite()
    assert wording(window).language == "de"
    while window.state.undo_stack.canUndo():
        window.state.undo_stack.undo()
    assert window.reply.language.currentText() == "English"
    assert "Hello, thank you for the files." in window.reply.text.toPlainText()
    window.state.undo_stack.redo()
    assert window.reply.language.currentText() == "Deutsch"
    window.state.put_corrections(NO_CORRECTIONS)  # as another delivery has it
    assert window.reply.language.currentText() == "English"


def test_copying_puts_plain_text_on_the_clipboard(window: Window, qtbot: QtBot) -> None:
    qtbot.keyClick(window, Qt.Key.Key_C, CTRL | Qt.KeyboardModifier.ShiftModifier)
    clipboard = QGuiApplication.clipboard()
    assert clipboard.text() == to_text(window.reply.page)
    assert "<h1>Your files" in clipboard.mimeData().html()
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


def go_to(window: Window, words: str) -> None:
    """Put the cursor into the paragraph that begins so."""
    block = window.reply.text.document().begin()
    while not block.text().startswith(words):
        block = block.next()
        assert block.isValid(), words
    window.reply.text.setTextCursor(QTextCursor(block))


def lines(window: Window) -> list[str]:
    return [line for line in window.reply.text.toPlainText().split("\n") if line]


def test_a_paragraph_is_moved_joined_and_left_out_by_buttons(window: Window, qtbot: QtBot) -> None:
    before = lines(window)
    buttons = window.reply.paragraph.buttons
    go_to(window, "Each one from")
    qtbot.mouseClick(buttons["Down"], Qt.MouseButton.LeftButton)
    window.reply.keep_edits()
    at = before.index(next(line for line in before if line.startswith("Each one from")))
    assert lines(window)[at + 1] == before[at]
    qtbot.mouseClick(buttons["Up"], Qt.MouseButton.LeftButton)
    window.reply.keep_edits()
    assert lines(window) == before
    qtbot.mouseClick(buttons["Join"], Qt.MouseButton.LeftButton)
    window.reply.keep_edits()
    assert lines(window)[at - 1] == f"{before[at - 1]} {before[at]}"
    window.state.undo_stack.undo()
    assert lines(window) == before
    go_to(window, before[1])
    qtbot.mouseClick(buttons["Leave out"], Qt.MouseButton.LeftButton)
    window.reply.keep_edits()
    assert before[1] not in lines(window)
    assert len(lines(window)) == len(before) - 1
    window.state.undo_stack.undo()
    assert lines(window) == before


def test_a_line_is_added_and_all_of_it_has_keys(window: Window, qtbot: QtBot) -> None:
    before = lines(window)
    text = window.reply.text
    go_to(window, before[1])
    qtbot.keyClick(text, Qt.Key.Key_Return, Qt.KeyboardModifier.AltModifier)
    qtbot.keyClicks(text, "See you on Monday.")
    window.reply.keep_edits()
    assert lines(window)[:3] == [before[0], before[1], "See you on Monday."]
    assert wording(window).own[0].text == "See you on Monday."
    go_to(window, "See you")
    qtbot.keyClick(text, Qt.Key.Key_J, Qt.KeyboardModifier.AltModifier)
    window.reply.keep_edits()
    assert lines(window)[1] == f"{before[1]} See you on Monday."
    go_to(window, before[1])
    qtbot.keyClick(text, Qt.Key.Key_Delete, Qt.KeyboardModifier.AltModifier)
    window.reply.keep_edits()
    assert not any("See you" in line for line in lines(window))


def test_one_file_of_a_request_is_unticked_and_its_line_and_the_count_go(window: Window, qtbot: QtBot) -> None:
    brief = window.state.brief
    window.state.briefs.edit("rates", [44_100], "Rates")
    try:
        window.presenter.fill_reply()
        box = next(b for b in boxes(window).values() if b.accessibleName() == "Ask for 02 Shaker.wav again")
        asked = next(line for line in lines(window) if line.startswith("Please export"))
        box.setFocus()
        qtbot.keyClick(box, Qt.Key.Key_Space)
        QApplication.processEvents()
        assert next(line for line in lines(window) if line.startswith("Please export")) != asked
        assert not any(line.startswith("– 02 Shaker") for line in lines(window))
        window.state.undo_stack.undo()
        assert next(line for line in lines(window) if line.startswith("Please export")) == asked
    finally:
        window.state.briefs.put(brief, brief)
