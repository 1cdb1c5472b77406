"""One sample rate for all? Findings of the question "rate"."""

from __future__ import annotations

from collections.abc import Iterator

from deep_tally.check.build import about, is_most
from deep_tally.check.rules.spectral_edges import is_clear, sharing, source_rate, spectral_edge_of
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding

_TOLD = (Role.ROUGH_MIX, Role.REFERENCE, Role.CLICK)


def differs(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Files whose rate is not the set's common one; without a common one, all of them, once."""
    common = song.common.rate_hz
    if common is None:
        opened = [t for t in song.assessed if t.format is not None]
        if len({t.format.rate_hz for t in opened if t.format is not None}) > 1:
            yield about("rate.differs", Action.ASK, opened, kind="question")
        return
    for track in song.tracks:
        if track.format is None or track.format.rate_hz == common:
            continue
        if track.role.is_assessed:
            yield about("rate.differs", Action.ASK, track, rate=track.format.rate_hz, common_rate=common)
        elif track.role in _TOLD and track.format.sample_format != "lossy":
            yield about("rate.differs", Action.NOTE, track, rate=track.format.rate_hz, common_rate=common)


def off_brief(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The set agrees on a rate that the brief does not name."""
    common = song.common.rate_hz
    if brief.rates is None or common is None or common in brief.rates:
        return
    same = [t for t in song.assessed if t.format is not None and t.format.rate_hz == common]
    yield about("rate.off-brief", Action.ASK, same, rate=common, wanted=tuple(str(r) for r in brief.rates))


def upsampled(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The content ends where a lower sample rate ends, or is mirrored there: converted up from it.

    A one-shot of another rate does that rightly: only an edge far under half the rate, or one that most of the set
    shares, is asked about.
    """
    for track in song.assessed:
        edge = spectral_edge_of(track)
        if edge is None or track.format is None:
            continue
        source = source_rate(edge, track.format.rate_hz)
        if source is None:
            continue
        is_far = edge.edge_hz < brief.threshold("rate.upsampled_share") * track.format.rate_hz / 2
        is_sure = edge.kind == "mirrored" or is_clear(edge, brief)
        asked = is_sure and (is_far or is_most(sharing(song, edge), len(song.assessed)))
        yield about(
            "rate.upsampled",
            Action.ASK if asked else Action.NOTE,
            track,
            kind="question",
            confidence=0.85 if is_sure else 0.6,
            edge_hz=edge.edge_hz,
            db=edge.drop_db,
            edge=edge.kind,
            source_rate=source,
            rate=track.format.rate_hz,
        )
