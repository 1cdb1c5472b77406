"""What lies beside the copies, read back by the libraries of their formats."""

from __future__ import annotations

import csv
import io
from dataclasses import replace
from pathlib import Path
from urllib.parse import unquote, urlparse

import mido
import numpy as np
import opentimelineio as otio
import pytest
import soundfile

from deep_tally.model.delivery import SongFacts
from deep_tally.model.errors import CannotWrite
from deep_tally.model.files import Marker
from deep_tally.model.ready import ReadySong
from deep_tally.model.statements import Statement
from deep_tally.model.timeline import MeterStep, TempoStep, Timeline, steady
from deep_tally.names.facts import tempo_in
from deep_tally.ready.hand_over import (
    HandOver,
    SongMarker,
    click_name,
    clicks,
    clips_of,
    edit_list,
    markers_csv,
    markers_of,
    tempo_map,
    write_hand_over,
)
from ready.planned import plan_of
from ready.written import MADE
from tracks import RATE, brief, others, song_of, stereo, track

CHANGING = Timeline(
    tempos=(TempoStep(quarter=0.0, seconds=0.5), TempoStep(quarter=16.0, seconds=0.4)),
    meters=(MeterStep(quarter=0.0), MeterStep(quarter=16.0, beats=3)),
)


def times(data: bytes, *kinds: str) -> list[tuple[float, mido.MetaMessage]]:
    """(seconds, event) by mido, which counts ticks into seconds by the tempo events."""
    file, now, found = mido.MidiFile(file=io.BytesIO(data)), 0.0, []
    for message in file:
        now += message.time
        if message.type in kinds:
            found.append((now, message))
    return found


def test_the_tempo_map_has_every_tempo_and_meter_at_its_time() -> None:
    """Quarter 16 falls on 8 s at 120 BPM, from where 150 BPM hold."""
    events = times(tempo_map(CHANGING, 0.0), "set_tempo", "time_signature")
    assert [(round(at, 6), e.tempo) for at, e in events if e.type == "set_tempo"] == [(0.0, 500_000), (8.0, 400_000)]
    meters = [(round(at, 6), e.numerator, e.denominator) for at, e in events if e.type == "time_signature"]
    assert meters == [(0.0, 4, 4), (8.0, 3, 4)]


@pytest.mark.parametrize("lead_s", [0.3, 5.0, 12.345])
def test_what_lies_before_the_song_is_filled_exactly(lead_s: float) -> None:
    data = tempo_map(steady(96.0), lead_s, (SongMarker(lead_s + 2.5, "bar 2"), SongMarker(lead_s / 2, "before")))
    tempos = times(data, "set_tempo")
    assert tempos[-1][1].tempo == 625_000
    assert tempos[-1][0] == pytest.approx(lead_s, abs=1e-4)
    marked = {e.text: at for at, e in times(data, "marker")}
    assert marked == {
        "bar 2": pytest.approx(lead_s + 2.5, abs=1e-3),
        "before": pytest.approx(lead_s / 2, abs=1e-3),
    }


def test_the_click_strikes_every_beat_alike() -> None:
    samples = clicks(CHANGING, 1.0, 20 * RATE, RATE)[:, 0]
    loud = np.flatnonzero(np.abs(samples) > 1e-4)
    begins = loud[np.flatnonzero(np.diff(loud, prepend=-RATE) > RATE // 10)] / RATE
    wanted = [1 + 0.5 * n for n in range(16)] + [9 + 0.4 * n for n in range(28)]
    assert begins == pytest.approx([at for at in wanted if at < 20], abs=0.001)
    strokes = [samples[round(at * RATE) :][:960] for at in wanted[:40]]
    assert all(np.array_equal(stroke, strokes[0]) for stroke in strokes), "not accented"
    assert np.abs(samples).max() < 0.5


@pytest.mark.parametrize(
    ("bpm", "name"), [(96.0, "Click 96 BPM.wav"), (120.5, "Click 120.5 BPM.wav"), (100.0, "Click 100 BPM.wav")]
)
def test_the_clicks_name_says_the_tempo_as_it_is_read_again(bpm: float, name: str) -> None:
    assert click_name(steady(bpm)) == name
    assert tempo_in(name) == bpm


PLACED = ReadySong(name="Song", folder="", start_s=-2.0, end_s=40.0)


def test_wishes_and_marks_are_in_order_and_count_from_the_copies() -> None:
    marked = track("1 Horn.wav", markers=(Marker(frame=10 * RATE, text="Solo"), Marker(frame=50 * RATE, text="gone")))
    song = song_of([marked, *others()], places={"1 Horn.wav": RATE})
    wish = Statement(note="n.txt", words="louder here", at_s=3.0)
    song = replace(song, statements=(wish, wish, Statement(note="n.txt", words="no place")))
    assert markers_of(song, PLACED) == (SongMarker(5.0, "louder here"), SongMarker(13.0, "Solo"))


def test_markers_are_a_table_without_formulas() -> None:
    rows = list(csv.DictReader(io.StringIO(markers_csv((SongMarker(5.0, "=1+1"), SongMarker(6.5, 'a, "b"'))))))
    assert rows == [{"seconds": "5.000", "text": "'=1+1"}, {"seconds": "6.500", "text": 'a, "b"'}]


def test_the_edit_list_puts_originals_where_they_belong() -> None:
    early = track("1 Horn.wav", first_sound_frame=5 * RATE)
    later = track("1 Tuba #2.wav", frames=20 * RATE, last_sound_frame=19 * RATE)
    song = song_of([early, later, *others()], places={"1 Horn.wav": -6 * RATE, "1 Tuba #2.wav": 4 * RATE})
    plan = plan_of(song=song)
    (placed,) = plan.songs
    assert placed.start_s == -6.0
    sources = {t.path: Path("/sent") / t.path for t in song.tracks}
    text = edit_list("Song", clips_of(placed, plan.copies, sources, song))
    timeline = otio.adapters.read_from_string(text, "otio_json")
    found = {}
    for number, each in enumerate(timeline.tracks):
        assert each.kind == "Audio"
        clip = each.find_clips()[0]
        at = timeline.tracks[number].range_of_child_at_index(len(each) - 1).start_time.to_seconds()
        found[clip.name] = (at, clip.source_range.start_time.to_seconds(), clip.source_range.duration.to_seconds())
        assert unquote(urlparse(clip.media_reference.target_url).path) == f"/sent/{clip.name}"
    assert found["1 Horn.wav"] == (0.0, 0.0, 40.0)
    assert found["1 Tuba #2.wav"] == (10.0, 0.0, 20.0)
    assert found["02 Drum.wav"] == (6.0, 0.0, 40.0)


def test_a_file_that_is_split_is_one_clip() -> None:
    song = song_of([stereo("1 Room.wav"), *others()])
    plan = plan_of(song=song, brief=brief(stereo="two-monos"))
    assert sum("1 Room.wav" in copy.sources for copy in plan.copies) == 2
    sources = {t.path: Path("/sent") / t.path for t in song.tracks}
    rooms = [c for c in clips_of(plan.songs[0], plan.copies, sources, song) if c.name == "1 Room.wav"]
    assert [clip.track for clip in rooms] == ["01 Room L.wav"]


def hand_over(**changes: object) -> HandOver:
    known: dict[str, object] = {
        "song": "Song",
        "folder": "Session",
        "texts": {"Session sheet.html": "<!doctype html>"},
        "timeline": steady(96.0),
        "lead_s": 0.0,
        "markers": (SongMarker(1.0, "here"),),
        "clips": (),
        "frames": 10 * RATE,
        "rate_hz": RATE,
        "time_reference": 7,
    }
    return HandOver(**known | changes)  # type: ignore[arg-type]


def test_all_of_it_lies_in_one_folder(tmp_path: Path) -> None:
    assert write_hand_over(lambda done, total: None, hand_over(), tmp_path, MADE) is None
    names = sorted(p.name for p in (tmp_path / "Session").iterdir())
    assert names == ["Click 96 BPM.wav", "Edit list.otio", "Markers.csv", "Session sheet.html", "Tempo map.mid"]
    click = soundfile.info(tmp_path / "Session" / "Click 96 BPM.wav")
    assert (click.frames, click.channels, click.samplerate, click.subtype) == (10 * RATE, 1, RATE, "PCM_24")


def test_without_a_tempo_there_is_neither_map_nor_click(tmp_path: Path) -> None:
    song = song_of(others(), facts=SongFacts(title="Song"))
    assert song.facts.timeline is None
    write_hand_over(lambda done, total: None, hand_over(timeline=None, markers=()), tmp_path, MADE)
    assert sorted(p.name for p in (tmp_path / "Session").iterdir()) == ["Edit list.otio", "Session sheet.html"]


def test_what_cannot_be_written_is_said(tmp_path: Path) -> None:
    (tmp_path / "Session").write_bytes(b"")
    error = write_hand_over(lambda done, total: None, hand_over(), tmp_path, MADE)
    assert isinstance(error, CannotWrite)
