"""What do most files of a set agree on? Rate, depth and length shared by more than half of its trackouts."""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable, Iterable
from typing import TypeVar

from deep_tally.model.brief import Brief
from deep_tally.model.delivery import Common, Track

T = TypeVar("T", bound=Hashable)


def find_common(tracks: Iterable[Track], brief: Brief) -> Common:
    """The common rate, depth and length; of two halves the brief's value counts."""
    formats = [t.format for t in tracks if t.role.is_assessed and t.format is not None and t.format.frames]
    rate = _majority([f.rate_hz for f in formats], preferred=brief.rates or ())
    exact = [f for f in formats if f.sample_format != "lossy"]
    depth = _majority(
        [(f.sample_format, f.bits) for f in exact],
        preferred=[(s, brief.bits_min) for s in brief.sample_formats],
    )
    length = _common_length([(f.seconds, f.frames, f.rate_hz) for f in formats], rate)
    return Common(
        rate_hz=rate,
        sample_format=depth[0] if depth else None,
        bits=depth[1] if depth else None,
        seconds=length[0] if length else None,
        frames=length[1] if length else None,
    )


def _majority(values: list[T], *, preferred: Iterable[T]) -> T | None:
    if not values:
        return None
    value, count = Counter(values).most_common(1)[0]
    if 2 * count > len(values):
        return value
    for wish in preferred:
        if 2 * values.count(wish) == len(values):
            return wish
    return None


def _common_length(lengths: list[tuple[float, int, int]], common_hz: int | None) -> tuple[float, int] | None:
    """The length (seconds, frames) that more than half share within one frame of the coarser rate.

    Of files at the common rate where there are any: frames of another rate count something else.
    """
    for seconds, frames, rate in lengths:
        near = [at for at in lengths if abs(seconds - at[0]) <= 1 / min(rate, at[2])]
        if 2 * len(near) > len(lengths):
            at_common = [(other, counted) for other, counted, hz in near if hz == common_hz]
            return Counter(at_common).most_common(1)[0][0] if at_common else (seconds, frames)
    return None


def length_difference_s(track: Track, common: Common) -> float:
    """How much longer than the common length a track is; 0 within one frame of its rate or without a common length."""
    if common.seconds is None or track.format is None:
        return 0.0
    difference = track.format.seconds - common.seconds
    coarser = min(track.format.rate_hz, common.rate_hz or track.format.rate_hz)
    return difference if abs(difference) > 1.001 / coarser else 0.0
