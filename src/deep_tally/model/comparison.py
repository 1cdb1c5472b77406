"""What several files' samples show when they are compared."""

from __future__ import annotations

from collections.abc import Mapping
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from typing import Literal

from deep_tally.model.files import Incomplete

TwinKind = Literal["exact", "scaled", "inverted", "shifted"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Twin:
    """`path` is `other` times a gain, `offset_frames` later; what is left then lies `residual_db` under it."""

    path: str
    other: str
    kind: TwinKind
    gain_db: float
    offset_frames: int
    residual_db: float


@dataclass(frozen=True, slots=True, kw_only=True)
class SumOf:
    """`path` is the sum of `parts` (path and gain in dB of its stronger side), but for `residual_db`.

    It is `exact` sample by sample, or a sum that was processed: compressed, equalised, given a reverberation.
    """

    path: str
    parts: tuple[tuple[str, float], ...]
    residual_db: float
    is_exact: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class MixOf:
    """A file in which most others are heard at once, however it was processed.

    Attributes
    ----------
    path : str
    members : tuple of str
        The files that are certainly inside.
    files : int
        Of how many that were looked for.
    copy_of : str or None
        Another mix, of which it is a copy: limited, coded, or saved once more.
    """

    path: str
    members: tuple[str, ...]
    files: int
    copy_of: str | None = None

    @property
    def share(self) -> float:
        """Of the files that were looked for, how many are inside, 0 to 1."""
        return len(self.members) / self.files


@dataclass(frozen=True, slots=True, kw_only=True)
class Contained:
    """`inner` sits inside `path` at a constant gain, sample by sample, with more besides."""

    path: str
    inner: str
    gain_db: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Pair:
    """Two files whose names differ in a side mark only.

    `level_correlation` tells how their levels move together over stretches of 50 ms (None for steady ones),
    `correlation` how their samples do. `entry_spread_ms` is the median absolute deviation of how much later one side's
    notes begin than the other's, None with too few; `coherence` is that of their long-term spectra, 400 to 2500 Hz.
    """

    left: str
    right: str
    level_correlation: float | None
    correlation: float
    entry_spread_ms: float | None = None
    coherence: float | None = None

    @property
    def is_two_performances(self) -> bool:
        """Whether the sides were played twice: their notes begin apart, and their sound is not alike."""
        return (
            self.entry_spread_ms is not None
            and self.entry_spread_ms > 5.0
            and self.coherence is not None
            and self.coherence < 0.5
        )

    @property
    def is_one_sound(self) -> bool:
        """Whether both sides hear one performance."""
        together = self.entry_spread_ms is not None and self.entry_spread_ms < 3.0
        return together or (self.coherence is not None and self.coherence > 0.5)


@dataclass(frozen=True, slots=True, kw_only=True)
class MidiPair:
    """A MIDI file and the part it plays: `offset_ms` is how much later the part's notes begin; `alike` 0 to 1."""

    path: str
    track: str
    offset_ms: float
    alike: float


@dataclass(frozen=True, slots=True, kw_only=True)
class PeakPart:
    """What one file does to a sum's peak.

    Attributes
    ----------
    path : str
    share : float
        What it adds at that moment, of the peak: 1 alone makes it, a negative one takes away from it.
    won_db : float
        By how much the sum's true peak falls, wherever it is then, when this file alone is turned down by 3 dB.
    """

    path: str
    share: float
    won_db: float


@dataclass(frozen=True, slots=True, kw_only=True)
class SumPeak:
    """The true peak of the plain sum of a song's files, each where it belongs, at unity gain.

    Attributes
    ----------
    dbtp : float
    seconds : float
        From the song's start.
    starts : mapping of path to int
        The files that were added, and the frame each of them begins at.
    left_out : int
        Parts with sound that were not: of another rate, or lossy.
    parts : tuple of PeakPart
        The three files that add most to it, the first most.
    """

    dbtp: float
    seconds: float
    starts: Mapping[str, int]
    left_out: int
    parts: tuple[PeakPart, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """All relations between the files of one song; `unread` are files that could not be read here meanwhile."""

    twins: tuple[Twin, ...] = ()
    sums: tuple[SumOf, ...] = ()
    contained: tuple[Contained, ...] = ()
    pairs: tuple[Pair, ...] = ()
    mixes: tuple[MixOf, ...] = ()
    midi: tuple[MidiPair, ...] = ()
    sum_peak: SumPeak | None = None
    unread: tuple[Incomplete, ...] = ()

    def among(self, paths: AbstractSet[str]) -> Comparison | None:
        """The relations of which all files are among `paths`; None where that cannot be known from these.

        That is so where only a left-out file carried a relation of others (as its twins, or as a part of sums), where
        some of a mix's members are left out, and where not all files could be read.
        """
        gone = {t.other for t in self.twins if t.path in paths} - paths
        gone |= {member for m in self.mixes if m.path in paths for member in m.members} - paths
        if gone or self.unread:
            return None
        return Comparison(
            twins=tuple(t for t in self.twins if {t.path, t.other} <= paths),
            sums=tuple(s for s in self.sums if {s.path, *(part for part, _ in s.parts)} <= paths),
            contained=tuple(c for c in self.contained if {c.path, c.inner} <= paths),
            pairs=tuple(p for p in self.pairs if {p.left, p.right} <= paths),
            mixes=tuple(m for m in self.mixes if m.path in paths),
            midi=tuple(m for m in self.midi if {m.path, m.track} <= paths),
        )

    def twin_paths(self) -> frozenset[frozenset[str]]:
        """The pairs of files that are twins."""
        return frozenset(frozenset((t.path, t.other)) for t in self.twins)
