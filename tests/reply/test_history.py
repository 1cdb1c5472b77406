"""The history as a page: every round with its date, what was asked, what became of it, decisions and letters."""

from __future__ import annotations

from pathlib import Path

from deep_tally.model.corrections import Corrections
from deep_tally.model.decisions import Decided, Decision
from deep_tally.model.delivery import Delivery
from deep_tally.model.files import Intake
from deep_tally.model.findings import Action, Finding
from deep_tally.model.rounds import RoundRequest, Rounds
from deep_tally.model.saved_check import SavedRound, SentLetter
from deep_tally.reply.formats.html import to_html
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.history import PastRound, day_words, write_history
from tracks import others, song_of

CUT = Finding(
    code="length.tail-cut",
    action=Action.ASK,
    kind="request",
    files=("01 Bass.wav",),
    song="Song",
    evidence={"end_dbfs": -20.0, "end_s": 40.0},
)
TWIN = Finding(code="content.no-rough-mix", action=Action.ASK, kind="request", song="Song")


def saved(at: str, *letters: SentLetter) -> SavedRound:
    found = Intake(source=Path("/sent"), name="x", entries=())
    return SavedRound(checked_at=at, paths=("/sent/x",), found=found, corrections=Corrections(), letters=letters)


def delivery(*findings: Finding, decided: tuple[Decided, ...] = ()) -> Delivery:
    return Delivery(source=Path("/sent"), name="x", sets=(song_of(others()),), findings=findings, decided=decided)


def test_the_rounds_stand_with_the_latest_first() -> None:
    letter = SentLetter(at="2026-11-30T18:00:00+01:00", form="eml", text="Hello <b>Marit</b>,\n\nplease send it again.")
    decision = Decided(finding=TWIN, decision=Decision(code=TWIN.code, kind="answered", note="comes on Friday"))
    rounds = Rounds(
        is_partial=True,
        requests=(
            RoundRequest(code=CUT.code, files=("01 Bass.wav",), state="met"),
            RoundRequest(code="clipping.baked", files=("02 Drum.wav",), state="not-met", left=("02 Drum.wav",)),
        ),
        files=(),
        new_findings=(),
    )
    page = write_history(
        "Song",
        [
            PastRound(saved("2026-11-30T14:05:00+01:00", letter), delivery(CUT), None),
            PastRound(saved("2026-12-01T09:00:00+01:00"), delivery(decided=(decision,)), rounds),
        ],
    )
    text = to_text(page)
    order = [
        "Song: 2 rounds",
        "Round 2, 1 December 2026, 09:00",
        "Met: Cut off while still sounding (01 Bass.wav)",
        "Not met: Clipped (02 Drum.wav)",
        "Decided",
        "Answered: “comes on Friday”",
        "Round 1, 30 November 2026, 14:05",
        "ask the client: 1",
        "Asked",
        "Letter, 30 November 2026, 18:00 (eml)",
        "please send it again.",
    ]
    places = [text.find(words) for words in order]
    assert -1 not in places, order[places.index(-1)]
    assert places == sorted(places)
    assert "<b>" not in to_html(page)


def test_a_moment_that_is_none_is_shown_as_it_stands() -> None:
    assert day_words("some day") == "some day"
