"""The line-up in the real window: what it shows, by pointer and by keyboard."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QNativeGestureEvent, QPointingDevice, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog, QPushButton

from app.conftest import wait
from deep_tally.app.line_up.lane_canvas import LaneCanvas
from deep_tally.app.line_up.lane_list import button_boxes
from deep_tally.app.line_up.lane_overlay import RULER_PX
from deep_tally.app.line_up.line_up_view import LineUpView
from deep_tally.app.line_up.place_dialog import PlaceDialog
from deep_tally.app.shell.window import Window
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action
from deep_tally.views.lanes import Head, Lane, in_order, make_lanes
from said import said_of
from tracks import RATE, song_of, track

GUITAR, CLARINET, DRUM = "06 Nylon guitar left.wav", "09 Clarinet.wav", "01 Frame drum.wav"
BAR_5 = round(4 * 2.5 * RATE)  # the demo has 96 BPM: a bar is 2.5 s


@pytest.fixture
def view(window: Window) -> LineUpView:
    """The line-up of the demo as it opens."""
    line_up = window.line_up
    QTest.keyClick(window, Qt.Key.Key_2, Qt.KeyboardModifier.ControlModifier)
    assert window.pages.currentWidget() is line_up
    line_up.set_order("delivered")
    line_up.set_height(None)
    line_up.set_ruler("bars")
    line_up.show_edge(None)
    line_up.tools.move_files.setChecked(False)
    line_up.canvas.show_all()
    line_up.canvas.set_cursor(0.0)
    line_up.canvas.mark = None
    line_up.list.go_to(DRUM)
    line_up.list.setFocus()
    QApplication.processEvents()
    return line_up


def press(view: LineUpView, key: Qt.Key, keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
    QTest.keyClick(view.list, key, keys)


def place_of(view: LineUpView, path: str, seconds: float) -> QPoint:
    """A point on a lane."""
    slot = next(s for s in view.list.slots_of() if s.lane.path == path)
    y = RULER_PX + slot.top - view.canvas.scrolled_px + slot.height // 2
    return QPointF(view.canvas.axis.x_of(seconds), y).toPoint()


def lane(view: LineUpView, path: str) -> Lane:
    return next(ln for ln in view.lanes if ln.path == path)


def titles(view: LineUpView) -> list[str]:
    return [r.words if isinstance(r, Head) else r.title for r in view.list.lane_model.rows]


def answer(what: Callable[[PlaceDialog], None]) -> None:
    """Do something with the dialog that opens next."""

    def act() -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, PlaceDialog)
        what(dialog)

    QTimer.singleShot(50, act)


def test_every_file_has_a_lane_and_all_fit_in_the_window(view: LineUpView, window: Window) -> None:
    assert window.state.delivery is not None
    assert [ln.path for ln in view.lanes] == [t.path for t in window.state.delivery.tracks]
    slots = view.list.slots_of()
    assert slots[-1].top + slots[-1].height <= view.list.viewport().height()
    assert view.list.lane_model.data(view.list.lane_model.index(0)) == "01  Frame drum"
    assert "Ask the client: clipped" in view.list.lane_model.data(
        view.list.lane_model.index(0), Qt.ItemDataRole.AccessibleDescriptionRole
    )
    assert view.tools.tempo.text() == "96 BPM, 4/4: the folder's name"


def test_lanes_are_drawn_where_the_file_sounds_and_nowhere_else(view: LineUpView, window: Window) -> None:
    view.set_height(46)
    path = "19 Channel buoy bell.wav"
    slot = next(s for s in view.list.slots_of() if s.lane.path == path)
    view.list.verticalScrollBar().setValue(slot.top)
    wait(lambda: view.canvas.waves.is_fine)
    picture = view.canvas.grab().toImage()
    sound = lane(view, path).sound_s
    assert sound is not None

    def darkness(seconds: float) -> int:
        """Of a point beside the middle line: a grid line is light, a wave is dark."""
        at = place_of(view, path, seconds) - QPoint(0, 4)
        return 255 - picture.pixelColor(at * picture.devicePixelRatio()).lightness()

    assert darkness(sound[0] + 0.15) > 80
    assert darkness(sound[0] - 0.37) < 40


@pytest.mark.parametrize(
    ("order", "first", "second"),
    [
        ("name", "Accordion", "Audio 7"),
        ("family", "Drums", "Brushes"),
        ("length", "Lantern Over Brackwater master", "Frame drum"),
        ("first sound", "Upright bass", "Accordion"),
    ],
)
def test_files_are_ordered_and_grouped(view: LineUpView, order: str, first: str, second: str) -> None:
    view.tools.order_menu.actions()[["delivered", "name", "family", "length", "first sound"].index(order)].trigger()
    shown = titles(view)
    assert shown[0] == first or order == "first sound"
    assert second in shown[:6]
    if order == "first sound":
        starts = [r.sound_s[0] for r in view.list.lane_model.rows if isinstance(r, Lane) and r.sound_s is not None]
        assert starts == sorted(starts)
    assert view.list.current_path == DRUM  # the same file stays chosen


def test_the_wheel_zooms_about_the_pointer_down_to_samples_and_the_keys_go_back(view: LineUpView) -> None:
    canvas = view.canvas
    x = 400
    under = canvas.axis.seconds_at(x)
    for _ in range(70):
        event = QWheelEvent(
            QPointF(x, 100),
            canvas.mapToGlobal(QPointF(x, 100)),
            QPoint(0, 0),
            QPoint(0, 120),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(canvas, event)
    assert canvas.axis.px_per_s / RATE > 20  # single samples
    assert canvas.axis.seconds_at(x) == pytest.approx(under, abs=1e-6)
    wait(lambda: canvas.has_samples)
    press(view, Qt.Key.Key_Right)
    assert canvas.axis.seconds_at(x) > under
    press(view, Qt.Key.Key_0)
    assert canvas.axis.view.is_whole
    press(view, Qt.Key.Key_Plus)
    assert not canvas.axis.view.is_whole


def test_dragging_pans_and_a_press_puts_the_cursor(view: LineUpView) -> None:
    canvas = view.canvas
    canvas.show_stretch(10.0, 14.0)
    begin, at = canvas.axis.start_s, place_of(view, CLARINET, 12.0)
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(canvas, at - QPoint(100, 0))
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=at - QPoint(100, 0))
    assert canvas.axis.start_s == pytest.approx(begin + 100 / canvas.axis.px_per_s)
    assert view.list.current_path == CLARINET
    assert canvas.cursor_s == pytest.approx(12.0, abs=0.05)


def test_a_file_is_dragged_to_a_bar_and_put_back_by_undo(view: LineUpView, window: Window) -> None:
    assert window.state.delivery is not None
    before = [f.code for f in window.state.delivery.findings if GUITAR in f.files and f.action is Action.ASK]
    assert before == ["start.at-sound"]
    press(view, Qt.Key.Key_G)
    assert view.tools.move_files.isChecked()
    at = place_of(view, GUITAR, 3.0)
    to = at + QPoint(round(9.95 * view.canvas.axis.px_per_s), 0)  # nearly bar 5: it snaps
    QTest.mousePress(view.canvas, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(view.canvas, to)
    assert "bar 5, beat 1 + 0 ms" in view.readout.text()
    QTest.mouseRelease(view.canvas, Qt.MouseButton.LeftButton, pos=to)
    moved = lane(view, GUITAR)
    assert moved.placement is not None
    assert (moved.placement.frames, moved.placement.by) == (BAR_5, "hand")
    assert (moved.start_s, moved.says) == (10.0, "placed at bar 5 by hand")
    (found,) = [f for f in window.state.delivery.findings if f.code == "start.at-sound" and GUITAR in f.files]
    assert found.action is Action.FIX
    QTest.keyClick(view.list, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert lane(view, GUITAR).placement is None


def test_a_place_is_typed_nudged_and_given_back_by_keys(view: LineUpView, window: Window) -> None:
    view.list.go_to(GUITAR)

    def type_samples(dialog: PlaceDialog) -> None:
        QTest.keyClicks(dialog.box, "480001")
        assert dialog.words.text() == "10 s, bar 5, beat 1 + 0 ms"
        QTest.keyClick(dialog.box, Qt.Key.Key_Return)

    answer(type_samples)
    press(view, Qt.Key.Key_F2)
    assert view.list.current_lane is not None
    assert view.list.current_lane.start_s == 480_001 / RATE
    alt = Qt.KeyboardModifier.AltModifier
    press(view, Qt.Key.Key_Left, alt)
    press(view, Qt.Key.Key_Right, alt | Qt.KeyboardModifier.ShiftModifier)
    assert view.list.current_lane.start_s == 480_048 / RATE
    window.state.undo_stack.undo()  # Ctrl+Z goes to the active window, and a dialog was that
    assert view.list.current_lane.start_s == 480_001 / RATE  # both nudges are one change
    press(view, Qt.Key.Key_Left, alt)
    answer(lambda dialog: dialog.bar_button.click() or QTest.keyClick(dialog.box, Qt.Key.Key_Return))  # type: ignore[func-returns-value]
    press(view, Qt.Key.Key_F2)
    assert view.list.current_lane.start_s == 10.0
    press(view, Qt.Key.Key_Delete)
    assert view.list.current_lane.placement is None


def test_a_place_off_the_bar_says_so(view: LineUpView) -> None:
    view.place(GUITAR, 500_000)  # 10.4167 s; a beat is 0.625 s
    assert lane(view, GUITAR).says == "placed at 5.1 + 417 ms by hand"
    view.place(GUITAR, -4_800)
    assert lane(view, GUITAR).says == "placed before the start, at 0:00.100 by hand"
    assert view.canvas.axis.start_s == pytest.approx(-0.1)
    view.place(GUITAR, None)


def test_a_place_is_there_again_when_the_delivery_is_opened_again(
    view: LineUpView, window: Window, monkeypatch: pytest.MonkeyPatch
) -> None:
    view.place(GUITAR, 480_000)
    window.state.keep_corrections()
    assert window.state.intake is not None
    assert window.state.run is not None
    # The window is shared: its data folder is that of the test it was opened in.
    monkeypatch.setenv("XDG_DATA_HOME", str(window.state.run.record.parents[2]))
    assert said_of(window.state.intake.source).places == {GUITAR: 480_000}
    view.place(GUITAR, None)


def test_the_magnifier_tells_the_smallest_difference_and_shows_its_samples(view: LineUpView) -> None:
    view.place(GUITAR, 480_000)  # three samples before the common end then
    press(view, Qt.Key.Key_E)
    assert view.edge.isVisible()
    assert view.edge.differences() == ["Nylon guitar left: 3 samples short"]
    assert "3 samples short" in view.edge.accessibleDescription()
    wait(lambda: view.edge.has_samples)
    view.place(GUITAR, 480_002)
    assert view.edge.differences() == ["Nylon guitar left: 1 sample short"]
    press(view, Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
    assert view.edge.edge == "start"
    assert (view.tools.start_edge.isChecked(), view.tools.end_edge.isChecked()) == (True, False)
    press(view, Qt.Key.Key_Escape)
    assert not view.edge.isVisible()
    view.place(GUITAR, None)


def test_marks_are_walked_by_keys_and_pressed_with_the_pointer(view: LineUpView) -> None:
    view.list.go_to("24 Melodica.wav")
    marks = lane(view, "24 Melodica.wav").marks
    press(view, Qt.Key.Key_N)
    assert view.canvas.axis.start_s < marks[0].start_s < view.canvas.axis.stop_s
    assert view.canvas.cursor_s == pytest.approx(marks[0].start_s - 1.0)  # a second of lead-in
    first = view.readout.text()
    assert first.startswith("Gaps in the sound: 2 gaps")
    press(view, Qt.Key.Key_N)
    assert view.canvas.axis.start_s < marks[-1].start_s < view.canvas.axis.stop_s or len(marks) > 2
    view.canvas.show_all()
    QTest.mouseClick(view.canvas, Qt.MouseButton.LeftButton, pos=place_of(view, "24 Melodica.wav", marks[0].start_s))
    assert view.canvas.axis.stop_s - view.canvas.axis.start_s < 1.0
    # Where a lane is full of marks, or under its flags, a press only puts the cursor.
    view.canvas.show_all()
    jaw_harp = lane(view, "21 Jaw harp.wav")
    for height, down in ((None, 0), (46, 15)):
        view.set_height(height)
        view.list.go_to(jaw_harp.path)
        at = place_of(view, jaw_harp.path, jaw_harp.marks[5].start_s) + QPoint(0, down)
        QTest.mouseClick(view.canvas, Qt.MouseButton.LeftButton, pos=at)
        assert view.canvas.axis.view.is_whole
        assert view.canvas.cursor_s == pytest.approx(jaw_harp.marks[5].start_s, abs=0.06)
    slot = next(s for s in view.list.slots_of() if s.lane.path == jaw_harp.path)
    flag = QPoint(at.x(), RULER_PX + slot.top - view.canvas.scrolled_px + 5)
    QTest.mouseClick(view.canvas, Qt.MouseButton.LeftButton, pos=flag)
    assert not view.canvas.axis.view.is_whole
    view.list.go_to(next(ln.path for ln in view.lanes if not ln.marks and ln.number))
    said: list[str] = []
    view.said.connect(said.append)
    press(view, Qt.Key.Key_N)
    assert said == [f"{view.list.current_lane.title} has no marked place."]  # type: ignore[union-attr]


def test_the_ruler_counts_in_what_is_chosen(view: LineUpView, window: Window) -> None:
    press(view, Qt.Key.Key_R)
    assert (view.canvas.mode, view.tools.ruler.text()) == ("minutes", "Ruler: minutes")
    QTest.mouseMove(view.canvas, place_of(view, CLARINET, 20.0) + QPoint(1, 0))
    QTest.mouseMove(view.canvas, place_of(view, CLARINET, 20.0))
    assert view.readout.text().startswith("0:")
    press(view, Qt.Key.Key_R)
    press(view, Qt.Key.Key_R)
    assert view.canvas.mode == "bars"
    QTest.mouseMove(view.canvas, place_of(view, CLARINET, 20.1))
    assert view.readout.text().startswith("bar 9, beat 1")


def test_a_tempo_is_reported_and_judged_by(view: LineUpView, window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    def say(text: str) -> None:
        monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: (text, True))
        press(view, Qt.Key.Key_T)

    say("97")
    assert view.tools.tempo.text() == "97 BPM, 4/4: set by you"
    assert window.state.brief.tempo_bpm is None  # another delivery has another tempo
    assert window.state.delivery is not None
    assert window.state.delivery.sets[0].facts.tempo_bpm == 97.0
    for wrong in ("0", "1000", "fast"):
        said: list[str] = []
        view.said.connect(said.append)
        say(wrong)
        assert said == [f"“{wrong}” is no tempo: type a number from 20 to 400."]
        view.said.disconnect(said.append)
    assert window.state.intake is not None
    assert window.state.corrections.tempos == {window.state.intake.songs[0]: 97.0}
    say("")
    assert view.tools.tempo.text() == "96 BPM, 4/4: the folder's name"


def test_low_lanes_show_their_name_on_focus(view: LineUpView) -> None:
    view.set_height(6)
    label = view.list.hint
    assert (label.isVisible(), label.text()) == (True, "Frame drum")
    press(view, Qt.Key.Key_Down)
    assert label.text() == "Shaker"
    for _ in range(3):
        press(view, Qt.Key.Key_Plus, Qt.KeyboardModifier.ControlModifier)
    assert view.list.lane_px == 16
    assert not label.isVisible()
    press(view, Qt.Key.Key_0, Qt.KeyboardModifier.ControlModifier)
    assert view.list.lane_px == view.list.slots_of()[0].height


def test_enter_goes_to_the_file_in_the_sheet(view: LineUpView, window: Window) -> None:
    view.list.go_to(CLARINET)
    press(view, Qt.Key.Key_Return)
    assert (window.pages.currentWidget(), window.sheet.current_path) == (window.desk, CLARINET)


def test_pinching_zooms_about_the_fingers(view: LineUpView) -> None:
    canvas = view.canvas
    under = canvas.axis.seconds_at(300)
    event = QNativeGestureEvent(
        Qt.NativeGestureType.ZoomNativeGesture,
        QPointingDevice.primaryPointingDevice(),
        2,
        QPointF(300, 80),
        QPointF(300, 80),
        QPointF(300, 80),
        1.0,
        QPointF(0, 0),
    )
    before = canvas.axis.px_per_s
    QApplication.sendEvent(canvas, event)
    assert canvas.axis.px_per_s == pytest.approx(2 * before)
    assert canvas.axis.seconds_at(300) == pytest.approx(under, abs=1e-6)


def test_a_stamped_file_stands_at_its_stamp_and_its_kin_at_the_start() -> None:
    hour = 3600 * RATE
    early = [track(f"{n:02d} Part.wav", time_reference=hour) for n in range(3, 7)]
    late = track("02 Horn.wav", frames=30 * RATE, time_reference=hour + 10 * RATE)
    song = song_of([late, *early], mix=False)
    delivery = Delivery(source=Path("/x"), name="x", sets=(song,), findings=())
    lanes = {ln.path: ln for ln in make_lanes(song, delivery)}
    horn = lanes["02 Horn.wav"]
    assert (horn.start_s, horn.stop_s, horn.is_moved, horn.end_frames) == (10.0, 40.0, True, 0)
    assert horn.says == "placed at bar 5 by its time stamp"
    # 5 s in, by its own start
    assert horn.sound_s is not None
    assert horn.sound_s[0] == 15.0
    assert lanes["03 Part.wav"].start_s == 0.0
    assert [r.title for r in in_order(list(lanes.values()), "first sound") if isinstance(r, Lane)][-1] == "Horn"


# -- listening --------------------------------------------------------------------------------


def played(window: Window) -> None:
    wait(lambda: window.listening.heard is not None and window.listening.position_s is not None)


def test_space_plays_all_files_from_the_cursor_and_stops(view: LineUpView, window: Window) -> None:
    view.canvas.set_cursor(12.0)
    press(view, Qt.Key.Key_Space)
    played(window)
    listening = window.listening
    assert window.player_bar.play_button.text() == "Stop"
    assert listening.position_s is not None
    assert 12.0 <= listening.position_s < 20.0
    assert listening.has_mix
    assert (
        len(listening.paths) == len([ln for ln in view.lanes if not ln.plays_twice and not ln.is_unplaced]) - 1
    )  # no trigger
    assert "27 Plucked group.wav" not in listening.paths  # its members play
    assert listening.safe_db > 6
    assert "Simulated output, not heard" in window.player_bar.output.text()
    wait(lambda: listening.heard is not None and max(listening.heard.peak_dbfs) > -60)
    assert "peak" in window.player_bar.meter.accessibleName()
    assert view.canvas.playing_s == listening.position_s
    press(view, Qt.Key.Key_Space)
    wait(lambda: not listening.is_playing)
    assert view.canvas.playing_s is None
    assert listening.heard is not None
    assert listening.heard.over_frames == 0


def test_what_plays_is_followed_where_it_is_looked_at(view: LineUpView, window: Window) -> None:
    view.canvas.show_stretch(12.2, 12.4)  # 11.9 to 12.7 s or so
    stop = view.canvas.axis.stop_s
    view.canvas.set_cursor(stop - 0.2)
    press(view, Qt.Key.Key_Space)
    wait(lambda: (window.listening.position_s or 0.0) > stop + 0.1)
    assert view.canvas.axis.start_s < (window.listening.position_s or 0.0) < view.canvas.axis.stop_s + 0.1
    assert view.canvas.axis.start_s > stop - 0.3
    press(view, Qt.Key.Key_Space)
    wait(lambda: not window.listening.is_playing)


def test_lanes_are_drawn_anew_when_they_change_and_not_when_only_the_cursor_moves(view: LineUpView) -> None:
    wait(lambda: view.canvas.waves.is_fine)
    before = view.canvas.grab().toImage()
    drawn = view.canvas.waves.picture
    view.canvas.set_cursor(5.0)
    assert view.canvas.grab().toImage() != before
    assert view.canvas.waves.picture is drawn
    view.canvas.set_cursor(0.0)
    assert view.canvas.grab().toImage() == before
    view.listening.toggle_mute(DRUM)
    assert view.canvas.grab().toImage() != before
    assert view.canvas.waves.picture is not drawn
    view.listening.toggle_mute(DRUM)
    assert view.canvas.grab().toImage() == before
    view.canvas.zoom(0.5)
    assert view.canvas.grab().toImage() != before


def test_a_reference_or_click_is_only_heard_where_it_is_chosen(view: LineUpView, window: Window) -> None:
    window.state.sorter.set_roles(dict.fromkeys([CLARINET], Role.CLICK))
    wait(lambda: window.state.delivery is not None and not window.state.is_measuring)
    press(view, Qt.Key.Key_Space)
    assert CLARINET not in window.listening.paths
    press(view, Qt.Key.Key_Space)
    wait(lambda: not window.listening.is_playing)
    view.list.go_to(CLARINET)
    press(view, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    press(view, Qt.Key.Key_Space)
    assert window.listening.paths == (CLARINET, "10 Audio 7.wav")
    press(view, Qt.Key.Key_Space)
    wait(lambda: not window.listening.is_playing)
    window.state.undo_stack.undo()
    wait(lambda: window.state.delivery is not None and not window.state.is_measuring)


def test_several_chosen_files_play_alone_and_one_plays_with_shift(view: LineUpView, window: Window) -> None:
    press(view, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    press(view, Qt.Key.Key_Space)
    assert window.listening.paths == (DRUM, "02 Shaker.wav")
    press(view, Qt.Key.Key_Space)
    wait(lambda: not window.listening.is_playing)
    view.list.go_to(CLARINET)
    press(view, Qt.Key.Key_Space, Qt.KeyboardModifier.ShiftModifier)
    assert window.listening.paths == (CLARINET,)
    assert window.listening.safe_db == 0.0


def test_alone_silent_trims_and_the_rough_mix_by_keys(view: LineUpView, window: Window) -> None:
    listening = window.listening
    press(view, Qt.Key.Key_S)
    assert listening.solo == {DRUM}
    assert CLARINET in view.canvas.silenced
    press(view, Qt.Key.Key_S)
    press(view, Qt.Key.Key_M)
    assert (listening.muted, view.canvas.silenced) == ({DRUM}, {DRUM})
    press(view, Qt.Key.Key_M)
    press(view, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    press(view, Qt.Key.Key_BracketLeft)
    press(view, Qt.Key.Key_BracketLeft)
    assert listening.trims_db == {DRUM: -1.0, "02 Shaker.wav": -1.0}  # together: their balance stays
    assert "plays \N{MINUS SIGN}1.0 dB" in view.list.lane_model.lines(lane(view, DRUM))
    press(view, Qt.Key.Key_Backslash)
    assert listening.trims_db == {}
    press(view, Qt.Key.Key_B)
    assert (listening.bus, window.player_bar.mix_button.isChecked()) == ("mix", True)
    press(view, Qt.Key.Key_B)


def test_the_rough_mix_is_heard_instead_of_the_sum(view: LineUpView, window: Window, tmp_path: Path) -> None:
    window.listening.record_to = tmp_path / "played.wav"
    window.listening.set_safe(False)
    window.listening.set_bus("mix")
    press(view, Qt.Key.Key_Space)
    wait(lambda: (window.listening.position_s or 0) > 0.4)
    press(view, Qt.Key.Key_Space)
    wait(lambda: not window.listening.is_playing)
    written, rate = soundfile.read(tmp_path / "played.wav", dtype="float32", always_2d=True)
    assert window.state.delivery is not None
    mix = next(t for t in window.state.delivery.tracks if t.path.endswith("rough mix.wav"))
    samples, _ = soundfile.read(window.state.sources[mix.path], dtype="float64", always_2d=True)
    assert rate == RATE
    assert np.array_equal(written[: RATE // 4], samples[: RATE // 4].astype(np.float32))
    window.listening.record_to = None
    window.listening.set_safe(True)
    window.listening.set_bus("sum")


def test_a_group_beside_its_members_is_left_out_until_the_user_says_otherwise(view: LineUpView, window: Window) -> None:
    group = "27 Plucked group.wav"
    press(view, Qt.Key.Key_Space)
    wait(lambda: window.listening.is_playing)
    assert group not in window.listening.paths
    assert {"04 Upright bass.wav", "07 Nylon guitar right.wav"} <= set(window.listening.paths)
    press(view, Qt.Key.Key_Space)
    wait(lambda: not window.listening.is_playing)
    window.state.sorter.set_roles({group: Role.GROUP})
    wait(lambda: window.state.delivery is not None)
    assert not lane(view, group).plays_twice
    window.state.undo_stack.undo()
    wait(lambda: window.state.delivery is not None)
    assert lane(view, group).plays_twice


def test_a_finding_is_looped_with_a_second_of_lead_in(view: LineUpView, window: Window) -> None:
    view.list.go_to("24 Melodica.wav")
    press(view, Qt.Key.Key_N)
    mark = lane(view, "24 Melodica.wav").marks[0]
    press(view, Qt.Key.Key_L)
    assert window.listening.loop_s is not None
    assert window.listening.loop_s[0] == pytest.approx(mark.start_s - 1.0)
    assert window.listening.loop_s[1] >= mark.stop_s
    assert window.player_bar.loop_button.isChecked()
    press(view, Qt.Key.Key_L)
    assert window.listening.loop_s is None


def test_files_play_where_they_are_placed_or_as_delivered(view: LineUpView, window: Window) -> None:
    view.place(GUITAR, 480_000)
    view.list.go_to(GUITAR)
    press(view, Qt.Key.Key_Space, Qt.KeyboardModifier.ShiftModifier)
    assert [s.start_frames for s in window.listening.soundings] == [480_000]
    window.player_bar.placed_button.click()
    window.listening.halt()
    wait(lambda: not window.listening.is_playing)
    press(view, Qt.Key.Key_Space, Qt.KeyboardModifier.ShiftModifier)
    assert [s.start_frames for s in window.listening.soundings] == [0]
    window.player_bar.placed_button.click()
    view.place(GUITAR, None)


def test_the_bench_plays_its_file_from_a_second_before_the_finding(view: LineUpView, window: Window) -> None:
    window.navigator.show_sheet()
    window.sheet.go_to("24 Melodica.wav")
    waveform = window.bench.waveform
    waveform.setFocus()
    QTest.keyClick(waveform, Qt.Key.Key_N)
    QTest.keyClick(waveform, Qt.Key.Key_Space)
    played(window)
    mark = waveform.current_mark
    assert mark is not None
    assert window.listening.position_s is not None
    assert mark.place.frame / RATE - 1.0 <= window.listening.position_s < mark.place.frame / RATE + 5
    assert window.player_bar.isVisible()
    QTest.keyClick(waveform, Qt.Key.Key_Space)
    wait(lambda: not window.listening.is_playing)
    assert not window.player_bar.isVisible()


def test_the_bench_loops_its_own_finding_and_another_view_ends_that(view: LineUpView, window: Window) -> None:
    window.navigator.show_sheet()
    window.sheet.go_to("24 Melodica.wav")
    QTest.keyClick(window, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    assert window.listening.loop_s is None
    assert window.said.text() == "There is no marked place to loop: go to one with N."
    window.bench.waveform.step_mark(1)
    QTest.keyClick(window, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    mark = window.bench.waveform.current_mark
    assert mark is not None
    assert window.listening.loop_s == (
        pytest.approx(mark.place.frame / RATE - 1.0),
        pytest.approx((mark.place.frame + mark.place.frames) / RATE + 1.0),
    )
    window.navigator.show_line_up()
    assert window.listening.loop_s is None


# -- odd deliveries ---------------------------------------------------------------------------


def test_odd_files_line_up(fresh: Window, tmp_path: Path) -> None:
    """A file of one sample, one that cannot be read, mono beside stereo, other rates, no tempo."""
    random = np.random.default_rng(3)
    folder = tmp_path / "Odd"
    folder.mkdir()
    for number in range(4):
        sound = random.uniform(-0.3, 0.3, (RATE * 2, 1 + number % 2))
        soundfile.write(folder / f"{number:02d} Part {number}.wav", sound, RATE, "PCM_24")
    soundfile.write(folder / "05 One.wav", np.array([0.5]), RATE, "PCM_24")
    soundfile.write(folder / "06 Half.wav", random.uniform(-0.3, 0.3, 22_050), 22_050, "PCM_16")
    (folder / "07 Broken.wav").write_bytes(b"RIFF\x10\0\0\0WAVEjunk")
    (folder / "Song.mid").write_bytes(b"MThd\0\0\0\6\0\1\0\1\1\xe0MTrk\0\0\0\4\xff\xff")
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    fresh.navigator.show_line_up()
    view = fresh.line_up
    assert view.canvas.mode == "minutes"
    assert view.tools.tempo.text() == "No tempo is known"
    assert not view.tools.ruler_menu.actions()[2].isEnabled()
    said: list[str] = []
    view.said.connect(said.append)
    view.set_ruler("bars")
    assert said == ["No tempo is known, so bars cannot be counted. Set it with T."]
    assert [ln.says for ln in view.lanes][-1] == "cannot be read"
    for _ in range(60):
        press(view, Qt.Key.Key_Plus)
    QApplication.processEvents()
    wait(lambda: view.canvas.has_samples)
    view.canvas.grab()
    view.canvas.show_all()
    press(view, Qt.Key.Key_Space)
    wait(lambda: fresh.listening.heard is not None)
    wait(lambda: not fresh.listening.is_playing, 20)
    view.list.go_to("07 Broken.wav")
    press(view, Qt.Key.Key_Space, Qt.KeyboardModifier.ShiftModifier)
    assert fresh.said.text() == "Nothing can be played here: choose files that can be read."


def test_two_hundred_lanes_of_three_hours_and_one_sample(view: LineUpView, window: Window) -> None:
    assert window.state.delivery is not None
    (song,) = window.state.delivery.sets
    first = song.tracks[0]
    assert first.format is not None
    long = replace(first, path="long.wav", format=replace(first.format, frames=3 * 3600 * RATE))
    many: list[Track] = [replace(first, path=f"{n:03d} Part.wav") for n in range(198)]
    one = replace(first, path="one.wav", format=replace(first.format, frames=1))
    made = replace(song, tracks=(*many, long, one), placements={})
    view.show_all(replace(window.state.delivery, sets=(made,), findings=()), window.state.corrections)
    assert len(view.lanes) == 200
    assert view.list.lane_px >= 3
    view.canvas.grab()
    press(view, Qt.Key.Key_End, Qt.KeyboardModifier.ControlModifier)
    for _ in range(45):
        press(view, Qt.Key.Key_Plus)
    view.canvas.grab()
    assert view.canvas.axis.px_per_s > 1000
    view.show_all(window.state.delivery, window.state.corrections)


def test_no_words_are_cut_in_a_narrow_window(view: LineUpView, window: Window) -> None:
    window.resize(900, 640)
    window.navigator.open_brief(True)
    QApplication.processEvents()
    widgets = [*view.findChildren(QPushButton), *window.player_bar.findChildren(QPushButton)]
    shown = [w for w in widgets if w.isVisible()]
    assert len(shown) > 15
    for button in shown:
        assert button.width() >= button.sizeHint().width(), button.text()
        assert window.rect().contains(button.mapTo(window, button.rect().bottomRight())), button.text()


def test_lanes_that_were_never_drawn_are_not_fine_yet(window: Window) -> None:
    assert not LaneCanvas(window.theme).waves.is_fine


# -- clips, and what nothing places -----------------------------------------------------------


@pytest.fixture
def clips(fresh: Window, tmp_path: Path) -> LineUpView:
    """Four parts of eight seconds, three clips of a fifth, and a note that speaks of two moments."""
    random = np.random.default_rng(5)
    folder = tmp_path / "Harbour 120 BPM"
    folder.mkdir()

    def write(name: str, seconds: float, lead_s: float) -> None:
        sound = np.zeros(round(seconds * RATE))
        inside = slice(round(lead_s * RATE), round((seconds - 0.4) * RATE))
        sound[inside] = random.uniform(-0.2, 0.2, len(sound[inside])) * np.hanning(len(sound[inside]))
        soundfile.write(folder / name, sound, RATE, "PCM_24")

    for name in ("Bass", "Drum", "Horn", "Viola"):
        write(f"{name}.wav", 8.0, 0.1)
    for number, seconds in enumerate((1.5, 2.0, 2.5), start=1):
        write(f"Fiddle {number}.wav", seconds, 0.2)
    (folder / "notes.txt").write_text("At 0:05 a delay on the horn.\nAt 0:02 the drum drops out.")
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    fresh.activateWindow()
    fresh.navigator.show_line_up()
    fresh.line_up.set_height(46)
    fresh.line_up.list.setFocus()
    QApplication.processEvents()
    return fresh.line_up


def test_clips_of_a_part_share_a_lane_and_each_can_be_chosen(clips: LineUpView) -> None:
    assert titles(clips) == ["Bass", "Drum", "Fiddle (3 clips)", "Horn", "Viola"]
    assert {s.top for s in clips.list.slots_of() if s.lane.path.startswith("Fiddle")} == {2 * 46}
    second = lane(clips, "Fiddle 2.wav")
    QTest.mouseClick(clips.canvas, Qt.MouseButton.LeftButton, pos=place_of(clips, second.path, second.start_s + 1.0))
    assert clips.list.current_path == "Fiddle 2.wav"
    press(clips, Qt.Key.Key_C)
    assert clips.list.current_path == "Fiddle 3.wav"
    press(clips, Qt.Key.Key_C)
    assert clips.list.current_path == "Fiddle 1.wav"
    assert [ln.path for ln in clips.list.chosen_lanes] == [f"Fiddle {n}.wav" for n in (1, 2, 3)]


def test_a_clip_is_placed_by_itself(clips: LineUpView) -> None:
    clips.list.go_to("Fiddle 2.wav")
    clips.place("Fiddle 2.wav", 4 * RATE)
    assert lane(clips, "Fiddle 2.wav").start_s == 4.0
    assert not lane(clips, "Fiddle 2.wav").is_unplaced
    assert lane(clips, "Fiddle 1.wav").is_unplaced
    assert clips.list.current_path == "Fiddle 2.wav"


def test_all_clips_of_a_lane_are_silenced_together_by_its_button(clips: LineUpView, fresh: Window) -> None:
    row = clips.list.lane_model.row_of("Fiddle 1.wav")
    assert row is not None
    box = button_boxes(clips.list.visualRect(clips.list.lane_model.index(row)))[1]
    QTest.mouseClick(clips.list.viewport(), Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    assert fresh.listening.muted == {f"Fiddle {n}.wav" for n in (1, 2, 3)}


def test_what_nothing_places_is_not_heard_with_the_others(clips: LineUpView) -> None:
    wanted: list[list[str]] = []
    clips.listening.play_wanted.connect(lambda lanes, seconds: wanted.append([ln.path for ln in lanes]))
    clips.list.go_to("Bass.wav")
    press(clips, Qt.Key.Key_Space)
    assert wanted == [["Bass.wav", "Drum.wav", "Horn.wav", "Viola.wav"]]


def test_the_moments_of_the_notes_are_walked_by_a_key_and_read_under_the_pointer(clips: LineUpView) -> None:
    assert [at_s for at_s, _ in clips.canvas.flags] == [2.0, 5.0]
    for cursor_s, words in ((2.0, "the drum drops out"), (5.0, "a delay on the horn"), (2.0, "the drum drops out")):
        press(clips, Qt.Key.Key_J)
        assert clips.canvas.cursor_s == cursor_s
        assert words in clips.readout.text()
    place = QPointF(clips.canvas.axis.x_of(5.0), RULER_PX / 2).toPoint()
    QTest.mouseMove(clips.canvas, place)
    QApplication.processEvents()
    wait(lambda: "a delay on the horn" in clips.readout.text())


def test_without_notes_of_moments_the_key_says_so(view: LineUpView, window: Window) -> None:
    said: list[str] = []
    view.said.connect(said.append)
    view.canvas.flags = ()
    press(view, Qt.Key.Key_J)
    assert said == ["The client's notes speak of no moment of the song."]
