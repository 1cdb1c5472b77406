"""The sheet without widgets."""

from __future__ import annotations

from pathlib import Path

import pytest

from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action
from deep_tally.views.cell_texts import cell_text, heads, length_head
from deep_tally.views.columns import Column
from deep_tally.views.filter import Filter
from deep_tally.views.rows import make_sheet, sort_key
from tracks import findings, intake_of, others, song_of, track


def sheet_of(*tracks: Track):
    song = song_of(tracks)
    delivery = Delivery(source=Path("/x"), name="x", sets=(song,), findings=findings(tracks))
    return make_sheet(intake_of(song.tracks), song.tracks, DEFAULT_BRIEF, delivery)


def test_number_and_title_are_taken_from_the_name() -> None:
    rows = {r.track.path: (r.number, r.title) for r in sheet_of(track("03 Bass.wav"), track("drums/808 Kick.wav")).rows}
    assert rows["03 Bass.wav"] == ("03", "Bass")
    assert rows["drums/808 Kick.wav"] == ("808", "Kick")
    assert rows["Song rough mix.wav"] == ("", "Song rough mix")


def test_rows_of_one_title_show_their_whole_paths() -> None:
    rows = sheet_of(track("dry/1 Voice.wav"), track("wet/2 voice.wav"), track("3 Bass.wav")).rows
    assert [r.title for r in rows[:3]] == ["dry/1 Voice.wav", "wet/2 voice.wav", "Bass"]


def test_a_cell_shows_its_gravest_action() -> None:
    hot = {"sample_peak_by_channel_dbfs": (-1.0,), "dc_offset": (0.2,)}
    row = sheet_of(track("Audio 1.wav", **hot), *others()).rows[0]
    assert row.gravest is Action.ASK
    assert row.action(Column.HEADROOM) is Action.FIX
    assert row.action(Column.RATE) is None


def test_heads_without_a_common_value_say_so() -> None:
    sheet = sheet_of(track(rate_hz=44_100, frames=44_100), track("2 Horn.wav"))
    assert heads(sheet, Column.RATE) == ("Rate", "no common")
    assert length_head(sheet) == ("Length", "no common")


def test_before_anything_is_measured_nothing_is_claimed() -> None:
    tracks = [Track(path="1 Bass.wav", role=Role.TRACKOUT)]
    sheet = make_sheet(intake_of(tracks, name="Salt House 96 BPM"), tracks, DEFAULT_BRIEF, None)
    assert [cell_text(sheet.rows[0], c) for c in Column][1:] == ["not measured"] * 7
    assert heads(sheet, Column.CLIPPING) == ("Clipping", "")
    assert length_head(sheet) == ("Length", "")
    assert sheet.facts.tempo_bpm == 96.0


@pytest.mark.parametrize(
    ("wanted", "kept"),
    [
        (Filter(), 6),
        (Filter(action=Action.ASK), 1),
        (Filter(question="name"), 1),
        (Filter(action=Action.FIX, question="name"), 0),
        (Filter(words="HORN 4"), 1),
        (Filter(words="zz"), 0),
    ],
)
def test_filters(wanted: Filter, kept: int) -> None:
    sheet = sheet_of(track("Audio 1.wav"), *others())
    assert sum(wanted.keeps(r) for r in sheet.rows) == kept


def test_unmeasured_rows_sort_last_whatever_the_column() -> None:
    tracks = [Track(path="0 A.wav", role=Role.TRACKOUT), track("9 Z.wav")]
    rows = make_sheet(intake_of(tracks), tracks, DEFAULT_BRIEF, None).rows
    for column in list(Column)[1:]:
        assert sorted(rows, key=lambda r, c=column: sort_key(r, c))[0].track.path == "9 Z.wav"


def test_a_loudness_that_is_not_defined_is_said_to_be_so() -> None:
    for lufs, words in ((-21.0, "loudness −21.0 LUFS"), (None, "loudness not defined")):
        assert words in cell_text(sheet_of(track(loudness_lufs=lufs)).rows[0], Column.HEADROOM)
