"""The private folder for a zip's files: never swept while it is used, always swept when its owner is gone."""

from __future__ import annotations

import fcntl
import os
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from deep_tally.intake import unpacked
from deep_tally.intake.unpacked import UnpackFolder, sweep, unpack_folder


@pytest.fixture
def home(own_home: Path) -> Path:
    return own_home / "cache" / "deep-tally" / "unpacked"


def folders(home: Path) -> list[str]:
    return sorted(p.name for p in home.iterdir() if p.name != ".door")


def test_a_folder_in_use_stays_and_is_gone_when_it_is_let_go(home: Path) -> None:
    folder = UnpackFolder()
    (folder.files / "1.wav").write_bytes(b"x")
    sweep()
    assert folders(home) == [folder.path.name]
    folder.remove()
    folder.remove()
    assert folders(home) == []


def test_what_a_killed_owner_left_is_swept_at_once(home: Path) -> None:
    code = "import os; from deep_tally.intake.unpacked import UnpackFolder; f = UnpackFolder(); os.kill(os.getpid(), 9)"
    subprocess.run([sys.executable, "-c", code], check=False)
    (home / "without a lock").mkdir()
    (home / ".dead-half deleted").mkdir()
    assert len(folders(home)) == 3
    sweep()
    assert folders(home) == []


@pytest.mark.parametrize("moment", ["made", "before it is locked"])
def test_no_sweep_takes_a_folder_that_is_being_made(home: Path, monkeypatch: pytest.MonkeyPatch, moment: str) -> None:
    sweeping = threading.Thread(target=sweep)
    real_open, real_flock = os.open, fcntl.flock

    def start() -> None:
        if not sweeping.is_alive() and not sweeping.ident:
            sweeping.start()
            sweeping.join(0.3)

    def opening(path: object, *rest: int) -> int:
        if moment == "made" and str(path).endswith("in-use"):
            start()
        return real_open(path, *rest)  # type: ignore[arg-type]

    def locking(handle: int, how: int) -> None:
        if moment != "made" and how & fcntl.LOCK_NB:
            start()
        real_flock(handle, how)

    monkeypatch.setattr(unpacked.os, "open", opening)
    monkeypatch.setattr(unpacked.fcntl, "flock", locking)
    folder = UnpackFolder()
    sweeping.join()
    assert folders(home) == [folder.path.name]
    assert folder.files.is_dir()
    folder.remove()


def test_where_no_folder_can_be_made_there_is_none(own_home: Path) -> None:
    (own_home / "cache").write_text("in the way")
    with unpack_folder() as into:
        assert into is None
    sweep()
