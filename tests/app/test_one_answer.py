"""What the user said in the window holds there the next time, on the command line, and where the folder is moved to."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication

from app.conftest import end, wait
from app.test_window import small_delivery
from deep_tally.app.shell.making import make_window
from deep_tally.app.shell.window import Window
from deep_tally.cli.main import main
from deep_tally.model.corrections import NO_CORRECTIONS
from deep_tally.model.files import Role
from deep_tally.reply.formats.json import to_json
from deep_tally.session.corrections import home


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    return small_delivery(tmp_path / "Song 96 BPM", 4)


def opened(window: Window, folder: Path) -> Window:
    window.open([folder])
    wait(lambda: window.state.delivery is not None and window.state.delivery.source == folder)
    return window


def say_much(window: Window) -> None:
    state = window.state
    state.sorter.set_roles(dict.fromkeys(["01 Bass a.wav"], Role.CLICK))
    wait(lambda: state.delivery is not None)
    state.sorter.set_rough_mix("02 Bass b.wav")
    wait(lambda: state.delivery is not None)
    state.correct(state.corrections.with_place("03 Bass c.wav", 480), "Place")
    state.correct(state.corrections.with_tempo("Song 96 BPM", 90.0), "Tempo")
    state.correct(state.corrections.with_part("04 Bass d.wav", ("kick drum",)), "Part")


def answer_of_the_command(folder: Path, capsys: pytest.CaptureFixture[str], *options: str) -> tuple[Any, str]:
    with pytest.raises(SystemExit):
        main(["check", str(folder), "--json", "-", "--quiet", *options])
    out, err = capsys.readouterr()
    return json.loads(out), err


def closed(window: Window) -> None:
    end(window)
    window.deleteLater()
    QApplication.sendPostedEvents(window, QEvent.Type.DeferredDelete.value)


def test_window_and_command_line_give_one_answer(
    fresh: Window, folder: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    opened(fresh, folder)
    assert fresh.state.delivery is not None
    before = json.loads(to_json(fresh.state.delivery))
    assert answer_of_the_command(folder, capsys) == (before, "")
    say_much(fresh)
    fresh.state.keep_corrections()
    after = json.loads(to_json(fresh.state.delivery))
    answer, said = answer_of_the_command(folder, capsys)
    assert answer == after
    assert said == (
        "deep-tally: your earlier corrections apply: the role of 1 file, the part of 1 file, the place of 1 file,"
        " the rough mix and the tempo (--fresh ignores them)\n"
    )
    assert answer_of_the_command(folder, capsys, "--fresh") == (before, "")


def test_preparing_for_the_machine_is_said(
    fresh: Window, folder: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr("deep_tally.engine.check_run.is_prepared", lambda: False)
    said: list[str] = []
    fresh.state.preparing_moved.connect(lambda done, total: said.append(fresh.progress.words.text()))
    opened(fresh, folder)
    assert said
    assert set(said) == {"Preparing for this machine, once; it takes half a minute"}
    with pytest.raises(SystemExit):
        main(["check", str(folder), "--quiet", "--progress"])
    assert capsys.readouterr().err.splitlines()[0] == "preparing for this machine, once"


def test_the_next_window_knows_all_that_was_said_and_says_so(qapp: QApplication, fresh: Window, folder: Path) -> None:
    say_much(opened(fresh, folder))
    said = fresh.state.corrections
    assert fresh.state.delivery is not None
    before = to_json(fresh.state.delivery)
    end(fresh)
    _, again = make_window()
    again.show()
    opened(again, folder)
    assert again.state.corrections == said
    assert again.state.delivery is not None
    assert to_json(again.state.delivery) == before
    assert "Your earlier corrections apply: the role of 1 file," in again.said.text()
    closed(again)


def test_what_was_said_a_moment_ago_is_known_when_the_delivery_is_opened_once_more(fresh: Window, folder: Path) -> None:
    say_much(opened(fresh, folder))
    said = fresh.state.corrections
    before = fresh.state.run
    opened(fresh, folder)
    wait(lambda: fresh.state.run is not before and fresh.state.delivery is not None)
    assert fresh.state.corrections == said


def test_a_moved_folder_and_reading_again_lose_nothing(fresh: Window, folder: Path, tmp_path: Path) -> None:
    say_much(opened(fresh, folder))
    said = fresh.state.corrections
    fresh.state.open_again()
    wait(lambda: fresh.said.text().startswith("Read again"))
    wait(lambda: fresh.state.delivery is not None)
    assert fresh.state.corrections == said
    moved = folder.rename(tmp_path / "Elsewhere 96 BPM")
    opened(fresh, moved)
    assert fresh.state.corrections == said


def test_nothing_of_one_delivery_shows_in_the_next(fresh: Window, folder: Path, tmp_path: Path) -> None:
    say_much(opened(fresh, folder))
    opened(fresh, small_delivery(tmp_path / "Other 120 BPM", 3, seconds=1.5))
    assert fresh.state.corrections == NO_CORRECTIONS
    assert not fresh.state.undo_stack.canUndo()


def test_a_damaged_record_is_said_and_what_is_said_then_does_not_write_over_it(fresh: Window, folder: Path) -> None:
    say_much(opened(fresh, folder))
    fresh.state.keep_corrections()
    (record,) = home().iterdir()
    record.write_text("{")
    opened(fresh, folder)
    wait(lambda: "cannot be used" in fresh.said.text())
    assert str(record) in fresh.said.text()
    say_much(fresh)
    fresh.state.keep_corrections()
    assert sorted(p.name for p in home().iterdir()) == sorted([record.name, f"{record.stem}.kept-1"])
    assert record.with_suffix(".kept-1").read_text() == "{"
