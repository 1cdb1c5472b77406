"""What lies beside the copies of a song for the mix session: its tempo as MIDI, a click, markers, and an edit list.

All of it counts from the first frame of the copies.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from deep_tally.model.delivery import SongSet
from deep_tally.model.errors import CannotWrite, DeepTallyError
from deep_tally.model.phrase import Phrase
from deep_tally.model.ready import Copy, ReadySong
from deep_tally.model.timeline import Timeline
from deep_tally.ready.chunks import wave_file
from deep_tally.ready.rounding import Rounder
from deep_tally.work.atomic import write_atomically
from deep_tally.work.isolated import OnProgress

_TICKS = 960
"""Of a quarter note: what most programs count by (common practice)."""
_MICROSECONDS_MOST = (1 << 24) - 1
"""Of a quarter note, in a tempo event of three bytes (Standard MIDI Files 1.0, FF 51)."""
_CLICK_HZ, _CLICK_S, _CLICK_PEAK = 1000.0, 0.02, 0.25
_MARKERS_MOST = 2000


@dataclass(frozen=True, slots=True)
class SongMarker:
    """A place in the copies, in seconds from their start, and what is said of it."""

    at_s: float
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class EditClip:
    """An original in its place: `begin` counts from the start of the copies, in its own frames."""

    track: str
    name: str
    uri: str
    rate_hz: int
    frames: int
    begin: int


@dataclass(frozen=True, slots=True, kw_only=True)
class HandOver:
    """What lies beside the copies of one song, small enough to be sent to a worker.

    Attributes
    ----------
    song : str
    folder : str
        Inside the target.
    texts : mapping of file name to text
        What is written already, as the sheet for the session.
    timeline : Timeline or None
        None where no tempo is known: then there are neither tempo map nor click.
    lead_s : float
        How much later than the copies the song's first bar begins.
    markers : tuple of SongMarker
    clips : tuple of EditClip
    frames, rate_hz, time_reference : int
        Of most copies.
    """

    song: str
    folder: str
    texts: Mapping[str, str]
    timeline: Timeline | None
    lead_s: float
    markers: tuple[SongMarker, ...]
    clips: tuple[EditClip, ...]
    frames: int
    rate_hz: int
    time_reference: int


def markers_of(song: SongSet, placed: ReadySong) -> tuple[SongMarker, ...]:
    """What the client's notes say of places, and what is marked in the files, in order; each once."""
    found = [SongMarker(s.at_s - placed.start_s, s.words) for s in song.statements if s.at_s is not None]
    for track in song.tracks:
        sound = track.format
        for marker in sound.markers if sound is not None else ():
            at = (marker.frame + song.placed_frames(track)) / sound.rate_hz if sound is not None else 0.0
            found.append(SongMarker(at - placed.start_s, marker.text or track.stem))
    length = placed.end_s - placed.start_s
    kept = {(round(m.at_s, 3), m.text): m for m in found if -1e-3 <= m.at_s <= length}
    return tuple(sorted(kept.values(), key=lambda m: m.at_s))[:_MARKERS_MOST]


def markers_csv(markers: Sequence[SongMarker]) -> str:
    """The markers as a table (RFC 4180)."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow(("seconds", "text"))
    for marker in markers:
        is_formula = marker.text.startswith(("=", "+", "-", "@"))
        writer.writerow((f"{marker.at_s:.3f}", f"'{marker.text}" if is_formula else marker.text))
    return text.getvalue()


def tempo_map(timeline: Timeline, lead_s: float, markers: Sequence[SongMarker] = ()) -> bytes:
    """Tempos, meters and markers as a MIDI file of one track (Standard MIDI Files 1.0).

    Parameters
    ----------
    timeline : Timeline
        Of the song.
    lead_s : float
        How much later than the copies the song's first bar begins: a stretch of quarter notes that fills it exactly
        comes first.
    markers : sequence of SongMarker
    """
    import mido  # only needed where a ready copy is written

    lead, first = _lead(lead_s)
    events: list[tuple[int, int, mido.MetaMessage]] = []

    def add(quarter: float, order: int, kind: str, **said: object) -> None:
        events.append((max(0, round(quarter * _TICKS)), order, mido.MetaMessage(kind, **said)))

    if first is not None:
        add(0, 0, "set_tempo", tempo=_microseconds(first))
    for tempo in timeline.tempos:
        add(lead + tempo.quarter, 0, "set_tempo", tempo=_microseconds(tempo.seconds))
    for meter in timeline.meters:
        add(lead + meter.quarter, 1, "time_signature", numerator=meter.beats, denominator=meter.unit)
    for marker in markers:
        song_s = marker.at_s - lead_s
        quarter = lead + timeline.quarter_at(song_s) if song_s >= 0 or first is None else marker.at_s / first
        add(quarter, 2, "marker", text=marker.text.encode("latin-1", "replace").decode("latin-1"))
    track = mido.MidiTrack()
    before = 0
    for ticks, _, event in sorted(events, key=lambda e: e[:2]):
        track.append(event.copy(time=ticks - before))
        before = ticks
    track.append(mido.MetaMessage("end_of_track", time=0))
    made = io.BytesIO()
    mido.MidiFile(type=0, ticks_per_beat=_TICKS, tracks=[track]).save(file=made)
    return made.getvalue()


def _lead(lead_s: float) -> tuple[int, float | None]:
    """(quarter notes, seconds of each) that fill what lies before the song; none where nothing does."""
    if lead_s <= 0:
        return 0, None
    quarters = max(1, round(lead_s * 2))
    return quarters, lead_s / quarters


def _microseconds(seconds: float) -> int:
    return min(_MICROSECONDS_MOST, max(1, round(seconds * 1e6)))


def clicks(timeline: Timeline, lead_s: float, frames: int, rate_hz: int) -> NDArray[np.float64]:
    """A stroke on every beat from the song's first bar on, all alike [shape=(frames, 1)], full scale 1.0."""
    samples = np.zeros((frames, 1))
    time = np.arange(round(_CLICK_S * rate_hz)) / rate_hz
    stroke = _CLICK_PEAK * np.sin(2 * np.pi * _CLICK_HZ * time) * np.exp(-time / (_CLICK_S / 5))
    stroke = np.rint(stroke * 2.0**23) / 2.0**23
    for when, _ in timeline.beats_between(0.0, frames / rate_hz - lead_s):
        at = round((when + lead_s) * rate_hz)
        part = samples[at : at + len(stroke), 0]
        part[:] = stroke[: len(part)]
    return samples


def click_name(timeline: Timeline) -> str:
    """With the tempo, as the click's name is read again: "Click 96 BPM.wav"."""
    return f"Click {timeline.bpm:.2f}".rstrip("0").rstrip(".") + " BPM.wav"


def clips_of(
    placed: ReadySong, copies: Sequence[Copy], sources: Mapping[str, Path], sent: SongSet
) -> tuple[EditClip, ...]:
    """The sources of a song's copies in their places, each once."""
    found = {}
    for copy in copies:
        for path in copy.sources:
            sound = sent.by_path[path].format
            if sound is not None and path not in found:
                begin = sent.placed_frames(sent.by_path[path]) - round(placed.start_s * sound.rate_hz)
                found[path] = EditClip(
                    track=copy.name.rpartition("/")[2],
                    name=path.rpartition("/")[2],
                    uri=sources[path].absolute().as_uri(),
                    rate_hz=sound.rate_hz,
                    frames=sound.frames,
                    begin=begin,
                )
    return tuple(found.values())


def edit_list(name: str, clips: Sequence[EditClip]) -> str:
    """The originals in their places, as an OpenTimelineIO document: for those who rather do that than take copies.

    A track for each, with a gap before its clip; nothing is folded, turned down or renamed.
    """
    import opentimelineio as otio  # only needed where a ready copy is written

    def time(frames: int, rate_hz: int) -> object:
        return otio.opentime.RationalTime(frames, rate_hz)

    timeline = otio.schema.Timeline(name=name)
    for each in clips:
        skipped = max(0, -each.begin)
        track = otio.schema.Track(name=each.track, kind=otio.schema.TrackKind.Audio)
        if each.begin > 0:
            track.append(otio.schema.Gap(duration=time(each.begin, each.rate_hz)))
        whole = otio.opentime.TimeRange(time(0, each.rate_hz), time(each.frames, each.rate_hz))
        clip = otio.schema.Clip(
            name=each.name, media_reference=otio.schema.ExternalReference(target_url=each.uri, available_range=whole)
        )
        clip.source_range = otio.opentime.TimeRange(
            time(skipped, each.rate_hz), time(each.frames - skipped, each.rate_hz)
        )
        track.append(clip)
        timeline.tracks.append(track)
    return str(otio.adapters.write_to_string(timeline, "otio_json"))


def write_hand_over(progress: OnProgress, hand_over: HandOver, folder: Path, made: datetime) -> DeepTallyError | None:
    """In a worker: write what lies beside the copies of one song; returns what kept it from that."""
    into = folder / hand_over.folder
    try:
        into.mkdir(parents=True, exist_ok=True)
        for name, text in hand_over.texts.items():
            write_atomically(text, into / name)
        if hand_over.markers:
            write_atomically(markers_csv(hand_over.markers), into / "Markers.csv")
        write_atomically(edit_list(hand_over.song, hand_over.clips), into / "Edit list.otio")
        timeline = hand_over.timeline
        if timeline is not None:
            write_atomically(tempo_map(timeline, hand_over.lead_s, hand_over.markers), into / "Tempo map.mid")
            write_atomically(_click_file(hand_over, timeline, made), into / click_name(timeline))
    except OSError as error:
        return CannotWrite(str(into), Phrase("write.failed", why=error.strerror), Phrase("do.other-place"))
    except DeepTallyError as error:
        return error
    return None


def _click_file(hand_over: HandOver, timeline: Timeline, made: datetime) -> bytes:
    frames, rate = hand_over.frames, hand_over.rate_hz
    copy = Copy(
        song=hand_over.song,
        sources=(),
        name=click_name(timeline),
        pieces=(),
        steps=(),
        offset_frames=0,
        frames=frames,
        channels=1,
        rate_hz=rate,
        bits=24,
        time_reference=hand_over.time_reference,
    )
    around = wave_file(copy, made)
    samples = Rounder(copy).stored(clicks(timeline, hand_over.lead_s, frames, rate), ())
    return around.header + samples.tobytes() + around.trailer
