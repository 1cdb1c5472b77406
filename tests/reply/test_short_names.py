"""What files are called in a letter."""

from __future__ import annotations

from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from deep_tally.model.delivery import Delivery
from deep_tally.reply.short_names import cut, short_names
from tracks import song_of, track


def names(*paths: str) -> list[str]:
    delivery = Delivery(source=Path("/x"), name="x", sets=(song_of([track(p) for p in paths], mix=False),), findings=())
    found = short_names(delivery)
    return [found[path] for path in paths]


def test_endings_and_shared_beginnings_are_cut_and_numbers_stay() -> None:
    paths = ("01 Tide - Kick.wav", "02 Tide - Snare.wav", "03 Tide - Bass.wav", "04 Tide - Voice.wav")
    assert names(*paths) == ["01 Kick", "02 Snare", "03 Bass", "04 Voice"]
    assert names("Kick.wav", "Snare.wav") == ["Kick", "Snare"]


def test_folders_are_named_where_names_repeat() -> None:
    assert names("Drums/Room.wav", "Voices/Room.wav", "Kick.wav") == ["Drums / Room.wav", "Voices / Room.wav", "Kick"]
    assert names("Room.wav", "Room.flac") == ["Room.wav", "Room.flac"]


def test_what_only_a_beginning_tells_apart_keeps_it() -> None:
    assert names("Tide Kick.wav", "Tide Snare.wav", "Tide Bass.wav", "Kick.wav")[0] != "Kick"


@given(st.lists(st.text(alphabet="abAB 01_-./é", min_size=1, max_size=12), min_size=1, max_size=8, unique=True))
def test_every_name_names_one_file(paths: list[str]) -> None:
    found = names(*paths)
    assert len(set(found)) == len(found)


def test_a_long_name_is_cut_to_eight_words() -> None:
    assert cut("one two three four five six seven eight nine ten") == "one two three four five six seven …"
    assert cut("one two") == "one two"
