"""Decisions in words."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.decisions import Decided, Decision, DecisionKind
from deep_tally.reply.numbers import listed

DECISION_WORDS: Mapping[DecisionKind, str] = MappingProxyType(
    {
        "meant": "Meant so",
        "here": "Fixed here",
        "asked": "Asked already",
        "answered": "Answered",
    }
)
DECISION_MEANINGS: Mapping[DecisionKind, str] = MappingProxyType(
    {
        "meant": "It is as it should be: leave it out of tally and letter",
        "here": "You fix it yourself, and the client is not asked",
        "asked": "You have asked the client by other means",
        "answered": "The client has answered; note what was said",
    }
)


def decision_words(decision: Decision) -> str:
    """ "Meant so: “a cut on purpose”"; what was decided, with its note."""
    words = DECISION_WORDS[decision.kind]
    return f"{words}: “{decision.note}”" if decision.note else words


def reach_words(decision: Decision) -> str:
    """What a decision is about: some files, all of a kind, or everything of the kind."""
    if decision.scope == "code":
        return f"all such files ({decision.family})" if decision.family else "all such files"
    names = [thing.rpartition("/")[2] for thing in decision.about]
    return listed(names, most=3) if names else "the delivery"


def decided_words(decided: Decided) -> str:
    """One line about one decided finding, without what it is about."""
    for_client = " (always, for this client)" if decided.of_client else ""
    return f"{decision_words(decided.decision)}{for_client}"
