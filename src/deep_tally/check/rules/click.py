"""Does the click fit the song? Its own tempo against the stated one, its first beat on bar 1, its end at the end.

The click is only noted, never asked about; what its tempo contradicts is name.facts-differ.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from deep_tally.check.build import about, place_at
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import ClickTempo

_STROKES_A_QUARTER = (1.0, 2.0, 0.5, 4.0, 1 / 3, 2 / 3, 1.5, 3.0)
"""What a click may be struck on: quarters, eighths, halves, sixteenths, dotted halves and quarters, triplets."""
_AS_STRUCK = 0.02
"""A stroke is one of those when it comes within 2 % of it: between two of them lie 33 %."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Drift:
    """A click against the tempo taken for the song.

    `played_bpm` is the click's tempo in quarter notes, `ms` how far it has moved away at `over_s`, the song's end:
    positive when it comes late.
    """

    track: Track
    played_bpm: float
    ms: float
    over_s: float


def drifts(song: SongSet) -> Iterator[Drift]:
    """How far each click that can be followed moves away from a steady tempo over the song."""
    timeline = song.facts.timeline
    if timeline is None or len(timeline.tempos) > 1:
        return
    for track, click_tempo, rate_hz in _clicks(song):
        over_s = song.common.seconds if song.common.seconds is not None else click_tempo.last_frame / rate_hz
        per_quarter = min(_STROKES_A_QUARTER, key=lambda n: abs(click_tempo.bpm / n / timeline.bpm - 1))
        played = click_tempo.bpm / per_quarter
        if abs(played / timeline.bpm - 1) <= _AS_STRUCK:
            yield Drift(track=track, played_bpm=played, ms=(timeline.bpm / played - 1) * over_s * 1000, over_s=over_s)


def off_bar(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The click's first beat does not stand on bar 1."""
    timeline = song.facts.timeline
    if timeline is None:
        return
    for track, click_tempo, rate_hz in _clicks(song):
        first_s = (click_tempo.first_frame + song.placed_frames(track)) / rate_hz
        if abs(first_s) * 1000 > brief.threshold("start.click_ms"):
            off_ms = timeline.off_the_bar_s(first_s) * 1000
            yield about(
                "start.click-off-bar",
                Action.NOTE,
                track,
                places=place_at(track, click_tempo.first_frame),
                ms=first_s * 1000,
                bars=timeline.bars_at(first_s),
                off_ms=off_ms if abs(off_ms) > brief.threshold("start.click_ms") else 0.0,
            )


def stops_early(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The click's last stroke comes more than a bar before the song's last sound."""
    timeline = song.facts.timeline
    ends = [
        (last + song.placed_frames(t)) / known[0].rate_hz
        for t in song.assessed
        if (known := t.measured) is not None and (last := known[1].extent.last_sound_frame) is not None
    ]
    if timeline is None or not ends:
        return
    for track, click_tempo, rate_hz in _clicks(song):
        last_s = (click_tempo.last_frame + song.placed_frames(track)) / rate_hz
        bars = timeline.bars_at(max(ends)) - timeline.bars_at(last_s)
        if bars > 1:
            places = place_at(track, click_tempo.last_frame)
            yield about(
                "length.click-short", Action.NOTE, track, places=places, bars=bars, ms=(max(ends) - last_s) * 1000
            )


def _clicks(song: SongSet) -> Iterator[tuple[Track, ClickTempo, int]]:
    for track in song.with_role(Role.CLICK):
        if (known := track.measured) is not None and (click_tempo := known[1].click_tempo) is not None:
            yield track, click_tempo, known[0].rate_hz
