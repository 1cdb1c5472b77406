"""The command as a script uses it: a process of its own, its exit status and its streams."""

from __future__ import annotations

import contextlib
import json
import os
import pty
import resource
import signal
import sqlite3
import subprocess
import sys
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

import jsonschema
import numpy as np
import pytest
import soundfile

from deep_tally.demo.awkward import FOLDER_NAME, write_awkward
from deep_tally.reply.formats.json import schema


def run(*arguments: object, **options: object) -> subprocess.CompletedProcess[str]:
    """The command; a check without the mix match, which takes long and has tests of its own."""
    quick = ("--no-mix-match",) if arguments[:1] == ("check",) else ()
    command = [sys.executable, "-m", "deep_tally", *map(str, (*arguments[:1], *quick, *arguments[1:]))]
    return subprocess.run(command, capture_output=True, text=True, timeout=120, check=False, **options)  # type: ignore[call-overload]


def sound(path: Path, seconds: float = 1.0, *, container: str = "WAV", subtype: str = "PCM_24") -> Path:
    time_s = np.arange(round(seconds * 48_000)) / 48_000
    tone = 0.3 * np.sin(2 * np.pi * 300 * time_s) * np.hanning(len(time_s))
    soundfile.write(path, tone, 48_000, format=container, subtype=subtype)
    return path


def heed_signals() -> None:
    """For a child: tests that run in the background, or under nohup, have signals ignored, and it inherits that."""
    for number in (signal.SIGINT, signal.SIGHUP, signal.SIGTERM):
        signal.signal(number, signal.SIG_DFL)


def wait_for(holds: Callable[[], object], seconds: float = 30.0) -> None:
    deadline = time.monotonic() + seconds
    while not holds():
        assert time.monotonic() < deadline
        time.sleep(0.005)


def test_the_demo_prints_valid_json_with_exit_status_1(demo_folder: Path, tmp_path: Path) -> None:
    reply = tmp_path / "reply.html"
    done = run("check", demo_folder, "--json", "-", "--reply", reply, "--client", "Marit")
    assert done.returncode == 1
    assert done.stderr.splitlines() == [
        "deep-tally: “38 Drum trigger.wav” is probably a trigger (by its name).",
        "deep-tally: Waiting for bandoneon",
    ]
    document = json.loads(done.stdout)
    jsonschema.validate(document, schema())
    assert document["tally"]["ask"] == 15
    assert "Hello Marit" in reply.read_text("utf-8")


def test_a_clean_delivery_has_exit_status_0(tmp_path: Path) -> None:
    write_awkward(tmp_path)
    done = run("check", tmp_path / FOLDER_NAME)
    assert done.returncode == 0
    assert "Ask the client: 0 findings" in done.stdout


def test_the_summary_names_files_and_codes(tmp_path: Path) -> None:
    sound(tmp_path / "Bass.wav")
    (tmp_path / "bad.wav").write_text("only words")
    done = run("check", tmp_path)
    assert done.returncode == 1
    assert "content.damaged" in done.stdout
    assert "bad.wav is incomplete or unreadable: it holds text, not audio." in done.stdout
    assert run("check", tmp_path, "--quiet").stdout == ""


def test_every_file_damaged_is_something_to_ask(tmp_path: Path) -> None:
    (tmp_path / "bad.wav").write_bytes(b"")
    done = run("check", tmp_path, "--json", "-")
    assert done.returncode == 1
    assert [f["code"] for f in json.loads(done.stdout)["findings"] if "damaged" in f["code"]] == ["content.damaged"]


def test_a_given_rough_mix_and_a_brief_count(tmp_path: Path) -> None:
    folder = tmp_path / "Salt House 96 BPM C minor"
    folder.mkdir()
    for name in ("Bass.wav", "Drum.wav"):
        sound(folder / name)
    mix = sound(tmp_path / "kitchen.wav")
    brief = tmp_path / "brief.json"
    brief.write_text('{"schema": 1, "rates": [44100]}')
    done = run("check", folder, "--rough-mix", mix, "--brief", brief, "--json", "-")
    found = [f["code"] for f in json.loads(done.stdout)["findings"]]
    assert "rate.off-brief" in found
    assert "content.no-rough-mix" not in found


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["check", "{tmp}/none"], "there is no such file or folder; check the path."),
        (["check", "{tmp}/empty"], "the folder is empty; choose the folder that holds the files."),
        (["check", "{tmp}/words"], "none of its 1 files is audio; choose the folder"),
        (["check", "{tmp}/one", "--brief", "{tmp}/rate.json"], "rate.json: the brief is refused: rates.0: "),
        (["check", "{tmp}/one", "--brief", "{tmp}/type.json"], "bits_min: "),
        (["check", "{tmp}/one", "--reply", "{tmp}/none/r.txt"], "it cannot be written (No such file or directory)"),
        (["check", "{tmp}/one", "--reply", "{tmp}/r.doc"], "its ending does not say which format to write; end it in"),
        (
            ["check", "{tmp}/one", "--json", "{tmp}/one/Bass.wav"],
            "it is one of the client's files; choose another name.",
        ),
        (["check", "{tmp}/one", "--rough-mix", "{tmp}/no.wav"], "the rough mix is not there; check its path."),
        (["check"], "Missing argument"),
        (["check", "{tmp}/one", "--loud"], "No such option"),
        (["demo", "--write", "/proc/nowhere"], "the demo cannot be written"),
    ],
)
def test_wrong_use_is_one_sentence_and_status_2(tmp_path: Path, arguments: list[str], words: str) -> None:
    (tmp_path / "empty").mkdir()
    (tmp_path / "words").mkdir()
    (tmp_path / "words/n.txt").write_text("x")
    (tmp_path / "one").mkdir()
    before = sound(tmp_path / "one/Bass.wav").read_bytes()
    (tmp_path / "rate.json").write_text('{"schema": 1, "rates": [7]}')
    (tmp_path / "type.json").write_text('{"schema": 1, "bits_min": "many"}')
    done = run(*(a.replace("{tmp}", str(tmp_path)) for a in arguments))
    assert done.returncode == 2
    assert words in done.stderr
    assert "Traceback" not in done.stderr
    assert (tmp_path / "one/Bass.wav").read_bytes() == before


def test_a_file_that_vanishes_costs_only_itself_and_is_never_asked_for(tmp_path: Path) -> None:
    # Gone between listing and reading: the link points nowhere by then.
    sound(tmp_path / "Bass.wav")
    (tmp_path / "Voice.wav").symlink_to(tmp_path / "gone.wav")
    reply = tmp_path.parent / f"{tmp_path.name}.txt"
    done = run("check", tmp_path, "--json", "-", "--reply", reply)
    document = json.loads(done.stdout)
    jsonschema.validate(document, schema())
    assert done.returncode == 2
    assert document["incomplete"] == [
        {
            "what": "measuring",
            "files": ["Voice.wav"],
            "why": "the file is gone",
            "remedy": "put it back and read the delivery again",
        }
    ]
    assert done.stderr == (
        "deep-tally: Voice.wav could not be checked here: the file is gone; put it back and read the delivery again.\n"
    )
    assert not [f for f in document["findings"] if "Voice.wav" in f["files"] and f["action"] == "ask"]
    assert "measures" in next(f for f in document["files"] if f["path"] == "Bass.wav")
    letter = reply.read_text("utf-8")
    assert "gone" not in letter
    assert "I still have to look at one of the files" in letter
    assert str(tmp_path) not in letter


_MUCH = {"address space": resource.RLIMIT_AS, "file size": resource.RLIMIT_FSIZE, "open files": resource.RLIMIT_NOFILE}


@pytest.mark.parametrize(
    ("what", "most"),
    [("address space", 2 << 30), ("address space", 300 << 20), ("file size", 200_000), ("open files", 12)],
)
def test_the_limits_of_the_machine_are_never_the_clients_fault(tmp_path: Path, what: str, most: int) -> None:
    folder = tmp_path / "Song"
    folder.mkdir()
    sound(folder / "Bass.wav")
    sound(folder / "Voice.flac", container="FLAC")
    sound(folder / "Mix.mp3", container="MP3", subtype="MPEG_LAYER_III", seconds=30)

    def limit() -> None:
        resource.setrlimit(_MUCH[what], (most, most))

    reply = tmp_path / "reply.txt"
    done = run("check", folder, "--json", "-", "--reply", reply, preexec_fn=limit)
    assert done.returncode in (1, 2)
    assert "Traceback" not in done.stderr
    if not done.stdout:
        assert (done.returncode, done.stderr.count("\n")) == (2, 1)
        return
    document = json.loads(done.stdout)
    unchecked = {path for i in document["incomplete"] for path in i["files"]}
    assert (done.returncode == 2) is bool(unchecked)
    asked = [f["code"] for f in document["findings"] if f["action"] == "ask"]
    assert "content.damaged" not in asked
    measured = {f["path"] for f in document["files"] if "measures" in f}
    assert measured | unchecked == {"Bass.wav", "Voice.flac", "Mix.mp3"}
    letter = reply.read_text("utf-8")
    assert not [path for path in unchecked if path in letter]
    assert "Please send" not in letter


@pytest.mark.parametrize("where", ["cache", "cache/deep-tally", "cache/deep-tally/measures.sqlite"])
def test_a_cache_that_cannot_be_written_costs_nothing(tmp_path: Path, own_home: Path, where: str) -> None:
    # Something else stands in its place, which stops root too.
    sound(tmp_path / "Bass.wav")
    sound(tmp_path / "Mix.mp3", container="MP3", subtype="MPEG_LAYER_III")
    (own_home / where).parent.mkdir(parents=True, exist_ok=True)
    if where.endswith("sqlite"):
        (own_home / where).mkdir()
    else:
        (own_home / where).write_text("in the way")
    document = json.loads(run("check", tmp_path, "--json", "-").stdout)
    assert document["incomplete"] == []
    assert all("measures" in f for f in document["files"])


def test_a_folder_without_permission_is_this_machines_affair(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    if os.geteuid() == 0:
        pytest.skip("root may read everything")
    sound(tmp_path / "Bass.wav")
    (tmp_path / "Drums").mkdir(mode=0)
    done = run("check", tmp_path)
    assert done.returncode == 2
    assert "Drums could not be opened here: the folder cannot be read (Permission denied); change" in done.stderr


def test_outputs_inside_the_delivery_need_a_wish(tmp_path: Path) -> None:
    folder = tmp_path / "Song"
    folder.mkdir()
    sound(folder / "Bass.wav")
    for option, name in (("--json", "out.json"), ("--reply", "reply.txt")):
        done = run("check", folder, option, folder / name)
        assert done.returncode == 2
        assert "it lies in the client's folder; choose a place outside it." in done.stderr
        assert "add --into-delivery" in done.stderr
        assert not (folder / name).exists()
        assert run("check", folder, option, folder / name, "--into-delivery").returncode == 1
        assert (folder / name).exists()
    done = run("check", folder, "--json", folder / "Bass.wav", "--into-delivery")
    assert "it is one of the client's files" in done.stderr
    assert run("names", folder, "--csv", folder / "n.csv").returncode == 2
    assert not (folder / "n.csv").exists()


def test_a_broken_link_does_not_open_the_other_files_to_being_written_over(tmp_path: Path) -> None:
    folder = tmp_path / "Song"
    folder.mkdir()
    before = sound(folder / "Bass.wav").read_bytes()
    (folder / "0 gone.wav").symlink_to(folder / "nowhere.wav")
    done = run("check", folder, "--json", folder / "Bass.wav", "--into-delivery")
    assert done.returncode == 2
    assert (folder / "Bass.wav").read_bytes() == before


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP, signal.SIGINT])
def test_signals_that_end_the_command_leave_nothing_behind(tmp_path: Path, own_home: Path, number: int) -> None:
    noise = tmp_path / "Noise.wav"
    soundfile.write(noise, np.random.default_rng(1).uniform(-0.5, 0.5, (48_000 * 120, 2)), 48_000, subtype="PCM_24")
    packed = zipped(tmp_path / "upload.zip", noise)
    running = subprocess.Popen(
        [sys.executable, "-m", "deep_tally", "check", "--no-mix-match", str(packed)],
        stderr=subprocess.PIPE,
        text=True,
        preexec_fn=heed_signals,
    )
    wait_for(lambda: any(p.is_file() for f in unpacked_folders(own_home) for p in f.rglob("1.wav")))
    running.send_signal(number)
    _, said = running.communicate(timeout=30)
    words = "cancelled." if number == signal.SIGINT else f"ended by {signal.Signals(number).name}."
    assert said.strip() == f"deep-tally: {words}"
    assert running.returncode == 128 + number
    assert unpacked_folders(own_home) == []


def test_output_that_cannot_be_written_is_one_sentence(tmp_path: Path) -> None:
    sound(tmp_path / "Bass.wav")
    with open("/dev/full", "w") as full:
        for arguments in (["check", tmp_path], ["check", tmp_path, "--json", "-"], ["names", tmp_path]):
            command = [sys.executable, "-m", "deep_tally", *map(str, arguments)]
            done = subprocess.run(command, stdout=full, stderr=subprocess.PIPE, text=True, timeout=60, check=False)
            assert done.returncode == 2
            assert done.stderr == (
                "deep-tally: standard output cannot be written (No space left on device);"
                " free some space and try again.\n"
            )


def test_a_reader_that_leaves_is_no_answer_about_the_delivery(tmp_path: Path) -> None:
    write_awkward(tmp_path)
    command = f"{sys.executable} -m deep_tally check '{tmp_path / FOLDER_NAME}' | true; exit ${{PIPESTATUS[0]}}"
    done = subprocess.run(["bash", "-c", command], capture_output=True, text=True, timeout=60, check=False)
    assert (done.returncode in (0, 2), done.stderr) == (True, "")


@pytest.mark.parametrize("terminal", [{"PYTHONIOENCODING": "ascii"}, {"LC_ALL": "C", "PYTHONUTF8": "0"}])
def test_a_terminal_without_the_letters_ends_nothing(tmp_path: Path, terminal: dict[str, str]) -> None:
    sound(tmp_path / "Bäss ♪.wav")
    done = run("names", tmp_path, "--explain", env=os.environ | {"PYTHONCOERCECLOCALE": "0"} | terminal)
    assert (done.returncode, done.stderr) == (0, "")
    assert "ss " in done.stdout
    done = run("check", tmp_path, "--progress", env=os.environ | {"PYTHONCOERCECLOCALE": "0"} | terminal)
    assert done.returncode == 1
    assert "Traceback" not in done.stderr


def test_an_error_of_our_own_has_a_status_of_its_own_and_a_report(tmp_path: Path, own_home: Path) -> None:
    sound(tmp_path / "Bass.wav")
    code = f"""
import deep_tally.cli.check as check
from deep_tally.cli.main import main
def broken(*a, **k): raise KeyError("tempo of /home/someone")
check.to_json = broken
main(["check", {str(tmp_path)!r}, "--json", "-"])
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=False)
    assert done.returncode == 70
    assert done.stdout == ""
    assert done.stderr.count("\n") == 1
    report = next((own_home / "state" / "deep-tally").glob("error-*.txt"))
    assert str(report) in done.stderr
    assert "KeyError" in report.read_text()


def test_progress_goes_to_standard_error(tmp_path: Path) -> None:
    sound(tmp_path / "Bass.wav")
    sound(tmp_path / "Drum.wav")
    done = run("check", tmp_path, "--json", "-", "--progress")
    json.loads(done.stdout)
    lines = done.stderr.splitlines()
    assert [line[:6] for line in lines] == ["1 of 2", "2 of 2"]
    assert sorted(line[8:] for line in lines) == ["Bass.wav", "Drum.wav"]
    assert run("check", tmp_path, "--json", "-").stderr == ""


def test_on_a_terminal_what_a_file_shows_by_itself_is_said_before_the_others_are_measured(tmp_path: Path) -> None:
    for name in ("Bass.wav", "Drum.wav"):
        sound(tmp_path / name)
    soundfile.write(tmp_path / "Harp.wav", np.zeros(4 * 48_000), 48_000, subtype="PCM_24")  # the largest goes first
    ours, theirs = pty.openpty()
    command = [sys.executable, "-m", "deep_tally", "check", "--no-mix-match", str(tmp_path)]
    with subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=theirs) as process:
        os.close(theirs)
        said = b""
        with contextlib.suppress(OSError):  # what reading says when the last writer has gone
            while piece := os.read(ours, 65536):
                said += piece
    os.close(ours)
    assert process.returncode == 1
    text = said.decode()
    assert text.index("There is no sound in Harp.wav: every sample is zero.") < text.index("comparing the files")


def test_an_interrupt_ends_with_status_130(tmp_path: Path) -> None:
    first = sound(tmp_path / "Bass.wav", 120)
    for number in range(200):
        os.link(first, tmp_path / f"Bass {number}.wav")
    process = subprocess.Popen(
        [sys.executable, "-m", "deep_tally", "check", str(tmp_path), "--progress"],
        stderr=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
        preexec_fn=heed_signals,
    )
    assert process.stderr is not None
    assert " of 201  Bass" in process.stderr.readline()
    process.send_signal(signal.SIGINT)
    _, errors = process.communicate(timeout=30)
    assert process.returncode == 130
    assert errors.strip().splitlines()[-1] == "deep-tally: cancelled."


def test_a_kill_while_measuring_leaves_no_process_and_the_next_start_works(tmp_path: Path) -> None:
    first = sound(tmp_path / "Bass.wav", 60)
    for number in range(12):
        os.link(first, tmp_path / f"Bass {number}.wav")
    process = subprocess.Popen([sys.executable, "-m", "deep_tally", "check", "--no-mix-match", str(tmp_path)])
    children = Path(f"/proc/{process.pid}/task/{process.pid}/children")
    wait_for(lambda: len(children.read_text().split()) >= 2)  # a worker, and what Python keeps beside it
    workers = children.read_text().split()
    process.send_signal(signal.SIGKILL)
    process.wait()
    wait_for(lambda: not any(Path(f"/proc/{w}").exists() for w in workers))
    assert run("check", first).returncode == 1


def test_version_and_help() -> None:
    assert "Deep Tally, version 0." in run("--version").stdout
    assert "demo" in run("--help").stdout
    assert "--rough-mix" in run("check", "-h").stdout


def zipped(path: Path, *members: Path) -> Path:
    with zipfile.ZipFile(path, "w") as archive:
        for member in members:
            archive.write(member, f"Night Bus 96 BPM/{member.name}")
    return path


def unpacked_folders(home: Path) -> list[Path]:
    return list((home / "cache" / "deep-tally" / "unpacked").glob("[!.]*"))


def test_a_zip_is_checked_and_nothing_of_it_is_left(tmp_path: Path, own_home: Path) -> None:
    packed = zipped(tmp_path / "upload.zip", sound(tmp_path / "Bass.wav"), sound(tmp_path / "Voice.wav"))
    before = packed.read_bytes(), packed.stat().st_mtime_ns
    done = run("check", packed, "--json", "-")
    document = json.loads(done.stdout)
    jsonschema.validate(document, schema())
    assert document["delivery"]["source"] == str(packed)
    assert [s["name"] for s in document["delivery"]["sets"]] == ["Night Bus"]
    assert [f["path"] for f in document["files"]] == ["Bass.wav", "Voice.wav"]
    assert (packed.read_bytes(), packed.stat().st_mtime_ns) == before
    assert unpacked_folders(own_home) == []


def test_a_kill_while_unpacking_is_swept_at_the_next_start(tmp_path: Path, own_home: Path) -> None:
    noise = tmp_path / "Noise.wav"
    soundfile.write(noise, np.random.default_rng(1).uniform(-0.5, 0.5, (48_000 * 120, 2)), 48_000, subtype="PCM_24")
    packed = zipped(tmp_path / "upload.zip", noise)
    running = subprocess.Popen([sys.executable, "-m", "deep_tally", "check", "--no-mix-match", str(packed)])
    wait_for(lambda: any(p.is_file() for f in unpacked_folders(own_home) for p in f.rglob("1.wav")))
    running.send_signal(signal.SIGKILL)
    running.wait()
    assert len(unpacked_folders(own_home)) == 1
    assert run("check", sound(tmp_path / "Bass.wav")).returncode == 1
    assert unpacked_folders(own_home) == []


def test_a_second_check_recalls_what_was_measured_and_no_cache_keeps_nothing(tmp_path: Path, own_home: Path) -> None:
    path = sound(tmp_path / "Bass.wav")
    store = own_home / "cache" / "deep-tally" / "measures.sqlite"
    first = run("check", path, "--json", "-", "--no-cache")
    assert not store.exists()
    second, third = (run("check", path, "--json", "-") for _ in range(2))
    assert first.stdout == second.stdout == third.stdout
    with sqlite3.connect(store) as connection:
        assert connection.execute("SELECT COUNT(*) FROM measures").fetchone() == (1,)


def test_the_deliverys_bytes_and_times_are_the_same_after_everything(tmp_path: Path) -> None:
    folder = tmp_path / "Song"
    folder.mkdir()
    sound(folder / "Bass.wav")
    soundfile.write(folder / "Voice.flac", np.zeros(4800), 48_000)
    (folder / "notes.txt").write_text("Tempo: 96")
    zipped(folder / "more.zip", sound(tmp_path / "Horn.wav"))
    before = {p: (p.read_bytes(), p.stat().st_mtime_ns, p.stat().st_mode) for p in sorted(folder.iterdir())}
    run("check", folder, "--json", tmp_path / "out.json", "--reply", tmp_path / "reply.html")
    assert {p: (p.read_bytes(), p.stat().st_mtime_ns, p.stat().st_mode) for p in sorted(folder.iterdir())} == before


def test_a_name_no_encoding_reads_survives_the_round_trip_through_json(tmp_path: Path) -> None:
    sound(tmp_path / "x.wav").rename(tmp_path / os.fsdecode(b"V\xf6ice.wav"))
    done = run("check", tmp_path, "--json", "-")
    path = json.loads(done.stdout)["files"][0]["path"]
    assert os.fsencode(path) == b"V\xf6ice.wav"
    assert (tmp_path / path).exists()
    assert "V�ice.wav" in run("check", tmp_path).stdout


def test_what_a_file_only_seems_to_be_is_said_here_as_in_the_window(tmp_path: Path) -> None:
    (tmp_path / "Song 96 BPM").mkdir()
    for name in ("Bass.wav", "Voice.wav", "Ghost kick.wav"):
        sound(tmp_path / "Song 96 BPM" / name)
    said = run("check", tmp_path / "Song 96 BPM").stderr
    assert "deep-tally: “Ghost kick.wav” is probably a trigger (by its name)." in said
