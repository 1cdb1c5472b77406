"""Song sets: each has its own common start, length and rate, and its own facts."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import jsonschema

from deep_tally.check.assess import assess
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.files import Entry, Intake, MidiFacts, Role
from deep_tally.reply.formats.json import schema, to_document
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.letter import write_letter
from tracks import intake_of, others, track

SONGS = ("Night Bus 96 BPM", "Salt Road 120 BPM")


def entry(path: str, song: str, role: Role = Role.TRACKOUT, **more: object) -> Entry:
    return Entry(path=path, source=Path("/x") / path, role=role, bytes=1, song=song, **more)  # type: ignore[arg-type]


def two_songs(*extra: Track) -> Delivery:
    tracks = [replace(t, path=f"{SONGS[0]}/{t.path}") for t in others(5)]
    tracks += [replace(t, path=f"{SONGS[1]}/{t.path}") for t in others(5, rate_hz=44_100, frames=40 * 44_100)]
    tracks += extra
    entries = [entry(t.path, t.path.partition("/")[0], t.role) for t in tracks]
    entries += [entry("n.txt", SONGS[0], Role.DOCUMENT, text="Key: D minor")]
    entries += [entry("s.mid", SONGS[1], Role.MIDI, midi=MidiFacts(key="A major", tempo_bpm=121.0))]
    return assess(Intake(source=Path("/x"), name="Two songs", entries=tuple(entries)), tracks, DEFAULT_BRIEF)


def test_each_song_has_its_own_rate_length_and_facts() -> None:
    night, salt = two_songs().sets
    assert (night.common.rate_hz, salt.common.rate_hz) == (48_000, 44_100)
    assert (night.facts.title, night.facts.tempo_bpm, night.facts.key) == ("Night Bus", 96.0, "D minor")
    assert (salt.facts.title, salt.facts.tempo_bpm, salt.facts.key) == ("Salt Road", 121.0, "A major")


def test_two_songs_of_two_rates_are_two_clean_songs_without_rough_mixes() -> None:
    found = two_songs().findings
    assert [(f.code, f.song) for f in found] == [
        ("content.no-rough-mix", SONGS[0]),
        ("name.facts-differ", SONGS[1]),  # its name says 120 BPM, its MIDI 121
        ("content.no-rough-mix", SONGS[1]),
    ]


def test_a_file_is_held_against_its_own_song() -> None:
    odd = track(f"{SONGS[1]}/09 Bass.wav", rate_hz=48_000)
    found = [f for f in two_songs(odd).findings if f.code == "rate.differs"]
    assert [(f.files, f.song) for f in found] == [((odd.path,), SONGS[1])]


def test_the_document_and_the_reply_say_which_song() -> None:
    odd = track(f"{SONGS[1]}/09 Bass.wav", rate_hz=48_000)
    delivery = two_songs(odd)
    document = to_document(delivery)
    jsonschema.validate(document, schema())
    assert [s["name"] for s in document["delivery"]["sets"]] == list(SONGS)
    assert {f["set"] for f in document["findings"]} == set(SONGS)
    text = to_text(write_letter(delivery))
    assert "Your files for “Night Bus” and “Salt Road”" in text
    assert "Arrived for “Night Bus 96 BPM”: 5 tracks" in text
    assert "Salt Road 120 BPM / 09 Bass.wav: 48 kHz" in text
    assert "Night Bus 96 BPM: No rough mix." in text


def test_a_clicks_own_name_states_the_tempo_and_not_its_folder() -> None:
    files = [*others(), track("Clicks 120 BPM/Click 98 BPM.wav", role=Role.CLICK)]
    (song,) = assess(intake_of(files, name="Song"), files, DEFAULT_BRIEF).sets
    assert ("the click's name", 98.0) in song.facts.tempos
    assert ("the click's name", 120.0) not in song.facts.tempos
