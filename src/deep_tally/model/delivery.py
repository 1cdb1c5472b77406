"""A delivery after measuring: its song sets with what their files have in common."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

from deep_tally.model.comparison import Comparison, SumPeak
from deep_tally.model.decisions import Decided
from deep_tally.model.files import (
    NO_BASIS,
    Damage,
    Entry,
    Incomplete,
    Role,
    RoleBasis,
    SampleFormat,
    SoundFormat,
    Unchecked,
)
from deep_tally.model.findings import Finding
from deep_tally.model.measures import Measures
from deep_tally.model.mix_match import MatchedFile, MixMatch
from deep_tally.model.names import ParsedName
from deep_tally.model.parts import RequestedPart
from deep_tally.model.phrase import Phrase
from deep_tally.model.placement import Placement
from deep_tally.model.statements import Statement
from deep_tally.model.timeline import Timeline, steady


@dataclass(frozen=True, slots=True, kw_only=True)
class Track:
    """One audio file with all that is known of it.

    `format` and `measures` are None for a file that could not be read: `damage` then says what is wrong with it, or
    `unchecked` what kept this machine from reading it. None of the three: it was not measured yet. `basis` is what the
    role rests on.
    """

    path: str
    role: Role
    format: SoundFormat | None = None
    measures: Measures | None = None
    damage: Damage | None = None
    unchecked: Unchecked | None = None
    basis: RoleBasis = NO_BASIS

    @classmethod
    def of(cls, entry: Entry, **known: Any) -> Track:
        """The track of a listed file, with what else is known of it."""
        return cls(path=entry.path, role=entry.role, basis=entry.basis, **known)

    @property
    def is_done(self) -> bool:
        """Whether it was opened, be it in vain."""
        return self.format is not None or self.damage is not None or self.unchecked is not None

    @property
    def stem(self) -> str:
        """The file's name without folder and ending."""
        name = self.path.rpartition("/")[2]
        return name.rpartition(".")[0] or name

    @property
    def is_heard(self) -> bool:
        """Whether it was measured and holds sound."""
        return self.measures is not None and self.measures.has_sound

    @property
    def measured(self) -> tuple[SoundFormat, Measures] | None:
        """Its format and measures; None for a file that could not be read or was not measured yet."""
        return (self.format, self.measures) if self.format is not None and self.measures is not None else None

    @property
    def heard(self) -> tuple[SoundFormat, Measures] | None:
        """Its format and measures, if it holds sound."""
        return self.measured if self.is_heard else None


@dataclass(frozen=True, slots=True, kw_only=True)
class SongFacts:
    """What the brief, MIDI, metadata, names and folders say of the song; None where nothing says it.

    `tempo_from` says where the tempo was taken from; `tempos` and `keys` are all that is stated, with where: ("the
    folder's name", 96.0). `tempo_map` has the meter, and the changes that MIDI states.
    """

    title: str | None = None
    artist: str | None = None
    tempo_bpm: float | None = None
    key: str | None = None
    tempo_from: Phrase | None = None
    tempo_map: Timeline | None = None
    tempos: tuple[tuple[Phrase, float], ...] = ()
    keys: tuple[tuple[Phrase, str], ...] = ()

    @property
    def timeline(self) -> Timeline | None:
        """Bars and beats of the song; None without a tempo."""
        if self.tempo_map is not None or self.tempo_bpm is None:
            return self.tempo_map
        return steady(self.tempo_bpm)


@dataclass(frozen=True, slots=True, kw_only=True)
class Common:
    """What more than half of a set's trackouts share; None where they do not agree."""

    rate_hz: int | None = None
    bits: int | None = None
    sample_format: SampleFormat | None = None
    frames: int | None = None
    seconds: float | None = None


@dataclass(frozen=True, kw_only=True)
class SongSet:
    """The files of one song.

    Attributes
    ----------
    comparison : Comparison
        How they relate to each other; empty until they were compared.
    modified_s : mapping of path to float
        When each file was last written, in seconds since 1970, as far as that is known.
    companions : frozenset of Role
        What files that are not audio were delivered with it.
    names : mapping of path to ParsedName
        What is understood of each file's name.
    parts : tuple of RequestedPart
        The parts the brief asks for, with the files received for them.
    placements : mapping of path to Placement
        Where files belong that do not belong at the song's start, and those the user put back there.
    statements : tuple of Statement
        What the client's notes say of its files and places.
    mix_match : MixMatch or None
        What the rough mix says of the files; None without one, and until it is known.
    """

    name: str
    tracks: tuple[Track, ...]
    facts: SongFacts
    common: Common
    comparison: Comparison = field(default_factory=Comparison)
    modified_s: Mapping[str, float] = field(default_factory=dict)
    companions: frozenset[Role] = frozenset()
    names: Mapping[str, ParsedName] = field(default_factory=dict)
    parts: tuple[RequestedPart, ...] = ()
    placements: Mapping[str, Placement] = field(default_factory=dict)
    statements: tuple[Statement, ...] = ()
    mix_match: MixMatch | None = None

    @cached_property
    def assessed(self) -> tuple[Track, ...]:
        """The files that are assessed: they answer all nine questions."""
        return tuple(t for t in self.tracks if t.role.is_assessed)  # every check of every file comes by here

    @cached_property
    def end_s(self) -> float:
        """Where the song ends: the common end, or the longest file's where there is none."""
        if self.common.seconds is not None:
            return self.common.seconds
        return max((t.format.seconds for t in self.assessed if t.format is not None), default=0.0)

    @cached_property
    def by_path(self) -> Mapping[str, Track]:
        """Its files by their paths."""
        return {t.path: t for t in self.tracks}

    @cached_property
    def stamped(self) -> tuple[Track, ...]:
        """The assessed files that carry a broadcast-wave time reference (EBU Tech 3285)."""
        return tuple(t for t in self.assessed if t.format is not None and t.format.time_reference is not None)

    @cached_property
    def held_by(self) -> Mapping[str, frozenset[str]]:
        """For each file that another one holds in step with itself: which ones do, as mix, group or copy."""
        holders: dict[str, set[str]] = {}
        inside = [(m.path, member) for m in self.comparison.mixes for member in m.members]
        inside += [(s.path, part) for s in self.comparison.sums for part, _ in s.parts]
        inside += [(c.path, c.inner) for c in self.comparison.contained]
        in_step = [t for t in self.comparison.twins if t.offset_frames == 0]
        inside += [pair for t in in_step for pair in ((t.path, t.other), (t.other, t.path))]
        for holder, member in inside:
            holders.setdefault(member, set()).add(holder)
        return {member: frozenset(found) for member, found in holders.items()}

    @cached_property
    def played_by_others(self) -> frozenset[str]:
        """Groups beside their members and copies of a mix: with all files together, their sound would play twice.

        What the user set to be something plays, whatever is in it.
        """
        by_user = {t.path for t in self.tracks if t.basis.source == "user"}
        groups = {s.path for s in self.comparison.sums} & {t.path for t in self.with_role(Role.GROUP)}
        copies = {m.path for m in self.comparison.mixes if m.copy_of is not None}
        return frozenset((groups | copies) - by_user)

    @cached_property
    def said_of(self) -> Mapping[str, tuple[Statement, ...]]:
        """For each file that the notes speak of: what they say."""
        found: dict[str, list[Statement]] = {}
        for statement in self.statements:
            for path in statement.files:
                found.setdefault(path, []).append(statement)
        return {path: tuple(said) for path, said in found.items()}

    @cached_property
    def awaited(self) -> tuple[str, ...]:
        """What the client has announced and what has not come yet, in the client's words."""
        return tuple(dict.fromkeys(words for s in self.statements for words in s.awaited))

    def placed_frames(self, track: Track) -> int:
        """Frames (at the track's rate) by which it belongs later than the file's own start."""
        placement = self.placements.get(track.path)
        return placement.frames if placement is not None else 0

    @cached_property
    def in_mix(self) -> Mapping[str, MatchedFile]:
        """What the rough mix says of each file that was looked for in it."""
        return {f.path: f for f in self.mix_match.files} if self.mix_match is not None else {}

    @cached_property
    def sum_peak(self) -> SumPeak | None:
        """The true peak of the plain sum; None where it is not known, or files were placed elsewhere since."""
        known = (self.comparison.sum_peak, self.mix_match.sum_peak if self.mix_match is not None else None)
        for peak in filter(None, known):
            placed = {t.path: self.placed_frames(t) for t in self.tracks if t.path in peak.starts}
            if placed == dict(peak.starts):
                return peak
        return None

    def with_role(self, role: Role) -> tuple[Track, ...]:
        """The files of one role."""
        return tuple(t for t in self.tracks if t.role is role)


@dataclass(frozen=True, slots=True, kw_only=True)
class Delivery:
    """What the client sent, measured and assessed.

    `others` are the files that are not audio; `troubles` one sentence each for what could not be looked into;
    `incomplete` what this machine kept the check from doing: it is never the client's to answer; `decided` the findings
    that the engineer decided about, which are not among `findings`.
    """

    source: Path
    name: str
    sets: tuple[SongSet, ...]
    others: tuple[Entry, ...] = ()
    troubles: tuple[Phrase, ...] = ()
    incomplete: tuple[Incomplete, ...] = ()
    findings: tuple[Finding, ...] = ()
    decided: tuple[Decided, ...] = ()

    @property
    def tracks(self) -> tuple[Track, ...]:
        """All audio files of all sets, in order."""
        return tuple(t for s in self.sets for t in s.tracks)
