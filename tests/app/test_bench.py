"""The bench: waveform, marks, zoom down to samples, findings in words."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QWheelEvent
from PySide6.QtWidgets import QApplication, QLabel
from pytestqt.qtbot import QtBot

from app.conftest import wait
from deep_tally.app.base.theme import DAY, NIGHT, Colours
from deep_tally.app.bench.waveform import Waveform
from deep_tally.app.shell.window import Window
from deep_tally.model.findings import Action, Finding, Place


def card(window: Window, words: str):
    return next(c for c in window.bench.panel.cards if words in c.text())


def wheel(window: Window, x: float, steps: int) -> None:
    wave = window.bench.waveform
    at = QPointF(x, 60)
    event = QWheelEvent(
        at,
        wave.mapToGlobal(at),
        QPoint(),
        QPoint(0, 120 * steps),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(wave, event)


def test_findings_stand_in_words_with_evidence_and_who_acts(window: Window) -> None:
    told = [c.accessibleName() for c in window.bench.panel.cards]
    assert told[0].startswith("Ask the client: Clipped. ")
    assert "places at full scale, 82 ms in all, first at 0:00.0; the longest is" in told[0]
    assert "turning the file down afterwards does not bring them back" in told[0]
    assert any("Explained by: clipped" in words for words in told[1:])


def panel_text(window: Window) -> str:
    return " ".join(label.text() for label in window.bench.panel.widget().findChildren(QLabel))


@pytest.mark.parametrize(
    ("file", "words"),
    [
        ("04 Upright bass.wav", "Nothing wrong with this file. It can go into the mix as it is."),
        ("Lantern Over Brackwater rough mix.wav", "This is the rough mix (by its name)."),
    ],
)
def test_a_clean_file_and_the_mix_say_that_all_is_well(window: Window, file: str, words: str) -> None:
    window.sheet.go_to(file)
    assert window.bench.panel.cards == []
    assert words in panel_text(window)
    assert not window.bench.to_finding.isEnabled()


def test_a_finding_about_the_whole_file_shows_the_whole_file(window: Window, qtbot: QtBot) -> None:
    window.sheet.go_to("18 Tin whistle.wav")
    wheel(window, 400, 8)
    same = card(window, "Very quiet")
    assert "whole file" in same.toolTip()
    assert ".." not in same.accessibleName()
    qtbot.mouseClick(same, Qt.MouseButton.LeftButton)
    assert window.bench.waveform.view.is_whole


def test_pressing_a_finding_goes_to_its_place_down_to_the_samples(window: Window, qtbot: QtBot) -> None:
    clip = card(window, "Clipped")
    qtbot.mouseClick(clip, Qt.MouseButton.LeftButton)
    wave = window.bench.waveform
    run = max((p for p in clip.finding.places), key=lambda p: p.frames)
    assert wave.view.start < run.frame < run.frame + run.frames < wave.view.stop
    assert wave.view.stop - wave.view.start < 10 * run.frames
    wait(lambda: wave.has_samples)
    assert wave.current_mark is not None
    assert "clipping.baked" in wave.accessibleDescription()


def test_samples_are_drawn_as_dots_at_the_closest_zoom(window: Window, qtbot: QtBot) -> None:
    window.sheet.go_to("04 Upright bass.wav")
    wave = window.bench.waveform
    for _ in range(80):
        qtbot.keyClick(wave, Qt.Key.Key_Plus)
    assert 1 / wave.view.scale >= 40
    wait(lambda: wave.has_samples)
    qtbot.keyClick(wave, Qt.Key.Key_0)
    assert wave.view.is_whole


def test_the_wheel_zooms_about_the_pointer(window: Window) -> None:
    wave = window.bench.waveform
    under = wave.view.frame_at(400 - 44)
    wheel(window, 400, 6)
    assert wave.view.frame_at(400 - 44) == pytest.approx(under, rel=1e-6)
    assert not wave.view.is_whole
    wheel(window, 400, -20)
    assert wave.view.is_whole


def test_dragging_pans_and_stops_at_the_ends(window: Window, qtbot: QtBot) -> None:
    wave = window.bench.waveform
    wheel(window, 400, 8)
    start = wave.view.start
    qtbot.mousePress(wave, Qt.MouseButton.LeftButton, pos=QPoint(400, 80))
    qtbot.mouseMove(wave, QPoint(300, 80))
    qtbot.mouseRelease(wave, Qt.MouseButton.LeftButton, pos=QPoint(300, 80))
    assert wave.view.start == pytest.approx(start + 100 * wave.view.scale)
    qtbot.keyClick(wave, Qt.Key.Key_Home)
    assert wave.view.start == 0
    qtbot.keyClick(wave, Qt.Key.Key_End)
    assert wave.view.stop == pytest.approx(wave.view.frames)


def test_marks_are_walked_with_keys(window: Window, qtbot: QtBot) -> None:
    window.sheet.go_to("06 Nylon guitar left.wav")
    wave = window.bench.waveform
    frames = []
    for _ in range(3):
        qtbot.keyClick(wave, Qt.Key.Key_N)
        assert wave.current_mark is not None
        frames.append(wave.current_mark.place.frame)
    # Its start, then its end (the shortness that the start explains), then round again.
    assert frames == [0, wave.view.frames - 1, 0]
    qtbot.keyClick(wave, Qt.Key.Key_P)
    assert wave.current_mark.place.frame == frames[1]


def test_the_waveform_and_its_marks_are_in_the_picture(window: Window) -> None:
    picture = window.bench.waveform.grab().toImage()
    colours = {picture.pixelColor(x, y).name() for x in range(44, picture.width(), 3) for y in range(picture.height())}
    assert QColor(DAY.wave).name() in colours
    assert QColor(DAY.ask).name() in colours
    window.sheet.go_to("17 Spoons.wav")
    picture = window.bench.waveform.grab().toImage()
    colours = {picture.pixelColor(x, y).name() for x in range(44, picture.width(), 3) for y in range(picture.height())}
    assert QColor(DAY.ask).name() not in colours


def test_the_sheet_is_drawn_anew_by_night(window: Window) -> None:
    def darkness() -> float:
        picture = window.sheet.viewport().grab().toImage()
        return float(np.mean([picture.pixelColor(x, 5).lightness() for x in range(0, picture.width(), 7)]))

    day = darkness()
    window.theme.choose("night")
    assert darkness() < day / 2


def contrast(one: str, two: str) -> float:
    """WCAG 2.2, relative luminance and contrast ratio."""

    def luminance(name: str) -> float:
        parts = [QColor(name).redF(), QColor(name).greenF(), QColor(name).blueF()]
        linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    lighter, darker = sorted((luminance(one), luminance(two)), reverse=True)
    return (lighter + 0.05) / (darker + 0.05)


@pytest.mark.parametrize("colours", [DAY, NIGHT], ids=lambda c: c.name)
def test_all_text_has_a_contrast_of_4_5_to_1(colours: Colours) -> None:
    texts = [colours.ink, colours.soft, *(colours.action(a).name() for a in Action)]
    for text in texts:
        for ground in (colours.ground, colours.raised):
            assert contrast(text, ground) >= 4.5, (text, ground)


def test_a_card_goes_to_the_place_of_its_own_finding_and_not_of_another_with_its_code(window: Window) -> None:
    assert window.state.delivery is not None
    track = next(t for t in window.state.delivery.sets[0].tracks if t.path == "01 Frame drum.wav")
    first, second = (
        Finding(
            code="content.dropout",
            action=Action.ASK,
            files=(track.path,),
            places=(Place(path=track.path, frame=frame, frames=64),),
        )
        for frame in (100_000, 900_000)
    )
    waveform = Waveform(window.theme)
    waveform.resize(600, 200)
    waveform.show_track(track, (first, second))
    for finding, frame in ((second, 900_000), (first, 100_000)):
        waveform.go_to(finding)
        assert waveform.current_mark is not None
        assert waveform.current_mark.place.frame == frame
    waveform.deleteLater()
