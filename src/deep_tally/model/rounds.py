"""Two rounds of one delivery against each other: what became of every file and of every request."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from deep_tally.model.findings import Finding

FileState = Literal["same", "replaced", "renamed", "new", "gone", "kept"]
RequestState = Literal["met", "partly", "not-met"]
Value = float | int | str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """A stretch in which two versions of a file differ, in the later one's time; `db` under the louder one's level."""

    start_s: float
    stop_s: float
    db: float


@dataclass(frozen=True, slots=True, kw_only=True)
class SampleChanges:
    """How the sound of a file is another one: by one gain throughout, and where else it differs."""

    level_db: float
    differences: tuple[Difference, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class RoundFile:
    """One file of the second round, or one of the first that has no successor.

    Attributes
    ----------
    path : str
        In the second round; in the first for what is gone or kept.
    was : str or None
        Its path in the first round; None for a new file.
    state : FileState
        "same": bit-identical, under its own name. "renamed": bit-identical under another. "kept": not sent again, and
        taken from the first round. "gone": neither sent nor kept.
    changes : mapping of what to (before, after)
        Of a replaced file; levels in dB, times in seconds.
    sound : SampleChanges or None
        Of a replaced file; None where rates or channels are others, and where it was not looked at.
    """

    path: str
    was: str | None
    state: FileState
    changes: Mapping[str, tuple[Value, Value]] = field(default_factory=dict)
    sound: SampleChanges | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class RoundRequest:
    """What became of one request of the first round.

    Attributes
    ----------
    code : str
    files : tuple of str
        Paths in the first round.
    state : RequestState
    left : tuple of str
        Those of `files` for which it is still to be asked.
    """

    code: str
    files: tuple[str, ...]
    state: RequestState
    left: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Rounds:
    """Both rounds against each other.

    Attributes
    ----------
    is_partial : bool
        Whether what was not sent again is kept from the first round.
    requests : tuple of RoundRequest
    files : tuple of RoundFile
    new_findings : tuple of Finding
        What is to be asked or fixed now and was not before, in the second round's paths.
    """

    is_partial: bool
    requests: tuple[RoundRequest, ...]
    files: tuple[RoundFile, ...]
    new_findings: tuple[Finding, ...]

    @property
    def is_settled(self) -> bool:
        """Whether every request is met and nothing new is to be asked."""
        return all(r.state == "met" for r in self.requests) and not any(
            f.action.value == "ask" for f in self.new_findings
        )
