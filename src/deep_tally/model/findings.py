"""Findings: an answer that is not fine, with who must act and the evidence for it."""

from __future__ import annotations

import enum
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from deep_tally.model.mend import Mend

Kind = Literal["request", "question"]
EvidenceValue = float | int | str | None | tuple[str, ...]

QUESTIONS = ("start", "length", "rate", "depth", "clipping", "headroom", "channels", "name", "content")
"""The nine, in the order an engineer asks them."""


class Action(enum.Enum):
    """Who has to act."""

    ASK = "ask"
    FIX = "fix"
    NOTE = "note"

    @property
    def gravity(self) -> int:
        """Greater is graver: a cell shows its gravest action."""
        return {Action.ASK: 3, Action.FIX: 2, Action.NOTE: 1}[self]


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """Where in a file the evidence lies. `channel` None means all; `path` says which file."""

    path: str
    frame: int
    frames: int
    channel: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """One answer that is not fine. Codes and numbers only: `reply.words` makes sentences of them.

    Attributes
    ----------
    code : str
        "question.what", from the catalogue.
    kind : "request", "question" or None
        On `ask` findings only: export again, or is this meant so?
    song : str
        Name of the song set it is about.
    files : tuple of str
        Paths inside the delivery; empty when a thing is missing altogether.
    evidence : mapping
        Numbers under the keys of the contract.
    by_file : mapping of path to evidence
        For a finding about several files: each one's own numbers.
    places_total : int
        How many places there are; `places` holds at most a thousand.
    consequences : tuple of Finding
        What this one explains: shown under it, neither counted nor asked.
    mends : mapping of path to Mend
        On `fix` findings: what is done here about each file.
    """

    code: str
    action: Action
    kind: Kind | None = None
    confidence: float = 1.0
    song: str = ""
    files: tuple[str, ...] = ()
    evidence: Mapping[str, EvidenceValue] = field(default_factory=dict)
    by_file: Mapping[str, Mapping[str, EvidenceValue]] = field(default_factory=dict)
    places: tuple[Place, ...] = ()
    places_total: int = 0
    consequences: tuple[Finding, ...] = ()
    mends: Mapping[str, Mend] = field(default_factory=dict)

    @property
    def question(self) -> str:
        """Which of the nine it answers."""
        return self.code.partition(".")[0]

    @property
    def is_answered(self) -> bool:
        """Whether the client's notes answer it already: then it is no longer asked."""
        return any("client_says" in evidence for evidence in (self.evidence, *self.by_file.values()))

    def evidence_of(self, path: str) -> Mapping[str, EvidenceValue]:
        """The numbers for one of its files."""
        return self.by_file.get(path, self.evidence)

    def number_of(self, path: str, key: str) -> float:
        """One number for one of its files; 0 where it has none of that key."""
        value = self.evidence_of(path).get(key)
        return value if isinstance(value, (int, float)) else 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Count:
    """How many findings of one action there are, in how many files."""

    findings: int
    files: int


def count_findings(findings: tuple[Finding, ...]) -> dict[Action, Count]:
    """The tally: findings and files for each action."""
    return {
        action: Count(
            findings=sum(f.action is action for f in findings),
            files=len({path for f in findings if f.action is action for path in f.files}),
        )
        for action in Action
    }
