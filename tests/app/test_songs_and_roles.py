"""Several songs, files that are no audio, zips, reading again, and what the user may correct."""

from __future__ import annotations

import os
import shutil
import sqlite3
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QItemSelectionModel, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QApplication, QInputDialog, QLabel, QMenu, QTextBrowser
from pytestqt.qtbot import QtBot

from app.conftest import end, wait
from app.test_window import bench_text, shown, small_delivery
from deep_tally.app.shell.dialogs import LeftOutPage
from deep_tally.app.shell.making import make_window
from deep_tally.app.shell.window import Window
from deep_tally.demo.bundle import SECOND_SONG, write_bundle
from deep_tally.model.files import Role
from deep_tally.model.findings import Action
from deep_tally.views.columns import Column

CTRL = Qt.KeyboardModifier.ControlModifier
DAMAGED = f"{SECOND_SONG}/04 Sub.wav"


@pytest.fixture(scope="module")
def bundle_zip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_bundle(tmp_path_factory.mktemp("bundle"))


@pytest.fixture(scope="module")
def opened_bundle(
    qapp: QApplication, bundle_zip: Path, tmp_path_factory: pytest.TempPathFactory
) -> Iterator[tuple[Window, str]]:
    """A window on the bundle, and what it said when it opened."""
    with pytest.MonkeyPatch.context() as patch:
        for name in ("CONFIG", "CACHE"):
            patch.setenv(f"XDG_{name}_HOME", str(tmp_path_factory.mktemp(name)))
        _, window = make_window()
        window.show()
        window.open([bundle_zip])
        wait(lambda: window.state.delivery is not None)
        yield window, window.said.text()
        end(window)


@pytest.fixture
def bundle(opened_bundle: tuple[Window, str]) -> Window:
    window, _ = opened_bundle
    window.activateWindow()
    wait(window.isActiveWindow)
    window.songs.tabs[0].click()
    window.sheet.sort(Column.NAME)
    return window


@pytest.fixture
def small(fresh: Window, tmp_path: Path) -> Window:
    """Four clean parts and a note, measured."""
    folder = small_delivery(tmp_path / "Salt House 96 BPM C minor", 4)
    (folder / "notes.txt").write_text("Key: C minor\nSecond line")
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    fresh.activateWindow()
    wait(fresh.isActiveWindow)
    return fresh


def codes(window: Window) -> list[str]:
    assert window.state.delivery is not None
    return [f.code for f in window.state.delivery.findings]


def choose(menu: QMenu, words: str) -> None:
    next(a for a in menu.actions() if words in a.text()).trigger()


def select(window: Window, *rows: int) -> None:
    """Choose files by their rows below the notes."""
    notes = sum(r.place == 0 for r in window.sheet.sheet_model.sheet.rows)
    rows = tuple(row + notes for row in rows)
    window.sheet.clearSelection()
    window.sheet.setCurrentIndex(window.sheet.proxy.index(rows[0], 0))
    flags = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
    for row in rows:
        window.sheet.selectionModel().select(window.sheet.proxy.index(row, 0), flags)


# -- songs ------------------------------------------------------------------------------------


def test_a_zip_with_two_songs_shows_each_with_its_own_rate(bundle: Window) -> None:
    assert [t.text() for t in bundle.songs.tabs] == ["All songs", SECOND_SONG, "Paper Lighthouse 120 BPM A minor"]
    assert bundle.songs.isVisible()
    assert bundle.band.title.text() == "The Tin Orchard"
    assert bundle.band.facts.text().startswith("2 songs  ·  20 trackouts and 2 rough mixes")
    assert bundle.sheet.sheet_model.headerData(Column.RATE, Qt.Orientation.Horizontal) == "Rate, by song, 20"
    bundle.songs.tabs[1].click()
    assert bundle.sheet.sheet_model.headerData(Column.RATE, Qt.Orientation.Horizontal) == "Rate, 44.1 kHz, 8"
    assert "E minor" in bundle.band.facts.text()
    assert all(name.startswith((SECOND_SONG, "Brick Garden mix")) for name in shown(bundle))
    assert "Ask the client: 2 findings" in bundle.songs.tabs[1].accessibleName()
    assert "Ask" not in bundle.songs.tabs[2].accessibleName()


def test_one_song_has_no_strip(small: Window) -> None:
    assert not small.songs.isVisible()


def test_songs_can_be_chosen_with_the_keyboard(bundle: Window, qtbot: QtBot) -> None:
    tab = bundle.songs.tabs[2]
    tab.setFocus()
    qtbot.keyClick(tab, Qt.Key.Key_Space)
    assert bundle.songs.song == "Paper Lighthouse 120 BPM A minor"
    assert DAMAGED not in shown(bundle)


def test_files_move_to_another_song_and_back(small: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(QInputDialog, "getText", lambda *args, **options: ("Night Bus", True))
    select(small, 2, 3)
    small.menus.role_menus.song_menu.aboutToShow.emit()
    choose(small.menus.role_menus.song_menu, "A new song")
    assert small.state.intake is not None
    assert small.state.intake.songs == ("Salt House 96 BPM C minor", "Night Bus")
    assert small.songs.isVisible()
    assert codes(small).count("content.no-rough-mix") == 2
    small.sheet.setFocus()
    qtbot.keyClick(small.sheet, Qt.Key.Key_Z, CTRL)
    assert small.state.intake.songs == ("Salt House 96 BPM C minor",)
    assert not small.songs.isVisible()
    assert codes(small).count("content.no-rough-mix") == 1


# -- roles ------------------------------------------------------------------------------------


def test_a_role_is_changed_for_all_chosen_files_and_the_checks_follow(small: Window, qtbot: QtBot) -> None:
    select(small, 0, 1)
    choose(small.menus.role_menus.role_menu, "reference")
    assert "2 trackouts" in small.band.facts.text()
    assert [r.track.role for r in small.sheet.sheet_model.sheet.rows[1:3]] == [Role.REFERENCE] * 2
    assert small.sheet.selected_paths == ("01 Bass a.wav", "02 Bass b.wav"), "the same files stay chosen"
    small.sheet.setFocus()
    qtbot.keyClick(small.sheet, Qt.Key.Key_Z, CTRL)
    assert "4 trackouts" in small.band.facts.text()
    qtbot.keyClick(small.sheet, Qt.Key.Key_Z, CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert "2 trackouts" in small.band.facts.text()


def test_what_is_said_of_one_file_is_said_of_all_like_it(fresh: Window, tmp_path: Path, qtbot: QtBot) -> None:
    folder = small_delivery(tmp_path / "Salt House 96 BPM C minor", 4)
    for number in (1, 2, 3):
        (folder / f"Oboe {number}.wav").write_bytes((folder / "01 Bass a.wav").read_bytes()[: -2_000 * number])
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    fresh.activateWindow()
    wait(fresh.isActiveWindow)
    fresh.sheet.setFocus()
    fresh.sheet.go_to("Oboe 2.wav")
    qtbot.keyClick(fresh.sheet, Qt.Key.Key_L, CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert set(fresh.sheet.selected_paths) == {f"Oboe {n}.wav" for n in (1, 2, 3)}
    choose(fresh.menus.role_menus.role_menu, "reference")
    roles = {t.path: t.role for t in fresh.state.delivery.tracks}
    assert [roles[f"Oboe {n}.wav"] for n in (1, 2, 3)] == [Role.REFERENCE] * 3
    fresh.state.undo_stack.undo()
    assert {t.role for t in fresh.state.delivery.tracks} == {Role.TRACKOUT}
    fresh.sheet.go_to("01 Bass a.wav")
    qtbot.keyClick(fresh.sheet, Qt.Key.Key_L, CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert "No other file is like this one" in fresh.said.text()


def test_a_file_that_is_left_out_stands_at_the_end_and_comes_back_measured(small: Window) -> None:
    select(small, 0)
    choose(small.menus.role_menus.role_menu, "stray")
    assert (shown(small)[0], shown(small)[-1]) == ("notes.txt (document)", "01 Bass a.wav (stray)")
    assert small.state.delivery is not None
    assert len(small.state.delivery.tracks) == 3
    small.sheet.go_to("01 Bass a.wav")
    choose(small.menus.role_menus.role_menu, "trackout")
    wait(lambda: small.state.delivery is not None)
    assert len(small.state.delivery.tracks) == 4
    assert all(t.measures is not None for t in small.state.delivery.tracks)


def test_an_undo_while_a_file_is_measured_loses_no_measures(small: Window) -> None:
    select(small, 1)
    choose(small.menus.role_menus.role_menu, "reference")
    small.sheet.go_to("01 Bass a.wav")
    choose(small.menus.role_menus.role_menu, "stray")
    small.state.undo_stack.undo()
    assert small.state.is_measuring
    small.state.undo_stack.undo()
    wait(lambda: small.state.delivery is not None)
    assert [t.role for t in small.state.tracks] == [Role.TRACKOUT] * 4
    assert all(t.measures is not None for t in small.state.tracks)


def test_a_file_of_no_song_joins_the_first_when_it_is_said_to_be_sound(bundle: Window) -> None:
    bundle.sheet.go_to("old takes.rar")
    choose(bundle.menus.role_menus.role_menu, "reference")
    wait(lambda: bundle.state.delivery is not None)
    assert bundle.state.intake is not None
    assert "" not in bundle.state.intake.songs
    assert next(e for e in bundle.state.intake.entries if e.path == "old takes.rar").song == SECOND_SONG
    bundle.state.undo_stack.undo()
    wait(lambda: bundle.state.delivery is not None)


def test_the_last_audio_file_cannot_be_left_out(small: Window) -> None:
    select(small, 0, 1, 2, 3)
    choose(small.menus.role_menus.role_menu, "stray")
    assert small.state.intake is not None
    assert len(small.state.intake.sounds) == 4


def test_the_role_menu_opens_at_the_row_with_a_key(small: Window, qtbot: QtBot) -> None:
    small.sheet.setFocus()
    qtbot.keyClick(small.sheet, Qt.Key.Key_R, CTRL)
    wait(small.menus.role_menus.role_menu.isVisible)
    qtbot.keyClick(small.menus.role_menus.role_menu, Qt.Key.Key_4)
    assert "a rough mix" in small.band.facts.text()
    assert "content.no-rough-mix" not in codes(small)


def test_while_files_are_measured_roles_wait(fresh: Window, tmp_path: Path) -> None:
    fresh.open([small_delivery(tmp_path / "Song 96 BPM", 6, seconds=25)])
    wait(lambda: fresh.state.measuring is not None and fresh.state.is_measuring)
    fresh.sheet.selectRow(0)
    choose(fresh.menus.role_menus.role_menu, "click")
    assert "Wait until all files are measured" in fresh.said.text()
    assert fresh.state.intake is not None
    assert fresh.state.intake.entries[0].role is Role.TRACKOUT


# -- what is no audio -------------------------------------------------------------------------


def test_companions_stand_at_the_end_whichever_way_the_rest_is_sorted(bundle: Window) -> None:
    bundle.songs.tabs[1].click()
    for order in (Qt.SortOrder.AscendingOrder, Qt.SortOrder.DescendingOrder):
        for column in (Column.NAME, Column.HEADROOM):
            bundle.sheet.sort(column, order=order)
            last = shown(bundle)[-2:]
            assert {name.rpartition(" (")[2] for name in last} == {"stray)", "MIDI)"}


def test_the_notes_stand_first_whichever_way_the_rest_is_sorted_and_the_band_names_them(small: Window) -> None:
    for column in (Column.NAME, Column.HEADROOM):
        for order in (Qt.SortOrder.AscendingOrder, Qt.SortOrder.DescendingOrder):
            small.sheet.sort(column, order=order)
            assert shown(small)[0] == "notes.txt (document)"
    assert "Read the notes first: notes.txt" in small.band.source.text()


def test_what_a_note_says_of_a_file_stands_with_it_and_what_is_to_come_in_the_band(
    fresh: Window, tmp_path: Path
) -> None:
    folder = small_delivery(tmp_path / "Salt House 96 BPM C minor", 4)
    (folder / "notes.txt").write_text("Bass a.wav is corrupted, will resend.\nThe cello will follow tomorrow.")
    (folder / "01 Bass a.wav").rename(folder / "Bass a.wav")
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    assert fresh.band.source.text().startswith("Waiting for Bass a.wav and cello")
    fresh.sheet.go_to("Bass a.wav")
    words = [label.text() for label in fresh.bench.panel.widget().findChildren(QLabel)]
    assert "What the client says about it" in words
    assert "“Bass a.wav is corrupted, will resend.” (notes.txt)" in words
    fresh.navigator.show_reply()
    assert "waiting for what you are still sending" in fresh.reply.text.toPlainText()
    fresh.sheet.go_to("02 Bass b.wav")
    words = [label.text() for label in fresh.bench.panel.widget().findChildren(QLabel)]
    assert "What the client says about it" not in words


def test_notes_and_midi_are_read_on_the_bench(bundle: Window) -> None:
    bundle.sheet.go_to("Notes.txt")
    assert bundle.bench.page.isVisible()
    assert "the square bass is meant to be this rude" in bundle.bench.page.toPlainText()
    bundle.sheet.go_to(f"{SECOND_SONG}/Brick Garden.mid")
    assert bundle.bench.page.toPlainText() == (
        "Song: Brick Garden\nTempo: 96 BPM\nMeter: 4/4\nKey: E minor\nLength: 0:20.0, 32 quarter notes"
    )
    bundle.sheet.go_to(f"{SECOND_SONG}/01 Kick.wav.shape")
    assert "some program made it for 01 Kick.wav" in bundle.bench.page.toPlainText()
    bundle.sheet.go_to(DAMAGED)
    assert bundle.bench.waveform.isVisible()
    assert "It stops at 0:12.3 of the 0:20.0 its header claims." in " ".join(
        line for card in bundle.bench.panel.cards for line in [card.accessibleName()]
    )


def test_what_was_left_out_is_said_and_stays_at_hand(bundle: Window, opened_bundle: tuple[Window, str]) -> None:
    assert opened_bundle[1].startswith("old takes.rar: it is a RAR archive, which cannot be opened here")
    assert bundle.steps.troubles_button.text() == "1 left out"
    bundle.steps.troubles_button.click()
    page = bundle.findChild(LeftOutPage)
    assert page is not None
    text = page.findChild(QTextBrowser)
    assert text is not None
    assert "old takes.rar" in text.toPlainText()
    page.close()


def test_what_a_file_says_of_itself_is_shown(fresh: Window, tmp_path: Path) -> None:
    folder = small_delivery(tmp_path / "Song 96 BPM", 1)
    with soundfile.SoundFile(folder / "02 Horn.wav", "w", 48_000, 1, "PCM_24") as file:
        file.title = "The horn of the chorus"
        file.software = "A recorder"
        file.write(np.zeros(48_000))
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    fresh.sheet.go_to("02 Horn.wav")
    words = bench_text(fresh)
    assert "What the file says about itself" in words
    assert "Says: The horn of the chorus" in words
    assert "Software: A recorder" in words


# -- zips and reading again -------------------------------------------------------------------


def unpacked(home: Path) -> list[Path]:
    return list((home / "cache" / "deep-tally" / "unpacked").glob("[!.]*"))


def test_what_was_unpacked_is_gone_when_the_window_closes(fresh: Window, tmp_path: Path, own_home: Path) -> None:
    packed = Path(shutil.make_archive(str(tmp_path / "a"), "zip", small_delivery(tmp_path / "Song 96 BPM", 1)))
    fresh.open([packed])
    wait(lambda: fresh.state.intake is not None)
    assert len(unpacked(own_home)) == 1
    end(fresh)
    assert unpacked(own_home) == []


def test_what_a_crashed_window_left_is_swept_when_the_next_one_opens_something(
    fresh: Window, tmp_path: Path, own_home: Path
) -> None:
    orphan = own_home / "cache" / "deep-tally" / "unpacked" / "orphan"
    (orphan / "files").mkdir(parents=True)
    (orphan / "in-use").touch()
    fresh.open([small_delivery(tmp_path / "Song 96 BPM", 1)])
    wait(lambda: not orphan.exists())
    assert len(unpacked(own_home)) == 1, "its own folder stays"


def test_unpacking_shows_how_far_it_is_and_can_be_cancelled(fresh: Window, tmp_path: Path, own_home: Path) -> None:
    folder = small_delivery(tmp_path / "Song 96 BPM", 10, seconds=60)
    packed = Path(shutil.make_archive(str(tmp_path / "big"), "zip", folder))
    fresh.open([packed])
    assert fresh.band.title.text() == "big.zip"
    wait(lambda: "Unpacking, " in fresh.progress.words.text())
    assert " MB" in fresh.progress.words.text()
    fresh.progress.cancel_button.click()
    assert fresh.state.intake is None
    assert not fresh.progress.isVisible()
    assert fresh.band.title.text() == "Deep Tally"
    wait(lambda: unpacked(own_home) == [])


def test_reading_again_finds_what_was_added_changed_and_lost(small: Window, qtbot: QtBot) -> None:
    assert small.state.intake is not None
    folder = small.state.intake.source
    select(small, 0)
    choose(small.menus.role_menus.role_menu, "reference")
    before = {t.path: t for t in small.state.tracks}
    soundfile.write(folder / "05 Horn.wav", np.zeros(4800), 48_000, subtype="PCM_24")
    soundfile.write(folder / "02 Bass b.wav", np.zeros(4800), 44_100, subtype="PCM_24")
    os.remove(folder / "03 Bass c.wav")
    small.sheet.setFocus()
    qtbot.keyClick(small.sheet, Qt.Key.Key_F5)
    wait(lambda: "Read again" in small.said.text() and small.state.delivery is not None)
    assert small.said.text() == "Read again: 1 file added, 1 file changed and 1 file gone."
    after = {t.path: t for t in small.state.tracks}
    assert set(after) == {"01 Bass a.wav", "02 Bass b.wav", "04 Bass d.wav", "05 Horn.wav"}
    assert after["04 Bass d.wav"].measures is before["04 Bass d.wav"].measures
    assert after["02 Bass b.wav"].format is not None
    assert after["02 Bass b.wav"].format.rate_hz == 44_100
    assert after["01 Bass a.wav"].role is Role.REFERENCE, "the user's correction is kept"


def test_reading_again_without_a_change_says_so(small: Window, qtbot: QtBot) -> None:
    small.sheet.setFocus()
    qtbot.keyClick(small.sheet, Qt.Key.Key_F5)
    wait(lambda: "Read again" in small.said.text() and small.state.delivery is not None)
    assert small.said.text() == "Read again: nothing is different."


def test_after_a_refusal_reading_again_means_what_is_open(small: Window, tmp_path: Path, qtbot: QtBot) -> None:
    small.open([tmp_path / "missing"])
    wait(lambda: "there is no such file or folder" in small.said.text())
    small.sheet.setFocus()
    qtbot.keyClick(small.sheet, Qt.Key.Key_F5)
    wait(lambda: "Read again: nothing is different." in small.said.text())
    assert small.band.title.text() == "Salt House"


def test_a_delivery_that_was_open_before_is_filled_from_the_cache(
    small: Window, own_home: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert small.state.intake is not None
    store = own_home / "cache" / "deep-tally" / "measures.sqlite"
    with sqlite3.connect(store) as connection:
        connection.execute("UPDATE measures SET used = 0")
    first = small.state.delivery
    small.open([small.state.intake.source])
    wait(lambda: small.state.delivery is not None and small.state.delivery is not first)
    with sqlite3.connect(store) as connection:
        assert connection.execute("SELECT COUNT(*), MIN(used) > 0 FROM measures").fetchone() == (5, 1)
    assert first is not None
    assert small.state.delivery is not None
    assert small.state.delivery.findings == first.findings


# -- the look ---------------------------------------------------------------------------------


def test_the_night_reaches_the_band_also_when_it_is_chosen_before_anything_is_shown(qapp: object) -> None:
    _, window = make_window()
    window.theme.choose("night")
    window.show()
    wait(window.isVisible)
    colour = QColor(window.band.grab().toImage().pixelColor(4, 4))
    assert colour == QColor(window.theme.colours.raised)
    window.theme.choose("day")
    window.close()


def test_the_tally_of_a_bundle_counts_all_songs(bundle: Window) -> None:
    counted = bundle.band.tallies[Action.ASK].counted
    assert counted is not None
    assert counted.findings == 2
    assert f"Ask the client: {counted.findings} findings" in bundle.songs.tabs[0].accessibleName()
