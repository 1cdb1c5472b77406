"""A check as it is saved, and opened again: without measuring anything, and without the audio where that is gone."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

from deep_tally.compare.matching import Key as MatchKey
from deep_tally.compare.run import Key
from deep_tally.intake.fingerprint import fingerprint
from deep_tally.intake.walk import take_in
from deep_tally.model.brief import Brief
from deep_tally.model.comparison import Comparison
from deep_tally.model.delivery import Track
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.files import Entry, Intake
from deep_tally.model.mix_match import MixMatch
from deep_tally.model.saved_check import SavedCheck, SavedRound, SentLetter, Since
from deep_tally.session.saved_checks import read_check


@dataclass(frozen=True, slots=True, kw_only=True)
class SavedPlace:
    """Where a check is saved, and what stands there beside the round at hand.

    Attributes
    ----------
    path : Path
    revision : str
    checked_at : str
        When the round at hand was first checked.
    earlier : tuple of SavedRound
        The rounds before it.
    letters : tuple of SentLetter
        Those of the round at hand.
    since : Since or None
        What the files of the round at hand show of the one before; None in the first round.
    base : Path or None
        Where the earlier rounds are, while they are not at `path` yet.
    """

    path: Path
    revision: str
    checked_at: str
    earlier: tuple[SavedRound, ...] = ()
    letters: tuple[SentLetter, ...] = ()
    since: Since | None = None
    base: Path | None = None


def place_of(path: Path, check: SavedCheck) -> SavedPlace:
    """The place of a check whose last round is the one at hand."""
    last = check.rounds[-1]
    return SavedPlace(
        path=path,
        revision=check.revision,
        checked_at=last.checked_at,
        earlier=check.rounds[:-1],
        letters=last.letters,
        since=last.since,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """What need not be found out: measured files by their paths, relations and matches by what they rest on."""

    tracks: Mapping[str, Track] = field(default_factory=dict)
    compared: Mapping[Key, Comparison] = field(default_factory=dict)
    matched: Mapping[MatchKey, MixMatch] = field(default_factory=dict)


NOTHING_KNOWN = Known()


@dataclass(frozen=True, slots=True, kw_only=True)
class Reopened:
    """The last round of a saved check, at the place where its files are now.

    Attributes
    ----------
    place : SavedPlace
    brief : Brief
        The one it was checked against.
    saved : SavedRound
        Its files at the place where they are now.
    known : Known
    changed, missing : tuple of str
        Files that are not what they were, and those that are not there.
    """

    place: SavedPlace
    brief: Brief
    saved: SavedRound
    known: Known
    changed: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()


def reopen(
    path: Path,
    *,
    moved_to: Path | None = None,
    unpack_into: Path | None = None,
    progress: Callable[[int, int], None] = lambda done, total: None,
) -> Reopened:
    """Read a saved check and look for its files.

    Parameters
    ----------
    path : Path
    moved_to : Path, optional
        The folder or zip that was opened then, where it is now.
    unpack_into : Path, optional
        A private folder for what is in zips.
    progress : callable

    Raises
    ------
    SavedCheckRefused
        The document cannot be used.
    """
    check = read_check(path)
    saved = check.rounds[-1]
    if moved_to is not None:
        saved = _moved(saved, moved_to)
    found = unpacked(saved, unpack_into, progress)
    now = {e.path: fingerprint(e.source) for e in found.entries}
    missing = [path for path, content in now.items() if content is None]
    changed = [path for path, content in now.items() if content and saved.contents.get(path, content) != content]
    saved = replace(saved, found=found)
    return Reopened(
        place=place_of(path, check),
        brief=check.brief,
        saved=saved,
        known=known_of(saved),
        changed=tuple(changed),
        missing=tuple(missing),
    )


def known_of(saved: SavedRound) -> Known:
    """What a saved round knows of its files, by what those are now."""
    identities = {e.path: e.identity for e in saved.found.entries}

    def key(paths: Iterable[str]) -> Key:
        return tuple((p, identities.get(p)) for p in paths)

    return Known(
        tracks={t.path: t for t in saved.tracks if t.is_done and t.unchecked is None},
        compared={key(c.paths): c.comparison for c in saved.compared},
        matched={(m.mix, identities.get(m.mix), key(m.paths)): m.match for m in saved.matched},
    )


def _moved(saved: SavedRound, place: Path) -> SavedRound:
    """The round with its files where they are now: at the same places under another folder or zip."""
    was = saved.found.source

    def at(path: Path) -> Path:
        return place / path.relative_to(was) if path.is_relative_to(was) else path

    found = replace(
        saved.found,
        source=place,
        entries=tuple(replace(e, source=at(e.source)) for e in saved.found.entries),
        archives=tuple(map(at, saved.found.archives)),
        folders=tuple(map(at, saved.found.folders)),
    )
    return replace(saved, found=found, paths=tuple(str(at(Path(p))) for p in saved.paths))


def unpacked(saved: SavedRound, into: Path | None, progress: Callable[[int, int], None]) -> Intake:
    """The files of a round as they were found, those out of zips unpacked again where the zips are there."""
    found = saved.found
    packed = {e.path for e in found.entries if e.archived}
    now: dict[str, Entry] = {}
    if packed and into is not None:
        try:
            again = take_in([Path(p) for p in saved.paths], unpack_into=into, on_step=progress)
        except DeepTallyError:
            again = None  # its zip is gone, which is said of each of its files
        now = {e.path: e for e in again.entries if e.archived} if again is not None else {}
    return replace(
        found,
        entries=tuple(
            replace(e, source=now[e.path].source if e.path in now else found.source / e.path) if e.path in packed else e
            for e in found.entries
        ),
    )
