"""Where copies start and end: one common start, one common end, and what of each source lies between them."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise

from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.ready import Piece, ReadyChoices, Step
from deep_tally.ready.drafts import Draft

_RING_OUT = Fraction(1)
"""Seconds kept after a last sound that lies behind the common end: what dies away under the floor is sound, too."""
_WHOLE = 1e-4
"""Of a bar: what floats lose is not one more bar."""


@dataclass(frozen=True, slots=True)
class Span:
    """A source in its song, in frames of its copy's rate: where it begins and ends, and its sound."""

    rate_hz: int
    begin: int
    end: int
    sound_begin: int
    sound_end: int


@dataclass(frozen=True, slots=True)
class Bounds:
    """Where all copies of a song start and end, in seconds from the start of its files."""

    start_s: Fraction
    end_s: Fraction


def copied_rate(track: Track, choices: ReadyChoices) -> int:
    """The rate of a file's copy."""
    assert track.format is not None
    own = track.format.rate_hz
    return choices.rate_hz if choices.rate_hz is not None and choices.takes("rate", track.path) else own


def spans_of(song: SongSet, paths: Iterable[str], choices: ReadyChoices) -> dict[str, Span]:
    """Where each file lies."""
    return {path: _span(song, song.by_path[path], choices) for path in paths}


def _span(song: SongSet, track: Track, choices: ReadyChoices) -> Span:
    assert track.format is not None
    assert track.measures is not None
    own, rate = track.format.rate_hz, copied_rate(track, choices)
    place = song.placed_frames(track) if choices.takes("place", track.path) else 0
    extent, frames = track.measures.extent, track.format.frames

    def at(frame: int) -> int:
        return frame if own == rate else round(Fraction(frame * rate, own))

    begin, length = at(place), at(frames)
    first = extent.first_sound_frame or 0
    last = extent.last_sound_frame if extent.last_sound_frame is not None else frames - 1
    return Span(rate, begin, begin + length, begin + at(first), begin + min(length, at(last + 1)))


def bounds_of(song: SongSet, spans: Mapping[str, Span], brief: Brief, choices: ReadyChoices) -> Bounds:
    """The common start and end.

    The start is that of the files, or earlier where one has sound before it. The end is the common one, or later where
    one still sounds there; at a bar line where the brief asks for whole bars.
    """
    starts = [Fraction(s.begin, s.rate_hz) for path, s in spans.items() if _is_early(path, s, choices)]
    start_s = min((Fraction(0), *starts))
    common = song.common
    if common.frames is not None and common.rate_hz:
        ends = [Fraction(common.frames, common.rate_hz)]
        for span in spans.values():
            if Fraction(span.sound_end, span.rate_hz) > ends[0]:
                ends.append(min(Fraction(span.end, span.rate_hz), Fraction(span.sound_end, span.rate_hz) + _RING_OUT))
    else:
        ends = [Fraction(span.end, span.rate_hz) for span in spans.values()]
    end_s = max(ends, default=Fraction(0))
    timeline = song.facts.timeline
    if brief.length.whole_bars and timeline is not None:
        bars = math.ceil(timeline.bars_at(float(end_s)) - _WHOLE)
        end_s = Fraction(timeline.seconds_of_bar(bars)).limit_denominator(10**9)
    return Bounds(start_s, end_s)


def _is_early(path: str, span: Span, choices: ReadyChoices) -> bool:
    """Whether a file has to begin before the song's start: what is only silence there is trimmed."""
    return span.begin < 0 and not (span.sound_begin >= 0 and choices.takes("trim", path))


@dataclass(frozen=True, slots=True)
class Laid:
    """The sources of one copy in their places."""

    pieces: tuple[Piece, ...]
    steps: tuple[Step, ...]
    offset_frames: int
    frames: int
    rate_hz: int
    overlaps: bool


def lay(song: SongSet, draft: Draft, spans: Mapping[str, Span], bounds: Bounds, choices: ReadyChoices) -> Laid:
    """Put the sources of a copy in their places between the common start and end."""
    rate = spans[draft.sources[0]].rate_hz
    start, end = round(bounds.start_s * rate), round(bounds.end_s * rate)
    is_trimmed = choices.takes("trim", *draft.sources)
    pieces, cut_before, cut_after = [], 0, 0
    for path, sides in zip(draft.sources, draft.sides, strict=True):
        span = spans[path]
        begin, stop = max(span.begin, start), min(span.end, end) if is_trimmed else span.end
        cut_before, cut_after = max(cut_before, begin - span.begin), max(cut_after, span.end - stop)
        frames = max(0, stop - begin)
        pieces.append(Piece(path=path, sides=sides, at=begin - start, skip=begin - span.begin, frames=frames))
    offset = min(piece.at for piece in pieces)
    steps = list(_placed(song, draft, choices))
    last = max(piece.at + piece.frames for piece in pieces)
    if choices.takes("pad", *draft.sources):
        whole = max(end - start, last)
        if offset or whole > last:
            steps.append(Step("pad", {"before": float(offset), "after": float(whole - last)}))
    else:
        whole = last - offset
        pieces = [_moved(piece, -offset) for piece in pieces]
    if cut_before or cut_after:
        steps.append(Step("trim", {"before": float(cut_before), "after": float(cut_after)}))
    return Laid(tuple(pieces), tuple(steps), offset, whole, rate, _overlap(pieces, draft))


def _moved(piece: Piece, by: int) -> Piece:
    return Piece(path=piece.path, sides=piece.sides, at=piece.at + by, skip=piece.skip, frames=piece.frames)


def _placed(song: SongSet, draft: Draft, choices: ReadyChoices) -> Iterable[Step]:
    for path in draft.sources:
        placement = song.placements.get(path)
        if placement is not None and placement.frames and choices.takes("place", path):
            yield Step("place", {"frames": float(placement.frames), "by": placement.by})
            return


def _overlap(pieces: Sequence[Piece], draft: Draft) -> bool:
    """Whether any side of a copy has two sources at once: then its samples are a sum."""
    for side in range(draft.channels):
        sounding = sorted((p.at, p.at + p.frames) for p in pieces if p.sides[side] is not None)
        if any(later[0] < earlier[1] for earlier, later in pairwise(sounding)):
            return True
    return False
