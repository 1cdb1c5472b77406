"""Short ways to make findings, shared by all checks."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType

from deep_tally.model.delivery import Track
from deep_tally.model.findings import Action, EvidenceValue, Finding, Kind, Place
from deep_tally.model.measures import Run


def about(
    code: str,
    action: Action,
    tracks: Track | Iterable[Track],
    *,
    kind: Kind | None = None,
    confidence: float = 1.0,
    places: Sequence[Place] = (),
    places_total: int | None = None,
    also: Mapping[str, EvidenceValue] = MappingProxyType({}),
    **evidence: EvidenceValue,
) -> Finding:
    """A finding about one track or several; an `ask` without a kind is a request; `also` is more evidence."""
    listed = (tracks,) if isinstance(tracks, Track) else tuple(tracks)
    if action is Action.ASK and kind is None:
        kind = "request"
    return Finding(
        code=code,
        action=action,
        kind=kind if action is Action.ASK else None,
        confidence=confidence,
        files=tuple(t.path for t in listed),
        evidence={**evidence, **also},
        places=tuple(places),
        places_total=len(places) if places_total is None else places_total,
    )


def places_of(track: Track, runs: Iterable[Run]) -> tuple[Place, ...]:
    """Runs of a track as places."""
    return tuple(Place(path=track.path, frame=r.frame, frames=r.frames, channel=r.channel) for r in runs)


def place_at(track: Track, frame: int, frames: int = 1) -> tuple[Place, ...]:
    """One place on all channels of a track."""
    return (Place(path=track.path, frame=frame, frames=frames),)


def is_most(count: int, total: int) -> bool:
    """More than half, and at least two: one file is no "most of the set"."""
    return count >= 2 and 2 * count > total
