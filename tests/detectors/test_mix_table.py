"""One small song of the table of the mix match: the table of a dozen is `make detectors`."""

from __future__ import annotations

import pytest

from detectors import mix_table
from detectors.mix_songs import MixSong, song

SECONDS = 14.0


@pytest.fixture(scope="module")
def made() -> tuple[MixSong, MixSong]:
    return song(3, seconds=SECONDS, parts=6), song(9003, seconds=SECONDS, parts=2)


def counted(made: tuple[MixSong, MixSong], kind: str, mode: str) -> mix_table.Figures:
    return mix_table.outcome(*made, 3, kind, mode)


def test_files_and_strangers_are_told_apart(made: tuple[MixSong, MixSong]) -> None:
    figures = counted(made, "as sent", "plain")
    assert dict(figures.counts) == {
        "files": 6,
        "files lost": 0,
        "sure": 6,
        "sure and wrong": 0,
        "strangers": 2,
        "strangers in it": 0,
        "complete deliveries": 1,
        "stretches in them": 0,
        "verdict complete": 1,
    }
    assert len(figures.errors_db) == 6
    assert max(figures.errors_db) < 0.1


def test_moved_files_are_placed_to_the_frame(made: tuple[MixSong, MixSong]) -> None:
    figures = counted(made, "moved files", "plain")
    assert figures.counts["moved"] == 3
    assert figures.counts["sure and wrong"] == 0
    assert figures.counts["moved, found"] >= 2


def test_a_missing_passage_is_framed(made: tuple[MixSong, MixSong]) -> None:
    figures = counted(made, "a missing passage", "plain")
    assert figures.counts["half seconds missing"] >= 5
    assert figures.counts["framed"] >= 0.95 * figures.counts["half seconds missing"]
    assert figures.counts["framed in vain"] <= 0.1 * figures.counts["half seconds whole"]


def test_a_moved_fader_is_noted_and_no_other(made: tuple[MixSong, MixSong]) -> None:
    figures = counted(made, "a moved fader", "plain")
    assert dict(figures.counts) == {"moved faders": 1, "moved faders, noted": 1, "others noted": 0}
