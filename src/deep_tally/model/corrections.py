"""What the user said of one delivery, where the files themselves say something else or nothing."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import TypeVar

from deep_tally.model.decisions import Decision
from deep_tally.model.files import Role
from deep_tally.model.letter_edits import NO_EDITS, LetterEdits
from deep_tally.model.naming import Order
from deep_tally.model.ready import AS_PLANNED, ReadyChoices

T = TypeVar("T")
Gains = tuple[float, float]
"""Factors for the left and the right side; both negative where polarity is inverted."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Corrections:
    """Everything the user said of a delivery: it counts before all that was found.

    Attributes
    ----------
    roles : mapping of path to Role
        What files are for.
    songs : mapping of path to str
        To which song files belong.
    rough_mixes : tuple of paths
        Which file is its song's rough mix: what only looks like it is a reference then.
    parts : mapping of path to part names
        Which requested parts a file stands for; empty for "none of them".
    places : mapping of path to int
        Frames by which a file belongs later than the file's own start; 0 leaves it there whatever its stamp says.
    levels : mapping of path to Gains
        How loud files are in the rough mix, taken over for listening and for the ready copy.
    tempos : mapping of song to float
        BPM, by the song's name in the intake.
    names : mapping of path to str
        New names the user wrote, without ending.
    pattern : str or None
        Of the rename plan; None takes the brief's.
    order : "delivered" or "family"
    in_reply : bool
        Whether the reply lists the new names.
    letter : LetterEdits
        What the reply says otherwise, and to whom.
    decisions : tuple of Decision
        What was decided about findings, the latest last.
    ready : ReadyChoices
        What is wanted otherwise of the ready copy.
    stands_for : mapping of path to path
        In a further round: which file of the round before a file stands for; empty for none.
    """

    roles: Mapping[str, Role] = field(default_factory=dict)
    songs: Mapping[str, str] = field(default_factory=dict)
    rough_mixes: tuple[str, ...] = ()
    parts: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    places: Mapping[str, int] = field(default_factory=dict)
    levels: Mapping[str, Gains] = field(default_factory=dict)
    tempos: Mapping[str, float] = field(default_factory=dict)
    names: Mapping[str, str] = field(default_factory=dict)
    pattern: str | None = None
    order: Order = "delivered"
    in_reply: bool = False
    letter: LetterEdits = NO_EDITS
    decisions: tuple[Decision, ...] = ()
    ready: ReadyChoices = AS_PLANNED
    stands_for: Mapping[str, str] = field(default_factory=dict)

    def with_role(self, paths: Iterable[str], role: Role) -> Corrections:
        """Files are for this."""
        return self.with_roles(dict.fromkeys(paths, role))

    def with_roles(self, given: Mapping[str, Role]) -> Corrections:
        """Each file is for what is given."""
        mixes = tuple(p for p in self.rough_mixes if p not in given)
        return replace(self, roles={**self.roles, **given}, rough_mixes=mixes)

    def with_song(self, paths: Iterable[str], song: str) -> Corrections:
        """Files belong to this song."""
        return replace(self, songs={**self.songs, **dict.fromkeys(paths, song)})

    def with_rough_mix(self, path: str, *, instead_of: Iterable[str]) -> Corrections:
        """A file is its song's rough mix, instead of others."""
        gone = {path, *instead_of}
        roles = {p: role for p, role in self.roles.items() if p != path}
        return replace(self, roles=roles, rough_mixes=(*(p for p in self.rough_mixes if p not in gone), path))

    def with_part(self, path: str, parts: tuple[str, ...] | None) -> Corrections:
        """A file stands for these parts; None forgets what was said of it."""
        return replace(self, parts=_with(self.parts, path, parts))

    def with_place(self, path: str, frames: int | None) -> Corrections:
        """A file is placed by hand; None gives it back to its stamp."""
        return replace(self, places=_with(self.places, path, frames))

    def with_levels(self, levels: Mapping[str, Gains]) -> Corrections:
        """Files have these levels."""
        return replace(self, levels={**self.levels, **levels})

    def with_tempo(self, song: str, bpm: float | None) -> Corrections:
        """A song has a tempo; None takes what is stated."""
        return replace(self, tempos=_with(self.tempos, song, bpm))

    def with_name(self, path: str, name: str | None) -> Corrections:
        """A file gets a name of one's own; None or nothing gives it back to the pattern."""
        return replace(self, names=_with(self.names, path, name or None))

    def with_successor(self, path: str, was: str | None) -> Corrections:
        """A file stands for this one of the round before; empty: for none; None gives it back to what was found."""
        rest = {p: w for p, w in self.stands_for.items() if p != path}
        return replace(self, stands_for=rest if was is None else {**rest, path: was})

    def with_decision(self, decision: Decision) -> Corrections:
        """Something was decided."""
        return replace(self, decisions=(*(d for d in self.decisions if d != decision), decision))

    def without_decision(self, decision: Decision) -> Corrections:
        """A decision is taken back."""
        return replace(self, decisions=tuple(d for d in self.decisions if d != decision))


def _with(values: Mapping[str, T], key: str, value: T | None) -> dict[str, T]:
    rest = {k: v for k, v in values.items() if k != key}
    return rest if value is None else rest | {key: value}


NO_CORRECTIONS = Corrections()
