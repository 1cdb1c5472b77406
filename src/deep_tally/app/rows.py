"""The sheet without widgets: what each row and cell says, how rows sort, which ones a filter keeps."""

from __future__ import annotations

import enum
import math
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType
from typing import Literal

from deep_tally.check.common import find_common, length_difference_s
from deep_tally.intake.facts import read_facts
from deep_tally.intake.folders import natural_key
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import Common, Delivery, SongFacts, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.numbers import clock, count, decibels, depth, kilohertz
from deep_tally.reply.words import Speaker

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
SortBy = Literal["reading", "length", "action"]
SORTS: tuple[tuple[str, Column, SortBy], ...] = (
    ("Name", Column.NAME, "reading"),
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
        "start.stamp-differs": "placed by stamp",
        "start.stamp-partial": "no stamp",
        "start.cut-in": "cut in",
        "length.short": "short",
        "length.ends-differ": "trimmed",
        "length.tail-room": "no room",
        "length.long": "long",
        "length.tail-cut": "cut",
        "length.set-cut": "cut",
        "channels.same": "same",
        "channels.panned-mono": "panned",
        "channels.one-side": "one side",
        "channels.opposed": "cancel",
        "channels.near-mono": "nearly mono",
        "channels.many": "many",
        "content.damaged": "damaged",
        "content.empty": "no sound",
        "content.nonfinite": "bad values",
        "content.lossy": "lossy",
        "content.several-mixes": "which one?",
    }
)
"""A word or two for the cell; a code without one shows its number there."""

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


def _bare_title(track: Track) -> str:
    return _NUMBER.sub("", track.stem)


@dataclass(frozen=True, slots=True)
class Row:
    """One audio file as the sheet shows it."""

    track: Track
    findings: tuple[Finding, ...]
    is_measured: bool
    is_alone: bool = True
    """Whether no other row has the same title: else folder and ending must tell them apart."""

    @property
    def number(self) -> str:
        """The track number its name begins with; empty without one."""
        match = _NUMBER.match(self.track.stem)
        return match[1] if match else ""

    @property
    def title(self) -> str:
        """The name without number and ending, fit to be shown; the whole path where that is not enough."""
        return readable(_bare_title(self.track) if self.is_alone else self.track.path)

    @property
    def gravest(self) -> Action | None:
        """The gravest action of all its findings."""
        return max((f.action for f in self.findings), key=lambda a: a.gravity, default=None)

    def of(self, column: Column) -> tuple[Finding, ...]:
        """Its findings in one column, the gravest first."""
        found = [f for f in self.findings if f.question in QUESTIONS_OF[column]]
        return tuple(sorted(found, key=lambda f: -f.action.gravity))

    def action(self, column: Column) -> Action | None:
        """The gravest action in a cell."""
        found = self.of(column)
        return found[0].action if found else None


@dataclass(frozen=True, slots=True)
class Sheet:
    """All rows with what they share.

    `axis_s` is the length of the shared time axis in seconds.
    """

    rows: tuple[Row, ...]
    common: Common
    axis_s: float
    brief: Brief
    delivery: Delivery | None
    facts: SongFacts

    @property
    def asked(self) -> tuple[Track, ...]:
        """The files that are asked all nine questions."""
        return tuple(r.track for r in self.rows if r.track.role.is_asked)


def make_sheet(tracks: Sequence[Track], brief: Brief, delivery: Delivery | None, *, name: str = "") -> Sheet:
    """The sheet of what is known so far; without a judged delivery no row has findings yet.

    `name` is the delivery's, from which song, tempo and key are read until all is known.
    """
    titles = Counter(_bare_title(track).casefold() for track in tracks)
    rows = tuple(
        Row(
            track,
            delivery.findings_of(track.path) if delivery is not None else (),
            track.format is not None or track.damage is not None,
            titles[_bare_title(track).casefold()] == 1,
        )
        for track in tracks
    )
    lengths = [t.format.seconds for t in tracks if t.format is not None]
    facts = delivery.sets[0].facts if delivery is not None else read_facts(name, [t.path for t in tracks], ())
    return Sheet(rows, find_common(tracks, brief), max(lengths, default=0.0), brief, delivery, facts)


def heads(sheet: Sheet, column: Column) -> tuple[str, str]:
    """A column's title and, under it, what most files agree on and how many do."""
    asked = [t for t in sheet.asked if t.format is not None]
    common = sheet.common
    total = len(sheet.asked)
    if column is Column.NAME:
        fine = sum(not r.of(column) for r in sheet.rows if r.track.role.is_asked)
        return "Name", f"{fine} of {total} clear" if sheet.delivery is not None else count(total, "track")
    if column is Column.START_LENGTH:
        return "Start", _together(sheet)
    if column is Column.RATE:
        same = sum(t.format is not None and t.format.rate_hz == common.rate_hz for t in asked)
        return "Rate", f"{kilohertz(common.rate_hz)}, {same}" if common.rate_hz else "no common"
    if column is Column.DEPTH:
        same = sum(
            t.format is not None and (t.format.bits, t.format.sample_format) == (common.bits, common.sample_format)
            for t in asked
        )
        return "Depth", f"{depth(common.bits, common.sample_format)}, {same}" if common.sample_format else "no common"
    if column is Column.CLIPPING:
        fine = sum(r.is_measured and not r.of(column) for r in sheet.rows if r.track.role.is_asked)
        return "Clipping", f"none in {fine}" if sheet.delivery is not None else ""
    if column is Column.HEADROOM:
        low, high = sheet.brief.peak_window_dbfs
        return "Headroom", f"peaks {decibels(low, '', digits=0).strip()} to {decibels(high, 'dBFS', digits=0)}"
    if column is Column.CHANNELS:
        stereo = sum(t.format is not None and t.format.channels == 2 for t in asked)
        return "Sides", f"{stereo} stereo"
    heard = sum(t.is_heard for t in sheet.asked)
    return "Content", f"sound in {heard}" if asked else ""


def length_head(sheet: Sheet) -> tuple[str, str]:
    """The second head of the start and length column."""
    common = sheet.common.seconds
    if common is None:
        return "Length", "no common" if any(t.format for t in sheet.asked) else ""
    same = sum(t.format is not None and not length_difference_s(t, sheet.common) for t in sheet.asked)
    return "Length", f"{clock(common, digits=3)}, {same} of {len(sheet.asked)}"


def _together(sheet: Sheet) -> str:
    if sheet.delivery is None:
        return ""
    apart = sum(any(f.question == "start" for f in r.findings) for r in sheet.rows if r.track.role.is_asked)
    return f"{len(sheet.asked) - apart} together"


def cell_text(row: Row, column: Column) -> str:
    """A cell in words: for copying, for screen readers and as the first line of its tooltip."""
    track = row.track
    if column is Column.NAME:
        role = "" if track.role is Role.TRACKOUT else f" ({track.role.value})"
        return readable(track.path) + role
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
        used = f", {m.bits_in_use} in use" if m.bits_in_use and m.bits_in_use != sound.bits else ""
        return depth(sound.bits, sound.sample_format) + used
    if column is Column.CLIPPING:
        return clip_text(track) or "none"
    if column is Column.HEADROOM:
        if math.isinf(m.sample_peak_dbfs):
            return "silent"
        return (
            f"peak {decibels(m.sample_peak_dbfs, 'dBFS')}, RMS {decibels(m.rms_dbfs, 'dBFS')},"
            f" true peak {decibels(m.true_peak_dbtp, 'dBTP')}"
            + (f", loudness {decibels(m.loudness_lufs, 'LUFS')}" if m.loudness_lufs is not None else "")
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
    return count(overs, "place") + " over full scale" if overs else ""


def tooltip(row: Row, column: Column, speaker: Speaker | None) -> str:
    """A cell's reading, its findings with evidence, and the definition of what it shows."""
    lines = [cell_text(row, column)]
    if speaker is not None:
        for finding in row.of(column):
            evidence = readable(speaker.evidence(finding, row.track.path))
            lines.append(
                f"{ACTION_WORDS[finding.action]}: {speaker.headline(finding)}" + (f" ({evidence})" if evidence else "")
            )
    lines.append(DEFINITIONS[column])
    return "\n\n".join(lines)


SortKey = tuple[float, list[tuple[int, int, str]]]


def sort_key(row: Row, column: Column, *, by: SortBy = "reading") -> SortKey:
    """What rows are sorted by: a reading, the length or the gravest action, then the name in natural order."""
    track = row.track
    name = natural_key(track.path)
    if by == "action":
        return -float(row.gravest.gravity if row.gravest else 0), name
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
    """Which rows to show: with findings of an action, in a column, and with words in their name."""

    action: Action | None = None
    question: str | None = None
    words: str = ""

    def keeps(self, row: Row) -> bool:
        """Whether a row is shown."""
        if any(word not in row.track.path.casefold() for word in self.words.casefold().split()):
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
        if self.action is None and self.question is None:
            return "Show everything"
        parts = [ACTION_WORDS[self.action]] if self.action else []
        if self.question:
            parts.append(self.question)
        return f"Only: {', '.join(parts)}"
