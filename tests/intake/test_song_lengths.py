"""Songs told apart by the lengths or rates of their files, and what looks like that and is one song."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile

from deep_tally.intake.walk import take_in

ONE = ("Kick", "Slap bass", "Lead voice", "Organ")
OTHER = ("Snare", "Upright bass", "Choir", "Harp")
RATE = 8_000


def songs(folder: Path, *files: tuple[str, float, int]) -> dict[str, list[str]]:
    home = folder / "Harbour"
    home.mkdir()
    for name, seconds, rate_hz in files:
        soundfile.write(home / name, np.zeros(round(seconds * rate_hz)), rate_hz, subtype="PCM_16")
    found: dict[str, list[str]] = {}
    for entry in take_in([home]).entries:
        found.setdefault(entry.song, []).append(entry.path)
    return found


def named(names: tuple[str, ...], seconds: float, rate_hz: int = RATE) -> list[tuple[str, float, int]]:
    return [(f"{name}.wav", seconds, rate_hz) for name in names]


def test_two_bands_of_two_lengths_are_two_songs_and_their_mixes_go_with_them(tmp_path: Path) -> None:
    mixes = [("rough mix.wav", 12.5, RATE), ("Gong.wav", 9.0, RATE)]
    found = songs(tmp_path, *named(ONE, 8.0), *named(OTHER, 12.0), *mixes)
    assert {song: len(files) for song, files in found.items()} == {"Harbour 0 min 08 s": 5, "Harbour 0 min 12 s": 5}
    assert "rough mix.wav" in found["Harbour 0 min 12 s"]


def test_two_bands_of_two_rates_are_two_songs(tmp_path: Path) -> None:
    files = [(name, 5.0 + n, rate) for n, (name, _, rate) in enumerate(named(ONE, 0, 8_000) + named(OTHER, 0, 16_000))]
    assert set(songs(tmp_path, *files)) == {"Harbour 8 kHz", "Harbour 16 kHz"}


@pytest.mark.parametrize(
    "files",
    [
        named(ONE, 8.0) + named(OTHER[:3], 12.0),  # three files
        named(ONE, 8.0) + named(OTHER, 9.9),  # under two seconds
        named(ONE, 8.0) + named(tuple(f"{n} 2" for n in ONE), 12.0),  # the same parts again: a second export
        named(ONE, 8.0) + named(("Lead voice low", "Choir", "Double", "Ad libs"), 12.0),  # overdubs
        named(ONE, 8.0) + named(OTHER, 12.0) + [(f"Gong {n}.wav", 20.0 + n, RATE) for n in range(3)],  # many besides
        [(name, 5.0 + 3 * n, RATE) for n, (name, _, _) in enumerate(named(ONE + OTHER, 0))],  # every file its own
    ],
)
def test_what_one_song_can_look_like(tmp_path: Path, files: list[tuple[str, float, int]]) -> None:
    assert set(songs(tmp_path, *files)) == {"Harbour"}
