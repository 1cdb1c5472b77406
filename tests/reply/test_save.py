"""Outputs are written whole or not at all, and never over a client's file."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

from deep_tally.model.errors import CannotWrite, InsideDelivery
from deep_tally.model.files import ClientFiles
from deep_tally.reply.page import Block, Page
from deep_tally.reply.save import save_reply
from deep_tally.work import atomic
from deep_tally.work.atomic import sweep_unfinished, write_atomically

PAGE = Page((Block("title", "Your files"), Block("text", "Hello")))


@pytest.mark.parametrize(
    ("name", "start"), [("r.txt", "Your files\n==="), ("r.md", "# Your files"), ("r.HTML", "<!doctype")]
)
def test_the_ending_picks_the_form(tmp_path: Path, name: str, start: str) -> None:
    save_reply(PAGE, tmp_path / name)
    assert (tmp_path / name).read_text("utf-8").startswith(start)
    assert os.listdir(tmp_path) == [name]


def test_an_unknown_ending_is_refused(tmp_path: Path) -> None:
    with pytest.raises(
        CannotWrite, match=r"its ending does not say which format to write; end it in \.txt, \.md, \.html"
    ):
        save_reply(PAGE, tmp_path / "r.doc")
    assert os.listdir(tmp_path) == []


def test_a_missing_folder_is_one_sentence(tmp_path: Path) -> None:
    with pytest.raises(CannotWrite, match=r"it cannot be written .* choose another place"):
        write_atomically("x", tmp_path / "none" / "r.txt")


@pytest.fixture
def sent(tmp_path: Path) -> Path:
    """A client's folder with a note, a broken link, a link in a circle and a file that was deleted meanwhile."""
    folder = tmp_path / "sent"
    (folder / "in").mkdir(parents=True)
    (folder / "in" / "Notes.txt").write_text("theirs")
    (folder / "0 broken.wav").symlink_to(folder / "nowhere.wav")
    (folder / "0 circle.wav").symlink_to(folder / "0 circle.wav")
    return folder


@pytest.fixture
def client(sent: Path) -> ClientFiles:
    names = ("0 broken.wav", "0 circle.wav", "0 gone.wav", "in/Notes.txt")
    return ClientFiles(files=tuple(sent / name for name in names), folders=(sent,))


def _symlink(path: Path, to: Path) -> Path:
    path.symlink_to(to)
    return path


def _hard_link(path: Path, to: Path) -> Path:
    path.hardlink_to(to)
    return path


_WAYS_TO_THE_NOTE = {
    "itself": lambda sent, out: sent / "in" / "Notes.txt",
    "through ..": lambda sent, out: sent / "in" / ".." / "in" / "Notes.txt",
    "a link": lambda sent, out: _symlink(out / "r.txt", sent / "in" / "Notes.txt"),
    "a link to a link": lambda sent, out: _symlink(out / "r.txt", _symlink(out / "q", sent / "in" / "Notes.txt")),
    "a hard link": lambda sent, out: _hard_link(out / "r.txt", sent / "in" / "Notes.txt"),
    "a linked folder": lambda sent, out: _symlink(out / "folder", sent / "in") / "Notes.txt",
    "the place of a file that is gone": lambda sent, out: sent / "0 gone.wav",
    "where a broken link points": lambda sent, out: sent / "nowhere.wav",
    "the broken link": lambda sent, out: sent / "0 broken.wav",
}


@pytest.mark.parametrize("way", _WAYS_TO_THE_NOTE)
@pytest.mark.parametrize("into_delivery", [False, True])
def test_a_clients_file_is_never_replaced(
    tmp_path: Path, sent: Path, client: ClientFiles, way: str, into_delivery: bool
) -> None:
    (tmp_path / "out").mkdir()
    before = sorted(str(p) for p in tmp_path.rglob("*"))
    path = _WAYS_TO_THE_NOTE[way](sent, tmp_path / "out")
    with pytest.raises(CannotWrite, match="it is one of the client's files"):
        write_atomically("mine", path, client=client, into_delivery=into_delivery)
    assert (sent / "in" / "Notes.txt").read_text() == "theirs"
    assert {str(p) for p in tmp_path.rglob("*")} - set(before) <= {
        str(tmp_path / "out" / n) for n in ("r.txt", "q", "folder")
    }


_WAYS_INSIDE = {
    "the folder": lambda sent, out: sent / "Reply.txt",
    "a folder in it": lambda sent, out: sent / "in" / "Reply.txt",
    "through ..": lambda sent, out: out / ".." / "sent" / "Reply.txt",
    "a linked folder": lambda sent, out: _symlink(out / "folder", sent) / "Reply.txt",
    "a linked folder above it": lambda sent, out: _symlink(out / "up", sent.parent) / "sent" / "in" / "Reply.txt",
    "a link to a new file in it": lambda sent, out: _symlink(out / "r.txt", sent / "Reply.txt"),
}


@pytest.mark.parametrize("way", _WAYS_INSIDE)
def test_nothing_is_written_into_a_delivery_unless_that_is_wanted(
    tmp_path: Path, sent: Path, client: ClientFiles, way: str
) -> None:
    (tmp_path / "out").mkdir()
    path = _WAYS_INSIDE[way](sent, tmp_path / "out")
    with pytest.raises(InsideDelivery, match="it lies in the client's folder; choose a place outside it"):
        write_atomically("mine", path, client=client)
    assert not path.exists()
    write_atomically("mine", path, client=client, into_delivery=True)
    assert path.read_text() == "mine"


def test_a_place_beside_the_delivery_is_free(tmp_path: Path, client: ClientFiles) -> None:
    write_atomically("mine", tmp_path / "sent.txt", client=client)
    assert (tmp_path / "sent.txt").read_text() == "mine"


def test_a_link_stays_a_link_and_its_target_is_written(tmp_path: Path, client: ClientFiles) -> None:
    (tmp_path / "real.txt").write_text("before")
    link = _symlink(tmp_path / "link.txt", tmp_path / "real.txt")
    write_atomically("after", link, client=client)
    assert link.is_symlink()
    assert (tmp_path / "real.txt").read_text() == "after"


def test_links_in_a_circle_are_one_sentence(tmp_path: Path) -> None:
    circle = _symlink(tmp_path / "a", tmp_path / "a")
    with pytest.raises(CannotWrite, match="its links lead nowhere; choose another place"):
        write_atomically("x", circle)


_KILLED_WHILE_WRITING = """
import os, sys
from pathlib import Path
from deep_tally.work import atomic
os.replace = lambda *a: os.kill(os.getpid(), 9)
atomic.write_atomically("x", Path(sys.argv[1]))
"""


def test_what_a_killed_process_left_is_swept_and_what_is_being_written_is_not(tmp_path: Path) -> None:
    (tmp_path / "r.txt").write_text("before")
    (tmp_path / ".mine").write_text("hidden, and not ours")
    done = subprocess.run([sys.executable, "-c", _KILLED_WHILE_WRITING, str(tmp_path / "r.txt")], check=False)
    assert done.returncode == -9
    assert len(os.listdir(tmp_path)) == 3
    with atomic.unfinished_in(tmp_path) as (_, path):
        sweep_unfinished()
        assert sorted(os.listdir(tmp_path)) == sorted([".mine", path.name, "r.txt"])
    assert sorted(os.listdir(tmp_path)) == [".mine", "r.txt"]
    assert (tmp_path / "r.txt").read_text() == "before"


def test_a_failure_leaves_what_was_there(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "r.txt"
    path.write_text("before")

    def full(handle: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(CannotWrite, match="No space left on device"):
        write_atomically("after", path)
    assert path.read_text() == "before"
    assert os.listdir(tmp_path) == ["r.txt"]


def test_a_saved_file_can_be_read_by_others(tmp_path: Path) -> None:
    write_atomically("x", tmp_path / "r.txt")
    (tmp_path / "plain").write_text("x")
    assert (tmp_path / "r.txt").stat().st_mode == (tmp_path / "plain").stat().st_mode
