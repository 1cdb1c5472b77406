"""Spectrogram, stereo and histogram on the bench, and pictures saved as files."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QImage
from pytestqt.qtbot import QtBot

from app.conftest import wait
from app.test_evidence import pixels
from deep_tally.app.bench.picture import Picture
from deep_tally.app.shell.window import Window


def show(window: Window, path: str, key: Qt.Key, name: str) -> Picture:
    """Go to a file and press a picture's key; wait until it is there."""
    window.activateWindow()
    wait(window.isActiveWindow)
    window.sheet.go_to(path)
    from PySide6.QtTest import QTest

    QTest.keyClick(window, key)
    picture = window.bench.pictures[name]
    assert window.bench.stage.currentWidget() is picture
    wait(lambda: picture.is_complete)
    return picture


def test_the_spectrogram_shows_where_an_upsampled_file_ends(window: Window, qtbot: QtBot) -> None:
    picture = show(window, "22 Brushes.wav", Qt.Key.Key_F10, "Spectrogram")
    assert picture.accessibleDescription() == "Nothing above 10.7 kHz."
    plot = picture.plot()  # type: ignore[attr-defined]
    stroke = plot.left() + plot.width() * 0.507

    def level(khz: float) -> str:
        picture.read_at(QPointF(stroke, plot.bottom() - khz / 24 * plot.height()))
        return picture.readout()

    assert " kHz   " in level(5.0)
    # Some stroke of the brushes falls on each of these columns; nothing is above the edge anywhere.
    above = []
    for column in range(40):
        picture.read_at(QPointF(plot.left() + plot.width() * column / 40 + 1, plot.bottom() - 15 / 24 * plot.height()))
        above.append(picture.readout())
    levels = [told.split("   ")[2].removeprefix("under ").split()[0] for told in above]
    assert max(float(told.replace("\N{MINUS SIGN}", "-")) for told in levels) < -85
    picture.read_at(None)
    rust = window.theme.colours.ask
    drawn = pixels(picture)
    wanted = [int(rust[i : i + 2], 16) for i in (1, 3, 5)]
    rows = (abs(drawn - wanted).max(axis=2) < 30).mean(axis=1)
    y = plot.bottom() - 10.7 / 24 * plot.height()
    assert abs(int(rows.argmax()) - y) < 4


def test_the_spectrogram_shows_the_stretch_the_waveform_shows_and_zooms(window: Window, qtbot: QtBot) -> None:
    window.sheet.go_to("24 Melodica.wav")
    window.bench.show_view("Waveform")
    window.bench.waveform.step_mark(1)
    middle = window.bench.waveform.view.frame_at(window.bench.waveform.view.pixels / 2)
    window.bench.show_view("Spectrogram")
    picture = window.bench.spectrogram
    assert picture.view.frame_at(picture.view.pixels / 2) == pytest.approx(middle, rel=0.01)
    wait(lambda: picture.is_complete)
    picture.setFocus()
    qtbot.keyClick(picture, Qt.Key.Key_0)
    assert picture.view.is_whole
    wait(lambda: picture.is_complete)
    qtbot.keyClick(picture, Qt.Key.Key_Plus)
    window.bench.show_view("Waveform")
    assert not window.bench.waveform.view.is_whole
    qtbot.keyClick(picture, Qt.Key.Key_0)


def test_the_histogram_shows_how_much_is_clipped(window: Window, qtbot: QtBot) -> None:
    picture = show(window, "01 Frame drum.wav", Qt.Key.Key_F12, "Histogram")
    words = picture.accessibleDescription()
    assert "samples at the highest value" in words
    highest = int(words.split()[0])
    assert highest > 1000
    plot = picture.plot()  # type: ignore[attr-defined]
    picture.read_at(QPointF(plot.right() - 0.2, plot.center().y()))
    assert picture.readout().startswith("0.0 dBFS: ")
    picture.setFocus()
    qtbot.keyClick(picture, Qt.Key.Key_Left)
    assert "sample" in picture.readout()
    picture.read_at(None)


def test_the_histogram_shows_bits_that_are_not_in_use(window: Window) -> None:
    picture = show(window, "02 Shaker.wav", Qt.Key.Key_F12, "Histogram")
    assert "Near zero only every 256th code is used." in picture.accessibleDescription()


def test_the_stereo_picture_tells_how_the_sides_go_together(window: Window) -> None:
    picture = show(window, "05 Harmonium.wav", Qt.Key.Key_F11, "Stereo")
    assert picture.accessibleDescription().startswith("Correlation 1.00")
    plot = picture.plot()  # type: ignore[attr-defined]
    picture.read_at(QPointF(plot.left() + plot.width() * 0.4, plot.center().y()))
    assert "Hz: correlation 1.00, mid " in picture.readout()
    square = picture.square()  # type: ignore[attr-defined]
    picture.read_at(square.center() - QPointF(0, square.height() / 4))
    assert picture.readout().startswith("mid ")
    picture.read_at(None)
    opposed = show(window, "14 Choir.wav", Qt.Key.Key_F11, "Stereo")
    assert "\N{MINUS SIGN}" in opposed.accessibleDescription().split(",")[0]
    window.sheet.go_to("04 Upright bass.wav")
    assert window.bench.view_name == "Waveform"


def test_a_file_that_is_gone_is_said_in_its_picture(window: Window, fresh: Window, tmp_path: Path) -> None:
    import numpy as np
    import soundfile

    folder = tmp_path / "Song"
    folder.mkdir()
    for name in ("Harp", "Lute"):
        soundfile.write(folder / f"{name}.wav", np.random.default_rng(1).uniform(-0.1, 0.1, 48_000), 48_000, "PCM_24")
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    fresh.sheet.go_to("Harp.wav")
    (folder / "Harp.wav").unlink()
    fresh.bench.show_view("Histogram")
    wait(lambda: "cannot be read" in fresh.bench.histogram.words())
    assert fresh.bench.histogram.words() == "This file cannot be read any more."


def test_what_is_shown_is_saved_as_a_picture_of_twice_its_size(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from PySide6.QtWidgets import QFileDialog

    show(window, "01 Frame drum.wav", Qt.Key.Key_F12, "Histogram")
    proposed: list[str] = []

    def choose(*arguments: object, **more: object) -> tuple[str, str]:
        proposed.append(Path(str(arguments[2])).name)
        return str(tmp_path / "saved"), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", choose)
    size = window.bench.histogram.size()
    window.picture_saver.ask_and_save()
    assert window.said.text() == f"Saved: {tmp_path / 'saved.png'}"
    saved = QImage(str(tmp_path / "saved.png"))
    assert (saved.width(), saved.height()) == (2 * size.width(), 2 * size.height())
    window.navigator.show_line_up()
    window.picture_saver.ask_and_save()
    assert QImage(str(tmp_path / "saved.png")).width() == 2 * window.line_up.picture.width()
    assert proposed == ["Frame drum Histogram.png", "Line-up.png"]
    window.navigator.show_reply()
    window.picture_saver.ask_and_save()
    assert window.said.text() == "There is no picture to save here: go to the sheet or the line-up."
