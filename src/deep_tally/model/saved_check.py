"""A check as it is saved: everything that is needed to show it again without the audio, round by round."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from deep_tally.model.brief import Brief
from deep_tally.model.comparison import Comparison
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.delivery import Track
from deep_tally.model.files import Intake
from deep_tally.model.mix_match import MixMatch
from deep_tally.model.rounds import SampleChanges


@dataclass(frozen=True, slots=True, kw_only=True)
class SentLetter:
    """A letter that was saved or copied: when (ISO 8601), in which form, and its words."""

    at: str
    form: str
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ComparedFiles:
    """How files relate to each other: the paths that took part, and what was found."""

    paths: tuple[str, ...]
    comparison: Comparison


@dataclass(frozen=True, slots=True, kw_only=True)
class MatchedMix:
    """What a mix says of files: the mix, the paths that were looked for in it, and what was found."""

    mix: str
    paths: tuple[str, ...]
    match: MixMatch


@dataclass(frozen=True, slots=True, kw_only=True)
class Since:
    """What only the files themselves show of the round before.

    Attributes
    ----------
    is_partial : bool
        Whether what was not sent again is kept from the round before.
    sent : tuple of str
        The files that were sent in this round.
    successors : mapping of path to path
        Which file of the round before a file stands for.
    same : tuple of str
        Those that are bit-identical to it.
    sounds : mapping of path to SampleChanges
        How the sound of the others is another.
    """

    is_partial: bool
    sent: tuple[str, ...]
    successors: Mapping[str, str]
    same: tuple[str, ...]
    sounds: Mapping[str, SampleChanges] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class SavedRound:
    """One sending of a delivery.

    Attributes
    ----------
    checked_at : str
        When it was first checked (ISO 8601 with the offset from UTC).
    paths : tuple of str
        What was opened: a folder, a zip, or files.
    rough_mix : str or None
        The rough mix, where the user named one that is not in the delivery.
    found : Intake
        The files as they were found; of a partial round with those kept from the one before.
    contents : mapping of path to str
        Fingerprints of the files' contents.
    tracks : tuple of Track
        What was measured, with overviews coarse enough to be kept.
    compared : tuple of ComparedFiles
    matched : tuple of MatchedMix
    corrections : Corrections
    since : Since or None
        What only the files themselves show of the round before; None in the first round.
    letters : tuple of SentLetter
        The letters written about this round.
    """

    checked_at: str
    paths: tuple[str, ...]
    rough_mix: str | None = None
    found: Intake
    contents: Mapping[str, str] = field(default_factory=dict)
    tracks: tuple[Track, ...] = ()
    compared: tuple[ComparedFiles, ...] = ()
    matched: tuple[MatchedMix, ...] = ()
    corrections: Corrections = NO_CORRECTIONS
    since: Since | None = None
    letters: tuple[SentLetter, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class TallySaved:
    """A tally as it stood when a check was saved: how many findings of each action."""

    ask: int = 0
    fix: int = 0
    note: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class SavedCheck:
    """A check of one delivery, with all its rounds.

    Attributes
    ----------
    name : str
        The delivery's.
    saved_at : str
        When (ISO 8601).
    revision : str
        Another one at each save: two windows see by it that both have the check open.
    brief : Brief
        The brief it was checked against.
    tally : TallySaved
        Of the last round.
    rounds : tuple of SavedRound
        In order; at least one.
    """

    name: str
    saved_at: str
    revision: str
    brief: Brief
    tally: TallySaved
    rounds: tuple[SavedRound, ...]
