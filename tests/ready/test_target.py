"""The folder a ready copy is written to."""

from __future__ import annotations

import shutil
from pathlib import Path
from types import SimpleNamespace

import pytest

from deep_tally.model.errors import CannotWrite
from deep_tally.model.files import ClientFiles
from deep_tally.model.ready import Piece, ReadyPlan
from deep_tally.ready.target import JOURNAL, begin, end, require_target
from ready.written import copy

PLAN = ReadyPlan(copies=(copy(Piece(path="a", sides=(0,), at=0, skip=0, frames=480), frames=480),))
OTHER = ReadyPlan(copies=(copy(Piece(path="a", sides=(0,), at=0, skip=0, frames=480), frames=480, gain_db=-1.0),))


@pytest.fixture
def client(tmp_path: Path) -> ClientFiles:
    folder = tmp_path / "sent" / "Tide"
    folder.mkdir(parents=True)
    (folder / "a.wav").write_bytes(b"x")
    return ClientFiles(files=(folder / "a.wav",), folders=(folder,))


def refused(folder: Path, client: ClientFiles, plan: ReadyPlan = PLAN) -> str:
    with pytest.raises(CannotWrite) as error:
        require_target(folder, plan, client)
    return str(error.value)


def test_a_new_folder_and_an_empty_one_are_taken(tmp_path: Path, client: ClientFiles) -> None:
    require_target(tmp_path / "new" / "deep", PLAN, client)
    assert not (tmp_path / "new").exists(), "asking makes nothing"
    (tmp_path / "empty").mkdir()
    require_target(tmp_path / "empty", PLAN, client)


def test_inside_the_delivery_around_it_and_at_it_are_refused(tmp_path: Path, client: ClientFiles) -> None:
    assert "it lies in the client's folder" in refused(client.folders[0] / "ready", client)
    assert "it lies in the client's folder" in refused(client.folders[0], client)
    assert "the client's files lie in it; choose an empty folder, or a new one" in refused(tmp_path / "sent", client)
    link = tmp_path / "link"
    link.symlink_to(tmp_path / "sent")
    assert "the client's files lie in it" in refused(link, client)
    alone = ClientFiles(files=client.files)
    assert "the client's files lie in it" in refused(client.folders[0], alone)
    assert "one of the client's files" in refused(client.files[0], client)


def test_a_folder_with_anything_in_it_and_a_file_are_refused(tmp_path: Path, client: ClientFiles) -> None:
    folder = tmp_path / "full"
    folder.mkdir()
    (folder / ".hidden").write_bytes(b"")
    assert "the folder is not empty" in refused(folder, client)
    assert "it is no folder" in refused(folder / ".hidden", client)


def test_the_same_plan_goes_on_and_another_does_not(tmp_path: Path, client: ClientFiles) -> None:
    folder = tmp_path / "out"
    begin(folder, PLAN)
    (folder / "01 Copy.wav.part").write_bytes(b"x")
    require_target(folder, PLAN, client)
    assert "an unfinished ready copy of another plan lies in it" in refused(folder, client, OTHER)
    end(folder)
    assert not (folder / JOURNAL).exists()
    assert "the folder is not empty" in refused(folder, client)


def test_a_disk_with_too_little_room_is_said_before_anything_is_written(
    tmp_path: Path, client: ClientFiles, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(shutil, "disk_usage", lambda _: SimpleNamespace(free=50_000_000))
    words = refused(tmp_path / "out", client)
    assert "the copies take 67 MB, and 50 MB are free; free some" in words
    monkeypatch.setattr(shutil, "disk_usage", lambda _: SimpleNamespace(free=68_000_000))
    require_target(tmp_path / "out", PLAN, client)


def test_what_is_written_already_needs_no_more_room(
    tmp_path: Path, client: ClientFiles, monkeypatch: pytest.MonkeyPatch
) -> None:
    begin(tmp_path / "out", PLAN)
    (tmp_path / "out" / "01 Copy.wav").write_bytes(bytes(5_000_000))
    monkeypatch.setattr(shutil, "disk_usage", lambda _: SimpleNamespace(free=64_000_000))
    require_target(tmp_path / "out", PLAN, client)


def test_a_plan_of_nothing_and_a_folder_that_cannot_be_made_are_refused(tmp_path: Path, client: ClientFiles) -> None:
    assert "there is nothing to copy" in refused(tmp_path / "out", client, ReadyPlan())
    (tmp_path / "file").write_bytes(b"")
    with pytest.raises(CannotWrite, match="it cannot be made"):
        begin(tmp_path / "file" / "out", PLAN)
