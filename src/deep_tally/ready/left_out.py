"""Which files no copy is made of, and why."""

from __future__ import annotations

from collections.abc import Iterator

from deep_tally.model.delivery import Delivery, SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding
from deep_tally.model.ready import LeftOut, Reason

_UNPLACED = ("start.at-sound", "start.set-at-sound", "start.unplaced", "start.stamp-differs")
_DAMAGED = ("content.damaged", "content.nonfinite")


def left_out_of(song: SongSet, delivery: Delivery) -> Iterator[LeftOut]:
    """The audio files of a song that stay behind, in order.

    What nothing places is never padded: it waits until it is placed. A copy of what is damaged would look whole.
    """
    open_ = list(_open(delivery))
    lost = {path for f in open_ if f.code in _UNPLACED for path in f.files}
    damaged = {path for f in open_ if f.code in _DAMAGED and f.action is Action.ASK for path in f.files}
    copies = {m.path for m in song.comparison.mixes if m.copy_of is not None}
    for track in song.tracks:
        reason = _reason(track, song, lost, damaged, copies)
        if reason is not None:
            yield LeftOut(source=track.path, reason=reason)


def _open(delivery: Delivery) -> Iterator[Finding]:
    """What is not settled: an answer is no place yet, but what is meant so is as it should be."""
    yield from (f for f in delivery.findings if f.action is not Action.FIX)
    yield from (
        d.finding for d in delivery.decided if d.decision.kind != "meant" and d.finding.action is not Action.FIX
    )


def _reason(track: Track, song: SongSet, lost: set[str], damaged: set[str], copies: set[str]) -> Reason | None:
    if track.role is Role.TRIGGER:
        return "trigger"
    if track.path in copies:
        return "mix-copy"
    if not track.role.is_assessed:
        return "role"
    if track.path in song.played_by_others:
        return "group"
    if track.unchecked is not None:
        return "unchecked"
    if track.measured is None or track.path in damaged:
        return "damaged"
    if not track.is_heard:
        return "silent"
    return "unplaced" if track.path in lost else None
