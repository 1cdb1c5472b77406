"""Two rounds as they are known: assessed and against each other, without reading any audio."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TypeVar

from deep_tally.check.assess import assess
from deep_tally.check.rounds import compare_rounds
from deep_tally.engine.check_run import CheckRun
from deep_tally.engine.saved import Known, known_of
from deep_tally.intake.corrected import with_corrections
from deep_tally.model.brief import Brief
from deep_tally.model.corrections import Corrections
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.files import Intake
from deep_tally.model.rounds import Rounds
from deep_tally.model.saved_check import ComparedFiles, MatchedMix, SavedRound, Since
from deep_tally.names.vocabulary import Vocabulary
from deep_tally.session.client_decisions import decisions_of

K = TypeVar("K", ComparedFiles, MatchedMix)
V = TypeVar("V")


@dataclass(frozen=True, slots=True, kw_only=True)
class RoundSide:
    """One of two rounds: assessed, with its files as they lie there and as the user sorted them.

    Attributes
    ----------
    delivery : Delivery
    found, intake : Intake
        As it was found, and as the user sorted it.
    tracks : tuple of Track
    contents : mapping of path to str
    corrections : Corrections
    known : Known
        What was compared.
    """

    delivery: Delivery
    found: Intake
    intake: Intake
    tracks: tuple[Track, ...]
    contents: Mapping[str, str]
    corrections: Corrections
    known: Known

    @property
    def sources(self) -> dict[str, Path]:
        """Where its files are."""
        return {e.path: e.source for e in self.intake.entries}


def side_of(run: CheckRun) -> RoundSide:
    """The round of a run.

    Raises
    ------
    ValueError
        It is not assessed yet.
    """
    if run.delivery is None or run.intake is None or run.found is None:
        raise ValueError("a round is not assessed yet")
    return RoundSide(
        delivery=run.delivery,
        found=run.found,
        intake=run.intake,
        tracks=run.tracks,
        contents=run.contents,
        corrections=run.corrections,
        known=Known(compared=run.compared, matched=run.matched),
    )


def side_of_saved(saved: SavedRound, brief: Brief, vocabulary: Vocabulary | None) -> RoundSide:
    """The round of a saved check."""
    intake = with_corrections(saved.found, saved.corrections)
    entries = {e.path: e for e in intake.entries}
    tracks = tuple(
        replace(t, role=entries[t.path].role, basis=entries[t.path].basis) for t in saved.tracks if t.path in entries
    )
    known = known_of(saved)
    delivery = assess(
        intake,
        tracks,
        brief,
        corrections=saved.corrections,
        comparisons=_by_song(saved.compared, intake, lambda compared: compared.comparison),
        matches=_by_song(saved.matched, intake, lambda matched: matched.match),
        vocabulary=vocabulary,
        of_client=decisions_of(saved.corrections.letter.client),
    )
    return RoundSide(
        delivery=delivery,
        found=saved.found,
        intake=intake,
        tracks=tracks,
        contents=saved.contents,
        corrections=saved.corrections,
        known=known,
    )


def _by_song(kept: Sequence[K], intake: Intake, of: Callable[[K], V]) -> dict[str, V]:
    """For each song what is known of most of its files: what was found before files were sorted is kept as well."""
    found: dict[str, V] = {}
    for song in intake.songs:
        here = {e.path for e in intake.entries if e.song == song}
        about = [each for each in kept if set(each.paths) <= here]
        if about:
            found[song] = of(max(about, key=lambda each: len(each.paths)))
    return found


def first_side(run: CheckRun) -> RoundSide | None:
    """The round before the one of a run; None where it is the first."""
    place = run.saved
    if place is None or place.since is None or not place.earlier:
        return None
    return side_of_saved(place.earlier[-1], run.brief, run.vocabulary)


def rounds_of_run(run: CheckRun) -> Rounds | None:
    """What became of the requests of the round before that of a run; None where there is none."""
    first = first_side(run)
    if first is None or run.delivery is None or run.saved is None or run.saved.since is None:
        return None
    return rounds_of(first.delivery, run.delivery, run.saved.since)


def rounds_of(first: Delivery, judged: Delivery, since: Since) -> Rounds:
    """The rounds against each other, from what is known: reads no audio."""
    found = compare_rounds(first, judged, since.successors, frozenset(since.same), partial=since.is_partial)
    files = (
        replace(file, sound=since.sounds.get(file.path)) if file.state == "replaced" else file for file in found.files
    )
    return replace(found, files=tuple(files))


@dataclass(frozen=True, slots=True, kw_only=True)
class Joining:
    """What is to be joined.

    Attributes
    ----------
    path : Path
        The saved check.
    rounds : int or None
        How many of its rounds stand before the one that is joined; None: all of them.
    second : SavedRound
        What was sent now, measured.
    brief : Brief
    partial : bool or None
        Whether what was not sent again is kept; None decides by how much was.
    said : mapping of path to path
        Which file of the round before a file stands for, as the user said.
    checked_at : str
        When the round that is joined was first checked; empty for now.
    """

    path: Path
    rounds: int | None
    second: SavedRound
    brief: Brief
    partial: bool | None = None
    said: Mapping[str, str] | None = None
    checked_at: str = ""


def sent_again(saved: SavedRound) -> SavedRound:
    """A round without what was kept from the one before: what its client sent."""
    if saved.since is None:
        return saved
    sent = set(saved.since.sent)
    found = replace(saved.found, entries=tuple(e for e in saved.found.entries if e.path in sent))
    return replace(
        saved,
        found=found,
        contents={path: content for path, content in saved.contents.items() if path in sent},
        tracks=tuple(t for t in saved.tracks if t.path in sent),
        since=None,
    )
