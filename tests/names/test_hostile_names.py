"""Names that no person types: they are read like others, or as plain text."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deep_tally.model.delivery import SongFacts
from deep_tally.model.files import Entry, Role
from deep_tally.names.plan import make_plan
from deep_tally.names.read import read_names
from deep_tally.names.songs import group_songs
from deep_tally.names.words import natural_key
from searching import examples


def read_all(paths: list[str]) -> None:
    entries = [Entry(path=p, source=None, role=Role.TRACKOUT, bytes=1) for p in paths]  # type: ignore[arg-type]
    sorted(paths, key=natural_key)
    group_songs(entries, "Delivery")
    names = read_names(paths, SongFacts(tempo_bpm=96.0), None)
    make_plan(paths, names, SongFacts(title="Song", tempo_bpm=96.0), pattern="{number} {part} {variant}")


@pytest.mark.parametrize(
    "name",
    [
        "9" * 5000,
        "take " + "9" * 5000,
        "v" + "1" * 5000,
        "9" * 400 + " kick",
        "²³¹",
        "❶",
        "❶ kick",
        "٣٤ kick",
        "\ud800.wav",
        "-" * 9000,
    ],
)
def test_a_strange_name_ends_nothing(name: str) -> None:
    read_all([f"{name}.wav", f"01 {name}.wav", f"{name} 96 BPM/{name} kick.wav"])


def test_long_figures_sort_by_their_value() -> None:
    names = ["2" + "0" * 5000, "1" + "0" * 5000, "007", "7", "10"]
    assert sorted(names, key=natural_key) == ["007", "7", "10", "1" + "0" * 5000, "2" + "0" * 5000]


@settings(max_examples=examples(150), deadline=None)
@given(st.lists(st.text(min_size=1, max_size=30), min_size=1, max_size=5, unique=True))
def test_any_names_can_be_read(names: list[str]) -> None:
    read_all([name.replace("/", "_") + ".wav" for name in names])
