"""Is there sound in it, whole and readable? Findings of the question "content"."""

from __future__ import annotations

import math
from collections.abc import Iterator

from deep_tally.check._build import about, place_at, places_of
from deep_tally.intake.endings import ENDINGS, SOUND_ENDINGS
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding


def false_ending(track: Track) -> str | None:
    """The ending of a file's name where it stands for another format than the file has."""
    if track.format is None or "." not in track.path:
        return None
    ending = track.path.rpartition(".")[2].casefold()
    fits = ENDINGS.get(track.format.container)
    return ending if fits and ending in SOUND_ENDINGS and ending not in fits else None


def damaged(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Cannot be read, or stops early; a note where the header or the name only contradicts what is there."""
    for track in song.tracks:
        sound = track.format
        clauses = [*(sound.contradictions if sound is not None else ())]
        if track.damage is not None:
            clauses.insert(0, track.damage.problem)
        elif sound is not None and sound.sample_format != "lossy" and (ending := false_ending(track)):
            clauses.append(f"it is {sound.container.upper()}, though its name ends in .{ending}")
        if not clauses:
            continue
        is_needed = track.role.is_asked or track.role is Role.ROUGH_MIX
        yield about(
            "content.damaged",
            Action.ASK if track.damage is not None and is_needed else Action.NOTE,
            track,
            places=place_at(track, max(0, sound.frames - 1)) if sound is not None and track.damage is not None else (),
            problem="; ".join(clauses),
            frames=sound.frames if sound is not None else None,
            claimed_frames=sound.claimed_frames if sound is not None else None,
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
    """A lossy file format where lossless was needed; a note where the part came lossless too."""
    lossless = {t.stem.casefold() for t in song.asked if t.format and t.format.sample_format != "lossy"}
    for track in song.asked:
        if track.format is not None and track.format.sample_format == "lossy":
            action = Action.NOTE if track.stem.casefold() in lossless else Action.ASK
            ending = false_ending(track)
            yield about("content.lossy", action, track, container=track.format.container, ending=ending)


def no_rough_mix(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """No rough mix came, and the brief needs one."""
    if brief.needs.rough_mix and brief.scope != "mix" and not song.with_role(Role.ROUGH_MIX):
        yield about("content.no-rough-mix", Action.ASK, ())


def several_mixes(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """More than one candidate for the rough mix; two forms of one count as one."""
    mixes = song.with_role(Role.ROUGH_MIX)
    if len({t.stem.casefold() for t in mixes}) > 1:
        yield about("content.several-mixes", Action.ASK, mixes, kind="question", files=len(mixes))
