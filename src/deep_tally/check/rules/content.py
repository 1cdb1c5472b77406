"""Is there sound in it, whole and readable? Findings of the question "content"."""

from __future__ import annotations

import math
from collections.abc import Iterator

from deep_tally.check.build import about, place_at, places_of
from deep_tally.check.rules.spectral_edges import sharing, spectral_edge_of
from deep_tally.intake.endings import ENDINGS, SOUND_ENDINGS
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding, Place
from deep_tally.model.phrase import Phrase

_CLICKS_FROM_S = 5.0


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
        if track.damage is not None and not is_unread_kind(track):
            clauses.insert(0, track.damage.problem)
        elif sound is not None and sound.sample_format != "lossy" and (ending := false_ending(track)):
            clauses.append(Phrase("name.ending", container=sound.container.upper(), ending=ending))
        if not clauses:
            continue
        is_needed = track.role.is_assessed or track.role is Role.ROUGH_MIX
        yield about(
            "content.damaged",
            Action.ASK if track.damage is not None and is_needed else Action.NOTE,
            track,
            places=place_at(track, max(0, sound.frames - 1)) if sound is not None and track.damage is not None else (),
            problem=Phrase("clauses", parts=tuple(clauses)),
            frames=sound.frames if sound is not None else None,
            claimed_frames=sound.claimed_frames if sound is not None else None,
        )


def is_unread_kind(track: Track) -> bool:
    """Whether a file is whole as far as anyone can see, and of a kind that cannot be read here."""
    return track.damage is not None and track.damage.problem.key == "sound.kind"


def unreadable_kind(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Sound of a kind that cannot be read here: the same sound as WAV can."""
    for track in song.tracks:
        if track.damage is not None and is_unread_kind(track):
            is_needed = track.role.is_assessed or track.role is Role.ROUGH_MIX
            action = Action.ASK if is_needed else Action.NOTE
            yield about("content.unreadable-kind", action, track, sound_kind=str(track.damage.problem.params["kind"]))


def _clicks(track: Track, brief: Brief) -> float | None:
    """How many milliseconds a file sounds in all, where that is no more than a few stray clicks; else None."""
    if (known := track.measured) is None or known[0].seconds < _CLICKS_FROM_S:
        return None
    sound, measures = known
    density = measures.density
    ms = density.active_windows * density.window_frames / sound.rate_hz * 1000
    return ms if ms <= brief.threshold("content.clicks_ms") else None


def empty(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """No sound at all, only noise at the floor, or no more than a few stray clicks."""
    for track in song.tracks:
        clicks = _clicks(track, brief) if track.is_heard else None
        if track.measures is None or (track.is_heard and clicks is None):
            continue
        asked = track.role.is_assessed and track.role not in (Role.GROUP, Role.EFFECT_RETURN)
        level = track.measures.sample_peak_dbfs if clicks is not None else track.measures.rms_dbfs
        yield about(
            "content.empty",
            Action.ASK if asked else Action.NOTE,
            track,
            kind="question",
            dbfs=level if math.isfinite(level) else None,
            frames=track.format.frames if track.format else 0,
            clicks_ms=clicks,
        )


def nonfinite(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """NaN or infinite samples."""
    for track in song.assessed:
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


def import_tags(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Tags that make other programs stretch or loop a file when it is imported."""
    for track in song.assessed:
        if track.format is not None and track.format.import_tags:
            yield about("content.import-tags", Action.NOTE, track, tags=track.format.import_tags)


def edit_jump(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Single samples that leap away from their surroundings, as at edits without a fade."""
    for track in song.assessed:
        if track.measures is not None and (jumps := track.measures.edit_jumps).count:
            places = [Place(path=track.path, frame=j.frame, frames=1, channel=j.channel) for j in jumps.places]
            yield about(
                "content.edit-jump", Action.NOTE, track, places=places, places_total=jumps.count, jumps=jumps.count
            )


def hum(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Mains hum in the quiet passages."""
    for track in song.assessed:
        if track.measures is not None and track.is_heard and (found := track.measures.hum) is not None:
            yield about("content.hum", Action.NOTE, track, hz=found.mains_hz, dbfs=found.dbfs)


def lossy_origin(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A lossless file whose content ends where lossy encoders end theirs."""
    for track in song.assessed:
        edge = spectral_edge_of(track)
        if edge is None or edge.kind != "coded":
            continue
        files = sharing(song, edge)
        yield about(
            "content.lossy-origin",
            Action.ASK,
            track,
            confidence=0.95 if files > 1 else 0.85,
            edge_hz=edge.edge_hz,
            db=edge.drop_db,
            files=files,
        )


def lossy(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A lossy file format where lossless was needed; a note where the part was sent lossless too."""
    lossless = {t.stem.casefold() for t in song.assessed if t.format and t.format.sample_format != "lossy"}
    for track in song.assessed:
        if track.format is not None and track.format.sample_format == "lossy":
            action = Action.NOTE if track.stem.casefold() in lossless else Action.ASK
            ending = false_ending(track)
            yield about("content.lossy", action, track, container=track.format.container, ending=ending)


def container(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Not a container the brief asks for; saving it in another loses nothing: lossy formats are content.lossy."""
    if brief.containers is None:
        return
    for track in song.assessed:
        sound = track.format
        if sound is None or sound.sample_format == "lossy" or sound.container in brief.containers:
            continue
        yield about(
            "content.container", Action.FIX, track, container=sound.container, wanted=", ".join(brief.containers)
        )


def no_rough_mix(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """No rough mix, and the brief needs one."""
    if brief.needs.rough_mix and brief.scope != "mix" and not song.with_role(Role.ROUGH_MIX):
        yield about("content.no-rough-mix", Action.ASK, ())


def companion_missing(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """References, click, MIDI, notes or stamps that the brief needs did not come."""
    needs = brief.needs
    companions = {
        Phrase("companion.reference"): (needs.references, bool(song.with_role(Role.REFERENCE))),
        Phrase("companion.click"): (needs.click, bool(song.with_role(Role.CLICK))),
        Phrase("companion.midi"): (needs.midi, Role.MIDI in song.companions),
        Phrase("companion.notes"): (needs.documents, Role.DOCUMENT in song.companions),
        Phrase("companion.stamps"): (
            needs.stamps,
            all(t.format.time_reference is not None for t in song.assessed if t.format is not None),
        ),
    }
    missing = tuple(name for name, (needed, there) in companions.items() if needed and not there)
    if missing:
        yield about("content.companion-missing", Action.ASK, (), missing=missing)


def several_mixes(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """More than one candidate for the rough mix; a copy of one and what only lacks some of its parts are no others."""
    mixes = [t for t in song.with_role(Role.ROUGH_MIX) if not _belongs_to_another(t, song)]
    if len({t.stem.casefold() for t in mixes}) > 1:
        yield about("content.several-mixes", Action.ASK, mixes, kind="question", files=len(mixes))


def _belongs_to_another(track: Track, song: SongSet) -> bool:
    """Whether a mix is a copy of another, or holds fewer of the files than another, as an instrumental does."""
    held = {m.path: m for m in song.comparison.mixes}
    mix = held.get(track.path)
    if mix is None:
        return False
    return mix.copy_of is not None or any(set(mix.members) < set(m.members) for m in held.values())


def mix_copy(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The mix once more: limited, coded, or in another form."""
    mixes = {t.path: t for t in song.with_role(Role.ROUGH_MIX)}
    copies = {m.path: m.copy_of for m in song.comparison.mixes if m.path in mixes and m.copy_of in mixes}
    first: dict[str, str] = {}
    for track in mixes.values():
        kept = first.setdefault(track.stem.casefold(), track.path)
        if kept != track.path:
            copies.setdefault(track.path, kept)
    for original in dict.fromkeys(copies.values()):
        if original is not None and original not in copies:
            listed = [mixes[path] for path, of in copies.items() if of == original]
            yield about("content.mix-copy", Action.NOTE, listed, partner=original, files=len(listed))
