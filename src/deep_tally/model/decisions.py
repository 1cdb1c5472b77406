"""What the engineer decided about findings: they leave tally and letter, and stay listed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from deep_tally.model.findings import Finding

DecisionKind = Literal["meant", "here", "asked", "answered"]
"""Meant so; mended here, though it would be asked; asked already, by other means; answered by the client."""
Scope = Literal["these", "code"]
"""For these files (or missing things) alone, or for all findings of this code."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Decision:
    """One decision.

    Attributes
    ----------
    code : str
        Of the findings it is about.
    kind : DecisionKind
    scope : Scope
    about : tuple of str
        With the scope "these": the files, or what is missing where it is about no file.
    song : str
        With the scope "these" and nothing in `about`: the song it is about.
    family : str
        With the scope "code": only files of this family of parts; empty for all.
    note : str
        A note of the engineer's, or the client's answer.
    """

    code: str
    kind: DecisionKind
    scope: Scope = "these"
    about: tuple[str, ...] = ()
    song: str = ""
    family: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Decided:
    """A finding that was decided about, or that part of it; `of_client` where that was said of the client for good."""

    finding: Finding
    decision: Decision
    of_client: bool = False
