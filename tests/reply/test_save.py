"""Outputs are written whole or not at all, and never over a client's file."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from deep_tally.model.errors import CannotWrite
from deep_tally.reply.page import Block, Page
from deep_tally.reply.save import save_reply
from deep_tally.whole import write_whole

PAGE = Page((Block("title", "Your files"), Block("text", "Hello")))


@pytest.mark.parametrize(
    ("name", "start"), [("r.txt", "Your files\n==="), ("r.md", "# Your files"), ("r.HTML", "<!doctype")]
)
def test_the_ending_picks_the_form(tmp_path: Path, name: str, start: str) -> None:
    save_reply(PAGE, tmp_path / name)
    assert (tmp_path / name).read_text("utf-8").startswith(start)
    assert os.listdir(tmp_path) == [name]


def test_an_unknown_ending_is_refused(tmp_path: Path) -> None:
    with pytest.raises(CannotWrite, match=r"its ending does not tell the form; end it in \.txt, \.md, \.html"):
        save_reply(PAGE, tmp_path / "r.doc")
    assert os.listdir(tmp_path) == []


def test_a_missing_folder_is_one_sentence(tmp_path: Path) -> None:
    with pytest.raises(CannotWrite, match=r"it cannot be written .* choose another place"):
        write_whole("x", tmp_path / "none" / "r.txt")


def test_a_clients_file_is_never_replaced(tmp_path: Path) -> None:
    client = tmp_path / "Notes.txt"
    client.write_text("theirs")
    link = tmp_path / "link.txt"
    link.symlink_to(client)
    for path in (client, link):
        with pytest.raises(CannotWrite, match="it is one of the client's files"):
            write_whole("mine", path, client_files=[client])
    assert client.read_text() == "theirs"


def test_a_failure_leaves_what_was_there(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "r.txt"
    path.write_text("before")

    def full(handle: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(CannotWrite, match="No space left on device"):
        write_whole("after", path)
    assert path.read_text() == "before"
    assert os.listdir(tmp_path) == ["r.txt"]


def test_a_saved_file_can_be_read_by_others(tmp_path: Path) -> None:
    write_whole("x", tmp_path / "r.txt")
    (tmp_path / "plain").write_text("x")
    assert (tmp_path / "r.txt").stat().st_mode == (tmp_path / "plain").stat().st_mode
