"""Is there sound in it, whole and readable? Findings of the question "content"."""

from __future__ import annotations

import math
from collections.abc import Iterator

from deep_tally.check._build import about, place_at, places_of
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding


def damaged(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Cannot be read, or stops early."""
    for track in song.tracks:
        if track.damage is None:
            continue
        places = place_at(track, max(0, track.format.frames - 1)) if track.format is not None else ()
        action = Action.ASK if track.role.is_asked or track.role is Role.ROUGH_MIX else Action.NOTE
        yield about(
            "content.damaged",
            action,
            track,
            places=places,
            problem=track.damage.problem,
            frames=track.format.frames if track.format else None,
            claimed_frames=track.format.claimed_frames if track.format else None,
        )


def empty(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """No sound at all, or only noise at the floor."""
    for track in song.tracks:
        if track.measures is None or track.is_heard:
            continue
        asked = track.role.is_asked and track.role not in (Role.GROUP, Role.EFFECT_RETURN)
        level = track.measures.rms_dbfs
        yield about(
            "content.empty",
            Action.ASK if asked else Action.NOTE,
            track,
            kind="question",
            dbfs=level if math.isfinite(level) else None,
            frames=track.format.frames if track.format else 0,
        )


def nonfinite(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """NaN or infinite samples."""
    for track in song.asked:
        if track.measures is not None and track.measures.nonfinite.count():
            runs = track.measures.nonfinite
            yield about(
                "content.nonfinite",
                Action.ASK,
                track,
                places=places_of(track, runs.places),
                places_total=runs.count(),
                runs=runs.count(),
                longest_run=runs.longest.frames if runs.longest else None,
            )


def lossy(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A lossy file format where lossless was needed."""
    for track in song.asked:
        if track.format is not None and track.format.sample_format == "lossy":
            yield about("content.lossy", Action.ASK, track, container=track.format.container)


def no_rough_mix(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """No rough mix came, and the brief needs one."""
    if brief.needs.rough_mix and brief.scope != "mix" and not song.with_role(Role.ROUGH_MIX):
        yield about("content.no-rough-mix", Action.ASK, ())


def several_mixes(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """More than one candidate for the rough mix; two forms of one count as one."""
    mixes = song.with_role(Role.ROUGH_MIX)
    if len({t.stem.casefold() for t in mixes}) > 1:
        yield about("content.several-mixes", Action.ASK, mixes, kind="question", files=len(mixes))
