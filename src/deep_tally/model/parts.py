"""Requested parts and the files received for them."""

from __future__ import annotations

from dataclasses import dataclass

from deep_tally.model.brief import Part


@dataclass(frozen=True, slots=True)
class Match:
    """A file that stands for a requested part. `confidence` in 0.5 to 1; 1 where the user set it."""

    path: str
    confidence: float
    is_set_by_user: bool = False


@dataclass(frozen=True, slots=True)
class RequestedPart:
    """One requested part with its files, the surest first."""

    requested: Part
    matches: tuple[Match, ...] = ()

    @property
    def paths(self) -> tuple[str, ...]:
        """The files' paths."""
        return tuple(m.path for m in self.matches)
