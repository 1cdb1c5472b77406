"""The window where this machine fails, and over a long day: what is said, what is tried again, what is left behind."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pypdfium2
import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QLabel,
    QLineEdit,
    QMessageBox,
    QPushButton,
    QScrollArea,
    QTextBrowser,
    QWidget,
)
from pytestqt.qtbot import QtBot

from app.conftest import wait
from app.test_window import bench_text, small_delivery
from cli.test_command import heed_signals
from compare.compare_jobs import broken
from deep_tally.app.base.file_requests import PictureRequest, SamplesRequest
from deep_tally.app.bench.waveform import Waveform
from deep_tally.app.shell.file_reader import FileReader
from deep_tally.app.shell.window import Window
from deep_tally.compare.job import compare_song
from deep_tally.model.files import ClientFiles
from deep_tally.model.measures import Excerpt
from deep_tally.views.columns import Column
from deep_tally.work.crew import Failed


def settle(window: Window) -> None:
    wait(lambda: window.theme.is_settled and window.updatesEnabled())
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)


# -- could not be checked here ----------------------------------------------------------------


@pytest.fixture
def lacking(fresh: Window, tmp_path: Path) -> Window:
    """A delivery of which this machine cannot read one file."""
    folder = small_delivery(tmp_path / "Song 96 BPM C minor", 3)
    (folder / "04 Voice.wav").symlink_to(folder / "later.wav")
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    return fresh


def test_a_file_that_could_not_be_checked_here_is_said_everywhere_and_never_asked_for(lacking: Window) -> None:
    words = "04 Voice.wav could not be checked here: the file is gone; put it back and read the delivery again."
    assert lacking.said.text() == words
    assert lacking.steps.troubles_button.text() == "1 not checked here"
    lacking.sheet.go_to("04 Voice.wav")
    index = lacking.sheet.currentIndex()
    cell = lacking.sheet.model().index(index.row(), Column.RATE).data()
    assert cell == "could not be checked here: the file is gone"
    assert "The client is not asked for it." in bench_text(lacking)
    assert "It can go into the mix as it is." not in bench_text(lacking)
    lacking.navigator.show_reply()
    assert "Not checked here, so not asked: 1 file" in [w.text() for w in lacking.reply.findChildren(QLabel)]
    letter = lacking.reply.text.toPlainText()
    assert "Voice" not in letter
    assert "I still have to look at one of the files." in letter


def test_the_page_of_what_was_not_checked_tries_again(lacking: Window, qtbot: QtBot) -> None:
    lacking.steps.troubles_button.click()
    page = lacking.findChild(QDialog)
    assert page is not None
    assert "the file is gone" in page.findChild(QTextBrowser).toPlainText()
    folder = lacking.state.intake.source
    (folder / "later.wav").write_bytes((folder / "01 Bass a.wav").read_bytes())
    again = next(b for b in page.findChildren(QPushButton) if b.text() == "Try again")
    before = lacking.state.delivery
    qtbot.mouseClick(again, Qt.MouseButton.LeftButton)
    wait(lambda: lacking.state.delivery not in (None, before))
    assert lacking.state.delivery.incomplete == ()
    assert not lacking.steps.troubles_button.isVisible()


def test_a_comparison_that_failed_is_said_and_can_be_tried_again(fresh: Window, tmp_path: Path) -> None:
    fresh.state.compare_job = broken
    fresh.open([small_delivery(tmp_path / "Song 96 BPM", 3)])
    wait(lambda: fresh.state.delivery is not None)
    assert "content.no-rough-mix" in {f.code for f in fresh.state.delivery.findings}
    assert fresh.said.text().startswith("3 files could not be compared with each other here (01 Bass a.wav, ")
    assert fresh.steps.troubles_button.text() == "not compared here"
    fresh.state.compare_job = compare_song
    failed = fresh.state.delivery
    fresh.state.open_again()
    wait(lambda: fresh.state.delivery not in (None, failed))
    assert fresh.state.delivery.incomplete == ()
    assert not fresh.steps.troubles_button.isVisible()


def test_samples_that_could_not_be_read_are_requested_again(window: Window) -> None:
    assert window.state.delivery is not None
    track = next(t for t in window.state.delivery.sets[0].tracks if t.is_heard)
    waveform = Waveform(window.theme)
    waveform.resize(600, 200)
    waveform.show_track(track, ())
    requests: list[SamplesRequest] = []
    waveform.samples_wanted.connect(requests.append)
    waveform.show_stretch(1000, 200)
    waveform.show_stretch(1000, 201)  # as long as an answer is to come, nothing is requested twice
    assert len(requests) == 1
    requests[0].answer({})
    waveform.show_stretch(1000, 200)
    assert [r.stretches for r in requests] == [requests[0].stretches] * 2
    (path, first, frames) = requests[1].stretches[0]
    requests[1].answer({path: Excerpt(frame=first, samples=np.zeros((frames, 2), np.float32))})
    assert waveform.has_samples
    waveform.deleteLater()


def test_who_asks_for_samples_of_a_file_that_is_gone_gets_an_answer(tmp_path: Path, qtbot: QtBot) -> None:
    reader = FileReader(lambda: {"a.wav": tmp_path / "a.wav"})
    answers: list[object] = []
    try:
        reader.request_samples(SamplesRequest("one", (("a.wav", 0, 10),), answers.append))
        reader.request_picture(PictureRequest("histogram", "a.wav", (), lambda *a: answers.append(a)))
        reader.request_samples(SamplesRequest("one", (("not in the delivery.wav", 0, 10),), answers.append))
        while reader.is_busy:
            reader.poll()
            qtbot.wait(10)
        assert sorted(answers, key=str) == [("a.wav", None), {}]
        # A worker that dies over it, twice, is no answer either.
        reader.request_samples(SamplesRequest("one", (("a.wav", 0, 10),), answers.append))
        reader.readers.poll = lambda: [Failed("one", "it ended", "try again")]
        reader.poll()
        assert answers[-1] == {}
    finally:
        reader.close()


# -- saving -----------------------------------------------------------------------------------


def test_a_window_that_is_closed_while_a_pdf_is_written_waits_for_it(window: Window, tmp_path: Path) -> None:
    window.navigator.show_reply()
    path = tmp_path / "reply.pdf"
    assert window.reply.save_to(path)
    window.close()
    assert window.isVisible()
    assert "the window closes when that is done" in window.said.text()
    closed = []
    window.close = lambda: closed.append(True)  # the window is shared by other tests
    wait(lambda: closed)
    del window.close
    assert "Your files" in pypdfium2.PdfDocument(path)[0].get_textpage().get_text_range()
    assert not window.state.clerks.is_saving


def test_a_window_whose_pdf_could_not_be_written_stays_open(window: Window, tmp_path: Path) -> None:
    window.navigator.show_reply()
    window.reply.save_to(tmp_path / "none" / "reply.pdf")
    window.close()
    wait(lambda: not window.state.clerks.is_saving)
    assert window.isVisible()
    assert "it cannot be written" in window.said.text()


@pytest.mark.parametrize("agrees", [True, False])
@pytest.mark.parametrize("ending", ["txt", "pdf"])
def test_saving_into_the_clients_folder_is_asked_about(
    fresh: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, agrees: bool, ending: str
) -> None:
    folder = small_delivery(tmp_path / "Song 96 BPM", 2)
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    fresh.navigator.show_reply()
    asked: list[str] = []

    def answer(box: QMessageBox) -> int:
        asked.append(box.text())
        wanted = "Save it there" if agrees else "Cancel"
        next(b for b in box.buttons() if b.text().replace("&", "") == wanted).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    assert fresh.reply.save_to(folder / f"Reply.{ending}") is agrees
    wait(lambda: not fresh.state.clerks.is_saving)
    assert (folder / f"Reply.{ending}").exists() is agrees
    assert len(asked) == 1
    assert "inside the client's folder" in asked[0]
    assert fresh.reply.save_to(tmp_path / f"Reply.{ending}")
    wait(lambda: not fresh.state.clerks.is_saving)
    assert len(asked) == 1


def test_nothing_that_plays_is_recorded_over_a_clients_file(fresh: Window, tmp_path: Path) -> None:
    folder = small_delivery(tmp_path / "Song 96 BPM", 2)
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    (folder / "0 gone.wav").symlink_to(folder / "nowhere.wav")
    assert not fresh.playback.may_record(folder / "01 Bass a.wav")
    assert "it is one of the client's files" in fresh.said.text()
    assert fresh.playback.may_record(tmp_path / "Played.wav")
    assert fresh.state.client == ClientFiles(
        files=(folder / "01 Bass a.wav", folder / "02 Bass b.wav"), folders=(folder,)
    )


# -- a long day -------------------------------------------------------------------------------


def test_pages_leave_nothing_behind(window: Window) -> None:
    def once() -> int:
        for show in (window.show_keys, window.show_about, window.steps.troubles_button.click):
            show()
            for dialog in window.findChildren(QDialog):
                dialog.reject()
            settle(window)
        return len(QApplication.allWidgets())

    first = once()
    assert [once() for _ in range(5)] == [first] * 5


def test_menus_that_are_filled_anew_keep_no_old_actions(window: Window) -> None:
    def actions() -> int:
        for menu in (window.menus.role_menus.song_menu, window.brief_panel.menu):
            menu.aboutToShow.emit()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        return len(window.menus.role_menus.song_menu.actions()) + len(window.findChildren(type(window.menus.cancel)))

    first = actions()
    assert [actions() for _ in range(3)] == [first] * 3


def test_a_change_of_theme_restyles_what_is_seen_and_then_the_rest(window: Window) -> None:
    night, day = "#1E2529", "#F7F4EC"
    assert not QApplication.instance().styleSheet()  # it would be worked through for every widget at one go
    window.theme.choose("night")
    assert not window.updatesEnabled()  # nothing is drawn half in one theme and half in the other
    settle(window)
    assert night in window.desk.styleSheet()
    assert day in window.reply.styleSheet()
    window.navigator.show_reply()
    assert night in window.reply.styleSheet()
    assert day in window.parts.styleSheet()
    wait(lambda: night in window.parts.styleSheet())  # hidden views follow while nobody waits for them
    window.theme.choose("day")
    window.theme.choose("night")
    window.theme.choose("day")
    settle(window)
    assert day in window.reply.styleSheet()
    window.navigator.show_sheet()
    assert day in window.desk.styleSheet()


def test_a_page_that_is_closed_while_the_theme_changes_is_no_trouble(window: Window) -> None:
    window.show_keys()
    window.theme.choose("night")
    for dialog in window.findChildren(QDialog):
        dialog.reject()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    assert not window.findChildren(QDialog)
    settle(window)
    assert "#1E2529" in window.desk.styleSheet()


def _wears_the_theme(widget: QWidget | None) -> bool:
    while widget is not None and "QPushButton[look=" not in widget.styleSheet():
        widget = widget.parentWidget()
    return widget is not None


def test_every_part_of_the_window_wears_the_theme(window: Window) -> None:
    """A view that sets a sheet of its own on itself would lose the theme's."""
    window.navigator.open_brief(True)
    window.brief_panel.finer.setChecked(True)
    kinds = (QAbstractButton, QComboBox, QLineEdit, QAbstractSpinBox, QScrollArea)
    for kind in kinds:
        widgets: list[QWidget] = window.findChildren(kind)
        if kind is QScrollArea:
            widgets = [area.verticalScrollBar() for area in widgets]
        assert widgets, kind
        for widget in widgets:
            assert _wears_the_theme(widget), (widget, widget.accessibleName())
    window.brief_panel.finer.setChecked(False)
    window.navigator.open_brief(False)


# -- signals ----------------------------------------------------------------------------------


@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM, signal.SIGHUP])
def test_a_signal_closes_the_window_and_what_was_unpacked_is_gone(
    tmp_path: Path, own_home: Path, number: signal.Signals
) -> None:
    import zipfile

    folder = small_delivery(tmp_path / "Song 96 BPM", 2)
    with zipfile.ZipFile(tmp_path / "song.zip", "w") as archive:
        for path in folder.iterdir():
            archive.write(path, path.name)
    environment = os.environ | {"QT_QPA_PLATFORM": "offscreen"}
    running = subprocess.Popen(
        [sys.executable, "-m", "deep_tally", str(tmp_path / "song.zip")],
        env=environment,
        stderr=subprocess.PIPE,
        preexec_fn=heed_signals,
    )
    unpacked = own_home / "cache" / "deep-tally" / "unpacked"
    deadline = time.monotonic() + 60
    while not list(unpacked.glob("*/files/*/*")):
        assert time.monotonic() < deadline
        assert running.poll() is None
        time.sleep(0.02)
    running.send_signal(number)
    assert running.wait(30) == 128 + number
    assert list(unpacked.glob("*/")) == []
