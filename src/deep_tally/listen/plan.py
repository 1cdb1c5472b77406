"""What is to be played, and how: plain data that goes to the player's process. Frames count at the output's rate."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from types import MappingProxyType
from typing import Literal

Bus = Literal["sum", "mix"]
HeardBus = Literal["sum", "mix", "remainder"]
"""What is heard: the trackouts together, the rough mix, or what is left of it without them."""
Ear = Literal["stereo", "mono", "side"]
EARS: Mapping[Ear, str] = MappingProxyType({"stereo": "both sides", "mono": "mono sum", "side": "sides only"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Voice:
    """One file that plays.

    Attributes
    ----------
    path : str
        Its name for reports and controls.
    source : Path
    start_frames : int
        Frames of its own rate by which it comes later than the song's start (negative: earlier).
    bus : "sum" or "mix"
        The trackouts, or the rough mix they are compared with.
    gains : (left, right) or None
        Factors by which the rough mix has it; None where that is not known.
    """

    path: str
    source: Path
    start_frames: int = 0
    bus: Bus = "sum"
    gains: tuple[float, float] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Controls:
    """What may change while it plays.

    Attributes
    ----------
    silent : frozenset of str
        Files that are not heard.
    gains_db : mapping of path to float
        Files that are trimmed; the others play as they are.
    bus : "sum", "mix" or "remainder"
        What is heard.
    is_at_mix_levels : bool
        Whether the sum has the files as loud as the rough mix has them.
    ear : "stereo", "mono" or "side"
        Both sides; (L+R)/2 on both; (L-R)/2 on both.
    is_swapped : bool
        Swap left and right.
    down_db : float
        By how much all of it is turned down, at least 0.
    loop : (first frame, frame after the last) or None
    """

    silent: frozenset[str] = frozenset()
    gains_db: Mapping[str, float] = field(default_factory=dict)
    bus: HeardBus = "sum"
    is_at_mix_levels: bool = False
    ear: Ear = "stereo"
    is_swapped: bool = False
    down_db: float = 0.0
    loop: tuple[int, int] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """Files to play together.

    Attributes
    ----------
    rate_hz : int
        That they are wanted at; the device may have another.
    voices : tuple of Voice
        They are added in this order.
    end_s : float
        Where playing ends, in seconds after the song's start.
    record_to : Path or None
        Where the simulated output writes what it plays.
    """

    rate_hz: int
    voices: tuple[Voice, ...]
    end_s: float
    record_to: Path | None = None


@dataclass(frozen=True, slots=True)
class Play:
    """Begin, or go elsewhere: at a moment of the song."""

    plan: Plan
    controls: Controls
    at_s: float
    simulated: bool = False


@dataclass(frozen=True, slots=True)
class Change:
    """Other controls while it plays."""

    controls: Controls


@dataclass(frozen=True, slots=True)
class Halt:
    """Stop."""


Command = Play | Change | Halt


@dataclass(frozen=True, slots=True, kw_only=True)
class Heard:
    """What the output has played since the last report.

    `seconds` is where it is in the song; levels are dBFS by side, RMS after AES17 over the last 0.3 s; `gaps` counts
    how often the output had to wait since it began, `over_frames` how many frames were limited to full scale.
    """

    seconds: float
    peak_dbfs: tuple[float, float]
    rms_dbfs: tuple[float, float]
    gaps: int
    over_frames: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Begun:
    """Sound comes out now; where: the device's name, or that it is simulated. `why` no device is used, if so."""

    output: str
    is_simulated: bool
    rate_hz: int
    why: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Ended:
    """Playing has ended: at the plan's end, on request, or for a reason that is given in a sentence."""

    trouble: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Missing:
    """A file cannot be read, or not any more, and is left out: one sentence."""

    path: str
    words: str


PlayerReport = Heard | Begun | Ended | Missing
