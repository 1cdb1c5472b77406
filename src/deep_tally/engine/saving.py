"""A run becomes a check as it is saved, and is written by a worker."""

from __future__ import annotations

import pickle
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import cast

from deep_tally.compare.matching import Key as MatchKey
from deep_tally.compare.run import Key
from deep_tally.engine.check_run import CheckRun, is_measured
from deep_tally.model.comparison import Comparison
from deep_tally.model.delivery import Track
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.files import ClientFiles, Intake
from deep_tally.model.findings import count_findings
from deep_tally.model.measures import Measures
from deep_tally.model.mix_match import MixMatch
from deep_tally.model.saved_check import ComparedFiles, MatchedMix, SavedCheck, SavedRound, TallySaved
from deep_tally.session.recent_checks import RecentCheck, remember
from deep_tally.session.saved_checks import Base, SavedAs, now, save_check
from deep_tally.work.isolated import OnProgress

_BINS_MOST = 4096
"""Of an overview: finer than any screen shows a whole file."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PackedCheck:
    """A check on its way to a worker: what was measured is pickled file by file, or lies in the document already.

    Attributes
    ----------
    check : SavedCheck
        Its last round alone, without tracks.
    tracks : tuple of bytes
        Empty where they are taken from the document.
    path : Path
    rests_on : str or None
    base : Base or None
    """

    check: SavedCheck
    tracks: tuple[bytes, ...]
    path: Path
    rests_on: str | None
    base: Base | None


def write_packed(progress: OnProgress, packed: PackedCheck, client: ClientFiles) -> SavedAs | str:
    """In a worker: write a check, and put it first in the list of recent ones; or say why it cannot be written."""
    try:
        return _write(packed, client)
    except DeepTallyError as error:
        return str(error)
    except OSError as error:
        return f"The check cannot be saved in {packed.path.parent}: {error.strerror}."


def _write(packed: PackedCheck, client: ClientFiles) -> SavedAs:
    this = packed.check.rounds[-1]
    if packed.tracks:
        this = replace(this, tracks=tuple(pickle.loads(track) for track in packed.tracks))
    check = replace(packed.check, rounds=(*packed.check.rounds[:-1], this))
    packed.path.parent.mkdir(parents=True, exist_ok=True)
    # Where the user put it into the client's folder, that was agreed to when it was first saved there.
    at = save_check(check, packed.path, rests_on=packed.rests_on, base=packed.base, client=client, into_delivery=True)
    tally = check.tally
    remember(
        RecentCheck(
            path=str(at.path),
            name=check.name,
            saved_at=now(),
            client=this.corrections.letter.client,
            ask=tally.ask,
            fix=tally.fix,
            note=tally.note,
            files=len(this.found.sounds),
            rounds=len(check.rounds) + (packed.base.rounds if packed.base is not None else 0),
        )
    )
    return at


def saved_check_of(run: CheckRun, *, with_tracks: bool = True) -> SavedCheck:
    """The check with all its rounds, as it is saved; the last one may be without what was measured.

    Raises
    ------
    ValueError
        The files are not known yet.
    """
    if run.found is None:
        raise ValueError("the files are not known yet")
    place = run.saved
    counts = count_findings(run.delivery.findings) if run.delivery is not None else {}
    this = SavedRound(
        checked_at=place.checked_at if place is not None else now(),
        paths=tuple(map(str, run.paths)),
        rough_mix=str(run.rough_mix) if run.rough_mix is not None else None,
        found=run.found,
        contents=dict(run.contents),
        tracks=tuple(lasting(t) for t in run.tracks if is_measured(t)) if with_tracks else (),
        compared=_compared_files(run.compared, run.found),
        matched=_matched_mixes(run.matched, run.found),
        corrections=run.corrections,
        since=place.since if place is not None else None,
        letters=place.letters if place is not None else (),
    )
    return SavedCheck(
        name=run.found.name,
        saved_at="",
        revision=place.revision if place is not None else "",
        brief=run.brief,
        tally=TallySaved(**{action.value: count.findings for action, count in counts.items()}),
        rounds=(*(place.earlier if place is not None else ()), this),
    )


def lasting(track: Track) -> Track:
    """The track with what is worth keeping of its overview."""
    measures: Measures | None = track.measures
    if measures is None:
        return track
    levels = tuple(lv for lv in measures.overview if len(lv.low) <= _BINS_MOST) or measures.overview[-1:]
    return replace(track, measures=replace(measures, overview=levels))


def _compared_files(compared: Mapping[Key, Comparison], found: Intake) -> tuple[ComparedFiles, ...]:
    """The relations between files that are as they were found."""
    now = {(e.path, e.identity) for e in found.entries}
    return tuple(
        ComparedFiles(paths=tuple(str(path) for path, _ in key), comparison=comparison)
        for key, comparison in compared.items()
        if set(key) <= now
    )


def _matched_mixes(matched: Mapping[MatchKey, MixMatch], found: Intake) -> tuple[MatchedMix, ...]:
    """What mixes say of files that are as they were found."""
    now = {(e.path, e.identity) for e in found.entries}
    made = []
    for key, match in matched.items():
        mix, identity, files = cast("tuple[str, object, Key]", key)
        if (mix, identity) in now and set(files) <= now:
            made.append(MatchedMix(mix=mix, paths=tuple(str(path) for path, _ in files), match=match))
    return tuple(made)
