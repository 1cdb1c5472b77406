"""The mix match in the window: what it shows, what can be done there, and what it says without a mix."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from app.conftest import wait
from compare.mixes import small
from deep_tally.app.mix_match.mix_table import FILE, LEVEL, MAP, PLACE
from deep_tally.app.shell.window import Window
from detectors.mix_songs import write
from sounds import RATE

CTRL = Qt.KeyboardModifier.ControlModifier
MOVED = RATE // 2


def deliver(folder: Path) -> Path:
    """Four parts, one of them from later on; a tone that nobody sent is in the mix."""
    song = small(25, count=5, seconds=10.0)
    files = dict(song.files)
    files["03 Part.wav"] = replace(files["03 Part.wav"], sound=files["03 Part.wav"].sound[MOVED:])
    time = np.arange(2 * RATE) / RATE
    mix = song.mix.copy()
    mix[5 * RATE : 7 * RATE] += (0.15 * np.sin(2 * np.pi * 500 * time) * np.hanning(len(time)))[:, None]
    return write(folder, replace(song, files=files, mix=mix), mix_name="Song rough mix.wav")


@pytest.fixture
def matched(fresh: Window, tmp_path: Path, qtbot: QtBot, with_mix_match: None) -> Window:
    fresh.open([deliver(tmp_path / "Song 120 BPM A minor")])
    wait(lambda: fresh.state.run is not None and fresh.state.run.stage == "matching")
    assert fresh.progress.isVisible()
    wait(lambda: "in the rough mix" in fresh.progress.words.text())
    fresh.activateWindow()
    wait(fresh.isActiveWindow)
    qtbot.keyClick(fresh, Qt.Key.Key_3, CTRL)
    assert "being compared with the files" in fresh.mix_match.nothing.text()
    wait(lambda: fresh.state.run is not None and fresh.state.run.is_done and fresh.mix_match.shown is not None)
    return fresh


def cell(window: Window, path: str, column: int) -> str:
    model = window.mix_match.table.rows
    assert model.shown is not None
    number = [row.path for row in model.shown.rows].index(path)
    return str(model.data(model.index(number, column)))


@pytest.mark.mix_match
def test_the_map_says_where_each_file_belongs_and_how_loud_it_is(matched: Window) -> None:
    view = matched.mix_match
    assert not matched.progress.isVisible()
    assert view.verdict.text().startswith("5 of 5 files account for the rough mix")
    assert view.remainder.text() == "1 stretch of it that no file gives."
    assert cell(matched, "03 Part.wav", PLACE) == "+0.500 s, bar 1"
    assert cell(matched, "01 Part.wav", PLACE) == "where it was sent"
    assert cell(matched, "03 Part.wav", FILE) == "Part"
    assert cell(matched, "01 Part.wav", LEVEL).startswith("\N{MINUS SIGN}")
    model = view.table.rows
    words = model.data(model.index(2, MAP), Qt.ItemDataRole.AccessibleTextRole)
    assert words.startswith("Part: +0.500 s, bar 1, ")
    assert words.endswith("Fix here")
    delivery = matched.state.delivery
    assert delivery is not None
    codes = {f.code for f in delivery.findings}
    assert {"start.offset", "content.unaccounted"} <= codes


@pytest.mark.mix_match
def test_by_keyboard_through_files_and_stretches(matched: Window, qtbot: QtBot) -> None:
    view = matched.mix_match
    view.table.setFocus()
    view.table.selectRow(0)
    qtbot.keyClick(view.table, Qt.Key.Key_Down)
    assert view.table.currentIndex().row() == 1
    qtbot.keyClick(view.table, Qt.Key.Key_Return)
    assert matched.pages.currentWidget() is matched.desk
    assert matched.sheet.current_path == "02 Part.wav"
    qtbot.keyClick(matched, Qt.Key.Key_3, CTRL)
    view.strip.setFocus()
    qtbot.keyClick(view.strip, Qt.Key.Key_Right)
    assert view.strip.current == 0
    assert "400 to 800 Hz" in matched.said.text()
    assert "No file gives" in matched.said.text()
    qtbot.keyClick(view.strip, Qt.Key.Key_Right)
    assert view.strip.current == 0


@pytest.mark.mix_match
def test_a_click_on_a_stretch_says_what_it_is(matched: Window, qtbot: QtBot) -> None:
    strip = matched.mix_match.strip
    box = strip.span_rect(0)
    assert box.width() > 20
    qtbot.mouseClick(strip, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    assert strip.current == 0
    qtbot.mouseClick(strip, Qt.MouseButton.LeftButton, pos=QPointF(5, 5).toPoint())
    assert strip.current is None


@pytest.mark.mix_match
def test_levels_are_copied_and_places_are_taken_and_given_back(matched: Window, qtbot: QtBot) -> None:
    view, state = matched.mix_match, matched.state
    view.copy_button.click()
    lines = QGuiApplication.clipboard().text().splitlines()
    assert len(lines) == 5
    assert lines[0].startswith("01 Part.wav\t-")
    assert not view.places_button.isEnabled()  # all of them are sure, and stand there already
    state.correct(state.corrections.with_place("03 Part.wav", 99), "Place")
    assert view.places_button.isEnabled()
    view.places_button.click()
    assert state.corrections.places["03 Part.wav"] == MOVED
    assert "1 file placed" in matched.said.text()
    state.undo_stack.undo()
    assert state.corrections.places["03 Part.wav"] == 99


@pytest.mark.mix_match
def test_levels_of_the_mix_are_used_kept_and_given_back(matched: Window, tmp_path: Path) -> None:
    view, state, listening = matched.mix_match, matched.state, matched.listening
    assert not listening.is_at_mix_levels
    view.levels_button.click()
    assert "5 files set as loud as in the mix" in matched.said.text()
    found = state.delivery.sets[0].in_mix  # type: ignore[union-attr]
    assert state.corrections.levels == {path: f.gains for path, f in found.items()}
    assert listening.is_at_mix_levels
    assert not view.levels_button.isEnabled()
    state.undo_stack.undo()
    assert state.corrections.levels == {}
    assert not listening.is_at_mix_levels
    assert view.levels_button.isEnabled()
    state.undo_stack.redo()
    kept, run = state.corrections.levels, state.run
    matched.open([tmp_path / "Song 120 BPM A minor"])
    wait(lambda: state.run is not run and state.delivery is not None)
    assert state.corrections.levels == kept
    assert listening.is_at_mix_levels


@pytest.mark.mix_match
def test_what_is_left_of_a_stretch_is_heard(matched: Window, tmp_path: Path, qtbot: QtBot) -> None:
    """What is played of the stretch is the tone that nobody sent, and nothing else."""
    view, listening = matched.mix_match, matched.listening
    listening.player.simulated = True
    listening.record_to = tmp_path / "played.wav"
    listening.set_safe(False)
    assert matched.player_bar.isVisible()
    qtbot.mouseClick(view.strip, Qt.MouseButton.LeftButton, pos=view.strip.span_rect(0).center().toPoint())
    span = view.shown.match.spans[0]  # type: ignore[union-attr]
    wait(lambda: (listening.position_s or 0) > span.start_s + 0.2)
    assert listening.bus == "remainder"
    assert matched.player_bar.remainder_button.isChecked()
    assert listening.loop_s == pytest.approx((span.start_s - 0.5, span.stop_s + 0.5))
    assert view.strip.playing_s == listening.position_s
    qtbot.keyClick(view.strip, Qt.Key.Key_Space)
    wait(lambda: not listening.is_playing)
    assert view.strip.playing_s is None
    written, rate = soundfile.read(tmp_path / "played.wav", dtype="float64", always_2d=True)
    mix, _ = soundfile.read(next(matched.state.sources[p] for p in matched.state.sources if "rough" in p))
    frame = round((span.start_s - 0.5) * rate)
    time = np.arange(2 * RATE) / RATE
    tone = np.zeros(len(mix))
    tone[5 * RATE : 7 * RATE] = 0.15 * np.sin(2 * np.pi * 500 * time) * np.hanning(len(time))
    heard = written[: rate // 2, 0]
    assert np.abs(heard - tone[frame : frame + len(heard)]).max() < 0.003
    assert np.abs(mix[frame : frame + len(heard), 0] - tone[frame : frame + len(heard)]).max() > 0.05


@pytest.mark.mix_match
def test_by_keyboard_it_plays_from_the_start_or_from_the_stretch(matched: Window, qtbot: QtBot) -> None:
    view, listening = matched.mix_match, matched.listening
    listening.player.simulated = True
    qtbot.keyClick(view.table, Qt.Key.Key_Space)
    wait(lambda: listening.position_s is not None)
    assert (listening.position_s or 0.0) < 2.0
    assert listening.loop_s is None
    assert listening.is_at_mix_levels  # the sum is that of the mix, whatever is used elsewhere
    mixes = [s for s in listening.soundings if s.bus == "mix"]
    assert [len(listening.soundings), len(mixes)] == [6, 1]
    moved = next(s for s in listening.soundings if s.track.path == "03 Part.wav")
    assert moved.start_frames == MOVED
    for button, bus in ((matched.player_bar.mix_button, "mix"), (matched.player_bar.remainder_button, "remainder")):
        button.click()
        assert listening.bus == bus
    qtbot.keyClick(matched, Qt.Key.Key_Space, CTRL)
    wait(lambda: not listening.is_playing)
    qtbot.keyClick(view.strip, Qt.Key.Key_Right)
    qtbot.keyClick(view.strip, Qt.Key.Key_Space)
    wait(lambda: (listening.position_s or 0.0) > 4.0)
    assert listening.loop_s is not None
    listening.halt()
    wait(lambda: not listening.is_playing)
    width = view.strip.span_rect(0).left()
    qtbot.mouseClick(view.strip, Qt.MouseButton.LeftButton, pos=QPointF(width / 2 + 125, 20).toPoint())
    assert view.strip.current is None
    assert 0.0 < view.strip.cursor_s < 5.0
    qtbot.keyClick(view.strip, Qt.Key.Key_Space)
    wait(lambda: (listening.position_s or 0.0) >= view.strip.cursor_s)
    assert listening.loop_s is None
    listening.halt()
    wait(lambda: not listening.is_playing)
    matched.steps.line_up.click()
    assert not listening.is_at_mix_levels  # nobody said that these are to be used


@pytest.mark.mix_match
def test_the_line_up_plays_what_the_mix_says_as_well(matched: Window, tmp_path: Path) -> None:
    """Levels and the remainder are at hand there too, and gone with the next delivery."""
    listening, bar = matched.listening, matched.player_bar
    listening.player.simulated = True
    matched.mix_match.strip.choose(0)
    matched.mix_match.levels_button.click()
    assert matched.mix_match.strip.current == 0  # the match is the same
    matched.steps.line_up.click()
    assert (bar.remainder_button.isVisible(), bar.placed_button.isVisible()) == (False, True)
    matched.line_up.listening.play()
    wait(lambda: listening.position_s is not None)
    gains = matched.state.corrections.levels
    assert {s.track.path: s.gains for s in listening.soundings if s.bus == "sum"} == gains
    assert bar.remainder_button.isVisible()
    assert bar.levels_button.isChecked()
    safe_db = listening.safe_db
    bar.levels_button.click()
    assert not listening.is_at_mix_levels
    assert listening.safe_db != safe_db  # louder or softer together, the sum reaches elsewhere
    bar.remainder_button.click()
    listening.halt()
    wait(lambda: not listening.is_playing)
    listening.play(listening.soundings[:1], matched.state.sources, rate_hz=RATE, at_s=0.0)
    assert listening.bus == "sum"  # nothing is left of a mix that is not played
    listening.halt()
    wait(lambda: not listening.is_playing)
    plain = tmp_path / "Other 90 BPM"
    plain.mkdir()
    soundfile.write(plain / "01 Viola.wav", np.random.default_rng(3).uniform(-0.1, 0.1, RATE * 3), RATE, "PCM_24")
    matched.open([plain])
    wait(lambda: matched.state.delivery is not None and len(matched.state.delivery.tracks) == 1)
    assert (matched.state.corrections.levels, listening.is_at_mix_levels) == ({}, False)


@pytest.mark.mix_match
def test_the_strip_and_the_map_stand_over_each_other_at_every_width(matched: Window) -> None:
    for width in (1000, 1280, 1900):
        matched.resize(width, 800)
        QApplication.processEvents()
        view = matched.mix_match
        left, wide = view.table.share_width()
        assert left + wide < view.table.viewport().width()
        assert view.strip.span_rect(0).left() >= left
        assert view.strip.span_rect(0).right() <= left + wide
        assert not view.grab().isNull()


def test_without_a_mix_it_says_what_it_could_do_and_offers_what_could_be_one(
    fresh: Window, tmp_path: Path, qtbot: QtBot
) -> None:
    folder = deliver(tmp_path / "Song 120 BPM A minor")
    (folder / "Song rough mix.wav").rename(folder / "Reference.wav")
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    fresh.steps.mix_match.click()
    view = fresh.mix_match
    assert view.pages.currentIndex() == 1
    assert "nobody sent" in view.nothing.text()
    (offer,) = view.offers
    assert offer.text() == "Reference.wav"
    offer.click()
    wait(lambda: fresh.state.delivery is not None)
    assert fresh.state.corrections.rough_mixes == ("Reference.wav",)


def test_files_that_only_sound_like_no_mix_are_not_offered(fresh: Window, tmp_path: Path, qtbot: QtBot) -> None:
    folder = tmp_path / "Song"
    folder.mkdir()
    noise = np.random.default_rng(1).uniform(-0.1, 0.1, (2, RATE * 3))
    for number, sound in enumerate(noise):
        soundfile.write(folder / f"{number} Viola.wav", sound, RATE, subtype="PCM_24")
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    fresh.steps.mix_match.click()
    assert fresh.mix_match.offers == []
    assert fresh.mix_match.pages.currentIndex() == 1
