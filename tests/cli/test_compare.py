"""`deep-tally compare`, as a script uses it."""

from __future__ import annotations

import json
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
