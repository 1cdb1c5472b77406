"""What is still to come, as the reply and the band say it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from deep_tally.model.delivery import Delivery, SongSet
from deep_tally.model.statements import Statement
from deep_tally.reply.awaited import awaited_words
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.letter import write_letter
from tracks import DEFAULT_BRIEF, findings, others, song_of


def song(*awaited: str, name: str = "Song") -> SongSet:
    said = (Statement(note="n.txt", words="Will send.", awaited=awaited),) if awaited else ()
    return replace(song_of(others(), brief=DEFAULT_BRIEF), statements=said, name=name)


def delivery(*songs: SongSet) -> Delivery:
    return Delivery(source=Path("/x"), name="x", sets=songs, findings=tuple(findings(others())))


def test_nothing_announced_is_nothing_said() -> None:
    assert awaited_words(None) == awaited_words(delivery(song())) == ""
    letter = to_text(write_letter(delivery(song())))
    assert "waiting" not in letter
    assert "I have all I need and can start mixing." in letter


def test_what_is_announced_stands_in_the_reply_and_is_not_called_complete() -> None:
    given = delivery(song("OH right", "cello"))
    assert awaited_words(given) == "Waiting for OH right and cello"
    letter = to_text(write_letter(given))
    assert "You wrote that this is still to come:" in letter
    assert "OH right" in letter
    assert "Cello" in letter
    assert "Apart from what you are still sending, I have all I need." in letter


def test_of_several_songs_each_is_named_or_one_alone_is_meant() -> None:
    given = delivery(song("cello", name="Tide"), song("OH right", name="Moor"))
    assert awaited_words(given) == "Waiting for cello (Tide) and OH right (Moor)"
    assert awaited_words(given, ("Moor",)) == "Waiting for OH right"
    assert "Cello (Tide)" in to_text(write_letter(given))
