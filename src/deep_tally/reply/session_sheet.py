"""The sheet for the mix session: a song's facts, its files in working order, each with what is fixed
and what is still open."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from deep_tally.model.delivery import Delivery, SongSet, Track
from deep_tally.model.findings import Action
from deep_tally.names.plan import in_family_order
from deep_tally.reply.action_words import readable
from deep_tally.reply.decision_words import decided_words
from deep_tally.reply.numbers import clock, count, decibels, depth, kilohertz, level, signed
from deep_tally.reply.role_words import role_words
from deep_tally.reply.wording.speaker import Speaker

COLUMNS = ("File", "Part", "Sides", "Peak dBFS", "RMS dBFS", "In the mix dB", "Starts", "Notes")


@dataclass(frozen=True, slots=True, kw_only=True)
class SheetRow:
    """One file, in words: as `COLUMNS`."""

    file: str
    part: str
    sides: str
    peak: str
    rms: str
    in_mix: str
    starts: str
    notes: str

    @property
    def cells(self) -> tuple[str, ...]:
        """In the order of `COLUMNS`."""
        return (self.file, self.part, self.sides, self.peak, self.rms, self.in_mix, self.starts, self.notes)


@dataclass(frozen=True, slots=True, kw_only=True)
class SongSheet:
    """One song.

    Attributes
    ----------
    title : str
    facts : tuple of (label, value)
    rows : tuple of SheetRow
        The parts by family, then what is no part.
    open : tuple of str
        A line each for what is asked and is about no file: what is about one stands in its notes.
    """

    title: str
    facts: tuple[tuple[str, str], ...]
    rows: tuple[SheetRow, ...]
    open: tuple[str, ...]


def session_sheets(delivery: Delivery) -> tuple[SongSheet, ...]:
    """A sheet for each song."""
    speaker = Speaker(delivery)
    return tuple(_sheet(song, delivery, speaker) for song in delivery.sets)


def _sheet(song: SongSet, delivery: Delivery, speaker: Speaker) -> SongSheet:
    findings = [f for f in delivery.findings if f.song == song.name]
    by_path = song.by_path
    parts = in_family_order([t.path for t in song.assessed], song.names)
    others = [t.path for t in song.tracks if t.path not in set(parts)]
    return SongSheet(
        title=readable(song.facts.title or song.name),
        facts=tuple(_facts(song)),
        rows=tuple(_row(by_path[path], song, delivery, speaker) for path in (*parts, *others)),
        open=tuple(readable(speaker.summary(f)) for f in findings if f.action is Action.ASK and not f.files),
    )


def _facts(song: SongSet) -> Iterator[tuple[str, str]]:
    facts, common = song.facts, song.common
    if facts.artist:
        yield "Artist", readable(facts.artist)
    timeline = facts.timeline
    if facts.tempo_bpm:
        changes = len(timeline.tempos) - 1 if timeline is not None else 0
        yield "Tempo", f"{facts.tempo_bpm:g} BPM" + (f", {count(changes, 'change')}" if changes else "")
    if timeline is not None:
        yield "Meter", f"{timeline.meters[0].beats}/{timeline.meters[0].unit}"
    if facts.key:
        yield "Key", readable(facts.key)
    if common.rate_hz:
        yield "Rate", kilohertz(common.rate_hz)
    if common.bits and common.sample_format:
        yield "Depth", depth(common.bits, common.sample_format)
    bars = f", {timeline.bars_at(song.end_s):.1f} bars" if timeline is not None else ""
    yield "Length", f"{clock(song.end_s, digits=3)}{bars}"
    yield "Files", count(len(song.assessed), "part")
    if song.sum_peak is not None:
        yield "All parts together", f"peak {level(song.sum_peak.dbtp, 'dBTP')}"


def _row(track: Track, song: SongSet, delivery: Delivery, speaker: Speaker) -> SheetRow:
    measured, name = track.measured, song.names.get(track.path)
    peak = rms = sides = ""
    if measured is not None:
        sound, measures = measured
        peak, rms = (
            signed(db) if db > -math.inf else "silent" for db in (measures.sample_peak_dbfs, measures.rms_dbfs)
        )
        sides = {1: "mono", 2: "stereo"}.get(sound.channels, f"{sound.channels} ch")
    if name is not None and name.side:
        sides = f"{sides}, {name.side}"
    part = (name.part or "") if name is not None and track.role.is_assessed else role_words(track.role)
    matched = song.in_mix.get(track.path)
    in_mix = signed(matched.level_db) if matched is not None and matched.presence == "in" else ""
    return SheetRow(
        file=readable(track.path),
        part=readable(part),
        sides=sides,
        peak=peak,
        rms=rms,
        in_mix=in_mix,
        starts=_starts(track, song),
        notes=readable("; ".join(_notes(track, song, delivery, speaker))),
    )


def _starts(track: Track, song: SongSet) -> str:
    """Where its first sound is, at its place in the song."""
    heard = track.heard
    if heard is None:
        return ""
    sound, measures = heard
    seconds = (song.placed_frames(track) + (measures.extent.first_sound_frame or 0)) / sound.rate_hz
    timeline = song.facts.timeline
    if timeline is None or seconds < 0:
        return clock(max(0.0, seconds))
    place = timeline.place_at(seconds)
    return f"{place.bar}.{place.beat}"


def _notes(track: Track, song: SongSet, delivery: Delivery, speaker: Speaker) -> Iterator[str]:
    shift = song.placed_frames(track)
    if shift and track.format is not None:
        yield f"belongs {clock(abs(shift) / track.format.rate_hz, digits=3)} {'later' if shift > 0 else 'earlier'}"
    for finding in delivery.findings:
        if track.path in finding.files:
            said = speaker.headline(finding)
            said = _small(said)
            if finding.action is Action.FIX and track.path in finding.mends:
                yield f"{said}: {speaker.mend(finding)}"
            else:
                yield f"{said} (asked)" if finding.action is Action.ASK else said
    for decided in delivery.decided:
        if track.path in decided.finding.files:
            yield f"{_small(speaker.headline(decided.finding))} ({_small(decided_words(decided))})"
    for statement in song.said_of.get(track.path, ()):
        yield f"client: “{statement.words}”"
    level_moved = song.in_mix.get(track.path)
    if level_moved is not None and level_moved.is_inverted:
        yield f"inverted in the mix, {decibels(level_moved.level_db)}"


def _small(words: str) -> str:
    """With a small first letter, unless it begins with an abbreviation."""
    return words if words[1:2].isupper() else f"{words[:1].lower()}{words[1:]}"
