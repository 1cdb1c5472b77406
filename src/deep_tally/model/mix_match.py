"""What a rough mix says of the files it was made of."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from deep_tally.model.comparison import SumPeak

Presence = Literal["in", "absent", "unsure"]
"""Whether a file is in the mix: certainly, without a trace, or there is no telling."""
Verdict = Literal["complete", "accounted", "processed", "unsure", "unrelated"]
"""How far the mix is the sum of the files: to the last bit or nearly, but for coding or what is missing, but for a bus
of effects, so little that nothing can be said of the rest, or not at all."""


@dataclass(frozen=True, slots=True, kw_only=True)
class MatchedFile:
    """One file in a mix.

    Attributes
    ----------
    path : str
    presence : Presence
    t : float
        Its gain over the error of that gain.
    start_frames : int
        How much later in the song it begins than the set does, in frames of the file; 0 where it lies as it was sent.
    speed : float
        What it has to be played at to run with the mix: 1 as it was sent, over 1 where that is too slow.
    is_sure : bool
        Whether its place is: it lies there and nowhere else.
    other_starts : tuple of int
        Places that are as good, as those of a loop.
    left_db, right_db : float
        Its gain on each side; -inf where it is not there.
    error_db : float
        By how much that may be off (one standard error of the surer side).
    is_inverted : bool
        Whether the mix has it with the other polarity.
    section_db : tuple of float
        Its level in each eighth of the song, against its level in the whole; NaN where it is too quiet to tell.
    heard, matched : bytes
        For each cell of the map: how loud the file is there, 0 (rests) to 255 (its loudest); how well what it holds
        there is in the mix, 0 (not at all) to 255.
    """

    path: str
    presence: Presence
    t: float
    start_frames: int = 0
    speed: float = 1.0
    is_sure: bool = False
    other_starts: tuple[int, ...] = ()
    left_db: float = -math.inf
    right_db: float = -math.inf
    error_db: float = math.inf
    is_inverted: bool = False
    section_db: tuple[float, ...] = ()
    heard: bytes = b""
    matched: bytes = b""

    @property
    def level_db(self) -> float:
        """Of both sides together: 0 dB where each side has it at unity."""
        power = (10 ** (self.left_db / 10) + 10 ** (self.right_db / 10)) / 2
        return 10 * math.log10(power) if power > 0 else -math.inf

    @property
    def gains(self) -> tuple[float, float]:
        """Factors for the left and the right side; negative where it is inverted."""
        sign = -1.0 if self.is_inverted else 1.0
        return sign * 10 ** (self.left_db / 20), sign * 10 ** (self.right_db / 20)


@dataclass(frozen=True, slots=True, kw_only=True)
class Unaccounted:
    """A stretch of a mix that no file gives: from `start_s` to `stop_s` of the mix, between two frequencies."""

    start_s: float
    stop_s: float
    low_hz: float
    high_hz: float
    under_mix_db: float


@dataclass(frozen=True, slots=True, kw_only=True)
class MixMatch:
    """A rough mix compared with the files of its song.

    Attributes
    ----------
    mix : str
        Its path.
    rate_hz : int
        Of the files; places are in its frames.
    offset_frames : int
        How much later the song begins in the mix than in the files: an encoder's delay, a count-in.
    verdict : Verdict
    null_db, worst_db : float
        What is left of the mix without the files, against the mix: the median second, and the worst.
    files : tuple of MatchedFile
    left_out : tuple of str
        Files that were not looked for: of another rate, silent, or the same sound as another one.
    spans : tuple of Unaccounted
    matched_share : float
        Of the mix's sounding time, how much the files give well.
    cell_s : float
        How long a cell of the map is; the first one begins with the mix.
    mix_levels, left_levels : tuple of float
        For each cell, dBFS: the mix, and what no file gives.
    sum_peak : SumPeak or None
        That of the parts at the places that were found; None where none lies elsewhere than it was sent.
    """

    mix: str
    rate_hz: int
    offset_frames: int
    verdict: Verdict
    null_db: float
    worst_db: float
    files: tuple[MatchedFile, ...] = ()
    left_out: tuple[str, ...] = ()
    spans: tuple[Unaccounted, ...] = ()
    matched_share: float = 0.0
    cell_s: float = 1.0
    mix_levels: tuple[float, ...] = ()
    left_levels: tuple[float, ...] = ()
    sum_peak: SumPeak | None = None

    @property
    def can_judge(self) -> bool:
        """Whether what it says of levels and of what is missing can be relied on."""
        return self.verdict in ("complete", "accounted", "processed")
