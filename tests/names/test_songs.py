"""Which files belong to one song. Names are made up; what is expected is what a person would say (common practice)."""

from __future__ import annotations

from pathlib import Path

import pytest

from deep_tally.model.files import Entry, Role
from deep_tally.names.roles import read_role
from deep_tally.names.songs import group_songs


def entry(path: str, name: str) -> Entry:
    role = read_role(path, name).role if path.endswith((".wav", ".mp3")) else Role.DOCUMENT
    return Entry(path=path, source=Path("/x") / path, role=role, bytes=1)


def grouped(paths: str, name: str = "Delivery") -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for placed in group_songs([entry(p.strip(), name) for p in paths.strip().splitlines()], name):
        found.setdefault(placed.song, []).append(placed.path)
    return found


TWO_FOLDERS = """
    Night Bus/Kick.wav
    Night Bus/Bass.wav
    Night Bus/Voice.wav
    Salt Road/Kick.wav
    Salt Road/Bass.wav
    Salt Road/Guitar.wav
"""


def test_two_folders_with_parts_of_the_same_names_are_two_songs() -> None:
    assert {song: len(files) for song, files in grouped(TWO_FOLDERS).items()} == {"Night Bus": 3, "Salt Road": 3}


def test_what_lies_beside_goes_to_the_song_whose_words_it_carries() -> None:
    found = grouped(TWO_FOLDERS + "Salt Road rough mix.mp3\nnotes for night bus.txt\nlyrics.txt")
    assert found["Salt Road"][-1] == "Salt Road rough mix.mp3"
    assert found["Night Bus"][-1] == "notes for night bus.txt"
    assert found[""] == ["lyrics.txt"], "a note that names no song is nobody's alone"


@pytest.mark.parametrize(
    "paths",
    [
        "Drums/Kick.wav\nDrums/Snare.wav\nDrums/Hat.wav\nVocals/Lead.wav\nVocals/Double.wav\nVocals/Choir.wav",
        "Wet/Lead.wav\nWet/Choir.wav\nWet/Guitar.wav\nDry/Lead.wav\nDry/Choir.wav\nDry/Guitar.wav",
        "48k WAV/Lead.wav\n48k WAV/Choir.wav\n48k WAV/Bass.wav\nMP3/Lead.mp3\nMP3/Choir.mp3\nMP3/Bass.mp3",
        "Kick.wav\nBass.wav\nVoice.wav\nAnna/Lead.wav\nAnna/Double.wav\nAnna/Low.wav",
        "Kick.wav\nBass.wav\nHat.wav\nAnna/Lead.wav\nAnna/Low.wav\nAnna/Oh.wav\nBen/Lead.wav\nBen/Low.wav\nBen/Oh.wav",
        "Drums/Kick.wav\nDrums/Tom.wav\nDrums/Hat.wav\nVoices/Anna/Lead.wav\nVoices/Anna/Low.wav\nVoices/Anna/Oh.wav"
        "\nVoices/Ben/Lead.wav\nVoices/Ben/Low.wav\nVoices/Ben/Oh.wav",
        "Night_Kick.wav\nNight_Bass.wav\nDay_Voice.wav\nDay_Choir.wav\nHorn.wav",
        "01 - Kick.wav\n02 - Snare.wav\n03 - Bass.wav\n04 - Voice.wav",
        "Gtr - Left.wav\nGtr - Right.wav\nGtr - Solo.wav\nVox - Lead.wav\nVox - Double.wav\nVox - Choir.wav",
    ],
)
def test_folders_and_beginnings_that_only_sort_are_one_song(paths: str) -> None:
    assert list(grouped(paths)) == ["Delivery"]


def test_folders_that_state_a_tempo_or_hold_a_mix_are_songs_whatever_their_parts() -> None:
    found = grouped(
        """
        Night Bus 96 BPM/Kick.wav
        Night Bus 96 BPM/Bass.wav
        Night Bus 96 BPM/Voice.wav
        Salt Road/Cello.wav
        Salt Road/Harp.wav
        Salt Road/Flute.wav
        Salt Road/rough mix.wav
        """
    )
    assert list(found) == ["Night Bus 96 BPM", "Salt Road"]


def test_parts_in_folders_within_a_songs_folder_belong_to_it() -> None:
    found = grouped(
        """
        Night Bus/Drums/Kick.wav
        Night Bus/Drums/Snare.wav
        Night Bus/Voices/Lead.wav
        Salt Road/Drums/Kick.wav
        Salt Road/Drums/Snare.wav
        Salt Road/Voices/Lead.wav
        """
    )
    assert {song: len(files) for song, files in found.items()} == {"Night Bus": 3, "Salt Road": 3}


def test_names_in_one_folder_that_begin_with_two_titles_are_two_songs() -> None:
    found = grouped(
        """
        Night Bus_Kick.wav
        Night Bus_Bass.wav
        Night Bus_Voice.wav
        Salt Road_Kick.wav
        Salt Road_Bass.wav
        Salt Road_Voice.wav
        Salt Road mix.wav
        """
    )
    assert found["Salt Road"][-1] == "Salt Road mix.wav"
    assert len(found["Night Bus"]) == 3


def test_two_folders_of_one_name_are_told_apart_by_what_they_lie_in() -> None:
    found = grouped(
        """
        Monday/Song/Kick.wav
        Monday/Song/Bass.wav
        Monday/Song/Voice.wav
        Friday/Song/Kick.wav
        Friday/Song/Bass.wav
        Friday/Song/Voice.wav
        """
    )
    assert list(found) in (["Monday / Song", "Friday / Song"], ["Monday", "Friday"])


TEMPOS = """
    Kick 92bpm.wav
    Bass 92bpm.wav
    Voice 92bpm.wav
    Snare 120bpm.wav
    Organ 120bpm.wav
    Choir 120bpm.wav
    rough mix 120bpm.wav
    lyrics.txt
"""


def test_names_in_one_folder_that_state_two_tempos_are_two_songs() -> None:
    found = grouped(TEMPOS, "Harbour")
    assert {song: len(files) for song, files in found.items()} == {"Harbour 92 BPM": 3, "Harbour 120 BPM": 4, "": 1}
    assert "rough mix 120bpm.wav" in found["Harbour 120 BPM"]


@pytest.mark.parametrize(
    "paths",
    [
        TEMPOS.replace("120", "184"),  # double tempo is the same to a listener
        TEMPOS.replace("Choir 120bpm", "Choir"),  # two loops that state theirs
        TEMPOS + "Harp.wav\nLute.wav\nGong.wav",  # many that state none
    ],
)
def test_tempos_that_make_no_two_songs(paths: str) -> None:
    assert list(grouped(paths, "Harbour")) == ["Harbour"]


def test_two_titles_are_two_songs_though_no_part_recurs() -> None:
    found = grouped(
        "SilverMeadow_Kick.wav\nSilverMeadow_Bass.wav\nSilverMeadow_Harp.wav\n"
        "NightFerry_Snare.wav\nNightFerry_Organ.wav\nNightFerry_Choir.wav"
    )
    assert {song: len(files) for song, files in found.items()} == {"SilverMeadow": 3, "NightFerry": 3}


@pytest.mark.parametrize("beginnings", [("Anna", "Ben"), ("LeadVox", "NightFerry"), ("Drum Loop", "Bass Loop")])
def test_singers_and_parts_are_no_titles(beginnings: tuple[str, str]) -> None:
    one, other = beginnings
    paths = f"{one}_Low.wav\n{one}_High.wav\n{one}_Oh.wav\n{other}_Ah.wav\n{other}_Ad.wav\n{other}_Hum.wav"
    assert list(grouped(paths)) == ["Delivery"]


@pytest.mark.parametrize(
    ("came_in", "folder", "song"),
    [
        ("Upload", "Salt Road 120 BPM", "Salt Road 120 BPM"),
        ("Upload", "Stems 120 BPM", "Upload"),  # names no song
        ("Upload", "Salt Road", "Upload"),  # nothing says that it is a song's
        ("Salt Road", "Instruments", "Salt Road"),
        ("2026-11-30", "Salt Road", "Salt Road"),
    ],
)
def test_a_song_in_the_only_folder_is_named_by_the_one_that_says_more(came_in: str, folder: str, song: str) -> None:
    files = "\n".join(f"{folder}/{part}.wav" for part in ("Drums/Kick", "Bass", "Voice", "Keys"))
    if folder in ("Instruments", song) and "BPM" not in folder:
        files += f"\n{folder}/Rough mix.wav"  # then the folder is a song's
    assert set(grouped(files, came_in)) == {song}
    assert set(grouped(f"{files}\nExtra.wav", came_in)) == {came_in}
