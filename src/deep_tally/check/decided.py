"""Findings the engineer decided about leave the tally: what was decided is put aside with its decision."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

from deep_tally.model.decisions import Decided, Decision
from deep_tally.model.findings import EvidenceValue, Finding


def apart(
    findings: Sequence[Finding],
    decisions: Sequence[Decision],
    of_client: Sequence[Decision],
    families: Mapping[str, str],
) -> tuple[tuple[Finding, ...], tuple[Decided, ...]]:
    """The findings that are left, and those that were decided about.

    Parameters
    ----------
    findings : sequence of Finding
    decisions : sequence of Decision
        About this delivery; of two about one finding the later one counts.
    of_client : sequence of Decision
        What was said of the client for good; it counts where nothing was said of this delivery.
    families : mapping of path to str
        The family of parts each file's name speaks of.
    """
    said = [(d, False) for d in reversed(decisions)] + [(d, True) for d in reversed(of_client)]
    left: list[Finding] = []
    decided: list[Decided] = []
    for finding in findings:
        rest: Finding | None = finding
        for decision, is_clients in said:
            if rest is None:
                break
            if rest.code == decision.code and (part := _part(rest, decision, families)) is not None:
                taken, rest = part
                decided.append(Decided(finding=taken, decision=decision, of_client=is_clients))
        if rest is not None:
            left.append(rest)
    return tuple(left), tuple(decided)


def _part(finding: Finding, decision: Decision, families: Mapping[str, str]) -> tuple[Finding, Finding | None] | None:
    """What of a finding a decision is about, and what is left of it; None where it is not about it."""
    about = things_of(finding)
    if not about:
        is_meant = decision.scope == "code" or (not decision.about and decision.song == finding.song)
        return (finding, None) if is_meant else None
    meant = tuple(thing for thing in about if _is_meant(thing, decision, families))
    if not meant:
        return None
    if len(meant) == len(about):
        return finding, None
    if not _is_of_each(finding):
        return None  # files that are only together what they are: the decision was about all of them
    return _of(finding, meant), _of(finding, tuple(thing for thing in about if thing not in meant))


def _is_meant(thing: str, decision: Decision, families: Mapping[str, str]) -> bool:
    if decision.scope == "these":
        return thing in decision.about
    return not decision.family or families.get(thing) == decision.family


def things_of(finding: Finding) -> tuple[str, ...]:
    """What a finding is about: files, or things that are missing."""
    missing = finding.evidence.get("missing")
    return finding.files or (missing if isinstance(missing, tuple) else ())


def _is_of_each(finding: Finding) -> bool:
    """Whether it holds for each of its files by itself."""
    return not finding.files or len(finding.by_file) == len(finding.files)


def _of(finding: Finding, things: tuple[str, ...]) -> Finding:
    """The finding about some of its things only."""
    if not finding.files:
        return replace(finding, evidence={**finding.evidence, "missing": things})
    kept = dict(_kept(finding.by_file, things))
    evidence: dict[str, EvidenceValue] = dict(finding.evidence)
    if "files" in evidence:
        evidence["files"] = len(things)
    if len(things) == 1:
        evidence, kept = dict(kept[things[0]]), {}
    places = tuple(p for p in finding.places if p.path in things)
    return replace(
        finding,
        files=things,
        evidence=evidence,
        by_file=kept,
        places=places,
        places_total=len(places),
        consequences=tuple(c for c in finding.consequences if set(c.files) & set(things)),
        mends={path: mend for path, mend in finding.mends.items() if path in things},
    )


def _kept(
    by_file: Mapping[str, Mapping[str, EvidenceValue]], things: tuple[str, ...]
) -> Iterator[tuple[str, Mapping[str, EvidenceValue]]]:
    for path in things:
        yield path, by_file[path]
