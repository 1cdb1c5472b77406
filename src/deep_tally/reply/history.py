"""The history of a delivery as a page: its rounds with their dates, what was asked, what became of it, the letters."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime

from deep_tally.model.delivery import Delivery
from deep_tally.model.findings import Action, count_findings
from deep_tally.model.rounds import RequestState, Rounds
from deep_tally.model.saved_check import SavedRound
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.decision_words import decided_words
from deep_tally.reply.numbers import count, listed
from deep_tally.reply.page import Block, Page
from deep_tally.reply.wording.speaker import Speaker, wording_of_code

_STATES: Sequence[tuple[RequestState, str]] = (("met", "Met"), ("partly", "Met in part"), ("not-met", "Not met"))


@dataclass(frozen=True, slots=True)
class PastRound:
    """One round: as it was saved, as it is assessed, and against the one before; None for the first."""

    saved: SavedRound
    delivery: Delivery
    rounds: Rounds | None


def write_history(name: str, past: Sequence[PastRound]) -> Page:
    """All rounds, the latest first."""
    return Page(tuple(_blocks(name, past)))


def _blocks(name: str, past: Sequence[PastRound]) -> Iterator[Block]:
    yield Block("title", f"{readable(name)}: {count(len(past), 'round')}")
    for number, round_ in reversed(list(enumerate(past, start=1))):
        yield Block("section", f"Round {number}, {day_words(round_.saved.checked_at)}")
        yield from _of_round(round_)


def _of_round(past: PastRound) -> Iterator[Block]:
    counts = count_findings(past.delivery.findings)
    tallies = ", ".join(f"{ACTION_WORDS[a].lower()}: {counts[a].findings}" for a in Action)
    where = listed([str(path) for path in past.saved.paths])
    yield Block("text", readable(f"{count(len(past.delivery.tracks), 'audio file')} from {where}. {tallies}."))
    if past.rounds is not None:
        for state, words in _STATES:
            for request in (r for r in past.rounds.requests if r.state == state):
                files = listed([p.rpartition("/")[2] for p in request.left or request.files], most=6)
                said = wording_of_code(request.code).headline
                yield Block("item", readable(f"{words}: {said}" + (f" ({files})" if files else "")))
    speaker = Speaker(past.delivery)
    asked = [f for f in past.delivery.findings if f.action is Action.ASK]
    if asked:
        yield Block("heading", "Asked")
        yield from (Block("item", readable(speaker.summary(f))) for f in asked)
    if past.delivery.decided:
        yield Block("heading", "Decided")
        for decided in past.delivery.decided:
            yield Block("item", readable(f"{speaker.summary(decided.finding)}. {decided_words(decided)}"))
    for letter in past.saved.letters:
        yield Block("heading", f"Letter, {day_words(letter.at)} ({letter.form})")
        yield from (Block("text", line) for line in letter.text.split("\n") if line.strip())


def day_words(at: str) -> str:
    """ "1 December 2026, 14:05", of a moment in ISO 8601."""
    try:
        when = datetime.fromisoformat(at)
    except ValueError:
        return at
    return f"{when.day} {when:%B} {when.year}, {when:%H:%M}"
