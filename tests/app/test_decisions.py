"""Decisions in the window: by menu and by keyboard, undone, listed, kept for a client."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLabel, QMenu, QPushButton
from pytestqt.qtbot import QtBot

from app.conftest import wait
from deep_tally.app.bench.finding_panel import FindingCard
from deep_tally.app.shell.decide_dialog import DecideDialog
from deep_tally.app.shell.decisions_page import DecisionsPage
from deep_tally.app.shell.window import Window
from deep_tally.model.findings import Action, count_findings
from deep_tally.session.client_decisions import decisions_of, keep_of_client

DRUM = "01 Frame drum.wav"
BAKED = "clipping.baked"


def card(window: Window) -> FindingCard:
    return next(c for c in window.bench.panel.cards if c.finding.code == BAKED)


def choose(window: Window, words: str) -> None:
    menu = next(m for m in window.findChildren(QMenu) if m.isVisible())
    next(a for a in menu.actions() if a.text() == words).trigger()
    menu.close()
    window.activateWindow()
    wait(window.isActiveWindow)
    QApplication.processEvents()


def is_asked(window: Window) -> bool:
    assert window.state.delivery is not None
    return any(f.code == BAKED and DRUM in f.files for f in window.state.delivery.findings)


def panel_words(window: Window) -> list[str]:
    return [label.text() for label in window.bench.panel.findChildren(QLabel)]


def asks(window: Window) -> int:
    assert window.state.delivery is not None
    return count_findings(window.state.delivery.findings)[Action.ASK].findings


def test_what_is_meant_so_leaves_tally_and_letter_and_stays_listed(window: Window, qtbot: QtBot) -> None:
    before = asks(window)
    card(window).setFocus()
    qtbot.keyClick(card(window), Qt.Key.Key_D)
    choose(window, "Meant so")
    assert not is_asked(window)
    assert asks(window) == before - 1
    window.presenter.fill_reply()
    assert "01 Frame drum: " not in window.reply.text.toPlainText()
    assert any(w.endswith("Meant so") for w in panel_words(window))
    window.state.undo_stack.undo()
    assert is_asked(window)
    window.state.undo_stack.redo()
    back = next(b for b in window.bench.panel.findChildren(QPushButton) if b.text() == "Take back")
    back.click()
    assert is_asked(window)


def test_the_menu_opens_by_the_button_too(window: Window, qtbot: QtBot) -> None:
    qtbot.mouseClick(card(window).menu_button, Qt.MouseButton.LeftButton)
    choose(window, "Fixed here")
    assert window.state.corrections.decisions[0].kind == "here"
    assert not is_asked(window)


def test_an_answer_is_noted_in_the_clients_words(window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    def answer(dialog: DecideDialog) -> int:
        assert dialog.kind == "answered"
        qtbot.keyClicks(dialog.note_field, "it is a broken amp")
        return 1

    monkeypatch.setattr(DecideDialog, "exec", answer)
    card(window).setFocus()
    qtbot.keyClick(card(window), Qt.Key.Key_D)
    choose(window, "Answered…")
    assert not is_asked(window)
    assert any("Answered: “it is a broken amp”" in w for w in panel_words(window))


def test_what_holds_for_a_client_for_good_is_kept_undone_and_revoked(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    keep_of_client("Marit", ())
    qtbot.keyClicks(window.reply.client, "Marit")
    window.reply.keep_edits()

    def always(dialog: DecideDialog) -> int:
        next(b for b in dialog.reaches if b.text() == "always for Marit").click()
        return 1

    monkeypatch.setattr(DecideDialog, "exec", always)
    card(window).setFocus()
    qtbot.keyClick(card(window), Qt.Key.Key_D)
    choose(window, "With a note, or for more files…")
    assert not is_asked(window)
    assert [d.code for d in decisions_of("Marit")] == [BAKED]
    next(b for b in window.offer.buttons if b.text() == "Undo").click()
    assert is_asked(window)
    assert decisions_of("Marit") == ()
    window.deciding.ask([card(window).finding], DRUM)
    assert not is_asked(window)
    window.reply.client.clear()
    qtbot.keyClicks(window.reply.client, "Jonte")  # of another client, it is asked
    assert is_asked(window)
    window.deciding.show_all()
    page = window.findChild(DecisionsPage)
    (forget,) = (b for b in page.buttons if b.text() == "Forget")
    forget.click()
    assert decisions_of("Marit") == ()
    page.close()
    window.offer.put_away()


def test_all_decisions_stand_on_one_page_and_are_taken_back_there(window: Window, qtbot: QtBot) -> None:
    card(window).setFocus()
    qtbot.keyClick(card(window), Qt.Key.Key_D)
    choose(window, "Asked already")
    qtbot.keyClick(window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    wait(lambda: window.findChild(DecisionsPage) is not None)
    page = window.findChild(DecisionsPage)
    assert any("Asked already" in label.text() for label in page.findChildren(QLabel))
    (back,) = (b for b in page.buttons if b.text() == "Take back")
    assert DRUM in back.accessibleName()
    back.click()
    assert is_asked(window)
    page.close()
