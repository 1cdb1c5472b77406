"""Enough bits, and are they used? Findings of the question "depth"."""

from __future__ import annotations

from collections.abc import Iterator

from deep_tally.check.build import about, is_most
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action, Finding

_FLOAT_GRID_MOST = 24


def differs(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Not the common depth or sample format."""
    common = (song.common.sample_format, song.common.bits)
    if None in common:
        return
    for track in song.assessed:
        sound = track.format
        if sound is not None and sound.sample_format != "lossy" and (sound.sample_format, sound.bits) != common:
            yield about("depth.differs", Action.NOTE, track, bits=sound.bits, common_bits=song.common.bits)


def _is_low(track: Track, brief: Brief) -> bool:
    sound = track.format
    return sound is not None and sound.sample_format == "int" and sound.bits is not None and sound.bits < brief.bits_min


def low(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Fewer bits than the brief asks; when all files have the same few, was the song made so?"""
    tracks = [t for t in song.assessed if t.format is not None and t.format.bits is not None]
    below = [t for t in tracks if _is_low(t, brief)]
    if len(below) > 1 and len(below) == len(tracks) and len({t.format.bits for t in below if t.format}) == 1:
        bits = below[0].format.bits if below[0].format else None
        yield about("depth.low", Action.ASK, below, kind="question", bits=bits, wanted_bits=brief.bits_min)
        return
    for track in below:
        if track.format is not None:
            yield about("depth.low", Action.ASK, track, bits=track.format.bits, wanted_bits=brief.bits_min)


def off_brief(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Not a sample format the brief asks for (float where integers are asked, or the reverse)."""
    for track in song.assessed:
        sound = track.format
        if sound is None or sound.sample_format == "lossy" or sound.sample_format in brief.sample_formats:
            continue
        wanted = brief.sample_formats[0]
        yield about("depth.off-brief", Action.ASK, track, sample_format=sound.sample_format, wanted=wanted)


def _is_padded(track: Track, brief: Brief) -> bool:
    if (known := track.heard) is None:
        return False
    sound = known[0]
    used, container_bits = _bits(track), sound.bits
    if not used or container_bits is None:
        return False
    if sound.sample_format == "float":
        return used <= _FLOAT_GRID_MOST
    return used <= container_bits - brief.threshold("depth.padded_spare_bits")


def _bits(track: Track) -> int | None:
    """Bits in use; of a file that was given a gain after it was rounded, those it was rounded to."""
    if track.measures is None:
        return None
    used, grid = track.measures.bits_in_use, track.measures.value_grid
    return min(used, grid.bits) if used and grid is not None else used


def _gain_db(track: Track) -> float | None:
    """The gain a file was given after it was rounded to fewer bits; None where its bits show by themselves."""
    measures = track.measures
    if measures is None or measures.value_grid is None or _bits(track) == measures.bits_in_use:
        return None
    return measures.value_grid.gain_db


def padded(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Fewer bits in use than the container holds."""
    heard = [t for t in song.assessed if t.is_heard]
    found = [t for t in heard if _is_padded(t, brief)]
    poor = [t for t in found if (_bits(t) or 0) < brief.bits_min]
    if is_most(len(poor), len(heard)):
        bits = max(_bits(t) or 0 for t in poor)
        yield about("depth.padded", Action.ASK, poor, kind="question", bits=bits)
        found = [t for t in found if t not in poor]
    for track in found:
        if track.measures is not None and track.format is not None:
            yield about(
                "depth.padded",
                Action.NOTE,
                track,
                bits=_bits(track),
                container_bits=track.format.bits,
                gain_db=_gain_db(track),
            )
