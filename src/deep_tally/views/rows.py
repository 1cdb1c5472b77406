"""The sheet without widgets: what each row and cell says, how rows sort, which ones a filter keeps."""

from __future__ import annotations

import enum
import math
import re
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from types import MappingProxyType
from typing import Literal

from deep_tally.check.assess import facts_of, in_asked_roles
from deep_tally.check.common import find_common, length_difference_s
from deep_tally.intake.folders import natural_key
from deep_tally.intake.words import stem_of
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import Common, Delivery, SongFacts, Track
from deep_tally.model.files import Entry, Intake, MidiFacts, Role
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import Measures
from deep_tally.model.names import ParsedName
from deep_tally.names.plan import layout_key
from deep_tally.names.read import read_names
from deep_tally.names.ties import ties_of
from deep_tally.names.vocabulary import Vocabulary
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.name_words import name_labels
from deep_tally.reply.numbers import clock, count, decibels, depth, kilohertz, listed
from deep_tally.reply.wording.speaker import Speaker

_NUMBER = re.compile(r"^(\d{1,3})[\s_.\-)]+(?=\S)")


class Column(enum.IntEnum):
    """The columns, in the order an engineer asks. Start and length are one drawn column with two heads."""

    NAME = 0
    START_LENGTH = 1
    RATE = 2
    DEPTH = 3
    CLIPPING = 4
    HEADROOM = 5
    CHANNELS = 6
    CONTENT = 7


QUESTIONS_OF: Mapping[Column, tuple[str, ...]] = MappingProxyType(
    {
        Column.NAME: ("name",),
        Column.START_LENGTH: ("start", "length"),
        Column.RATE: ("rate",),
        Column.DEPTH: ("depth",),
        Column.CLIPPING: ("clipping",),
        Column.HEADROOM: ("headroom",),
        Column.CHANNELS: ("channels",),
        Column.CONTENT: ("content",),
    }
)
SortBy = Literal["reading", "length", "action", "family"]
SORTS: tuple[tuple[str, Column, SortBy], ...] = (
    ("Name", Column.NAME, "reading"),
    ("Family", Column.NAME, "family"),
    ("Who must act", Column.NAME, "action"),
    ("Start", Column.START_LENGTH, "reading"),
    ("Length", Column.START_LENGTH, "length"),
    ("Rate", Column.RATE, "reading"),
    ("Depth", Column.DEPTH, "reading"),
    ("Clipping", Column.CLIPPING, "reading"),
    ("Headroom", Column.HEADROOM, "reading"),
    ("Sides", Column.CHANNELS, "reading"),
    ("Content", Column.CONTENT, "reading"),
)
"""Ways to sort: words, column, and by what of it."""
SHORT_WORDS: Mapping[str, str] = MappingProxyType(
    {
        "start.at-sound": "own start",
        "start.set-at-sound": "own start",
        "start.offset": "placed",
        "start.click-off-bar": "off bar 1",
        "start.stamp-differs": "placed by stamp",
        "start.stamp-partial": "no stamp",
        "start.cut-in": "cut in",
        "start.codec-delay": "late by codec",
        "length.short": "short",
        "length.ends-differ": "trimmed",
        "length.tail-room": "no room",
        "length.long": "long",
        "length.tail-cut": "cut",
        "length.set-cut": "cut",
        "length.loop-not-bars": "no bars",
        "length.click-short": "stops early",
        "channels.same": "same",
        "channels.panned-mono": "panned",
        "channels.one-side": "one side",
        "channels.opposed": "cancel",
        "channels.near-mono": "alike",
        "channels.split-pair": "a pair",
        "channels.unrelated": "apart",
        "channels.many": "many",
        "content.damaged": "damaged",
        "content.empty": "no sound",
        "content.nonfinite": "bad values",
        "content.dropout": "gaps",
        "content.lossy": "lossy",
        "content.lossy-origin": "was lossy",
        "content.twin": "twin",
        "content.holds-another": "two in one",
        "content.sum-of": "a sum",
        "content.two-exports": "other export",
        "content.hum": "hum",
        "content.several-mixes": "which one?",
    }
)
"""A word or two for the cell; a code without one shows its number there."""


def short_word(finding: Finding) -> str:
    """The word for a cell; a note on a file that can be read whole does not call it damaged."""
    if finding.code == "content.damaged" and finding.action is Action.NOTE:
        return "odd header"
    if finding.code == "content.dropout" and finding.action is Action.NOTE:
        return "gated"
    return SHORT_WORDS.get(finding.code, "")


DEFINITIONS: Mapping[Column, str] = MappingProxyType(
    {
        Column.NAME: "The file's name inside the delivery. It should say what plays, on every system.",
        Column.START_LENGTH: "Where sound is, on the time axis that all files share. First and last sound: the first"
        " and last frame over the file's own floor (docs/measures.md). The lines mark the common start and end.",
        Column.RATE: "Sample rate in kHz, as the file states it.",
        Column.DEPTH: "Bits of a sample as stored; dark strokes are the bits in use over the whole file.",
        Column.CLIPPING: "Runs of 3 and more samples at full scale (fixed point), or samples beyond full scale (float),"
        " where they lie in the file and how many there are.",
        Column.HEADROOM: "From RMS (AES17: a full-scale sine reads 0 dBFS) to sample peak, both in dBFS; the band is"
        " the window the brief asks for.",
        Column.CHANNELS: "How the two sides relate: a stroke is mono, a loop's width the sides' difference,"
        " a lying stroke sides that cancel.",
        Column.CONTENT: "Whether there is sound in the file, whole and readable.",
    }
)


def number_of(track: Track) -> str:
    """The track number a file's name begins with; empty without one."""
    match = _NUMBER.match(track.stem)
    return match[1] if match else ""


def bare_title(path: str) -> str:
    """A file's name without number and ending."""
    return _NUMBER.sub("", stem_of(path))


@dataclass(frozen=True, slots=True)
class Row:
    """One file as the sheet shows it.

    Attributes
    ----------
    common : Common
        What most files of its song agree on.
    is_alone : bool
        Whether no other row has the same title: else folder and ending must tell them apart.
    song : str
        Its song, where files of several are shown together; else empty.
    companion : Entry or None
        For a file that is not audio: what is known of it. Nothing is asked about it.
    name : ParsedName or None
        What is understood of its name.
    tie : str
        What it shares with its other side or other form (dry, wet); empty where it stands alone.
    """

    track: Track
    findings: tuple[Finding, ...]
    is_measured: bool
    common: Common
    is_alone: bool = True
    song: str = ""
    companion: Entry | None = None
    name: ParsedName | None = None
    tie: str = ""

    @property
    def number(self) -> str:
        """The track number its name begins with; empty without one."""
        return number_of(self.track) if self.companion is None else ""

    @property
    def title(self) -> str:
        """The name without number and ending, fit to be shown; the whole path where that is not enough."""
        if self.companion is not None:
            return readable(self.track.path.rpartition("/")[2])
        return readable(bare_title(self.track.path) if self.is_alone else self.track.path)

    @property
    def gravest(self) -> Action | None:
        """The gravest action of all its findings."""
        return max((f.action for f in self.findings), key=lambda a: a.gravity, default=None)

    def of(self, column: Column) -> tuple[Finding, ...]:
        """Its findings in one column, the gravest first."""
        if not self.findings:
            return ()
        found = [f for f in self.findings if f.question in QUESTIONS_OF[column]]
        return tuple(sorted(found, key=lambda f: -f.action.gravity)) if len(found) > 1 else tuple(found)

    def action(self, column: Column) -> Action | None:
        """The gravest action in a cell."""
        found = self.of(column)
        return found[0].action if found else None


@dataclass(frozen=True, slots=True)
class Sheet:
    """All rows with what they share.

    Attributes
    ----------
    common : Common
        What most files of the song agree on; of several songs, what is common to all of them.
    axis_s : float
        Length of the shared time axis in seconds.
    delivery : Delivery or None
        What is found: all, or what the measured files show by themselves so far.
    facts : SongFacts
        Of the song; nothing where there are several.
    songs : tuple of str
        The songs whose files are shown.
    is_whole : bool
        Whether all is found; before that, no head claims what the files agree on in what was found.
    """

    rows: tuple[Row, ...]
    common: Common
    axis_s: float
    brief: Brief
    delivery: Delivery | None
    facts: SongFacts
    songs: tuple[str, ...]
    is_whole: bool

    @property
    def asked(self) -> tuple[Track, ...]:
        """The files that are asked all nine questions."""
        return tuple(r.track for r in self.rows if r.track.role.is_asked)


def empty_sheet(brief: Brief) -> Sheet:
    """The sheet before anything is open."""
    return Sheet((), Common(), 0.0, brief, None, SongFacts(), (), is_whole=False)


def make_sheet(
    intake: Intake,
    tracks: Sequence[Track],
    brief: Brief,
    delivery: Delivery | None,
    *,
    is_whole: bool = True,
    song: str = "",
    vocabulary: Vocabulary | None = None,
) -> Sheet:
    """The sheet of what is known so far.

    `delivery` holds all that is found when `is_whole`, else what the measured files show by themselves; None before any
    is known. `song` is the one whose files are shown; all files are when it is empty.
    """
    is_whole = is_whole and delivery is not None
    songs = (song,) if song in intake.songs else intake.songs
    by_path = {t.path: t for t in in_asked_roles(tracks, brief)}
    entries = [e for e in intake.entries if e.song in songs or len(songs) == len(intake.songs)]
    of_song = {s: [by_path[e.path] for e in entries if e.song == s and e.path in by_path] for s in songs}
    commons = {s: find_common(of_song[s], brief) for s in songs}
    titles = Counter((e.song, bare_title(e.path).casefold()) for e in entries if e.path in by_path)
    names: dict[str, ParsedName] = {}
    for s in songs:
        names |= read_names([t.path for t in of_song[s]], facts_of(intake, s, of_song[s], brief), vocabulary)
    ties = ties_of({e.path: names[e.path] for e in entries if e.path in names and e.role.is_asked})
    named = readable if len(songs) > 1 else (lambda song: "")
    found: defaultdict[str, list[Finding]] = defaultdict(list)
    for finding in delivery.findings if delivery is not None else ():
        for path in finding.files:
            found[path].append(finding)
    rows = []
    for entry in entries:
        track = by_path.get(entry.path)
        if track is not None:
            is_alone = titles[entry.song, bare_title(entry.path).casefold()] == 1
            is_measured = track.is_done and track.unchecked is None
            rows.append(
                Row(
                    track,
                    tuple(found[entry.path]),
                    is_measured,
                    commons[entry.song],
                    is_alone,
                    named(entry.song),
                    name=names.get(entry.path),
                    tie=ties.get(entry.path, ""),
                )
            )
    for entry in entries:
        if not entry.role.is_audio:
            track = Track(path=entry.path, role=entry.role)
            rows.append(Row(track, (), False, Common(), False, named(entry.song), entry))
    shown = [t for s in songs for t in of_song[s]]
    lengths = [t.format.seconds for t in shown if t.format is not None]
    facts = SongFacts()
    if len(songs) == 1 and is_whole and delivery is not None:
        facts = delivery.sets[intake.songs.index(songs[0])].facts
    elif len(songs) == 1:
        facts = facts_of(intake, songs[0], of_song[songs[0]], brief)
    return Sheet(
        tuple(rows),
        _shared(list(commons.values())),
        max(lengths, default=0.0),
        brief,
        delivery,
        facts,
        songs,
        is_whole,
    )


def _shared(commons: Sequence[Common]) -> Common:
    """What several songs have in common."""
    if len(commons) == 1:
        return commons[0]
    same = {
        field.name: values.pop() if len(values := {getattr(c, field.name) for c in commons}) == 1 else None
        for field in fields(Common)
    }
    return Common(**same)


def heads(sheet: Sheet, column: Column) -> tuple[str, str]:
    """A column's title and, under it, what most files agree on and how many do."""
    rows = [r for r in sheet.rows if r.track.role.is_asked]
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
    heard = sum(t.is_heard for t in sheet.asked)
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
    asked = [r for r in sheet.rows if r.track.role.is_asked]
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
    apart = sum(any(f.question == "start" for f in r.findings) for r in sheet.rows if r.track.role.is_asked)
    return f"{len(sheet.asked) - apart} together"


def companion_text(entry: Entry) -> str:
    """What a file that is not audio says, in one line."""
    if entry.midi is not None:
        return midi_text(entry.midi)
    if entry.role is Role.MIDI:
        return "it cannot be read as MIDI"
    if entry.text:
        return readable(" ".join(entry.text.split()))
    if entry.beside:
        return f"no audio; some program made it for {readable(entry.beside)}"
    return "a document" if entry.role is Role.DOCUMENT else "no audio, left out"


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
        role = "" if track.role is Role.TRACKOUT else f" ({track.role.value})"
        role += f", {row.song}" if row.song and not track.path.startswith(f"{row.song}/") else ""
        return readable(track.path) + role
    if row.companion is not None:
        return companion_text(row.companion) if column is Column.START_LENGTH else "not audio"
    if track.unchecked is not None:
        return f"could not be checked here: {track.unchecked.problem}"
    if not row.is_measured:
        return "not measured"
    if track.format is None or track.measures is None:
        return "cannot be read"
    sound, m = track.format, track.measures
    if column is Column.START_LENGTH:
        first = m.edges.first_sound_frame
        begins = "no sound" if first is None else f"first sound {clock(first / sound.rate_hz, digits=3)}"
        return f"{begins}, length {clock(sound.seconds, digits=3)} ({sound.frames} samples)"
    if column is Column.RATE:
        return kilohertz(sound.rate_hz)
    if column is Column.DEPTH:
        bits = used_bits(m)
        used = f", {bits} in use" if bits and bits != sound.bits else ""
        return depth(sound.bits, sound.sample_format) + used
    if column is Column.CLIPPING:
        return clip_text(track) or "none"
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


def clip_text(track: Track) -> str:
    """How many places clip or go over; empty when none does."""
    if track.measures is None:
        return ""
    runs, overs = track.measures.clip_runs.count(3), track.measures.overs.count()
    if runs:
        return count(runs, "place") + " at full scale"
    flat = track.measures.flat_tops.runs.count()
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


SortKey = tuple[float, tuple[tuple[int, int, str], ...]]


def sort_key(row: Row, column: Column, *, by: SortBy = "reading") -> SortKey:
    """What rows are sorted by: a reading, the length or the gravest action, then the name in natural order."""
    track = row.track
    name = natural_key(track.path)
    if by == "action":
        return -float(row.gravest.gravity if row.gravest else 0), name
    if by == "family":
        family, part, index, forms, side, _ = layout_key(track.path, row.name)
        return float(family), ((1, 0, part), (1, 0, index), (1, 0, forms), (0, side, ""), *name)
    m, sound = track.measures, track.format
    if column is Column.NAME or m is None or sound is None:
        return (0.0 if column is Column.NAME else math.inf), name
    value: float
    if column is Column.START_LENGTH:
        first = m.edges.first_sound_frame
        value = sound.seconds if by == "length" else (math.inf if first is None else first / sound.rate_hz)
    elif column is Column.RATE:
        value = sound.rate_hz
    elif column is Column.DEPTH:
        value = (sound.bits or 0) * 100 + (m.bits_in_use or sound.bits or 0)
    elif column is Column.CLIPPING:
        value = -(m.clip_runs.count(3) + m.overs.count())
    elif column is Column.HEADROOM:
        value = -m.sample_peak_dbfs
    elif column is Column.CHANNELS:
        value = -2.0 if m.sides is None else -(m.sides.correlation or 0.0)
    else:
        value = float(m.has_sound)
    action = row.action(column)
    return value - (1e9 * action.gravity if column is Column.CONTENT and action else 0.0), name


@dataclass(frozen=True, slots=True)
class Filter:
    """Which rows to show: with findings of an action, in a column, with words in their name, or these very files.

    `line` says why those files are shown: the line of the brief they do not meet.
    """

    action: Action | None = None
    question: str | None = None
    words: str = ""
    paths: frozenset[str] = frozenset()
    line: str = ""

    def keeps(self, row: Row) -> bool:
        """Whether a row is shown."""
        if any(word not in row.track.path.casefold() for word in self.words.casefold().split()):
            return False
        if self.paths and row.track.path not in self.paths:
            return False
        if self.action is None and self.question is None:
            return True
        return any(
            (self.action is None or f.action is self.action) and (self.question is None or f.question == self.question)
            for f in row.findings
        )

    @property
    def says(self) -> str:
        """What is shown, as the button says it."""
        if self.paths:
            return f"Only: not as requested, {self.line.lower()}"
        if self.action is None and self.question is None:
            return "Show everything"
        parts = [ACTION_WORDS[self.action]] if self.action else []
        if self.question:
            parts.append(self.question)
        return f"Only: {', '.join(parts)}"
