"""Where sound stops dead and goes on: damage, or the rests of a gate?"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import median

from deep_tally.check.build import about
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action, Finding, Place
from deep_tally.model.measures import Gap

_REGULAR_LEAST, _REGULAR_WITHIN = 4, 0.02
_FAR_SHORTER = 3.0
_SAME_LEVEL_DB = 3.0
_FEW, _FEW_SHARE = 3, 0.1
_SAME_LENGTH_MS, _REPEATS, _REPEATED_SHARE = 0.25, 2, 0.7


def dropout(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Digital gaps inside sound: short single ones are damage, others may be meant; a gate's rests are no gaps."""
    for track in song.assessed:
        found = _gaps(track, brief)
        if found is None or track.format is None:
            continue
        rate, longest = track.format.rate_hz, max(found.shown, key=lambda gap: gap.frames)
        yield about(
            "content.dropout",
            Action.ASK if found.is_damage else Action.NOTE,
            track,
            confidence=0.9,
            places=[Place(path=track.path, frame=g.frame, frames=g.frames) for g in found.shown],
            runs=len(found.shown),
            longest_run=longest.frames,
            ms=longest.frames / rate * 1000,
            gap=longest.kind,
            dbfs=longest.before_dbfs,
            recurring=int(found.recurs),
        )


def damaging_gaps(track: Track, brief: Brief) -> Sequence[Gap]:
    """The gaps at which a file has lost sound; none where they may be meant."""
    found = _gaps(track, brief)
    return found.shown if found is not None and found.is_damage else ()


@dataclass(frozen=True, slots=True)
class _Gaps:
    shown: Sequence[Gap]
    is_damage: bool
    recurs: bool


def _gaps(track: Track, brief: Brief) -> _Gaps | None:
    """The gaps of a file that are worth a word."""
    if (known := track.measured) is None or not known[1].gaps.count:
        return None
    shortest = brief.threshold("content.gap_ms")
    rate, gaps = known[0].rate_hz, known[1].gaps
    places: Sequence[Gap] = gaps.places
    if known[1].flat_tops.share >= brief.threshold("clipping.waveform_share"):
        # A square or pulse wave: a note of few periods repeats a block by nature.
        places = [gap for gap in places if gap.kind != "repeated"]
    recurs = gaps.count > brief.threshold("content.gaps_recurring") or _is_regular(places)
    if recurs:
        # Values that stay over and over are the steps of a square wave, long rests those of a gate.
        is_stepped = any(gap.kind == "held" for gap in places)
        places = [gap for gap in places if gap.kind != "held"]
        if strange := [] if is_stepped else _unlike_the_rests(places, rate, shortest):
            places, recurs = strange, False
        elif 2 * sum(_is_short(gap, rate, shortest) for gap in places) <= len(places):
            return None
    is_damage = not recurs and any(_is_short(gap, rate, shortest) for gap in places)
    shown = [gap for gap in places if _is_short(gap, rate, shortest)] if is_damage else places
    return _Gaps(shown, is_damage, recurs) if shown else None


def _is_short(gap: Gap, rate_hz: int, shortest_ms: float) -> bool:
    return gap.kind == "repeated" or gap.frames / rate_hz * 1000 < shortest_ms


def _is_regular(gaps: Sequence[Gap]) -> bool:
    """Whether gaps come at one interval: that is a gate or a chopped part."""
    if len(gaps) < _REGULAR_LEAST:
        return False
    intervals = sorted(b.frame - a.frame for a, b in pairwise(gaps))
    middle = intervals[len(intervals) // 2]
    near = sum(abs(i - middle) < _REGULAR_WITHIN * middle for i in intervals)
    return 2 * near > len(intervals)


def _unlike_the_rests(gaps: Sequence[Gap], rate_hz: int, shortest_ms: float) -> list[Gap]:
    """The few gaps among a gate's rests that are not its own: far shorter, and the sound goes on as it was."""
    if not gaps:
        return []
    usual = median(gap.frames for gap in gaps)
    strange = [
        gap
        for gap in gaps
        if gap.kind == "repeated"
        or (
            _is_short(gap, rate_hz, shortest_ms)
            and gap.frames * _FAR_SHORTER < usual
            and abs(gap.before_dbfs - gap.after_dbfs) < _SAME_LEVEL_DB
        )
    ]
    if len(strange) > max(_FEW, _FEW_SHARE * len(gaps)):
        return []
    # A player's hand leaves rests of all lengths, short ones among them; a gate repeats its own.
    rests = sorted(gap.frames for gap in gaps if gap not in strange)
    near = _SAME_LENGTH_MS / 1000 * rate_hz
    repeated = sum(bisect_right(rests, r + near) - bisect_left(rests, r - near) > _REPEATS for r in rests)
    return strange if repeated >= _REPEATED_SHARE * len(rests) else []
