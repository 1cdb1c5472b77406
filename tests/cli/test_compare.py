"""`deep-tally compare`, as a script uses it."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np
import pytest
import soundfile

from cli.test_command import run, sound

PARTS = ("Kick", "Bass", "Voice")


def written(folder: Path, *, clipped: str = "", parts: tuple[str, ...] = PARTS, mix: bool = False) -> Path:
    """Bursts of noise, each part's at times and in a colour of its own, and their sum."""
    folder.mkdir(parents=True)
    total = np.zeros(8 * 48_000)
    for number, part in enumerate(PARTS):
        noise = np.random.default_rng(number)
        level = np.repeat(noise.random(64) ** 3, 6000)
        samples = np.convolve(noise.standard_normal(len(total)), np.ones(4 + 20 * number), "same") * level
        samples[:24_000] = samples[-72_000:] = 0.0
        samples *= 0.3 / np.abs(samples).max() / (1 + number / 3)
        total += samples
        if part in parts:
            written = np.clip(samples * 12, -1, 1) if part == clipped else samples
            soundfile.write(folder / f"{number + 1:02d} {part}.wav", written, 48_000, subtype="PCM_24")
    if mix:
        soundfile.write(folder / "Tide rough mix.wav", np.stack([total, total], axis=1), 48_000, subtype="PCM_24")
    return folder


def test_met_is_status_0_and_not_met_or_newly_broken_status_1(tmp_path: Path) -> None:
    first = written(tmp_path / "Tide 96 BPM", clipped="Bass", mix=True)
    fixed = written(tmp_path / "again" / "Tide 96 BPM", mix=True)
    done = run("compare", first, fixed)
    assert (done.returncode, done.stderr) == (0, "")
    assert "Met: 1 request" in done.stdout
    back = run("compare", fixed, first, "--json", "-")
    assert back.returncode == 1
    document = json.loads(back.stdout)
    assert document["requests"] == []
    assert [f["code"] for f in document["new_findings"]] == ["clipping.baked"]
    assert run("compare", first, first).returncode == 1


def test_what_was_not_sent_again_is_kept_or_not_as_is_said(tmp_path: Path) -> None:
    first = written(tmp_path / "Tide 96 BPM", clipped="Bass")
    part = written(tmp_path / "again", parts=("Bass",))
    states = {}
    for said in ((), ("--whole",), ("--partial",)):
        document = json.loads(run("compare", first, part, "--json", "-", *said).stdout)
        states[said] = (document["partial"], sorted(f["state"] for f in document["files"]))
    assert states[()] == states[("--partial",)] == (True, ["kept", "kept", "replaced"])
    assert states[("--whole",)] == (False, ["gone", "gone", "replaced"])


@pytest.mark.parametrize("second", ["nowhere", "empty"])
def test_nothing_to_compare_with_is_one_sentence(tmp_path: Path, second: str) -> None:
    first = written(tmp_path / "Tide 96 BPM")
    (tmp_path / "empty").mkdir()
    done = run("compare", first, tmp_path / second)
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1
    assert "Traceback" not in done.stderr


def test_rounds_without_a_file_in_common_say_so_file_by_file(tmp_path: Path) -> None:
    first = written(tmp_path / "Tide 96 BPM")
    other = tmp_path / "other"
    other.mkdir()
    sound(other / "Gong.wav", 3.0)
    document = json.loads(run("compare", first, other, "--whole", "--json", "-").stdout)
    assert {f["state"] for f in document["files"]} == {"new", "gone"}


def test_saved_checks_stand_for_their_deliveries(tmp_path: Path) -> None:
    first = written(tmp_path / "Tide 96 BPM", clipped="Bass", mix=True)
    fixed = written(tmp_path / "again" / "Tide 96 BPM", mix=True)
    places = [tmp_path / "one.deeptally", tmp_path / "two.deeptally"]
    assert [run("check", f, "--save", p).returncode for f, p in zip((first, fixed), places, strict=True)] == [1, 0]
    done = run("compare", *places)
    assert (done.returncode, done.stdout) == (0, run("compare", first, fixed).stdout)
    letter = run("reply", places[0])
    assert letter.stdout == run("reply", first).stdout
    assert "02 Bass: distorts" in letter.stdout
    assert run("check", places[0]).stdout == run("check", first).stdout
    shutil.rmtree(first)
    alone = run("reply", places[0])
    assert (alone.returncode, alone.stdout) == (0, letter.stdout)
    assert "The files of this check are not where they were" in alone.stderr
    assert run("compare", *places).returncode == 0


def test_a_check_is_never_saved_over_anything_else(tmp_path: Path) -> None:
    folder = written(tmp_path / "Tide 96 BPM")
    place = tmp_path / "notes.txt"
    place.write_text("dear diary")
    done = run("check", folder, "--save", place)
    assert (done.returncode, place.read_text()) == (2, "dear diary")
    assert "something that is not a saved check lies there; choose another name." in done.stderr
    assert run("check", folder, "--save", folder / "x.deeptally").returncode == 2  # into the client's folder
