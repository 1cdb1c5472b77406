"""What is saved beside the letter, what is offered once something is saved, and what saving waits for."""

from __future__ import annotations

from pathlib import Path

import pypdfium2
import pytest
from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QDesktopServices, QGuiApplication
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from app.conftest import wait
from deep_tally.app.shell.window import Window

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


def choose(monkeypatch: pytest.MonkeyPatch, path: Path) -> None:
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))


@pytest.mark.parametrize("ending", [".pdf", ".html", ".csv"])
def test_the_session_sheet_is_saved_by_a_key(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, ending: str
) -> None:
    path = tmp_path / f"sheet{ending}"
    choose(monkeypatch, path)
    qtbot.keyClick(window, Qt.Key.Key_S, CTRL | ALT)
    assert "Glockenspiel" in (
        pypdfium2.PdfDocument(path)[0].get_textpage().get_text_range() if ending == ".pdf" else path.read_text("utf-8")
    )
    assert window.offer.words.text() == f"Saved: {path}"


def test_what_was_saved_is_opened_shown_and_copied(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened: list[QUrl] = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: not opened.append(url))
    path = tmp_path / "letter.txt"
    for number, expected in ((0, path), (1, tmp_path)):
        assert window.reply.save_to(path)
        assert [b.text() for b in window.offer.buttons] == ["Open", "Show in folder", "Copy the file", "Close"]
        window.offer.buttons[number].click()
        assert opened[-1].toLocalFile() == str(expected)
        assert not window.offer.isVisible()
    window.reply.save_to(path)
    window.offer.buttons[2].click()
    mime = QGuiApplication.clipboard().mimeData()
    assert mime.urls() == [QUrl.fromLocalFile(str(path))]
    assert mime.text() == str(path)


def test_a_file_that_no_program_opens_is_said(window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: False)
    window.reply.save_to(tmp_path / "letter.txt")
    window.offer.buttons[0].click()
    assert window.said.text() == f"No program opens {tmp_path / 'letter.txt'} here."


def test_a_place_that_cannot_be_written_is_said(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    choose(monkeypatch, tmp_path / "none" / "sheet.csv")
    window.offer.put_away()
    qtbot.keyClick(window, Qt.Key.Key_S, CTRL | ALT)
    assert "cannot be written" in window.said.text()
    assert not window.offer.isVisible()


def test_a_pdf_that_is_written_while_the_delivery_is_read_again_is_there(
    window: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    path = tmp_path / "letter.pdf"
    window.reply.paper_box.textActivated.emit("Letter")
    try:
        assert window.reply.save_to(path)
        qtbot.keyClick(window, Qt.Key.Key_F5)
        wait(path.exists)
        wait(lambda: window.offer.isVisible() and window.offer.words.text() == f"Saved: {path}")
        assert [round(side) for side in pypdfium2.PdfDocument(path)[0].get_size()] == [612, 792]
        wait(lambda: window.state.delivery is not None and not window.state.is_measuring)
    finally:
        window.reply.paper_box.textActivated.emit("A4")
