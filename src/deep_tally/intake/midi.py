"""What a MIDI file states of the song: tempo, meter, key, length (Standard MIDI Files 1.0, meta events)."""

from __future__ import annotations

from pathlib import Path

from deep_tally.model.files import MidiFacts

_BYTES_MOST = 8_000_000
_US_PER_MINUTE = 60e6


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
    except (OSError, EOFError, ValueError, KeyError, IndexError, TypeError, LookupError, mido.KeySignatureError):
        return None


def _facts(events: object, ticks_per_beat: int) -> MidiFacts:
    title = meter = key = None
    tempos: list[tuple[int, int]] = []
    ticks = 0
    for event in events:  # type: ignore[attr-defined]
        ticks += event.time
        if event.type == "set_tempo" and event.tempo > 0:
            if not tempos or tempos[-1][1] != event.tempo:
                tempos.append((ticks, event.tempo))
        elif event.type == "time_signature" and meter is None:
            meter = f"{event.numerator}/{event.denominator}"
        elif event.type == "key_signature" and key is None:
            key = _key(event.key)
        elif event.type == "track_name" and title is None and event.name.strip():
            title = event.name.strip()
    beats = ticks / ticks_per_beat if ticks_per_beat > 0 else 0.0
    return MidiFacts(
        title=title,
        tempo_bpm=round(_US_PER_MINUTE / tempos[0][1], 3) if tempos else None,
        tempo_changes=max(0, len(tempos) - 1),
        meter=meter,
        key=key,
        seconds=_seconds(tempos, ticks, ticks_per_beat) if tempos and ticks_per_beat > 0 else None,
        beats=beats,
    )


def _seconds(tempos: list[tuple[int, int]], ticks: int, ticks_per_beat: int) -> float:
    """Length; before the first tempo event its own tempo is taken."""
    total = 0.0
    begins = [0, *(at for at, _ in tempos[1:])]
    ends = [*(at for at, _ in tempos[1:]), ticks]
    for begin, end, (_, tempo) in zip(begins, ends, tempos, strict=True):
        total += (end - begin) / ticks_per_beat * tempo / 1e6
    return total


def _key(name: str) -> str:
    """ "Dm" and "Bb" in words."""
    return f"{name[:-1]} minor" if name.endswith("m") else f"{name} major"
