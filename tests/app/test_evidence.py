"""The pictures of evidence: spectrum, bits, both sides, the twin, and the file turned down."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor, QImage
from pytestqt.qtbot import QtBot

from app.conftest import wait
from deep_tally.app.shell.window import Window


def card(window: Window, words: str):
    return next(c for c in window.bench.panel.cards if words in c.text())


def press(window: Window, qtbot: QtBot, path: str, words: str) -> None:
    window.sheet.go_to(path)
    qtbot.mouseClick(card(window, words), Qt.MouseButton.LeftButton)


def pixels(widget) -> np.ndarray:
    """The widget as drawn, [shape=(height, width, 3)]."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    raw = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return raw[:, : image.width() * 3].reshape(image.height(), image.width(), 3).astype(int)


def columns_of(widget, colour: str) -> list[int]:
    """The columns in which at least half of the pixels have a colour."""
    wanted = QColor(colour)
    near = np.abs(pixels(widget) - [wanted.red(), wanted.green(), wanted.blue()]).max(axis=2) < 40
    return np.flatnonzero(near.mean(axis=0) > 0.5).tolist()


@pytest.mark.parametrize(
    ("path", "words", "view"),
    [
        ("02 Shaker.wav", "Fewer bits in use", "Bits"),
        ("22 Brushes.wav", "Made at a lower sample rate", "Spectrum"),
        ("23 Rain stick.wav", "Made from a lossy file", "Spectrum"),
        ("31 Mandola.wav", "Almost mono", "Sides"),
        ("14 Choir.wav", "The sides cancel", "Sides"),
        ("24 Melodica.wav", "Gaps in the sound", "Waveform"),
        ("21 Jaw harp.wav", "Flat tops below full scale", "Waveform"),
    ],
)
def test_pressing_a_finding_shows_the_picture_that_proves_it(
    window: Window, qtbot: QtBot, path: str, words: str, view: str
) -> None:
    press(window, qtbot, path, words)
    assert window.bench.view_name == view
    shown = window.bench.stage.currentWidget()
    expected = {"Bits": window.bench.bits, "Spectrum": window.bench.spectrum}.get(view, window.bench.waveform)
    assert shown is expected
    if view != "Waveform":
        assert view.lower() in card(window, words).toolTip()


def test_the_views_are_reached_with_keys(window: Window, qtbot: QtBot) -> None:
    window.activateWindow()
    wait(window.isActiveWindow)
    window.sheet.go_to("31 Mandola.wav")
    for key, name in (
        (Qt.Key.Key_F8, "Spectrum"),
        (Qt.Key.Key_F9, "Bits"),
        (Qt.Key.Key_F7, "Sides"),
        (Qt.Key.Key_F6, "Waveform"),
    ):
        qtbot.keyClick(window, key)
        assert window.bench.view_name == name


def test_a_mono_file_offers_no_sides_and_falls_back_to_the_waveform(window: Window) -> None:
    window.sheet.go_to("31 Mandola.wav")
    window.bench.show_view("Sides")
    window.sheet.go_to("04 Upright bass.wav")
    assert not window.bench.views["Sides"].isVisible()
    assert window.bench.view_name == "Waveform"


def test_the_edge_is_drawn_where_it_is_and_said_in_words(window: Window, qtbot: QtBot) -> None:
    press(window, qtbot, "23 Rain stick.wav", "Made from a lossy file")
    view = window.bench.spectrum
    assert "Nothing above 16." in view.accessibleDescription()
    lines = columns_of(view, window.theme.colours.ask)
    plot = view.width() - 52 - 12
    expected = 52 + 16_250 / 24_000 * plot
    assert lines
    assert all(abs(x - expected) < 6 for x in lines)


def test_the_spectrum_is_read_off_with_the_pointer_and_with_keys(window: Window, qtbot: QtBot) -> None:
    press(window, qtbot, "23 Rain stick.wav", "Made from a lossy file")
    view = window.bench.spectrum
    qtbot.mouseMove(view, QPoint(52 + (view.width() - 64) // 2, 60))
    wait(lambda: view.readout() != "")
    khz, level = view.readout().split(" kHz, ")
    assert float(khz) == pytest.approx(12.0, abs=0.1)
    assert level.endswith("dB")
    view.read_at(None)
    view.setFocus()
    qtbot.keyClick(view, Qt.Key.Key_Right)
    at_edge = float(view.readout().split(" kHz")[0])
    qtbot.keyClick(view, Qt.Key.Key_Right)
    assert float(view.readout().split(" kHz")[0]) == pytest.approx(at_edge + 0.1, abs=0.011)
    assert view.readout() in view.accessibleDescription()


def test_a_file_without_an_edge_says_so(window: Window) -> None:
    window.sheet.go_to("04 Upright bass.wav")
    window.bench.show_view("Spectrum")
    assert "no sharp edge" in window.bench.spectrum.accessibleDescription()


def test_the_bits_tell_how_many_ever_change(window: Window, qtbot: QtBot) -> None:
    press(window, qtbot, "02 Shaker.wav", "Fewer bits in use")
    view = window.bench.bits
    assert "16 of 24 bits ever change" in view.accessibleDescription()
    wave = QColor(window.theme.colours.wave)
    drawn = pixels(view)
    row = drawn[40]
    solid = np.abs(row - [wave.red(), wave.green(), wave.blue()]).max(axis=1) < 8
    boxes = int((np.diff(solid.astype(int)) == 1).sum())
    # One more or less for the pale box of the sign, whose frame has the same colour.
    assert 15 <= boxes <= 18
    window.sheet.go_to("12 Voice lead wet.wav")
    assert "of 32 float bits ever change" in view.accessibleDescription()
    window.sheet.go_to("17 Spoons.wav")
    assert "no bit ever changes" in view.accessibleDescription()


def test_the_twin_stands_under_the_file(window: Window, qtbot: QtBot) -> None:
    press(window, qtbot, "25 Viola double.wav", "The same sound twice")
    wave = window.bench.waveform
    assert wave.partner is not None
    assert wave.partner.path == "15 Viola.wav"
    assert "15 Viola.wav" in wave.accessibleDescription()
    drawn = pixels(wave)
    lane = (wave.height() - 18 - 22 - 8) / 2  # over, under and between the two lanes
    middles = (round(18 + lane / 2), round(18 + lane + 8 + lane / 2))
    ink = QColor(window.theme.colours.wave)
    dark = np.abs(drawn - [ink.red(), ink.green(), ink.blue()]).max(axis=2) < 60
    # Just over the line of silence: equal sound stands under equal sound.
    upper, lower = (dark[middle - 5 : middle - 2, 60:].any(axis=0) for middle in middles)
    assert 0.2 < upper.mean() < 0.9
    assert (upper[: len(upper) // 2] == lower[: len(lower) // 2]).mean() > 0.9
    window.sheet.go_to("04 Upright bass.wav")
    assert wave.partner is None


@pytest.mark.parametrize(
    ("path", "words", "partner"),
    [
        ("26 Glockenspiel.wav", "Contains another file's sound", "10 Audio 7.wav"),
        ("29 Room right.wav", "A stereo pair sent as two mono files", "28 Room left.wav"),
    ],
)
def test_the_other_file_of_a_finding_stands_under_it(
    window: Window, qtbot: QtBot, path: str, words: str, partner: str
) -> None:
    press(window, qtbot, path, words)
    assert window.bench.waveform.partner is not None
    assert window.bench.waveform.partner.path == partner


@pytest.mark.parametrize(
    ("path", "words", "down"),
    [
        ("11 Voice lead dry.wav", "Over full scale, but intact", 5.3),
        ("01 Frame drum.wav", "Clipped", 3.0),
        ("21 Jaw harp.wav", "Flat tops below full scale", 3.0),
    ],
)
def test_turned_down_tops_come_back_or_stay_flat(
    window: Window, qtbot: QtBot, path: str, words: str, down: float
) -> None:
    press(window, qtbot, path, words)
    wait(lambda: window.bench.waveform.has_samples)
    before = pixels(window.bench.waveform)
    button = window.bench.down
    assert button.isVisible()
    assert f"{down:.1f} dB" in button.text()
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    assert window.bench.waveform.turned_down_db == pytest.approx(down, abs=0.06)
    assert "turned down" in window.bench.waveform.accessibleDescription()
    assert (pixels(window.bench.waveform) != before).any()
    window.sheet.go_to("04 Upright bass.wav")
    assert window.bench.waveform.turned_down_db == 0
    assert not button.isVisible()


def test_what_clips_nothing_offers_no_turning_down(window: Window) -> None:
    window.sheet.go_to("02 Shaker.wav")
    assert not window.bench.down.isVisible()


def test_every_new_finding_stands_in_its_column_with_a_word(window: Window) -> None:
    from deep_tally.views.columns import short_word

    assert window.state.delivery is not None
    told = {
        f.code: short_word(f) for f in window.state.delivery.findings if f.code.startswith(("content.", "channels."))
    }
    assert told["content.twin"] == "twin"
    assert told["content.dropout"] == "gaps"
    assert all(word and len(word) <= 12 for word in told.values())


def test_another_finding_of_the_file_puts_the_twin_away_and_a_new_judgement_does_not(
    window: Window, qtbot: QtBot
) -> None:
    press(window, qtbot, "15 Viola.wav", "The same sound twice")
    wave = window.bench.waveform
    assert wave.partner is not None
    window.presenter.show_on_bench(window.sheet.current_row)
    assert wave.partner is not None, "the same file, filled in again"
    qtbot.mouseClick(card(window, "Ends before the others"), Qt.MouseButton.LeftButton)
    assert wave.partner is None
