"""What the heads and cells of the sheet say in words: for those who read, copy, or hear them."""

from __future__ import annotations

import math

from deep_tally.check.common import length_difference_s
from deep_tally.model.comparison import MidiPair
from deep_tally.model.files import Entry, MidiFacts, Role
from deep_tally.model.measures import Measures
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.name_words import name_labels
from deep_tally.reply.numbers import clock, count, decibels, depth, kilohertz, listed
from deep_tally.reply.role_words import role_words
from deep_tally.reply.wording.speaker import Speaker
from deep_tally.views.columns import DEFINITIONS, Column
from deep_tally.views.rows import Row, Sheet


def heads(sheet: Sheet, column: Column) -> tuple[str, str]:
    """A column's title and, under it, what most files agree on and how many do."""
    rows = [r for r in sheet.rows if r.track.role.is_assessed]
    asked = [r for r in rows if r.track.format is not None]
    common = sheet.common
    total = len(rows)
    if column is Column.NAME:
        fine = sum(not r.of(column) for r in rows)
        return "Name", f"{fine} of {total} clear" if sheet.is_whole else count(total, "track")
    if column is Column.START_LENGTH:
        return "Start", _together(sheet)
    if column is Column.RATE:
        same = sum(r.track.format is not None and r.track.format.rate_hz == r.common.rate_hz for r in asked)
        return "Rate", _agreed(kilohertz(common.rate_hz) if common.rate_hz else "", str(same), sheet)
    if column is Column.DEPTH:
        same = sum(
            r.track.format is not None
            and (r.track.format.bits, r.track.format.sample_format) == (r.common.bits, r.common.sample_format)
            for r in asked
        )
        text = depth(common.bits, common.sample_format) if common.sample_format else ""
        return "Depth", _agreed(text, str(same), sheet)
    if column is Column.CLIPPING:
        fine = sum(r.is_measured and not r.of(column) for r in rows)
        return "Clipping", f"none in {fine}" if sheet.is_whole else ""
    if column is Column.HEADROOM:
        low, high = sheet.brief.peak_window_dbfs
        return "Headroom", f"peaks {decibels(low, '', digits=0).strip()} to {decibels(high, 'dBFS', digits=0)}"
    if column is Column.CHANNELS:
        stereo = sum(r.track.format is not None and r.track.format.channels == 2 for r in asked)
        return "Sides", f"{stereo} stereo"
    heard = sum(t.is_heard for t in sheet.assessed)
    return "Content", f"sound in {heard}" if asked else ""


def _agreed(value: str, same: str, sheet: Sheet) -> str:
    """What most files agree on; of several songs with values of their own, how many files agree with their song."""
    if not any(r.track.format for r in sheet.rows):
        return ""
    if value:
        return f"{value}, {same}"
    return f"by song, {same}" if len(sheet.songs) > 1 and same != "0" else "no common"


def length_head(sheet: Sheet) -> tuple[str, str]:
    """The second head of the start and length column."""
    asked = [r for r in sheet.rows if r.track.role.is_assessed]
    if not any(r.track.format for r in asked):
        return "Length", ""
    same = sum(
        r.track.format is not None and r.common.seconds is not None and not length_difference_s(r.track, r.common)
        for r in asked
    )
    seconds = sheet.common.seconds
    text = clock(seconds, digits=3) if seconds is not None else ""
    return "Length", _agreed(text, f"{same} of {len(asked)}" if same else "0", sheet)


def _together(sheet: Sheet) -> str:
    if not sheet.is_whole:
        return ""
    apart = sum(any(f.question == "start" for f in r.findings) for r in sheet.rows if r.track.role.is_assessed)
    return f"{len(sheet.assessed) - apart} together"


def companion_text(entry: Entry, plays: MidiPair | None = None) -> str:
    """What a file that is not audio says, in one line; `plays` is the part whose notes a MIDI file has."""
    if entry.midi is not None:
        text = midi_text(entry.midi)
        return f"{plays_text(plays)}  ·  {text}" if plays is not None else text
    if entry.role is Role.MIDI:
        return "it cannot be read as MIDI"
    if entry.text:
        return readable(" ".join(entry.text.split()))
    if entry.beside:
        return f"no audio; some program made it for {readable(entry.beside)}"
    return "a document" if entry.role is Role.DOCUMENT else "no audio, left out"


def plays_text(pair: MidiPair) -> str:
    """ "plays 04 Bass.wav, whose notes begin 12 ms later"."""
    name = readable(pair.track.rpartition("/")[2])
    ms = round(pair.offset_ms)
    if not ms:
        return f"plays {name}, together"
    return f"plays {name}, whose notes begin {abs(ms)} ms {'later' if ms > 0 else 'earlier'}"


def midi_text(midi: MidiFacts) -> str:
    """Tempo, meter, key and length of a MIDI file; what it does not state is said to be unknown."""
    tempo = f"{midi.tempo_bpm:g} BPM" if midi.tempo_bpm else "tempo unknown"
    if midi.tempo_changes:
        tempo += f" at first, {count(midi.tempo_changes, 'change')}"
    length = clock(midi.seconds) if midi.seconds is not None else f"{midi.beats:g} beats"
    return "  ·  ".join(p for p in (tempo, midi.meter, midi.key, length) if p)


def used_bits(measures: Measures) -> int | None:
    """Bits in use; of a file that was given a gain after it was rounded, those it was rounded to."""
    used, grid = measures.bits_in_use, measures.value_grid
    return min(used, grid.bits) if used and grid is not None else used


def cell_text(row: Row, column: Column) -> str:
    """A cell in words: for copying, for screen readers and as the first line of its tooltip."""
    track = row.track
    if column is Column.NAME:
        reason = f", {row.role_reason}" if row.role_reason else ""
        role = "" if track.role is Role.TRACKOUT else f" ({role_words(track.role)}{reason})"
        role += f", {row.song}" if row.song and not track.path.startswith(f"{row.song}/") else ""
        return readable(track.path) + role
    if row.companion is not None:
        return companion_text(row.companion, row.plays) if column is Column.START_LENGTH else "not audio"
    if track.unchecked is not None:
        return f"could not be checked here: {track.unchecked.problem}"
    if not row.is_measured:
        return "not measured"
    if track.format is None or track.measures is None:
        return "cannot be read"
    sound, m = track.format, track.measures
    if column is Column.START_LENGTH:
        first = m.extent.first_sound_frame
        begins = "no sound" if first is None else f"first sound {clock(first / sound.rate_hz, digits=3)}"
        return f"{begins}, length {clock(sound.seconds, digits=3)} ({sound.frames} samples)"
    if column is Column.RATE:
        return kilohertz(sound.rate_hz)
    if column is Column.DEPTH:
        bits = used_bits(m)
        used = f", {bits} in use" if bits and bits != sound.bits else ""
        return depth(sound.bits, sound.sample_format) + used
    if column is Column.CLIPPING:
        return _clip_text(row) or "none"
    if column is Column.HEADROOM:
        if math.isinf(m.sample_peak_dbfs):
            return "silent"
        return (
            f"peak {decibels(m.sample_peak_dbfs, 'dBFS')}, RMS {decibels(m.rms_dbfs, 'dBFS')},"
            f" true peak {decibels(m.true_peak_dbtp, 'dBTP')}"
            f", loudness {decibels(m.loudness_lufs, 'LUFS') if m.loudness_lufs is not None else 'not defined'}"
        )
    if column is Column.CHANNELS:
        if m.sides is None:
            return "mono" if sound.channels == 1 else f"{sound.channels} channels"
        correlation = m.sides.correlation
        return "stereo" + (
            f", correlation {decibels(correlation, '', digits=2).strip()}" if correlation is not None else ""
        )
    return "sound" if m.has_sound else "no sound"


def _clip_text(row: Row) -> str:
    """How many places clip or go over; empty when none does."""
    track, finding = row.track, next(iter(row.of(Column.CLIPPING)), None)
    if track.measures is None:
        return ""
    if finding is not None and finding.code in ("clipping.baked", "clipping.earlier"):
        where = "at full scale" if finding.code == "clipping.baked" else "with a flat top"
        return f"{count(int(finding.number_of(track.path, 'runs')), 'place')} {where}"
    overs, flat = track.measures.overs.count(), track.measures.flat_tops.runs.count()
    text = [count(overs, "place") + " over full scale"] if overs else []
    text += [count(flat, "flat top")] if flat else []
    return listed(text)


def tooltip(row: Row, column: Column, speaker: Speaker | None) -> str:
    """A cell's reading, its findings with evidence, and the definition of what it shows."""
    lines = [cell_text(row, column)]
    if row.companion is not None:
        return "\n\n".join([*lines, "A file that is not audio. Nothing is asked about it."])
    if speaker is not None:
        for finding in row.of(column):
            evidence = readable(speaker.evidence(finding, row.track.path))
            lines.append(
                f"{ACTION_WORDS[finding.action]}: {speaker.headline(finding)}" + (f" ({evidence})" if evidence else "")
            )
    if column is Column.NAME and row.name is not None and row.name.tokens:
        lines.append(name_labels(row.name))
    lines.append(DEFINITIONS[column])
    return "\n\n".join(lines)
