"""What became of a first round's requests."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

import pytest

from deep_tally.check.rounds import compare_rounds, is_partial
from deep_tally.model.delivery import Delivery
from deep_tally.model.findings import Action, Finding
from deep_tally.model.rounds import Rounds
from tracks import song_of, track

NAMES = ("a.wav", "b.wav", "c.wav", "d.wav")


def delivery(*found: Finding, names: tuple[str, ...] = NAMES, **changes: object) -> Delivery:
    song = song_of([track(name, **changes) for name in names], mix=False)
    return Delivery(source=Path("/x"), name="x", sets=(song,), findings=found)


def asking(*files: str, code: str = "clipping.baked", places: int = 0, **evidence: object) -> Finding:
    return Finding(
        code=code, action=Action.ASK, kind="request", files=files, places_total=places, evidence=evidence, song="Song"
    )  # type: ignore[arg-type]


def rounds(
    first: Delivery,
    after: Delivery,
    *,
    heirs: Mapping[str, str] | None = None,
    same: frozenset[str] = frozenset(),
    partial: bool = False,
) -> Rounds:
    return compare_rounds(first, after, heirs or {n: n for n in NAMES}, same, partial=partial)


def test_a_request_is_met_when_it_is_not_to_be_asked_again() -> None:
    found = rounds(delivery(asking("a.wav", "b.wav")), delivery())
    assert [(r.code, r.state, r.left) for r in found.requests] == [("clipping.baked", "met", ())]
    assert found.is_settled


@pytest.mark.parametrize(
    ("still", "state", "left"),
    [
        ((asking("a.wav", "b.wav"),), "not-met", ("a.wav", "b.wav")),
        ((asking("b.wav"),), "partly", ("b.wav",)),
        ((asking("c.wav"),), "met", ()),
        ((asking("a.wav", "b.wav", code="length.tail-cut"),), "met", ()),
    ],
)
def test_it_is_partly_met_where_some_of_its_files_came_right(
    still: tuple[Finding, ...], state: str, left: tuple[str, ...]
) -> None:
    (request, *_) = rounds(delivery(asking("a.wav", "b.wav")), delivery(*still)).requests
    assert (request.state, request.left) == (state, left)


@pytest.mark.parametrize(("places", "state"), [(9, "partly"), (10, "not-met"), (11, "not-met"), (0, "not-met")])
def test_it_is_partly_met_where_the_fault_is_in_fewer_places_of_those_files(places: int, state: str) -> None:
    elsewhere = asking("c.wav", places=500)
    first = delivery(asking("a.wav", places=10))
    (request,) = rounds(first, delivery(asking("a.wav", places=places), elsewhere)).requests
    assert request.state == state


def test_what_was_missing_is_met_or_partly_sent() -> None:
    first = delivery(asking(code="content.part-missing", missing=("Cello", "Oboe")))
    for missing, state in ((("Oboe",), "partly"), (("Cello", "Oboe"), "not-met"), (("Harp",), "not-met")):
        (request,) = rounds(first, delivery(asking(code="content.part-missing", missing=missing))).requests
        assert request.state == state
    assert rounds(first, delivery()).requests[0].state == "met"


def test_a_file_that_is_gone_leaves_its_request_open_and_one_that_is_kept_too() -> None:
    first = delivery(asking("a.wav"))
    heirs = {"b.wav": "b.wav"}
    whole = rounds(first, delivery(names=("b.wav",)), heirs=heirs)
    assert (whole.requests[0].state, whole.requests[0].left) == ("not-met", ("a.wav",))
    assert {f.path: f.state for f in whole.files} == {
        "a.wav": "gone",
        "b.wav": "replaced",
        "c.wav": "gone",
        "d.wav": "gone",
    }
    partial = rounds(first, delivery(asking("a.wav")), heirs=heirs, partial=True)
    assert partial.requests[0].state == "not-met"
    assert {f.path: f.state for f in partial.files} == {
        "a.wav": "kept",
        "b.wav": "replaced",
        "c.wav": "kept",
        "d.wav": "kept",
    }
    assert rounds(first, delivery(), heirs=heirs, partial=True).requests[0].state == "met"


def test_questions_do_not_count_and_what_is_new_does() -> None:
    question = Finding(code="content.empty", action=Action.ASK, kind="question", files=("a.wav",), song="Song")
    settled = rounds(delivery(question), delivery(question))
    assert settled.requests == ()
    assert settled.is_settled
    new = rounds(delivery(asking("a.wav")), delivery(asking("a.wav", "b.wav")))
    assert [f.files for f in new.new_findings] == [("b.wav",)]
    assert not new.is_settled
    fixes = Finding(code="channels.same", action=Action.FIX, files=("a.wav",), song="Song")
    noted = Finding(code="content.hum", action=Action.NOTE, files=("a.wav",), song="Song")
    found = rounds(delivery(), delivery(fixes, noted))
    assert [f.code for f in found.new_findings] == ["channels.same"]
    assert found.is_settled


def test_what_was_only_noted_is_new_when_it_is_asked_and_what_is_about_no_file_only_once() -> None:
    noted = Finding(code="clipping.baked", action=Action.NOTE, files=("a.wav",), song="Song")
    asked = asking("a.wav")
    assert rounds(delivery(noted), delivery(asked)).new_findings == (asked,)
    no_mix = asking(code="content.no-rough-mix")
    assert rounds(delivery(no_mix), delivery(no_mix)).new_findings == ()
    assert rounds(delivery(), delivery(no_mix)).new_findings == (no_mix,)


def test_of_several_songs_each_has_its_own_requests() -> None:
    def of(song: str) -> Finding:
        return replace(asking(code="content.part-missing", missing=("Cello",)), song=song)

    def two(*found: Finding) -> Delivery:
        made = delivery(*found)
        return replace(made, sets=tuple(replace(made.sets[0], name=name) for name in ("Tide", "Moor")))

    assert [r.state for r in rounds(two(of("Tide"), of("Moor")), two(of("Moor"))).requests] == ["met", "not-met"]
    assert rounds(delivery(of("Tide")), delivery(of("Tide, new"))).requests[0].state == "not-met"  # one song, renamed


def test_what_is_fixed_in_a_file_that_is_what_it_was_is_nothing_new() -> None:
    fixes = Finding(code="start.offset", action=Action.FIX, files=("a.wav",), song="Song")
    assert rounds(delivery(), delivery(fixes), same=frozenset({"a.wav"})).new_findings == ()
    assert rounds(delivery(), delivery(fixes), heirs={"b.wav": "b.wav"}, partial=True).new_findings == ()
    asked = asking("a.wav")
    assert rounds(delivery(), delivery(asked), same=frozenset({"a.wav"})).new_findings == (asked,)


def test_a_replaced_file_says_what_is_another() -> None:
    found = rounds(delivery(), delivery(rate_hz=44_100, frames=40 * 44_100, rms_dbfs=-23.0))
    assert found.files[0].changes == {
        "rate_hz": (48_000, 44_100),
        "first_sound_s": (5.0, pytest.approx(5.442177)),
        "rms_dbfs": (-20.0, -23.0),
    }
    assert rounds(delivery(), delivery(), same=frozenset(NAMES)).files[0].changes == {}


def test_a_name_that_changed_over_the_same_content_is_renamed() -> None:
    after = delivery(names=("e.wav", "b.wav", "c.wav", "d.wav"))
    heirs = {"e.wav": "a.wav", "b.wav": "b.wav", "c.wav": "c.wav", "d.wav": "d.wav"}
    found = rounds(delivery(), after, heirs=heirs, same=frozenset({"e.wav", "b.wav"}))
    assert {f.path: (f.was, f.state) for f in found.files} == {
        "e.wav": ("a.wav", "renamed"),
        "b.wav": ("b.wav", "same"),
        "c.wav": ("c.wav", "replaced"),
        "d.wav": ("d.wav", "replaced"),
    }


@pytest.mark.parametrize(("sent", "expected"), [(0, True), (1, True), (2, False), (4, False)])
def test_a_round_is_partial_when_less_than_half_was_sent_again(sent: int, expected: bool) -> None:
    assert is_partial(delivery(), {n: n for n in NAMES[:sent]}) is expected
    assert is_partial(delivery(), {f"{n}{k}": "a.wav" for n in "xyz" for k in range(2)}) is True  # all of one
