"""The demo delivery and the awkward one: every planted fault, every near miss, no false alarm."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path

import numpy as np
import pytest
import soundfile

from conftest import check_folder
from deep_tally.demo.bundle import PLANTED, SECOND_SONG, write_bundle
from deep_tally.demo.delivery import is_current, planted
from deep_tally.demo.exports import EXPORTS
from deep_tally.model.delivery import Delivery
from deep_tally.model.files import Role
from deep_tally.model.findings import Action
from tracks import found_in

PLANTED_FAULTS = [(e.file, code, action) for e in EXPORTS for code, action, _ in e.faults]
BY_MIX = "content.level-moved"
FAULTS = [(file, code, action) for file, code, action in PLANTED_FAULTS if code != BY_MIX]
"""All that is found without the rough mix."""
NEAR_MISSES = [(e.file, code) for e in EXPORTS for code, _ in e.near_misses]


@pytest.mark.parametrize(("file", "code", "action"), FAULTS)
def test_every_planted_fault_is_found_with_its_action(demo: Delivery, file: str, code: str, action: str) -> None:
    found = {f.code: f for f in found_in(demo, file)}
    assert code in found
    assert found[code].action.value == action


@pytest.mark.parametrize(("file", "code"), NEAR_MISSES)
def test_every_near_miss_stays_silent(demo: Delivery, file: str, code: str) -> None:
    assert code not in {f.code for f in found_in(demo, file)}


def test_every_kind_of_fault_has_a_near_miss() -> None:
    kinds = {code for _, code, _ in PLANTED_FAULTS}
    assert len(kinds) >= 26
    assert kinds <= {code for _, code in NEAR_MISSES}


@pytest.mark.mix_match
def test_the_mix_places_what_was_moved_and_tells_what_is_missing(demo_folder: Path) -> None:
    matched = check_folder(demo_folder)
    (song,) = matched.sets
    assert song.mix_match is not None
    assert song.mix_match.verdict == "accounted"
    placed = {path: (p.frames, p.by) for path, p in song.placements.items()}
    # What was cut from the guitar's start is what its file is shorter by than the song.
    guitar = song.by_path["06 Nylon guitar left.wav"].format
    assert guitar is not None
    cut = 40 * 48_000 - guitar.frames
    assert placed == {"06 Nylon guitar left.wav": (cut, "mix"), "37 Bowed saw.wav": (1_070_400, "mix")}
    codes = {f.code: f for f in matched.findings}
    assert codes["start.at-sound"].action is Action.FIX
    assert "start.unplaced" not in codes
    assert codes[BY_MIX].files == ("22 Brushes.wav",)
    # The bandoneon is in the mix, and announced: noted, not asked for.
    missing = codes["content.unaccounted"]
    assert missing.action is Action.NOTE
    assert missing.number_of("", "start_s") < 17.6
    assert missing.number_of("", "stop_s") > 24.9
    group = next(f for f in song.mix_match.files if f.path == "39 Strings bus.wav")
    assert group.presence == "absent"
    extra = {
        (path, f.code)
        for f in matched.findings
        if f.action is Action.ASK
        for path in f.files
        if (path, f.code, f.action.value) not in PLANTED_FAULTS
    }
    assert extra == set()


def test_clean_files_raise_no_ask_and_no_fix(demo: Delivery) -> None:
    clean = planted()["clean"]
    assert isinstance(clean, list)
    assert len(clean) >= 5
    for file in clean:
        assert [f.code for f in found_in(demo, file) if f.action is not Action.NOTE] == []


def test_faulty_files_raise_nothing_that_was_not_planted(demo: Delivery) -> None:
    extra = {
        (path, f.code)
        for f in demo.findings
        if f.action is not Action.NOTE
        for path in f.files
        if (path, f.code, f.action.value) not in FAULTS
    }
    assert extra == set()


def test_the_song_is_known_by_its_folder(demo: Delivery) -> None:
    (song,) = demo.sets
    assert (song.facts.title, song.facts.tempo_bpm, song.facts.key) == ("Lantern Over Brackwater", 96.0, "D minor")
    assert (song.common.rate_hz, song.common.bits, song.common.seconds) == (48_000, 24, 40.0)


def test_the_list_of_faults_lies_beside_the_delivery(demo_folder: Path) -> None:
    assert json.loads((demo_folder.parent / "planted.json").read_text("utf-8")) == planted()


def test_the_awkward_but_clean_delivery_raises_no_ask(awkward: Delivery) -> None:
    assert len(awkward.sets[0].assessed) >= 10
    assert [f.code for f in awkward.findings if f.action is Action.ASK] == []


def test_no_client_file_is_written_to(demo_folder: Path) -> None:
    def state() -> dict[str, tuple[str, int]]:
        return {
            p.name: (hashlib.sha256(p.read_bytes()).hexdigest(), p.stat().st_mtime_ns) for p in demo_folder.rglob("*")
        }

    before = state()
    check_folder(demo_folder)
    assert state() == before


def test_an_mp3_rough_mix_is_recognised_and_fine(tmp_path: Path) -> None:
    folder = tmp_path / "Salt House 96 BPM C minor"
    folder.mkdir()
    time = np.arange(5 * 48_000) / 48_000
    tone = 0.3 * np.sin(2 * np.pi * 220 * time) * np.hanning(len(time))
    soundfile.write(folder / "Bass.wav", tone, 48_000, subtype="PCM_24")
    drum = 0.2 * np.sin(2 * np.pi * 93 * time) * np.hanning(len(time)) ** 2
    soundfile.write(folder / "Drum.wav", drum, 48_000, subtype="PCM_24")
    soundfile.write(folder / "Salt House rough mix.mp3", tone, 44_100)
    delivery = check_folder(folder)
    mix = next(t for t in delivery.tracks if t.path.endswith(".mp3"))
    assert mix.role is Role.ROUGH_MIX
    assert mix.is_heard
    assert [f.code for f in delivery.findings] == []


def test_the_bundle_of_two_songs_shows_what_is_planted_in_it_and_asks_for_nothing_else(tmp_path: Path) -> None:
    delivery = check_folder(write_bundle(tmp_path))
    assert [s.name for s in delivery.sets] == [SECOND_SONG, "Paper Lighthouse 120 BPM A minor"]
    paths = {t.path.rpartition("/")[2]: t.path for s in delivery.sets for t in s.tracks if s.name == SECOND_SONG}
    for planted_at, (code, action) in PLANTED.items():
        found = found_in(delivery, paths[planted_at.rpartition("/")[2]])
        assert (code, action) in {(f.code, f.action.value) for f in found}, planted_at
    asked = {path.rpartition("/")[2] for f in delivery.findings if f.action is Action.ASK for path in f.files}
    assert asked == {"04 Sub.wav", "08 Voice.wav"}


def test_an_earlier_demo_is_known_as_such(tmp_path: Path, demo_folder: Path) -> None:
    assert is_current(demo_folder.parent)
    assert not is_current(tmp_path)
    older = {**planted(), "clean": []}
    (tmp_path / "planted.json").write_text(json.dumps(older), "utf-8")
    assert not is_current(tmp_path)
    (tmp_path / "planted.json").write_text("{", "utf-8")
    assert not is_current(tmp_path)
