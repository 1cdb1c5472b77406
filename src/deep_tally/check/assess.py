"""Measured files and a brief become an assessed delivery. Reads no audio: an edited brief gives a new tally at once."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType

from deep_tally.check.common import find_common
from deep_tally.check.decided import apart
from deep_tally.check.registry import tally, tally_alone
from deep_tally.check.roles import in_requested_roles, settled_roles
from deep_tally.check.rules.stamps import placements_of
from deep_tally.model.brief import Brief
from deep_tally.model.comparison import Comparison
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.decisions import Decision
from deep_tally.model.delivery import Common, Delivery, SongFacts, SongSet, Track
from deep_tally.model.files import Incomplete, Intake, Role, Unchecked
from deep_tally.model.mix_match import MixMatch
from deep_tally.model.statements import Statement
from deep_tally.names.facts import read_facts
from deep_tally.names.match import match_parts
from deep_tally.names.read import read_names
from deep_tally.names.statements import read_statements
from deep_tally.names.vocabulary import Vocabulary


def assess(
    intake: Intake,
    tracks: Sequence[Track],
    brief: Brief,
    *,
    corrections: Corrections = NO_CORRECTIONS,
    comparisons: Mapping[str, Comparison] = MappingProxyType({}),
    matches: Mapping[str, MixMatch] = MappingProxyType({}),
    vocabulary: Vocabulary | None = None,
    incomplete: Sequence[Incomplete] = (),
    of_client: Sequence[Decision] = (),
) -> Delivery:
    """Form the song sets of a delivery and tally their findings.

    Parameters
    ----------
    intake : Intake
        What was delivered, sorted as the user said.
    tracks : sequence of Track
        The measured files, in any order; files not measured yet may be missing.
    brief : Brief
    corrections : Corrections
        What the user said of parts, places and tempos.
    comparisons : mapping of song to Comparison
        How the files of each song (by its name in the intake) relate, as far as that is known.
    matches : mapping of song to MixMatch
        What the rough mix of each song says of its files, as far as that is known.
    vocabulary : Vocabulary, optional
        The words for parts, with the user's own; else the shipped ones.
    incomplete : sequence of Incomplete
        What could not be compared here; what could not be opened or measured is known from `intake` and `tracks`.
    of_client : sequence of Decision
        What was decided about findings of this client for good.
    """
    sets = []
    for name in intake.songs:
        song = _song_set(intake, name, tracks, brief, comparisons.get(name, Comparison()), corrections.tempos.get(name))
        song = replace(song, mix_match=matches.get(name))
        song = replace(song, placements=placements_of(song, corrections.places, brief))
        song = _with_names(song, brief, corrections.parts, vocabulary)
        sets.append(replace(song, statements=_statements(intake, name, song, vocabulary)))
    named = dict(zip(intake.songs, (s.name for s in sets), strict=True))
    families = {path: name.family for song in sets for path, name in song.names.items()}
    found = [finding for song in sets for finding in tally(song, brief)]
    findings, decided = apart(found, corrections.decisions, of_client, families)
    return Delivery(
        source=intake.source,
        name=intake.name,
        sets=tuple(sets),
        others=tuple(replace(e, song=named.get(e.song, e.song)) for e in intake.entries if not e.role.is_audio),
        troubles=intake.troubles,
        incomplete=(
            *intake.incomplete,
            *_not_measured(tracks),
            *incomplete,
            *(unread for comparison in comparisons.values() for unread in comparison.unread),
        ),
        findings=findings,
        decided=decided,
    )


def assess_so_far(intake: Intake, tracks: Sequence[Track], brief: Brief) -> Delivery:
    """What the measured files show each by itself, while others are still to come.

    Whatever is found here is found again when all are there, perhaps under what explains it; what depends on other
    files, on names or on what the user said is left for then.
    """
    tracks = in_requested_roles(tracks, brief)
    sets = []
    for name in intake.songs:
        paths = {e.path for e in intake.entries if e.song == name}
        listed = tuple(t for t in tracks if t.path in paths)
        sets.append(SongSet(name=name, tracks=listed, facts=SongFacts(title=name), common=Common()))
    return Delivery(
        source=intake.source,
        name=intake.name,
        sets=tuple(sets),
        troubles=intake.troubles,
        incomplete=(*intake.incomplete, *_not_measured(tracks)),
        findings=tuple(finding for song in sets for finding in tally_alone(song, brief)),
    )


def _not_measured(tracks: Sequence[Track]) -> Iterator[Incomplete]:
    """The files that could not be checked here, those with one reason together."""
    by_reason: dict[Unchecked, list[str]] = {}
    for track in tracks:
        if track.unchecked is not None:
            by_reason.setdefault(track.unchecked, []).append(track.path)
    for reason, paths in by_reason.items():
        yield Incomplete(what="measuring", files=tuple(paths), problem=reason.problem, remedy=reason.remedy)


def _with_names(
    song: SongSet, brief: Brief, set_by_user: Mapping[str, Sequence[str]], vocabulary: Vocabulary | None
) -> SongSet:
    """The set with what its files' names say, and which requested parts they stand for."""
    names = read_names([t.path for t in song.tracks], song.facts, vocabulary)
    assessed = {t.path: names[t.path] for t in song.assessed}
    return replace(
        song,
        names=names,
        parts=match_parts(brief.parts, assessed, set_by_user=set_by_user, vocabulary=vocabulary),
    )


def _statements(intake: Intake, name: str, song: SongSet, vocabulary: Vocabulary | None) -> tuple[Statement, ...]:
    """What the notes say of a song's files; a note about no single song counts only where it names one of them."""
    entries = [e for e in intake.entries if e.song in (name, "")]
    notes = {e.path: e.text for e in entries if e.text}
    if not notes:
        return ()
    written_s = {e.path: e.mtime_ns / 1e9 for e in entries if e.mtime_ns}
    has_mix = bool(song.with_role(Role.ROUGH_MIX))
    found = read_statements(notes, song.names, written_s=written_s, has_mix=has_mix, vocabulary=vocabulary)
    shared = {e.path for e in entries if e.song != name}
    return tuple(s for s in found if s.files or s.note not in shared)


def facts_of(
    intake: Intake, song: str, tracks: Sequence[Track], brief: Brief, *, user_bpm: float | None = None
) -> SongFacts:
    """What the user, the brief, names, notes, MIDI and the files themselves say of one song."""
    entries = [e for e in intake.entries if e.song == song]
    paths = {e.path for e in entries}
    return read_facts(
        song,
        [e.path for e in entries],
        [c for t in tracks if t.path in paths and t.format is not None for c in t.format.comments],
        around=intake.name,
        midi=[e.midi for e in entries if e.midi is not None],
        notes=[e.text for e in entries if e.text],
        clicks=[e.path.rpartition("/")[2] for e in entries if e.role is Role.CLICK],
        click_tempos_bpm=[
            t.measures.click_tempo.bpm
            for t in tracks
            if t.path in paths and t.role is Role.CLICK
            if t.measures is not None and t.measures.click_tempo is not None
        ],
        user_bpm=user_bpm,
        requested_bpm=brief.tempo_bpm,
        requested_meter=brief.meter_step,
    )


def _song_set(
    intake: Intake,
    song: str,
    tracks: Sequence[Track],
    brief: Brief,
    comparison: Comparison,
    user_bpm: float | None,
) -> SongSet:
    order = {e.path: index for index, e in enumerate(intake.entries) if e.song == song}
    modified_s = {e.path: e.mtime_ns / 1e9 for e in intake.entries if e.song == song and e.mtime_ns}
    listed = sorted((t for t in tracks if t.path in order), key=lambda t: order[t.path])
    ordered = settled_roles(listed, comparison, brief)
    facts = facts_of(intake, song, ordered, brief, user_bpm=user_bpm)
    name = song if len(intake.songs) > 1 else facts.title or song
    return SongSet(
        name=name,
        tracks=ordered,
        facts=facts,
        common=find_common(ordered, brief),
        comparison=comparison,
        modified_s=modified_s,
        companions=frozenset(e.role for e in intake.entries if e.song in (song, "") and not e.role.is_audio),
    )
