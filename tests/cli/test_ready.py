"""`deep-tally ready`, as a script uses it."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile

from cli.test_command import run
from deep_tally.model.corrections import NO_CORRECTIONS
from deep_tally.model.ready import ReadyChoices
from engine.test_ready_run import RATE, SECONDS, hashes, part, written
from said import say


@pytest.fixture
def sent(tmp_path: Path) -> Path:
    """A delivery with same sides in one file."""
    return written(tmp_path / "Tide 96 BPM", _05_Pad=(np.stack([part(5)] * 2, axis=1), "PCM_24"))


def test_without_write_it_prints_the_plan_and_writes_nothing(sent: Path, tmp_path: Path) -> None:
    done = run("ready", sent, "--to", tmp_path / "out")
    assert done.returncode == 0, done.stderr
    assert "05 Pad.wav\n    made mono: both sides are the same\n" in done.stdout
    assert "01 Kick.wav\n    copied as it is\n" in done.stdout
    assert not (tmp_path / "out").exists()
    plan = json.loads(run("ready", sent, "--to", tmp_path / "out", "--json", "-").stdout)
    assert [c["copy"] for c in plan["copies"]][-1] == "05 Pad.wav"
    assert plan["copies"][-1]["sha256_copy"] is None


def test_with_write_it_is_there_and_proved(sent: Path, tmp_path: Path) -> None:
    before = hashes(sent)
    done = run("ready", sent, "--to", tmp_path / "out", "--write")
    assert done.returncode == 0, done.stderr
    assert "All 5 copies were read back: every sample is what the plan says." in done.stderr
    assert "The same checks find nothing left to fix." in done.stderr
    manifest = json.loads((tmp_path / "out" / "manifest.json").read_text("utf-8"))
    planned = json.loads(run("ready", sent, "--to", tmp_path / "other", "--json", "-").stdout)
    for copy in manifest["copies"]:
        for key in ("sha256_copy", "sha256_source"):
            assert len(copy[key]) == 64
            copy[key] = None
    assert manifest == planned
    assert hashes(sent) == before
    assert sorted(p.name for p in (tmp_path / "out").iterdir())[-2:] == ["manifest.csv", "manifest.json"]
    again = run("check", tmp_path / "out", "--json", "-", "--fresh")
    assert [f["code"] for f in json.loads(again.stdout)["findings"] if f["action"] == "fix"] == []


def test_steps_are_taken_alone_or_left_off(sent: Path, tmp_path: Path) -> None:
    def channels(*said: str) -> int:
        plan = json.loads(run("ready", sent, "--to", tmp_path / "out", "--json", "-", *said).stdout)
        return int(plan["copies"][-1]["channels"])

    assert channels() == channels("--only", "fold") == channels("--only", "fold, name") == 1
    assert channels("--without", "fold,dc") == channels("--only", "pad") == 2
    done = run("ready", sent, "--to", tmp_path / "out", "--only", "fold,polish")
    assert done.returncode == 2
    assert "say steps with commas between them (place, join-clips" in done.stderr
    assert run("ready", sent, "--to", tmp_path / "out", "--without", "").returncode == 2


@pytest.mark.parametrize(
    ("said", "container", "subtype", "rate"),
    [
        (("--depth", "16"), "wav", "PCM_16", RATE),
        (("--depth", "32f"), "wav", "FLOAT", RATE),
        (("--container", "flac"), "flac", "PCM_24", RATE),
        (("--rate", "44100"), "wav", "PCM_24", 44_100),
    ],
)
def test_all_copies_are_what_is_asked(
    said: tuple[str, ...], container: str, subtype: str, rate: int, sent: Path, tmp_path: Path
) -> None:
    assert run("ready", sent, "--to", tmp_path / "out", "--write", *said).returncode == 0
    found = [soundfile.info(p) for p in sorted((tmp_path / "out").glob(f"*.{container}"))]
    assert len(found) == 5
    assert {(f.subtype, f.samplerate, f.frames) for f in found} == {(subtype, rate, SECONDS * rate)}


def test_what_was_chosen_in_the_window_holds_unless_the_command_says_otherwise(sent: Path, tmp_path: Path) -> None:
    chosen = ReadyChoices(container="flac", depth="16", rate_hz=44_100, off=("fold",))
    say(sent, replace(NO_CORRECTIONS, ready=chosen))

    def first(*said: str) -> tuple[str, int, int, int]:
        plan = json.loads(run("ready", sent, "--to", tmp_path / "out", "--json", "-", *said).stdout)
        copy = plan["copies"][-1]
        return copy["copy"], copy["bits"], copy["rate"], copy["channels"]

    assert first() == ("05 Pad.flac", 16, 44_100, 2)
    assert first("--container", "wav", "--depth", "24", "--rate", "48000") == ("05 Pad.wav", 24, 48_000, 2)
    assert first("--fresh") == ("05 Pad.wav", 24, 48_000, 1)


def test_conflicts_have_status_1_with_and_without_write(sent: Path, tmp_path: Path) -> None:
    (sent / "more").mkdir()
    soundfile.write(sent / "more" / "05 pad.wav", part(9), RATE, "PCM_24")
    for said in ((), ("--write",)):
        done = run("ready", sent, "--to", tmp_path / "out", "--without", "name", *said)
        assert done.returncode == 1
        assert "Two copies would get the name “05 Pad.wav”: 05 Pad.wav and 05 pad.wav. Give one of them" in done.stderr
        assert not (tmp_path / "out").exists()


def saved(sent: Path, tmp_path: Path) -> Path:
    check = tmp_path / "tide.deeptally"
    assert run("check", sent, "--save", check).returncode in (0, 1)
    return check


def test_a_saved_check_is_written_too_unless_its_files_changed(sent: Path, tmp_path: Path) -> None:
    check = saved(sent, tmp_path)
    assert run("ready", check, "--to", tmp_path / "out", "--write").returncode == 0
    file = sent / "03 Voice.wav"
    status, data = file.stat(), bytearray(file.read_bytes())
    data[len(data) // 3 // 3 * 3 + 44] ^= 1  # where no fingerprint looks
    file.write_bytes(data)
    os.utime(file, ns=(status.st_atime_ns, status.st_mtime_ns))
    done = run("ready", check, "--to", tmp_path / "again", "--write")
    assert done.returncode == 1
    assert "03 Voice.wav: it has changed since it was checked; check the delivery again." in done.stderr
    assert not (tmp_path / "again").exists()
    data[44:60] = b"\1" * 16
    file.write_bytes(data)
    done = run("ready", check, "--to", tmp_path / "again")
    assert done.returncode == 1
    assert "03 Voice.wav" in done.stderr
    # Opened anew, the delivery is what it is now.
    assert run("ready", sent, "--to", tmp_path / "again", "--write").returncode == 0


@pytest.mark.parametrize(
    ("target", "words"),
    [
        (lambda sent, tmp: sent / "ready", "it lies in the client's folder"),
        (lambda sent, tmp: tmp, "the client's files lie in it"),
        (lambda sent, tmp: sent.parent / "full", "the folder is not empty"),
        (lambda sent, tmp: sent.parent / "full" / "file", "it is no folder"),
        (lambda sent, tmp: sent / "01 Kick.wav", "one of the client's files"),
    ],
)
@pytest.mark.parametrize("said", [(), ("--write",)])
def test_a_folder_that_cannot_be_used_is_one_sentence_and_status_2(
    target: Callable[[Path, Path], Path], words: str, said: tuple[str, ...], sent: Path, tmp_path: Path
) -> None:
    (tmp_path / "full").mkdir()
    (tmp_path / "full" / "file").write_bytes(b"x")
    before = hashes(sent)
    done = run("ready", sent, "--to", target(sent, tmp_path), *said)
    assert (done.returncode, words in done.stderr) == (2, True), done.stderr
    assert "Traceback" not in done.stderr
    assert hashes(sent) == before


def test_what_nothing_places_is_left_out_and_stops_nothing(sent: Path, tmp_path: Path) -> None:
    soundfile.write(sent / "06 Horn.wav", part(6)[RATE : 2 * RATE + 24_000], RATE, "PCM_24")
    done = run("ready", sent, "--to", tmp_path / "out", "--write")
    assert done.returncode == 0, done.stderr
    assert "Left out: 1 file\n    06 Horn.wav: nothing says where in the song it belongs" in done.stdout
    assert not list((tmp_path / "out").glob("06*"))


def test_killed_in_the_middle_nothing_half_written_looks_whole_and_it_goes_on(tmp_path: Path) -> None:
    sent = written(tmp_path / "Tide 96 BPM")
    for number in range(5, 30):
        soundfile.write(
            sent / f"{number:02d} Viola {number}.wav", part(number, peak=0.1 + number / 300), RATE, "PCM_24"
        )
    before, out = hashes(sent), tmp_path / "out"
    command = [sys.executable, "-m", "deep_tally", "ready", str(sent), "--to", str(out), "--write"]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)
    try:
        until = time.monotonic() + 100
        while len(list(out.glob("*.wav"))) < 5 and time.monotonic() < until:
            time.sleep(0.005)
    finally:
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()
    assert not (out / "manifest.json").exists()
    assert (out / ".deep-tally-unfinished").exists()
    there = list(out.glob("*.wav"))
    assert 5 <= len(there) < 29
    assert {soundfile.info(p).frames for p in there} == {SECONDS * RATE}
    done = run("ready", sent, "--to", out, "--write")
    assert done.returncode == 0, done.stderr
    assert len(list(out.glob("*.wav"))) == 29
    assert not list(out.glob("*.part"))
    assert hashes(sent) == before
