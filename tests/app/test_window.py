"""The window as a user drives it: opening, filling, cancelling, finding, filtering, sorting, bad input."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QAction, QDropEvent, QGuiApplication
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QLabel,
    QLineEdit,
    QTextBrowser,
    QTextEdit,
    QWidget,
)
from pytestqt.qtbot import QtBot

from app.conftest import end, wait
from app.slow_jobs import all_but_the_horn
from compare.compare_jobs import never
from deep_tally.app.shell.window import Window
from deep_tally.compare.job import compare_song
from deep_tally.model.findings import Action
from deep_tally.views.columns import Column

CTRL = Qt.KeyboardModifier.ControlModifier
ALT = Qt.KeyboardModifier.AltModifier


def small_delivery(folder: Path, files: int, seconds: float = 1.0) -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    time_s = np.arange(round(seconds * 48_000)) / 48_000
    for number in range(files):
        tone = (
            0.3 * np.sin(2 * np.pi * 110 * (number + 1) * time_s) * np.minimum(1, np.minimum(time_s, time_s[::-1]) * 9)
        )
        soundfile.write(
            folder / f"{number + 1:02d} Bass {'abcdefghijkl'[number % 12]}.wav", tone, 48_000, subtype="PCM_24"
        )
    return folder


def bench_text(window: Window) -> str:
    return " ".join(label.text() for label in window.bench.panel.widget().findChildren(QLabel))


def shown(window: Window) -> list[str]:
    proxy = window.sheet.proxy
    return [str(proxy.index(r, Column.NAME).data()) for r in range(proxy.rowCount())]


def sounds(window: Window) -> list[str]:
    """The rows below the notes."""
    return [name for name in shown(window) if not name.endswith("(document)")]


# -- opening ----------------------------------------------------------------------------------


def test_nothing_open_says_what_to_do_next(fresh: Window) -> None:
    words = [label.text() for label in fresh.empty.findChildren(QLabel)]
    assert "Drop a client's folder or zip here" in words
    assert fresh.empty.open_folder.isVisible()
    assert not fresh.steps.isVisible()
    assert not fresh.band.next.isVisible()


def test_a_dropped_folder_is_opened_measured_and_judged(fresh: Window, tmp_path: Path) -> None:
    folder = small_delivery(tmp_path / "Salt House 96 BPM C minor", 4)
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(folder))])
    event = QDropEvent(
        QPointF(50, 50), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    fresh.dropEvent(event)
    assert "Looking through the files" in fresh.progress.words.text()
    wait(lambda: fresh.state.intake is not None)
    assert len(shown(fresh)) == 4
    assert fresh.sheet.proxy.index(0, Column.RATE).data() == "not measured"
    assert fresh.progress.isVisible()
    wait(lambda: fresh.state.delivery is not None)
    assert not fresh.progress.isVisible()
    assert fresh.sheet.proxy.index(0, Column.RATE).data() == "48 kHz"
    assert fresh.band.title.text() == "Salt House"
    assert "4 trackouts" in fresh.band.facts.text()
    # The one thing that is missing: a rough mix.
    assert fresh.band.tallies[Action.ASK].counted.findings == 1


def test_the_chosen_clean_file_is_judged_on_the_bench_too(fresh: Window, tmp_path: Path) -> None:
    fresh.open([small_delivery(tmp_path / "Salt House C minor", 2)])
    wait(lambda: fresh.state.measuring is not None)
    assert "This file has not been measured yet." in bench_text(fresh)
    wait(lambda: fresh.state.delivery is not None)
    assert fresh.sheet.current_path == "01 Bass a.wav"
    assert "It can go into the mix as it is." in bench_text(fresh)


def test_findings_come_as_files_are_measured(fresh: Window, qtbot: QtBot, tmp_path: Path) -> None:
    folder = small_delivery(tmp_path / "Song 96 BPM", 7)
    # The largest file is measured first.
    clipped = 0.3 * np.sin(np.arange(2 * 48_000) / 60)
    for at in range(4_000, 90_000, 4_000):
        clipped[at : at + 5] = 1.0
    soundfile.write(folder / "08 Horn.wav", clipped, 48_000, subtype="PCM_24")
    fresh.state.job = all_but_the_horn
    fresh.open([folder])
    band = fresh.band
    ask = band.tallies[Action.ASK]
    wait(lambda: ask.counted is not None and ask.counted.findings)
    assert fresh.state.delivery is None
    assert ask.counted is not None
    assert (ask.counted.findings, ask.counted.files) == (1, 1)
    assert not band.next.isVisible()
    assert band.to_come.text().startswith("So far. Still to come: ")
    assert band.to_come.text().endswith("how the files compare.")
    qtbot.mouseClick(ask, Qt.MouseButton.LeftButton)
    assert shown(fresh) == ["08 Horn.wav"]
    fresh.sheet.go_to("08 Horn.wav")
    assert "clipping.baked" in [card.finding.code for card in fresh.bench.panel.cards]
    head = fresh.sheet.model().headerData(Column.CLIPPING, Qt.Orientation.Horizontal)
    assert head == "Clipping"  # how many files are free of it is not known yet
    fresh.navigator.show_reply()
    assert fresh.pages.currentWidget() is fresh.desk
    wait(lambda: fresh.state.delivery is not None)
    assert band.next.isVisible()
    assert not band.to_come.isVisible()
    assert "none in 7" in fresh.sheet.model().headerData(Column.CLIPPING, Qt.Orientation.Horizontal)
    qtbot.mouseClick(ask, Qt.MouseButton.LeftButton)


def test_a_brief_chosen_while_measuring_is_reported_and_drawn_at_once(fresh: Window, tmp_path: Path) -> None:
    fresh.open([small_delivery(tmp_path / "Song 96 BPM", 4, seconds=15)])
    wait(lambda: fresh.state.measuring is not None and fresh.state.measuring.counts[0] >= 1)
    brief = tmp_path / "b.json"
    brief.write_text('{"schema": 1, "name": "Quiet", "peak_window_dbfs": [-50, -20]}')
    fresh.state.briefs.choose_file(brief)
    assert fresh.state.is_measuring
    assert fresh.steps.brief_button.text() == "Brief: Quiet"
    head = fresh.sheet.model().headerData(Column.HEADROOM, Qt.Orientation.Horizontal)
    assert head == "Headroom, peaks −50 to −20 dBFS"


def test_nothing_is_copied_before_there_is_a_reply(fresh: Window) -> None:
    QGuiApplication.clipboard().setText("before")
    next(a for a in fresh.findChildren(QAction) if "as text" in a.text()).trigger()
    assert QGuiApplication.clipboard().text() == "before"
    assert not fresh.said.isVisible()


def test_the_folder_dialog_opens_and_is_remembered(
    fresh: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = small_delivery(tmp_path / "in" / "Song 90 BPM", 1)
    monkeypatch.setattr("deep_tally.app.shell.window.QFileDialog.getExistingDirectory", lambda *args: str(folder))
    fresh.empty.open_folder.click()
    wait(lambda: fresh.state.delivery is not None)
    assert fresh.settings.folder("delivery") == tmp_path / "in"


def test_measuring_can_be_cancelled_and_keeps_what_it_has(fresh: Window, tmp_path: Path) -> None:
    folder = small_delivery(tmp_path / "Song 96 BPM", 12, seconds=25)
    fresh.open([folder])
    wait(lambda: fresh.state.measuring is not None and fresh.state.measuring.counts[0] >= 2)
    assert fresh.progress.cancel_button.isVisible()
    fresh.progress.cancel_button.click()
    # At once: nothing was waited for.
    assert fresh.state.delivery is not None
    done = sum(t.measures is not None for t in fresh.state.tracks)
    assert 2 <= done < 12
    assert f"{done} of 12 files are measured" in fresh.said.text()
    assert not fresh.progress.isVisible()
    texts = [fresh.sheet.proxy.index(r, Column.RATE).data() for r in range(12)]
    assert texts.count("48 kHz") == done
    assert texts.count("not measured") == 12 - done


def test_progress_names_the_file_and_the_window_stays_responsive(fresh: Window, tmp_path: Path) -> None:
    folder = small_delivery(tmp_path / "Song 96 BPM", 6, seconds=20)
    named, turns = set(), 0
    fresh.open([folder])

    def step() -> bool:
        nonlocal turns
        turns += 1
        if "now 0" in fresh.progress.words.text():
            named.add(fresh.progress.words.text())
        return fresh.state.delivery is not None

    wait(step)
    assert any("of 6 measured, now 0" in words for words in named)
    # The loop turned all the while: whoever waited for a worker would turn once a file.
    assert turns > 10 * 6


def test_a_step_that_cannot_be_shown_yet_says_why_and_is_not_marked(fresh: Window, tmp_path: Path) -> None:
    fresh.open([small_delivery(tmp_path / "Song 96 BPM", 4, seconds=20)])
    wait(lambda: fresh.state.measuring is not None and fresh.state.delivery is None)
    for step in (fresh.steps.mix_match, fresh.steps.parts, fresh.steps.names, fresh.steps.reply):
        step.click()
        assert "Wait until all files are measured" in fresh.said.text()
        assert fresh.pages.currentWidget() is fresh.desk
        assert [s.isChecked() for s in (fresh.steps.sheet, step)] == [True, False]
    wait(lambda: fresh.state.delivery is not None)
    fresh.steps.parts.click()
    assert fresh.pages.currentWidget() is fresh.parts
    fresh.steps.parts.click()  # again
    assert fresh.steps.parts.isChecked()


def test_another_delivery_replaces_the_one_that_is_being_measured(fresh: Window, tmp_path: Path) -> None:
    fresh.open([small_delivery(tmp_path / "First 96 BPM", 8, seconds=20)])
    wait(lambda: fresh.state.measuring is not None and fresh.state.measuring.counts[0] >= 1)
    fresh.open([small_delivery(tmp_path / "Second 90 BPM", 2)])
    wait(lambda: fresh.state.delivery is not None and fresh.state.delivery.name.startswith("Second"))
    assert len(shown(fresh)) == 2
    assert fresh.band.title.text() == "Second"


# -- bad input --------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda p: p / "none", "there is no such file or folder; check the path."),
        (
            lambda p: (p / "empty").mkdir() or p / "empty",
            "the folder is empty; choose the folder that holds the files.",
        ),
        (lambda p: (p / "n.txt").write_text("x") and p, "none of its 1 files is audio; choose the folder"),
    ],
)
def test_what_cannot_be_opened_is_said_and_nothing_is_lost(
    fresh: Window, tmp_path: Path, make: object, words: str
) -> None:
    fresh.open([small_delivery(tmp_path / "ok" / "Song 96 BPM", 1)])
    wait(lambda: fresh.state.delivery is not None)
    (tmp_path / "bad").mkdir()
    fresh.open([make(tmp_path / "bad")])  # type: ignore[operator]
    wait(lambda: fresh.said.isVisible())
    assert words in fresh.said.text()
    assert not fresh.progress.isVisible()
    assert shown(fresh) == ["01 Bass a.wav"]


def test_damaged_files_stand_in_the_sheet_with_their_reason(fresh: Window, tmp_path: Path) -> None:
    folder = small_delivery(tmp_path / "Song 96 BPM", 2)
    (folder / "03 Choir.wav").write_text("no sound in here")
    whole = (folder / "01 Bass a.wav").read_bytes()
    (folder / "05 Horn.wav").write_bytes(whole[: len(whole) // 2])
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    fresh.sheet.go_to("03 Choir.wav")
    assert "it holds text, not audio" in fresh.bench.panel.cards[0].accessibleName().lower().replace("It", "it")
    assert fresh.sheet.proxy.index(2, Column.RATE).data() == "cannot be read"
    fresh.sheet.go_to("05 Horn.wav")
    assert "stops at 0:00.4 of the 0:01.0" in fresh.bench.panel.cards[0].accessibleName()


def test_a_bad_brief_is_refused_and_a_good_one_judges_anew_without_reading(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = window.state.brief
    path = tmp_path / "b.json"
    path.write_text('{"schema": 1, "bits_min": 3}')
    monkeypatch.setattr("deep_tally.app.shell.window.QFileDialog.getOpenFileName", lambda *args: (str(path), ""))
    window.brief_menu.choose_file()
    assert "bits_min" in window.said.text()
    assert window.state.brief is before
    path.write_text('{"schema": 1, "name": "Low rate", "rates": [44100]}')
    window.brief_menu.choose_file()
    assert not window.state.is_measuring
    assert window.steps.brief_button.text() == "Brief: Low rate"
    assert window.state.delivery is not None
    assert "rate.off-brief" in {f.code for f in window.state.delivery.findings}
    window.state.undo_stack.undo()
    assert window.state.brief is before
    assert "rate.off-brief" not in {f.code for f in window.state.delivery.findings}


# -- the sheet --------------------------------------------------------------------------------


def test_the_heads_tell_what_most_files_agree_on(window: Window) -> None:
    model = window.sheet.model()
    told = [model.headerData(c, Qt.Orientation.Horizontal) for c in Column]
    assert told[Column.RATE] == "Rate, 48 kHz, 37"
    assert told[Column.DEPTH] == "Depth, 24 bit, 36"
    assert told[Column.START_LENGTH] == "Start, 36 together"
    assert told[Column.CONTENT] == "Content, sound in 37"


def test_every_drawn_cell_has_its_words(window: Window) -> None:
    proxy = window.sheet.proxy
    for r in range(proxy.rowCount()):
        for column in Column:
            index = proxy.index(r, column)
            assert index.data(Qt.ItemDataRole.DisplayRole)
            assert len(index.data(Qt.ItemDataRole.ToolTipRole)) > 30
    drum = proxy.index(1, Column.CLIPPING)  # below the notes
    assert "places at full scale" in drum.data()
    assert "Ask the client: Clipped" in drum.data(Qt.ItemDataRole.AccessibleTextRole)
    assert "Ask the client: Clipped" in drum.data(Qt.ItemDataRole.ToolTipRole)


def test_the_tallies_filter_by_click_and_by_key(window: Window, qtbot: QtBot) -> None:
    tally = window.band.tallies[Action.ASK]
    assert (tally.counted.findings, tally.counted.files) == (15, 16)
    qtbot.mouseClick(tally, Qt.MouseButton.LeftButton)
    assert len(shown(window)) == 16
    assert window.steps.show_button.text() == "Only: Ask the client"
    qtbot.mouseClick(tally, Qt.MouseButton.LeftButton)
    assert len(shown(window)) == 42
    qtbot.keyClick(window, Qt.Key.Key_2, ALT)
    assert shown(window) == [
        "05 Harmonium.wav",
        "09 Clarinet.wav",
        "11 Voice lead dry.wav",
        "13 Voice low.wav",
        "15 Viola.wav",
        "28 Room left.wav",
        "29 Room right.wav",
        "33 Drone.wav",
        "34 Ocarina left.wav",
        "35 Ocarina right.wav",
    ]
    qtbot.keyClick(window, Qt.Key.Key_0, ALT)
    assert len(shown(window)) == 42


def test_filtering_by_question(window: Window) -> None:
    action = next(a for a in window.menus.view_menu.show_menu.actions() if a.text() == "Findings of channels")
    action.trigger()
    numbers = [name[:2] for name in shown(window)]
    assert numbers == ["05", "09", "14", "28", "29", "30", "31", "34", "35"]
    assert window.steps.show_button.text() == "Only: channels"


def test_finding_by_name_with_the_keyboard(window: Window, qtbot: QtBot) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F, CTRL)
    assert QApplication.focusWidget() is window.steps.find_field
    qtbot.keyClicks(window.steps.find_field, "lead voice")
    assert shown(window) == ["11 Voice lead dry.wav", "12 Voice lead wet.wav"]
    qtbot.keyClick(window.steps.find_field, Qt.Key.Key_Return)
    assert window.sheet.current_path == "11 Voice lead dry.wav"
    qtbot.keyClicks(window.steps.find_field, "zzz")
    assert "No file matches" in window.said.text()
    qtbot.keyClick(window.steps.find_field, Qt.Key.Key_Escape)
    assert len(shown(window)) == 42


@pytest.mark.parametrize(
    ("words", "first"),
    [
        ("Length", "37 Bowed saw.wav"),
        ("Rate", "08 Fiddle.wav"),
        ("Headroom", "11 Voice lead dry.wav"),
        ("Clipping", "11 Voice lead dry.wav"),
        ("Content", "17 Spoons.wav"),
        ("Depth", "02 Shaker.wav"),
        ("Start", "06 Nylon guitar left.wav"),
    ],
)
def test_sorting_by_every_question(window: Window, words: str, first: str) -> None:
    next(a for a in window.menus.view_menu.sort_menu.actions() if a.text() == words).trigger()
    assert sounds(window)[0] == first


def test_sorting_by_who_must_act_puts_the_clients_files_first(window: Window) -> None:
    next(a for a in window.menus.view_menu.sort_menu.actions() if a.text() == "Who must act").trigger()
    rows = sounds(window)
    assert rows[:16] == sorted(rows[:16])
    assert rows[:2] == ["01 Frame drum.wav", "03 Hand bells.wav"]
    assert rows[16] == "05 Harmonium.wav"


def test_the_user_tells_which_file_is_the_rough_mix(fresh: Window, tmp_path: Path, qtbot: QtBot) -> None:
    fresh.open([small_delivery(tmp_path / "Song 96 BPM", 3)])
    wait(lambda: fresh.state.delivery is not None)
    assert "content.no-rough-mix" in {f.code for f in fresh.state.delivery.findings}
    fresh.activateWindow()
    wait(fresh.isActiveWindow)
    fresh.sheet.go_to("02 Bass b.wav")
    qtbot.keyClick(fresh, Qt.Key.Key_M, CTRL)
    assert "content.no-rough-mix" not in {f.code for f in fresh.state.delivery.findings}
    assert "02 Bass b.wav (rough mix, set by you)" in shown(fresh)
    assert "2 trackouts and a rough mix" in fresh.band.facts.text()


def test_clicking_the_two_heads_of_one_column_sorts_by_start_and_by_length(window: Window, qtbot: QtBot) -> None:
    header = window.sheet.horizontalHeader()
    x = header.sectionViewportPosition(Column.START_LENGTH)
    qtbot.mouseClick(header.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(x + header.sectionSize(1) - 20, 20))
    assert sounds(window)[:3] == ["37 Bowed saw.wav", "06 Nylon guitar left.wav", "15 Viola.wav"]
    qtbot.mouseClick(header.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(x + 20, 20))
    assert sounds(window)[:6] == [
        "06 Nylon guitar left.wav",
        "04 Upright bass.wav",
        "27 Plucked group.wav (group, by its sound)",
        "Lantern Over Brackwater master.wav (rough mix, by its sound: holds 23 of 31 files)",
        "Lantern Over Brackwater rough mix.wav (rough mix, by its name)",
        "20 Accordion.flac",
    ]


def test_rows_are_walked_with_keys_and_copied_as_text(window: Window, qtbot: QtBot) -> None:
    window.sheet.setFocus()
    qtbot.keyClick(window.sheet, Qt.Key.Key_Down)
    assert window.sheet.current_path == "02 Shaker.wav"
    assert window.bench.name.text() == "02  Shaker"
    qtbot.keyClick(window.sheet, Qt.Key.Key_C, CTRL)
    copied = QGuiApplication.clipboard().text().split("\t")
    assert copied[0] == "02 Shaker.wav"
    assert "24 bit, 16 in use" in copied
    qtbot.keyClick(window.sheet, Qt.Key.Key_Return)
    assert QApplication.focusWidget() is window.bench.waveform


# -- for people -------------------------------------------------------------------------------


def test_every_control_has_a_name_and_a_keyboard_way(window: Window) -> None:
    window.navigator.open_brief(True)
    window.brief_panel.finer.setChecked(True)
    nameless = []
    kinds = (QAbstractButton, QLineEdit, QTextEdit, QComboBox, QAbstractSpinBox)
    for widget in window.findChildren(QWidget):
        if widget.objectName() == "qt_spinbox_lineedit":
            continue  # it is heard and reached as its box
        if isinstance(widget, kinds) and widget.isVisibleTo(window):
            named = widget.accessibleName() or (widget.text() if isinstance(widget, QAbstractButton) else "")
            reachable = widget.focusPolicy() & Qt.FocusPolicy.TabFocus or widget.parent() is window.steps.find_field
            if (not named and widget.parent() is not window.steps.find_field) or not reachable:
                nameless.append(widget)
    assert nameless == []
    menus = [a.menu() for a in window.menuBar().actions()]
    actions = [a for menu in menus for a in menu.actions() if not a.isSeparator()]
    assert len(actions) > 15
    assert all(a.text() for a in actions)


def test_the_page_of_keys_and_the_about_page(window: Window, qtbot: QtBot) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F1)
    keys = window.findChild(QDialog)
    assert keys is not None
    assert {"Ctrl+O", "N / P", "Alt+0"} <= {label.text() for label in keys.findChildren(QLabel)}
    keys.close()
    keys.deleteLater()
    window.show_about()
    about = next(d for d in window.findChildren(QDialog) if d.windowTitle().startswith("About"))
    text = about.findChild(QTextBrowser).toPlainText()
    for words in ("MIT", "numpy", "PySide6-Essentials", "libsndfile", "LGPL-3.0", "SIL OPEN FONT LICENSE"):
        assert words in text
    about.close()
    about.deleteLater()


def test_window_and_theme_are_remembered(fresh: Window, qapp: QApplication) -> None:
    from deep_tally.app.shell.making import make_window

    fresh.resize(1111, 777)
    fresh.theme.choose("night")
    fresh.settings.set_theme("night")
    end(fresh)
    _, again = make_window()
    assert (again.width(), again.height()) == (1111, 777)
    assert again.theme.colours.name == "night"
    again.theme.choose("day")
    end(again)


def test_the_demo_is_made_once_and_opened(fresh: Window, demo_folder: Path, own_home: Path) -> None:
    # The making itself is tested with the demo; here a made one stands in its place already.
    from deep_tally import __version__

    home = own_home / "cache" / "deep-tally" / f"demo-{__version__}"
    home.mkdir(parents=True)
    shutil.copytree(demo_folder, home / demo_folder.name, ignore=lambda _, names: [n for n in names if n > "03"])
    shutil.copy(demo_folder.parent / "planted.json", home)
    fresh.empty.demo.click()
    wait(lambda: fresh.state.delivery is not None)
    assert fresh.band.title.text() == "Lantern Over Brackwater"


def test_cancelling_while_files_are_held_against_each_other_judges_what_is_measured(
    fresh: Window, tmp_path: Path
) -> None:
    fresh.state.compare_job = never
    fresh.open([small_delivery(tmp_path / "Song 96 BPM", 3)])
    wait(lambda: fresh.state.comparing is not None)
    wait(lambda: "comparing them now" in fresh.progress.words.text())
    assert fresh.state.delivery is None
    fresh.progress.cancel_button.click()
    assert fresh.state.delivery is not None
    assert "were not compared" in fresh.said.text()
    fresh.state.compare_job = compare_song
    fresh.state.open_again()
    wait(
        lambda: (
            fresh.state.comparing is not None and fresh.state.comparing.is_whole and fresh.state.delivery is not None
        )
    )
    assert "content.no-rough-mix" in {f.code for f in fresh.state.delivery.findings}
