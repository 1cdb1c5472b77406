"""What became of a round of requests, in plain lines."""

from __future__ import annotations

from collections.abc import Iterator

from deep_tally.model.delivery import Delivery
from deep_tally.model.rounds import FileState, RequestState, RoundRequest, Rounds
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.numbers import count, listed
from deep_tally.reply.wording.speaker import Speaker, wording_of_code

_STATES: tuple[tuple[RequestState, str], ...] = (("met", "Met"), ("partly", "Partly met"), ("not-met", "Not met"))
_FILES: tuple[tuple[FileState, str], ...] = (
    ("replaced", "replaced"),
    ("same", "sent again unchanged"),
    ("renamed", "renamed"),
    ("new", "new"),
    ("gone", "gone"),
    ("kept", "kept from the first round"),
)


def round_lines(rounds: Rounds, after: Delivery) -> Iterator[str]:
    """The files, then the requests by what became of them, then what is new."""
    counts = ((words, sum(f.state == state for f in rounds.files)) for state, words in _FILES)
    yield "Files: " + listed([f"{number} {words}" for words, number in counts if number])
    same = {f.was for f in rounds.files if f.state == "same"}
    for state, words in _STATES:
        found = [r for r in rounds.requests if r.state == state]
        if found:
            yield f"{words}: {count(len(found), 'request')}"
            yield from (f"  {r.code:<24} {readable(_request(r, same))}" for r in found)
    if rounds.new_findings:
        speaker = Speaker(after)
        yield f"New: {count(len(rounds.new_findings), 'finding')}"
        for finding in rounds.new_findings:
            yield f"  {finding.code:<24} {ACTION_WORDS[finding.action]}: {speaker.summary(finding)}"


def _request(request: RoundRequest, same: set[str | None]) -> str:
    files = request.left or request.files
    said = [f"{_name(path)} (sent again unchanged)" if path in same and request.left else _name(path) for path in files]
    return (
        f"{wording_of_code(request.code).headline}: {listed(said)}" if said else wording_of_code(request.code).headline
    )


def _name(path: str) -> str:
    return path.rpartition("/")[2]
