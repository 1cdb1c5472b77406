"""The brief beside the sheet, by mouse and keyboard: what is asked, what came, and what a change does at once."""

from __future__ import annotations

import json
from pathlib import Path

import pypdfium2
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QApplication, QCheckBox, QComboBox, QDoubleSpinBox, QInputDialog, QLineEdit
from pytestqt.qtbot import QtBot

from app.conftest import wait
from deep_tally.app.base.plain import PlainLabel
from deep_tally.app.brief.brief_editors import Choice, Switch, Words
from deep_tally.app.brief.brief_editors import Window as WindowEditor
from deep_tally.app.brief.brief_panel import BriefPanel
from deep_tally.app.shell.making import make_window
from deep_tally.app.shell.window import Window
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.reply.brief_words import LINES
from sounds_to_name import write_delivery

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


@pytest.fixture
def panel(window: Window, qtbot: QtBot) -> BriefPanel:
    qtbot.keyClick(window, Qt.Key.Key_B, CTRL)
    assert window.brief_panel.isVisible()
    return window.brief_panel


def codes(window: Window) -> set[str]:
    assert window.state.delivery is not None
    return {f.code for f in window.state.delivery.findings}


def test_each_line_says_what_is_asked_and_what_came(window: Window, panel: BriefPanel) -> None:
    told = {key: button.text() for key, button in panel.coverage.items() if button.text()}
    assert told == {
        "scope": "all 38",
        "rates": "37 of 38",
        "bits_min": "all 38",
        "sample_formats": "all 38",
        "containers": "all 38",
        "peak_window_dbfs": "33 of 38",
        "length.equal": "35 of 38",
        "needs.rough_mix": "received",
        "needs.song": "received",
        "needs.tempo": "received",
        "needs.key": "received",
        "needs.documents": "received",
        "names.longest": "all 38",
        "names.generic_words": "36 of 38",
    }
    assert set(panel.editors) | {"parts"} == {line.key for line in LINES}
    assert not any(panel.coverage[line.key].isVisible() for line in LINES if line.is_unseen)
    assert "No file can show these" in " ".join(label.text() for label in panel.findChildren(PlainLabel))
    assert panel.coverage["rates"].accessibleName() == "Sample rate: 37 of 38"


def test_the_panel_opens_and_closes_with_a_key_and_is_remembered(window: Window, qtbot: QtBot) -> None:
    assert not window.brief_panel.isVisible()
    qtbot.keyClick(window, Qt.Key.Key_B, CTRL)
    assert window.brief_panel.isVisible()
    assert window.settings.text("brief open") == "yes"
    for key in (Qt.Key.Key_2, Qt.Key.Key_3, Qt.Key.Key_4, Qt.Key.Key_5, Qt.Key.Key_6, Qt.Key.Key_7, Qt.Key.Key_1):
        qtbot.keyClick(window, key, CTRL)
        assert window.brief_panel.isVisible()  # beside every view
    qtbot.keyClick(window, Qt.Key.Key_B, CTRL)
    assert not window.brief_panel.isVisible()
    assert window.settings.text("brief open") == "no"


def test_a_number_is_typed_and_all_is_judged_at_once(window: Window, panel: BriefPanel, qtbot: QtBot) -> None:
    editor = panel.editors["peak_window_dbfs"]
    assert isinstance(editor, WindowEditor)
    before = window.state.delivery
    editor.high.setFocus()
    editor.high.selectAll()
    qtbot.keyClicks(editor.high, "0")
    qtbot.keyClick(editor.high, Qt.Key.Key_Return)
    assert window.state.brief.peak_window_dbfs == (-30.0, 0.0)
    assert window.state.delivery is not before
    assert not window.state.is_measuring  # no file was read
    assert panel.coverage["peak_window_dbfs"].text() == "35 of 38"
    assert "headroom.hot" not in codes(window)
    assert panel.changed.text() == "Changed, not saved"
    assert window.sheet.sheet_model.headerData(5, Qt.Orientation.Horizontal) == "Headroom, peaks −30 to 0 dBFS"


def test_the_wheel_over_a_value_scrolls_and_changes_nothing(window: Window, panel: BriefPanel) -> None:
    editor = panel.editors["bits_min"]
    assert isinstance(editor, Choice)
    panel.name_button.setFocus()

    def turn() -> bool:
        place = QPointF(editor.box.rect().center())
        event = QWheelEvent(
            place,
            QPointF(editor.box.mapToGlobal(place)),
            QPoint(),
            QPoint(0, -120),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(editor.box, event)
        return event.isAccepted()

    turn()
    assert window.state.brief.bits_min == 24
    editor.box.setFocus()
    assert turn()
    assert window.state.brief.bits_min == 32


def test_a_choice_by_keyboard_changes_the_tally(window: Window, panel: BriefPanel, qtbot: QtBot) -> None:
    editor = panel.editors["rates"]
    assert isinstance(editor, Choice)
    editor.box.setFocus()
    qtbot.keyClick(editor.box, Qt.Key.Key_Down)
    assert editor.box.currentText() == "44.1 kHz"
    assert window.state.brief.rates == (44_100,)
    assert "rate.off-brief" in codes(window)
    assert panel.coverage["rates"].text() == "1 of 38"


def test_a_need_is_switched_with_the_space_bar_and_undone(window: Window, panel: BriefPanel, qtbot: QtBot) -> None:
    editor = panel.editors["needs.click"]
    assert isinstance(editor, Switch)
    asked = window.band.tallies
    before = {action: tally.counted for action, tally in asked.items()}
    editor.box.setFocus()
    qtbot.keyClick(editor.box, Qt.Key.Key_Space)
    assert window.state.brief.needs.click
    assert "content.companion-missing" in codes(window)
    assert panel.coverage["needs.click"].text() == "missing"
    window.state.undo_stack.undo()
    assert window.state.brief == DEFAULT_BRIEF
    assert not editor.box.isChecked()
    assert {action: tally.counted for action, tally in asked.items()} == before
    window.state.undo_stack.redo()
    assert editor.box.isChecked()


def test_pressing_what_came_shows_only_the_files_that_do_not_meet_it(
    window: Window, panel: BriefPanel, qtbot: QtBot
) -> None:
    qtbot.mouseClick(panel.coverage["length.equal"], Qt.MouseButton.LeftButton)
    proxy = window.sheet.proxy
    shown = {proxy.index(r, 0).data() for r in range(proxy.rowCount())}
    assert shown == {"06 Nylon guitar left.wav", "15 Viola.wav", "37 Bowed saw.wav"}
    assert window.steps.show_button.text() == "Only: not as requested, same length for all"
    qtbot.keyClick(window, Qt.Key.Key_0, ALT)
    assert proxy.rowCount() > 30
    assert not panel.coverage["bits_min"].isEnabled()


def test_a_pattern_is_typed_and_names_are_held_against_it(window: Window, panel: BriefPanel, qtbot: QtBot) -> None:
    editor = panel.editors["names.pattern"]
    assert isinstance(editor, Words)
    qtbot.keyClicks(editor.field, "{part} {oops}")
    assert window.state.brief.names.pattern is None  # not while it is typed
    qtbot.keyClick(editor.field, Qt.Key.Key_Return)
    assert "names.pattern: it has no field called {oops}" in window.said.text()
    assert (window.state.brief.names.pattern, editor.field.text()) == (None, "")
    editor.field.clear()
    qtbot.keyClicks(editor.field, "{number} {part}")
    qtbot.keyClick(editor.field, Qt.Key.Key_Return)
    assert window.state.brief.names.pattern == "{number} {part}"
    assert panel.coverage["names.pattern"].text() == "all 38"


def test_a_threshold_has_its_default_and_its_source(window: Window, panel: BriefPanel, qtbot: QtBot) -> None:
    panel.finer.setFocus()
    qtbot.keyClick(panel.finer, Qt.Key.Key_Space)
    box = panel.thresholds["headroom.tolerance_db"].box
    assert box.value() == 1.0
    box.setFocus()
    box.selectAll()
    qtbot.keyClicks(box, "20")
    qtbot.keyClick(box, Qt.Key.Key_Return)
    assert window.state.brief.thresholds == {"headroom.tolerance_db": 20.0}
    assert "headroom.hot" not in codes(window)
    box.setValue(1.0)
    assert window.state.brief.thresholds == {}


def test_a_value_out_of_a_file_that_is_no_choice_is_shown_and_kept(
    window: Window, panel: BriefPanel, tmp_path: Path
) -> None:
    path = tmp_path / "b.json"
    path.write_text('{"schema": 1, "name": "Odd", "rates": [44100, 96000], "bits_min": 20, "containers": ["caf"]}')
    window.state.briefs.choose_file(path)
    shown = {key: e.box.currentText() for key, e in panel.editors.items() if isinstance(e, Choice)}
    assert shown["rates"] == "44.1 kHz or 96 kHz"
    assert (shown["bits_min"], shown["containers"]) == ("20 bit", "CAF")
    assert window.state.brief.rates == (44_100, 96_000)


def menu_action(panel: BriefPanel, words: str) -> None:
    panel.menu.aboutToShow.emit()
    next(a for a in panel.menu.actions() if a.text().replace("&", "") == words).trigger()


def test_a_shipped_brief_is_chosen_from_the_shelf(window: Window, panel: BriefPanel) -> None:
    menu_action(panel, "Strict archive")
    assert panel.name_button.accessibleName() == "Brief: Strict archive"
    assert {"content.companion-missing", "content.container"} <= codes(window)
    assert window.steps.brief_button.text() == "Brief: Strict archive"


def test_a_changed_brief_is_saved_made_the_default_and_taken_away(
    fresh: Window, monkeypatch: pytest.MonkeyPatch
) -> None:
    panel = fresh.brief_panel
    fresh.state.briefs.edit("bits_min", 16, "x")
    menu_action(panel, "Make it the default")
    assert "Save the brief first" in fresh.said.text()
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Sixteen bits", True))
    menu_action(panel, "Save as…")
    assert (fresh.state.brief.name, panel.changed.text()) == ("Sixteen bits", "")
    menu_action(panel, "Make it the default")
    assert "New windows open with “Sixteen bits” now." in fresh.said.text()
    _, other = make_window()
    assert other.state.brief.bits_min == 16
    other.close()
    other.deleteLater()
    menu_action(panel, "Delete it")
    panel.menu.aboutToShow.emit()
    assert "Sixteen bits" not in [a.text() for a in panel.menu.actions()]


def test_changes_are_put_back_and_that_is_undone(window: Window, panel: BriefPanel) -> None:
    window.state.briefs.edit("bits_min", 32, "x")
    menu_action(panel, "Discard the changes")
    assert window.state.brief == DEFAULT_BRIEF
    window.state.undo_stack.undo()
    assert window.state.brief.bits_min == 32
    assert window.state.briefs.is_changed


def test_a_brief_goes_out_as_a_file_and_comes_in_again(window: Window, panel: BriefPanel, tmp_path: Path) -> None:
    window.state.briefs.edit("needs.midi", True, "x")
    path = tmp_path / "mine.json"
    window.brief_menu.export_to(path)
    assert json.loads(path.read_text("utf-8"))["needs"]["midi"] is True
    window.state.briefs.put(DEFAULT_BRIEF, DEFAULT_BRIEF)
    window.state.briefs.choose_file(path)
    assert window.state.brief.needs.midi
    window.brief_menu.export_to(tmp_path / "none" / "x.json")
    assert "cannot be written" in window.said.text()


def test_unsaved_changes_are_there_in_the_next_window(qapp: QApplication, tmp_path: Path) -> None:
    _, first = make_window()
    first.state.briefs.edit("bits_min", 16, "x")
    first.close()
    _, second = make_window()
    assert second.state.brief.bits_min == 16
    assert second.state.briefs.is_changed
    second.state.briefs.discard_changes()
    second.close()
    for window in (first, second):
        window.deleteLater()
    _, third = make_window()
    assert third.state.brief == DEFAULT_BRIEF
    third.close()
    third.deleteLater()


def test_the_clients_page_follows_the_brief_and_is_saved_as_pdf(
    window: Window, panel: BriefPanel, qtbot: QtBot, tmp_path: Path
) -> None:
    qtbot.mouseClick(panel.page_button, Qt.MouseButton.LeftButton)
    assert window.pages.currentWidget() is window.paper
    assert "Sample rate: the song's own" in window.paper.text.toPlainText()
    window.state.briefs.edit("rates", [48_000], "x")
    assert "Sample rate: 48 kHz." in window.paper.text.toPlainText()
    assert window.paper.save_to(tmp_path / "page.pdf")
    assert window.said.text() == "Writing page.pdf…"
    wait(lambda: window.offer.words.text().startswith("Saved: ") and window.offer.isVisible())
    text = pypdfium2.PdfDocument(tmp_path / "page.pdf")[0].get_textpage().get_text_range()
    assert "Sample rate: 48 kHz." in text
    window.paper.copy_text()
    assert QApplication.clipboard().text().startswith("What to send for the mix")
    window.paper.save_to(tmp_path / "none" / "page.pdf")
    wait(lambda: "cannot be written" in window.said.text())
    assert not window.paper.save_to(tmp_path / "page.doc")
    assert "its ending does not say which format to write" in window.said.text()
    qtbot.keyClick(window.paper, Qt.Key.Key_Escape)
    assert window.pages.currentWidget() is window.desk


def test_the_clients_page_needs_no_delivery(fresh: Window, qtbot: QtBot) -> None:
    fresh.activateWindow()
    wait(fresh.isActiveWindow)
    qtbot.keyClick(fresh, Qt.Key.Key_7, CTRL)
    assert fresh.pages.currentWidget() is fresh.paper
    assert fresh.paper.page.title == "What to send for the mix"
    qtbot.keyClick(fresh.paper, Qt.Key.Key_Escape)
    assert fresh.pages.currentWidget() is fresh.empty


def test_everything_in_the_panel_is_reached_with_tab(panel: BriefPanel, qtbot: QtBot) -> None:
    panel.focus_first()
    seen = set()
    panel.finer.setChecked(True)
    for _ in range(160):
        widget = QApplication.focusWidget()
        assert widget is not None
        if not panel.isAncestorOf(widget):
            break
        seen.add(widget)
        qtbot.keyClick(widget, Qt.Key.Key_Tab)
    kinds = (QCheckBox, QComboBox, QDoubleSpinBox, QLineEdit)
    wanted = {
        w
        for kind in kinds
        for w in panel.findChildren(kind)
        if w.isVisible() and w.isEnabled() and w.objectName() != "qt_spinbox_lineedit"
    }
    assert wanted <= seen


def test_a_line_changed_just_before_the_judgement_does_not_keep_files_from_being_compared(
    fresh: Window, tmp_path: Path
) -> None:
    """Between the last file measured and the comparison lies an event: a change there must not judge too early."""
    fresh.open([write_delivery(tmp_path)])
    wait(lambda: fresh.state.measuring is not None and fresh.state.measuring.is_done)
    assert fresh.state.delivery is None
    fresh.state.briefs.edit("needs.midi", True, "x")
    assert fresh.state.delivery is None
    wait(lambda: fresh.state.delivery is not None)
    assert fresh.state.comparing is not None
    assert fresh.state.comparing.is_whole
    assert "content.companion-missing" in codes(fresh)
