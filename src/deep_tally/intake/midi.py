"""What a MIDI file states of the song: tempo, meter, key, length (Standard MIDI Files 1.0, meta events)."""

from __future__ import annotations

from pathlib import Path

from deep_tally.model.files import MidiFacts
from deep_tally.model.timeline import COMMON_TIME, MeterStep, TempoStep, Timeline

_BYTES_MOST = 8_000_000
_NOTES_MOST = 4000
_US_PER_MINUTE = 60e6
_UNTIL_TOLD_US = 500_000
"""120 quarter notes a minute hold until a tempo event says otherwise (Standard MIDI Files 1.0, Set Tempo)."""


def read_midi(path: Path) -> MidiFacts | None:
    """Read a MIDI file; None when it cannot be read or is far larger than a song's."""
    # Here and not above: only a delivery that holds MIDI needs the library.
    import mido

    try:
        if path.stat().st_size > _BYTES_MOST:
            return None
        # `clip` takes data bytes over 127 for what they are not worth: a damaged note costs no tempo.
        file = mido.MidiFile(str(path), clip=True)
        return _facts(mido.merge_tracks(file.tracks), file.ticks_per_beat)
    except Exception:  # noqa: BLE001 - whatever a damaged file provokes costs the facts it would have stated
        return None


def _facts(events: object, ticks_per_beat: int) -> MidiFacts:
    title = key = None
    tempos: list[tuple[int, int]] = []
    meters: list[tuple[int, int, int]] = []
    ticks = 0
    notes: list[int] = []
    for event in events:  # type: ignore[attr-defined]
        ticks += event.time
        if event.type == "set_tempo" and event.tempo > 0:
            if not tempos or tempos[-1][1] != event.tempo:
                tempos.append((ticks, event.tempo))
        elif event.type == "time_signature" and event.numerator > 0:
            if not meters or meters[-1][1:] != (event.numerator, event.denominator):
                meters.append((ticks, event.numerator, event.denominator))
        elif event.type == "key_signature" and key is None:
            key = _key(event.key)
        elif event.type == "track_name" and title is None and event.name.strip():
            title = event.name.strip()
        elif event.type == "note_on" and event.velocity > 0 and len(notes) < _NOTES_MOST:
            notes.append(ticks)
    if ticks_per_beat <= 0:
        return MidiFacts(title=title, key=key)  # ticks are frames of film: no beats to count
    steps = _meters(meters, ticks_per_beat)
    timeline = _timeline(tempos, steps, ticks_per_beat) if tempos else None
    beats = ticks / ticks_per_beat
    return MidiFacts(
        title=title,
        tempo_bpm=round(_US_PER_MINUTE / tempos[0][1], 3) if tempos else None,
        tempo_changes=max(0, len(tempos) - 1),
        meter=f"{meters[0][1]}/{meters[0][2]}" if meters else None,
        key=key,
        seconds=timeline.seconds_at(beats) if timeline is not None else None,
        beats=beats,
        timeline=timeline,
        meters=steps,
        note_quarters=tuple(at / ticks_per_beat for at in notes),
    )


def _timeline(tempos: list[tuple[int, int]], meters: tuple[MeterStep, ...], ticks_per_beat: int) -> Timeline:
    if tempos[0][0] > 0:
        tempos = [(0, _UNTIL_TOLD_US), *tempos]
    # Of several events at one moment the last one holds.
    by_tick = dict(tempos)
    return Timeline(
        tempos=tuple(TempoStep(quarter=at / ticks_per_beat, seconds=us / 1e6) for at, us in by_tick.items()),
        meters=meters or (COMMON_TIME,),
    )


def _meters(meters: list[tuple[int, int, int]], ticks_per_beat: int) -> tuple[MeterStep, ...]:
    """The meters as steps; 4/4 holds before a first one that comes later."""
    by_tick = {at: (beats, unit) for at, beats, unit in meters}
    if by_tick and min(by_tick) > 0:
        by_tick = {0: (COMMON_TIME.beats, COMMON_TIME.unit)} | by_tick
    return tuple(MeterStep(quarter=at / ticks_per_beat, beats=b, unit=u) for at, (b, u) in by_tick.items())


def _key(name: str) -> str:
    """ "Dm" and "Bb" in words."""
    return f"{name[:-1]} minor" if name.endswith("m") else f"{name} major"
