"""What the client's notes say already is not asked again: it is worth knowing, with the client's words."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from deep_tally.model.delivery import SongSet
from deep_tally.model.findings import Action, EvidenceValue, Finding
from deep_tally.model.statements import Statement
from deep_tally.names.match import score
from deep_tally.names.read import parse_part
from deep_tally.names.vocabulary import shipped

_TOGETHER = ("content.twin", "name.copy-mark", "content.several-mixes", "name.generic", "content.scope")
"""Codes that ask about files as they relate: an answer for one of them is one for all."""
_SAME_LEAST = 0.7
_WORD_OF = {"companion.midi": "midi", "companion.click": "click", "companion.reference": "reference"}


def unasked(finding: Finding, song: SongSet) -> Iterator[Finding]:
    """The finding, or what is left of it to ask and what the notes answer.

    Parameters
    ----------
    finding : Finding
        Of one file, or of several before they are gathered.
    song : SongSet
        With what the notes say.
    """
    if finding.action is not Action.ASK or not song.statements:
        yield finding
    elif finding.files:
        yield from _of_files(finding, song.statements)
    else:
        yield from _of_the_set(finding, song)


def _of_files(finding: Finding, statements: Sequence[Statement]) -> Iterator[Finding]:
    said = {path: words for path in finding.files if (words := _answer(path, finding, statements))}
    if not said:
        yield finding
    elif len(said) == len(finding.files) or finding.code in _TOGETHER:
        yield _as_note(finding, " ".join(dict.fromkeys(said.values())))
    else:
        yield _of_some(finding, tuple(path for path in finding.files if path not in said))
        for path, words in said.items():
            yield _as_note(_of_some(finding, (path,)), words)


def _answer(path: str, finding: Finding, statements: Sequence[Statement]) -> str:
    """The words that answer a finding for a file; a file that will be sent again need not be asked for again."""
    for statement in statements:
        if path not in statement.files:
            continue
        is_sent_again = path in statement.sent_again and finding.kind == "request"
        if is_sent_again or any(_covers(code, finding.code) for code in statement.answers):
            return statement.words
    return ""


def _covers(answer: str, code: str) -> bool:
    return code.startswith(answer) if answer.endswith(".") else code == answer


def _of_some(finding: Finding, paths: tuple[str, ...]) -> Finding:
    places = tuple(p for p in finding.places if p.path in paths)
    evidence: dict[str, EvidenceValue] = dict(finding.evidence)
    if "files" in evidence:
        evidence["files"] = len(paths)
    return replace(finding, files=paths, evidence=evidence, places=places, places_total=len(places))


def _as_note(finding: Finding, words: str) -> Finding:
    return replace(
        finding, action=Action.NOTE, kind=None, evidence={**finding.evidence, "client_says": words}, mends={}
    )


def _of_the_set(finding: Finding, song: SongSet) -> Iterator[Finding]:
    """What is missing altogether, where the notes announce it."""
    awaited = {words: s.words for s in song.statements for words in s.awaited}
    if finding.code == "content.no-rough-mix":
        words = [said for what, said in awaited.items() if what == "rough mix"]
        yield _as_note(finding, words[0]) if words else finding
        return
    missing = finding.evidence.get("missing")
    if finding.code not in ("content.part-missing", "content.companion-missing") or not isinstance(missing, tuple):
        yield finding
        return
    announced = {m: said for m in missing for what, said in awaited.items() if _is_meant(m, what)}
    if left := tuple(m for m in missing if m not in announced):
        yield replace(finding, evidence={**finding.evidence, "missing": left})
    if announced:
        awaits = replace(finding, evidence={**finding.evidence, "missing": tuple(announced)})
        yield _as_note(awaits, " ".join(dict.fromkeys(announced.values())))


def _is_meant(missing: str, awaited: str) -> bool:
    """Whether a part or a companion that is missing is what a note announces."""
    word = _WORD_OF.get(getattr(missing, "key", ""))
    if word is not None:
        return word in awaited.casefold()
    return score(parse_part(awaited), parse_part(missing), shipped()) >= _SAME_LEAST
