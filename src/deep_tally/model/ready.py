"""The plan of a ready copy: what is written from a delivery, file by file, and why. Nothing here reads or writes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, get_args

StepName = Literal[
    "place",
    "join-clips",
    "pad",
    "trim",
    "fold",
    "keep-side",
    "join",
    "split",
    "headroom",
    "balance",
    "dc",
    "rate",
    "depth",
    "name",
    "strip-tags",
    "submix",
]
STEPS: tuple[StepName, ...] = get_args(StepName)
"""All steps, in the order in which they are said."""

Container = Literal["wav", "flac"]
CONTAINERS: tuple[Container, ...] = get_args(Container)
Depth = Literal["16", "24", "32f"]
DEPTHS: tuple[Depth, ...] = get_args(Depth)

Reason = Literal["unplaced", "silent", "damaged", "unchecked", "mix-copy", "group", "trigger", "role"]
"""Why a file is left out: nothing says where it belongs, it holds no sound, it is damaged, it could not be checked
here, it is a copy of the mix, its members are there, it is not heard itself, or it is no part of the song."""

Trouble = Literal["clash", "empty", "long", "over", "kind"]
"""What stops the write: two copies of one name, a name of nothing, one that is too long, samples over full scale in
fixed point, or samples that the container cannot hold."""

Figure = float | str | None


@dataclass(frozen=True, slots=True)
class Step:
    """One thing that is done for a copy.

    `figures` by step: place: `frames`, `by`; join-clips: `clips`; pad: `before`, `after` in frames; trim: `before`,
    `after`; fold: `kept`, `left_db`, `right_db`, `pan`, `pan_gain_db`; keep-side: `kept`; split: `side`; headroom,
    balance: `db`; dc: `share`, and `share_before` and `from_frame` where it steps; rate: `from_hz`, `to_hz`; depth:
    `from_bits`, `to_bits`, `dither`; name: `old`; strip-tags and submix: none.
    """

    name: StepName
    figures: Mapping[str, Figure] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Offset:
    """A constant that is taken off one side of a source: `after` from `frame` on, `before` until there, 1.0 is full."""

    side: int
    after: float
    before: float = 0.0
    frame: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    """What of one source goes into a copy. Frames count at the copy's rate.

    Attributes
    ----------
    path : str
        Inside the delivery.
    sides : tuple of int or None
        For each side of the copy: which side of the source plays there; None for none.
    at : int
        Frame of the copy where it begins.
    skip : int
        Frames of the source that are left out before that.
    frames : int
        How many follow.
    gain : float
        Factor of its samples, beside the whole copy's.
    offsets : tuple of Offset
        Frames of the source, at its own rate.
    """

    path: str
    sides: tuple[int | None, ...]
    at: int
    skip: int
    frames: int
    gain: float = 1.0
    offsets: tuple[Offset, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Copy:
    """One file of the ready copy.

    Attributes
    ----------
    song : str
    sources : tuple of str
        Paths inside the delivery; several where they are joined.
    name : str
        Path inside the target, with forward slashes and ending.
    pieces : tuple of Piece
    steps : tuple of Step
        In the order of STEPS.
    offset_frames : int
        Frames from the common start to the first one of its sources.
    gain_db : float
        Of all its samples.
    left_db, right_db : float or None
        Where a fold or a kept side loses where it was: how loud it plays on each side; -inf for not at all.
    frames, channels, rate_hz, bits : int
    is_float : bool
    is_exact : bool
        Whether no step changes a sample.
    container : "wav" or "flac"
    time_reference : int
        Frames from midnight to its first sample (EBU Tech 3285).
    """

    song: str
    sources: tuple[str, ...]
    name: str
    pieces: tuple[Piece, ...]
    steps: tuple[Step, ...]
    offset_frames: int
    gain_db: float = 0.0
    left_db: float | None = None
    right_db: float | None = None
    frames: int
    channels: int
    rate_hz: int
    bits: int
    is_float: bool = False
    is_exact: bool = True
    container: Container = "wav"
    time_reference: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class LeftOut:
    """A file of the delivery that no copy is made of."""

    source: str
    reason: Reason


@dataclass(frozen=True, slots=True, kw_only=True)
class Conflict:
    """What has to be solved before anything is written; `others` are the other files it is about."""

    trouble: Trouble
    name: str
    sources: tuple[str, ...]
    others: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadySong:
    """Where the copies of one song lie, and in time: from `start_s` to `end_s` of the song as it was sent.

    `folder` is inside the target, with a slash at its end; empty where there is one song.
    """

    name: str
    folder: str
    start_s: float
    end_s: float


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadyPlan:
    """What is written, what is left out, and what stands in the way."""

    songs: tuple[ReadySong, ...] = ()
    copies: tuple[Copy, ...] = ()
    left_out: tuple[LeftOut, ...] = ()
    conflicts: tuple[Conflict, ...] = ()

    @property
    def frame_bytes(self) -> int:
        """How many bytes all copies take, but for their headers."""
        return sum(c.frames * c.channels * (c.bits // 8) for c in self.copies)


@dataclass(frozen=True, slots=True, kw_only=True)
class Submix:
    """Several files as one."""

    name: str
    members: tuple[str, ...]
    keeps_members: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadyChoices:
    """What the user wants otherwise of the ready copy of a delivery.

    Attributes
    ----------
    off : tuple of StepName
        Steps that are not taken at all.
    off_for : mapping of path to tuple of StepName
        Steps that are not taken for one file.
    submixes : tuple of Submix
    container, depth, rate_hz
        What all copies are; None leaves depth and rate as they are where nothing changes.
    """

    off: tuple[StepName, ...] = ()
    off_for: Mapping[str, tuple[StepName, ...]] = field(default_factory=dict)
    submixes: tuple[Submix, ...] = ()
    container: Container = "wav"
    depth: Depth | None = None
    rate_hz: int | None = None

    def takes(self, step: StepName, *paths: str) -> bool:
        """Whether a step is taken for these files."""
        return step not in self.off and not any(step in self.off_for.get(path, ()) for path in paths)


AS_PLANNED = ReadyChoices()
