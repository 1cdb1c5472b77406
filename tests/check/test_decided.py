"""Decisions: what was decided leaves the tally and stays listed, for files, for a kind, for a client."""

from __future__ import annotations

from dataclasses import replace

import jsonschema

from deep_tally.check.decided import apart, things_of
from deep_tally.model.decisions import Decision
from deep_tally.model.delivery import Delivery
from deep_tally.model.findings import Action, Finding, Place
from deep_tally.reply.formats.json import schema, to_document

CUT = "length.tail-cut"
THREE = Finding(
    code=CUT,
    action=Action.ASK,
    kind="request",
    files=("a", "b", "c"),
    evidence={"files": 3},
    by_file={"a": {"end_s": 1.0}, "b": {"end_s": 2.0}, "c": {"end_s": 3.0}},
    places=(Place(path="a", frame=1, frames=1), Place(path="b", frame=2, frames=1)),
    places_total=2,
)
TWINS = Finding(code="content.twin", action=Action.ASK, kind="question", files=("a", "b"), evidence={"gain_db": 0.0})
MISSING = Finding(
    code="content.part-missing", action=Action.ASK, kind="request", song="x", evidence={"missing": ("cello", "bass")}
)
NO_MIX = Finding(code="content.no-rough-mix", action=Action.ASK, kind="request", song="x")


def decided(finding: Finding, *decisions: Decision, of_client: tuple[Decision, ...] = ()) -> tuple[object, ...]:
    left, aside = apart([finding], decisions, of_client, {"a": "voices", "b": "drums", "c": "voices"})
    return tuple(things_of(f) for f in left), tuple(things_of(d.finding) for d in aside)


def test_a_decision_about_all_files_takes_the_finding_away() -> None:
    assert decided(THREE, Decision(code=CUT, kind="meant", about=("a", "b", "c"))) == ((), (("a", "b", "c"),))


def test_a_decision_about_one_file_leaves_the_others_with_their_own_figures() -> None:
    decision = Decision(code=CUT, kind="meant", about=("b",))
    (left,), (aside,) = apart([THREE], [decision], (), {})
    assert (left.files, dict(left.by_file), left.evidence["files"]) == (
        ("a", "c"),
        {"a": {"end_s": 1.0}, "c": {"end_s": 3.0}},
        2,
    )
    assert [p.path for p in left.places] == ["a"]
    assert left.places_total == 1
    assert (aside.finding.files, aside.finding.evidence, dict(aside.finding.by_file)) == (("b",), {"end_s": 2.0}, {})
    assert aside.decision is decision


def test_files_that_are_only_together_what_they_are_are_decided_about_together() -> None:
    assert decided(TWINS, Decision(code="content.twin", kind="meant", about=("a",))) == ((("a", "b"),), ())
    assert decided(TWINS, Decision(code="content.twin", kind="meant", about=("a", "b"))) == ((), (("a", "b"),))


def test_another_code_is_another_matter() -> None:
    assert decided(THREE, Decision(code="length.long", kind="meant", about=("a", "b", "c"))) == ((("a", "b", "c"),), ())


def test_a_decision_about_a_kind_reaches_all_files_or_those_of_a_family() -> None:
    assert decided(THREE, Decision(code=CUT, kind="meant", scope="code")) == ((), (("a", "b", "c"),))
    assert decided(THREE, Decision(code=CUT, kind="meant", scope="code", family="voices")) == ((("b",),), (("a", "c"),))


def test_what_is_missing_later_is_asked_all_the_same() -> None:
    decision = Decision(code="content.part-missing", kind="asked", about=("cello",), song="x")
    assert decided(MISSING, decision) == ((("bass",),), (("cello",),))


def test_a_finding_about_no_file_is_decided_about_by_its_song() -> None:
    assert decided(NO_MIX, Decision(code="content.no-rough-mix", kind="asked", song="x")) == ((), ((),))
    assert decided(NO_MIX, Decision(code="content.no-rough-mix", kind="asked", song="y")) == (((),), ())
    assert decided(NO_MIX, Decision(code="content.no-rough-mix", kind="asked", about=("a",), song="x")) == (((),), ())
    assert decided(NO_MIX, Decision(code="content.no-rough-mix", kind="meant", scope="code", song="y")) == ((), ((),))


def test_what_a_finding_explains_goes_with_the_file_it_is_about() -> None:
    explained = tuple(Finding(code="length.short", action=Action.NOTE, files=(path,)) for path in ("a", "b"))
    decision = Decision(code=CUT, kind="meant", about=("b",))
    (left,), (aside,) = apart([replace(THREE, consequences=explained)], [decision], (), {})
    assert [c.files for c in left.consequences] == [("a",)]
    assert [c.files for c in aside.finding.consequences] == [("b",)]


def test_what_was_said_of_this_delivery_counts_before_what_holds_for_its_client() -> None:
    here = Decision(code=CUT, kind="here", about=("a",))
    always = Decision(code=CUT, kind="meant", scope="code", family="voices")
    left, aside = apart([THREE], [here], [always], {"a": "voices", "b": "drums", "c": "voices"})
    assert [f.files for f in left] == [("b",)]
    assert [(d.finding.files, d.decision.kind, d.of_client) for d in aside] == [
        (("a",), "here", False),
        (("c",), "meant", True),
    ]


def test_of_two_decisions_about_one_finding_the_later_one_counts() -> None:
    first = Decision(code=CUT, kind="asked", about=("a", "b", "c"))
    later = Decision(code=CUT, kind="answered", about=("a", "b", "c"), note="on purpose")
    _, (aside,) = apart([THREE], [first, later], (), {})
    assert aside.decision.note == "on purpose"


def test_the_json_lists_what_was_decided_and_counts_it_no_more(demo: Delivery) -> None:
    first = demo.findings[0]
    decision = Decision(code=first.code, kind="meant", about=things_of(first), song=first.song, note="so")
    findings, aside = apart(demo.findings, [decision], (), {})
    document = to_document(replace(demo, findings=findings, decided=aside))
    jsonschema.validate(document, schema())
    assert document["decided"][0]["finding"]["code"] == first.code
    assert document["decided"][0]["decision"] == {"kind": "meant", "note": "so", "of_client": False}
    assert len(document["findings"]) == len(demo.findings) - 1
    assert sum(document["tally"].values()) == len(demo.findings) - 1
