"""What comes beside the audio: MIDI (bytes and times after the Standard MIDI File definition) and a client's notes."""

from __future__ import annotations

import struct
from pathlib import Path

import pytest

from deep_tally.intake.midi import read_midi
from deep_tally.intake.notes import decode_text
from deep_tally.model.files import MidiFacts
from deep_tally.model.timeline import MeterStep, TempoStep, Timeline
from deep_tally.names.facts import facts_in, read_facts


def number(value: int) -> bytes:
    """A variable-length quantity (Standard MIDI Files 1.0)."""
    out = bytes([value & 0x7F])
    while value := value >> 7:
        out = bytes([value & 0x7F | 0x80]) + out
    return out


def midi(*events: tuple[int, bytes], division: int = 480) -> bytes:
    track = b"".join(number(delta) + event for delta, event in events) + b"\x00\xff\x2f\x00"
    return b"MThd" + struct.pack(">IHHH", 6, 0, 1, division) + b"MTrk" + struct.pack(">I", len(track)) + track


def tempo(us_per_quarter: int) -> bytes:
    return b"\xff\x51\x03" + us_per_quarter.to_bytes(3, "big")


METER_6_8 = b"\xff\x58\x04\x06\x03\x24\x08"
KEY_D_MINOR = b"\xff\x59\x02\xff\x01"  # one flat, minor
NAME = b"\xff\x03\x09Night Bus"
NOTE = b"\x90\x3c\x40"


@pytest.fixture
def path(tmp_path: Path) -> Path:
    return tmp_path / "song.mid"


def test_tempo_meter_key_name_and_length_are_read(path: Path) -> None:
    path.write_bytes(midi((0, NAME), (0, tempo(625_000)), (0, METER_6_8), (0, KEY_D_MINOR), (0, NOTE), (1920, NOTE)))
    # 60,000,000 / 625,000 us a quarter = 96 BPM; 1920 ticks of 480 = 4 quarters = 2.5 s
    six_eight = (MeterStep(quarter=0.0, beats=6, unit=8),)
    timeline = Timeline(tempos=(TempoStep(quarter=0.0, seconds=0.625),), meters=six_eight)
    assert read_midi(path) == MidiFacts(
        title="Night Bus",
        tempo_bpm=96.0,
        meter="6/8",
        key="D minor",
        seconds=2.5,
        beats=4.0,
        timeline=timeline,
        meters=six_eight,
        note_quarters=(0.0, 4.0),
    )


def test_without_a_tempo_event_the_tempo_is_unknown_and_not_120(path: Path) -> None:
    path.write_bytes(midi((0, NOTE), (960, NOTE)))
    facts = read_midi(path)
    assert facts is not None
    assert (facts.tempo_bpm, facts.seconds, facts.beats) == (None, None, 2.0)


def test_changes_of_tempo_count_in_the_length(path: Path) -> None:
    path.write_bytes(midi((0, tempo(500_000)), (960, tempo(1_000_000)), (0, tempo(1_000_000)), (480, NOTE)))
    facts = read_midi(path)
    assert facts is not None
    assert (facts.tempo_bpm, facts.tempo_changes, facts.seconds) == (120.0, 1, 2 * 0.5 + 1 * 1.0)


def test_before_the_first_tempo_event_the_definitions_120_holds(path: Path) -> None:
    path.write_bytes(midi((0, NOTE), (960, tempo(1_000_000)), (480, NOTE)))
    facts = read_midi(path)
    assert facts is not None
    assert facts.timeline is not None
    # two quarters at 500,000 us, one at 1,000,000
    assert (facts.tempo_bpm, facts.seconds) == (60.0, 2.0)
    assert facts.timeline.place_at(1.0).beat == 3


def test_a_tempo_of_no_length_is_passed_over(path: Path) -> None:
    path.write_bytes(midi((0, tempo(0)), (0, NOTE), (960, NOTE)))
    facts = read_midi(path)
    assert facts is not None
    assert (facts.tempo_bpm, facts.timeline) == (None, None)


def test_a_files_map_of_tempos_is_the_songs_where_it_begins_with_the_songs_tempo(path: Path) -> None:
    path.write_bytes(midi((0, tempo(625_000)), (0, METER_6_8), (1920, tempo(500_000)), (480, NOTE)))
    facts = read_midi(path)
    assert facts is not None
    song = read_facts("x", [], [], midi=[facts])
    assert song.tempo_map == facts.timeline
    other = read_facts("x", [], [], midi=[facts], requested_bpm=120.0)
    assert other.timeline is not None
    assert (len(other.timeline.tempos), other.timeline.bpm) == (1, 120.0)
    assert other.timeline.meters[0].beats == 6  # the meter counts all the same


@pytest.mark.parametrize("raw", [b"", b"MThd", b"MThd\0\0\0\6\0\0\0\1\0\0", midi((0, NOTE))[:-6], b"MThd" + bytes(60)])
def test_a_damaged_midi_file_costs_nothing_but_its_facts(path: Path, raw: bytes) -> None:
    path.write_bytes(raw)
    facts = read_midi(path)
    assert facts is None or facts.tempo_bpm is None


@pytest.mark.parametrize(
    ("raw", "text"),
    [
        ("Größe".encode(), "Größe"),
        ("﻿Größe".encode(), "Größe"),
        ("Größe".encode("utf-16"), "Größe"),
        ("Größe".encode("cp1252"), "Größe"),
        (b"a\r\nb\x00\x1b[31m", "a\nb[31m"),
    ],
)
def test_notes_are_read_whatever_they_were_written_with(raw: bytes, text: str) -> None:
    assert decode_text(raw) == text


@pytest.mark.parametrize(
    ("text", "title", "bpm", "key"),
    [
        ("Song: Night Bus\nTempo: 96\nKey: D minor", "Night Bus", 96.0, "D minor"),
        ("Titel = “Nachtbus”\nBPM 128,5\nTonart: fis-moll", "Nachtbus", 128.5, None),
        ("Hi! The song is at 104 bpm in F#m, cheers", None, 104.0, "F# minor"),
        ("key: Bb\ntempo: fast", None, None, "Bb major"),
        ("Tempo: 1200", None, None, None),
        ("nothing of use", None, None, None),
    ],
)
def test_song_tempo_and_key_are_found_in_notes(
    text: str, title: str | None, bpm: float | None, key: str | None
) -> None:
    facts = facts_in(text)
    assert (facts.title, facts.tempo_bpm, facts.key) == (title, bpm, key)


def test_the_tempo_is_taken_from_the_first_that_states_one_and_says_from_where() -> None:
    midi_says = [MidiFacts(tempo_bpm=97.0, key="A minor")]
    notes = ["Tempo: 98\nKey: C major\nSong: Salt Road"]
    stated = {
        "user_bpm": 92.0,
        "requested_bpm": 94.5,
        "midi": midi_says,
        "notes": notes,
        "clicks": ["Click 99.wav"],
        "click_tempos_bpm": [100.004],
    }
    names, comments = ["a.wav", "b 95bpm.wav"], ["96 bpm"] * 3
    expected = [
        ("user_bpm", "set by you", 92.0),
        ("requested_bpm", "the brief", 94.5),
        ("midi", "the MIDI file", 97.0),
        ("comments", "the files' own notes", 96.0),
        ("notes", "the notes", 98.0),
        ("name", "the folder's name", 93.0),
        ("names", "the files' names", 95.0),
        ("click_tempos_bpm", "the click itself", 100.0),
    ]
    name = "Night 93 BPM"
    for key, where, bpm in expected:
        facts = read_facts(name, names, comments, **stated)  # type: ignore[arg-type]
        assert (facts.tempo_from, facts.tempo_bpm) == (where, bpm)
        stated.pop(key, None)
        comments = [] if key == "comments" else comments
        name = "Night" if key == "name" else name
        names = [] if key == "names" else names
    assert read_facts("Night", [], []).tempo_from is None


def test_a_midi_tempo_no_song_has_is_not_taken() -> None:
    facts = read_facts("Night 96 BPM", [], [], midi=[MidiFacts(tempo_bpm=1000.0)])
    assert (facts.tempo_from, facts.tempo_bpm) == ("the folder's name", 96.0)


def test_key_and_title_come_from_notes_before_midi() -> None:
    midi_says = [MidiFacts(tempo_bpm=97.0, key="A minor")]
    notes = ["Tempo: 98\nKey: C major\nSong: Salt Road"]
    facts = read_facts("x", [], [], midi=midi_says, notes=notes)
    assert (facts.title, facts.tempo_bpm, facts.key) == ("Salt Road", 97.0, "C major")


@pytest.mark.parametrize(
    ("sentence", "bpm"),
    [
        ("The tempo is 112, thanks!", 112.0),
        ("92 b.p.m. all the way through", 92.0),
        ("click at 92", 92.0),
        ("Tempo ist 98,5", 98.5),
        ("the tempo was around 120 I think", 120.0),
        ("please keep the tempo. 12 takes", None),
        ("tempo changes at 1:02", None),
        ("tempo 12:30", None),
        ("the tempo is 999", None),
        ("track 112 is too loud", None),
    ],
)
def test_a_tempo_is_read_from_free_sentences(sentence: str, bpm: float | None) -> None:
    assert facts_in(f"Hello,\n{sentence}\nBye").tempo_bpm == bpm


@pytest.mark.parametrize(
    ("folder", "paths", "title"),
    [
        ("for mix", ["SilverMeadow_Kick.wav", "SilverMeadow_Bass.wav", "SilverMeadow_Vox.wav"], "SilverMeadow"),
        (
            "for mix",
            ["01 Silver Meadow - Kick.wav", "02 Silver Meadow - Bass.wav", "03 Silver Meadow - Vox.wav"],
            "Silver Meadow",
        ),
        ("wavs", ["Silver Meadow 96bpm/Kick.wav", "Silver Meadow 96bpm/Bass.wav"], "Silver Meadow"),
        ("Own Title", ["SilverMeadow_Kick.wav", "SilverMeadow_Bass.wav", "SilverMeadow_Vox.wav"], "Own Title"),
        ("x", ["Drums_Kick.wav", "Drums_Snare.wav", "Drums_Hat.wav"], None),
        ("x", ["Audio/Kick.wav", "Audio/Bass.wav", "Audio/Vox.wav"], None),
        ("x", ["Silver Meadow/Kick.wav", "Other/Bass.wav"], None),
    ],
)
def test_a_title_is_taken_from_what_all_names_share_or_the_one_folder(
    folder: str, paths: list[str], title: str | None
) -> None:
    assert read_facts(folder, paths, []).title == title


def test_the_one_folder_inside_states_tempo_and_key() -> None:
    facts = read_facts("wavs", ["Silver Meadow 96bpm Dm/Kick.wav", "Silver Meadow 96bpm Dm/Bass.wav"], [])
    assert (facts.tempo_bpm, facts.key) == (96.0, "D minor")
