"""Lanes without widgets: clips of one part share a row, and what nothing places says so."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from deep_tally.check.registry import tally
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.findings import Action
from deep_tally.views.lanes import Lane, as_rows, make_lanes
from tracks import DEFAULT_BRIEF, RATE, others, song_of, track


def clip(name: str, seconds: float, **changes: object) -> Track:
    frames = round(seconds * RATE)
    sound = {"frames": frames, "first_sound_frame": RATE // 2, "last_sound_frame": frames - RATE // 2}
    return track(name, **{**sound, "rms_dbfs": -30.0 - seconds, **changes})


def made(*tracks: Track, places: dict[str, int] | None = None) -> tuple[tuple[Lane, ...], tuple[Lane, ...]]:
    """The lanes of all files, and the rows."""
    song = song_of([*tracks, *others()], places=places)
    found = tally(song, DEFAULT_BRIEF)
    delivery = Delivery(source=Path("/x"), name="x", sets=(song,), findings=found)
    lanes = make_lanes(song, delivery)
    return lanes, as_rows(lanes, found)


def test_clips_that_nothing_places_stand_one_after_another_on_one_row() -> None:
    clips = [clip("Fiddle 2.wav", 6.0), clip("Fiddle 10.wav", 7.0), clip("Fiddle 1.wav", 5.0)]
    lanes, rows = made(*clips)
    assert len(rows) == len(lanes) - 2
    row = next(r for r in rows if r.clips)
    assert (row.title, row.says, row.action) == ("Fiddle (3 clips)", "places not known", Action.ASK)
    assert [(c.path, c.start_s, c.is_unplaced) for c in row.files] == [
        ("Fiddle 1.wav", 0.0, True),
        ("Fiddle 2.wav", 5.25, True),
        ("Fiddle 10.wav", 11.5, True),
    ]
    assert [c.seconds for c in row.clips] == pytest.approx([5.0, 6.0, 7.0])
    assert rows[0] is row  # in the place of the first of them


def test_clips_with_stamps_stand_where_those_say() -> None:
    hour = 3600 * RATE
    whole = [replace(t, format=replace(t.format, time_reference=hour)) for t in others() if t.format is not None]
    clips = [clip(f"Fiddle {n}.wav", 5.0 + n, time_reference=hour + n * 10 * RATE) for n in (1, 2)]
    song = song_of([*clips, *whole])
    found = tally(song, DEFAULT_BRIEF)
    lanes = make_lanes(song, Delivery(source=Path("/x"), name="x", sets=(song,), findings=found))
    (row,) = [r for r in as_rows(lanes, found) if r.clips]
    assert not any(c.is_unplaced for c in row.clips)
    assert [c.start_s for c in row.clips] == [c.placement.frames / RATE if c.placement else 0.0 for c in row.clips]
    assert row.says != "places not known"


def test_a_single_file_that_nothing_places_stays_a_row_of_its_own() -> None:
    lanes, rows = made(clip("Fiddle.wav", 6.0))
    assert len(rows) == len(lanes)
    assert (rows[0].path, rows[0].is_unplaced) == ("Fiddle.wav", True)
    assert not any(r.is_unplaced for r in rows[1:])
    assert rows[0].files == (rows[0],)


def test_what_the_user_placed_is_unplaced_no_longer() -> None:
    lanes, _ = made(clip("Fiddle.wav", 6.0), places={"Fiddle.wav": 3 * RATE})
    assert (lanes[0].start_s, lanes[0].is_unplaced) == (3.0, False)
