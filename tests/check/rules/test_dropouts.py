"""Gaps inside sound: damage, or the rests of a gate."""

from __future__ import annotations

from dataclasses import replace

import pytest

from check.found import ASK, NOTE, all_of, of, one
from deep_tally.model.delivery import Track
from deep_tally.model.findings import Action, Kind
from deep_tally.model.measures import FlatTops, Gap, Gaps
from tracks import RATE, codes, findings, others, track


def gap(frame: int, frames: int, kind: str = "zeros") -> Gap:
    return Gap(frame=frame, frames=frames, kind=kind, before_dbfs=-20.0, after_dbfs=-21.0)  # type: ignore[arg-type]


def gapped(*gaps: Gap, count: int | None = None) -> Track:
    return track(gaps=Gaps(count=len(gaps) if count is None else count, places=gaps))


@pytest.mark.parametrize(
    ("file", "action"),
    [
        (gapped(gap(RATE, 959)), ASK),  # under 20 ms
        (gapped(gap(RATE, 960)), NOTE),
        (gapped(gap(RATE, 9600, "repeated")), ASK),
        (gapped(gap(RATE, 480), count=20), ASK),
        (gapped(gap(RATE, 480), count=21), NOTE),
        (gapped(*(gap(RATE * n, 480) for n in range(1, 5))), NOTE),  # at one interval
        (gapped(*(gap(RATE * n, 480) for n in range(1, 4))), ASK),  # three are too few to say so
        (gapped(*(gap(n, 480) for n in (1000, 49_000, 98_900, 147_900))), NOTE),  # 48,000; 49,900; 49,000: within 2 %
        (gapped(*(gap(n, 480) for n in (1000, 49_000, 100_900, 154_900))), ASK),
    ],
)
def test_gaps(file: Track, action: Action) -> None:
    found = [f.action for f in all_of([file, *others()]) if f.code == "content.dropout"]
    assert found == [action]


def test_held_values_over_and_over_are_a_square_wave() -> None:
    assert "content.dropout" not in codes([gapped(*(gap(RATE * n, 480, "held") for n in range(1, 30))), *others()])
    half = [gap(RATE * n, 480 if n % 2 else 9600) for n in range(1, 25)]
    assert "content.dropout" not in codes([gapped(*half), *others()])
    more = [*half, gap(26 * RATE, 480)]
    assert "content.dropout" in codes([gapped(*more), *others()])


def test_a_dropout_says_where_how_long_and_at_what_level() -> None:
    found = one("content.dropout", [gapped(gap(RATE, 480), gap(3 * RATE, 96, "held"), gap(5 * RATE, 9600)), *others()])
    assert [(p.frame, p.frames) for p in found.places] == [(RATE, 480), (3 * RATE, 96)]
    assert found.evidence == {"runs": 2, "longest_run": 480, "ms": 10.0, "gap": "zeros", "dbfs": -20.0, "recurring": 0}
    assert found.confidence == 0.9


# -- among the rests of a gate ------------------------------------------------------------------

REST = 2400  # 50 ms


def gate(*strange: Gap, rests: int = 30, spread: int = 0) -> Track:
    """Rests every quarter of a second, of one length or of lengths that many apart, and something among them."""
    made = [gap(RATE // 4 * n + 1000, REST + spread * n) for n in range(1, rests + 1)]
    return gapped(*sorted([*made, *strange], key=lambda g: g.frame))


def level(gap_: Gap, after_dbfs: float) -> Gap:
    return replace(gap_, after_dbfs=after_dbfs)


def found_in(file: Track) -> list[tuple[Action, int]]:
    return [(f.action, len(f.places)) for f in all_of([file, *others()]) if f.code == "content.dropout"]


def test_a_gates_rests_alone_say_nothing() -> None:
    assert found_in(gate()) == []


@pytest.mark.parametrize("frames", [96, 480, 799])
def test_a_far_shorter_gap_among_them_is_damage(frames: int) -> None:
    odd = gap(2 * RATE, frames)
    found = one("content.dropout", [gate(odd), *others()])
    assert (found.action, [p.frame for p in found.places]) == (ASK, [2 * RATE])
    assert found.evidence["recurring"] == 0


def test_so_is_a_repeated_block() -> None:
    assert found_in(gate(gap(2 * RATE, 9600, "repeated"))) == [(ASK, 1)]


def test_a_wave_of_steps_repeats_its_blocks_by_nature() -> None:
    assert found_in(gate(gap(2 * RATE, 64, "repeated"), gap(3 * RATE, 40, "held"))) == []


@pytest.mark.parametrize(("share", "found"), [(0.89, [(ASK, 1)]), (0.9, [])])
def test_so_does_a_wave_that_is_flat_in_every_moment(share: float, found: list[tuple[Action, int]]) -> None:
    file = gapped(gap(2 * RATE, 64, "repeated"))
    assert file.measures is not None
    file = replace(file, measures=replace(file.measures, flat_tops=FlatTops(share=share)))
    assert found_in(file) == found


@pytest.mark.parametrize(
    "odd",
    [
        (gap(2 * RATE, 801),),  # a third of the usual length
        (level(gap(2 * RATE, 480), -23.1),),  # a new note begins after it
        (level(gap(2 * RATE, 480), -16.9),),
        tuple(gap(n * RATE, 480) for n in range(1, 5)),  # more than three, and than a tenth
    ],
)
def test_what_may_be_the_gates_own_says_nothing(odd: tuple[Gap, ...]) -> None:
    assert found_in(gate(*odd)) == []


def test_up_to_a_tenth_of_many_gaps_are_damage() -> None:
    assert found_in(gate(*(gap(n * RATE, 480) for n in range(1, 5)), rests=36)) == [(ASK, 4)]


def test_rests_of_all_lengths_are_a_players_and_short_ones_among_them() -> None:
    odd = gap(2 * RATE, 480)
    assert found_in(gate(odd, spread=4)) == [(ASK, 1)]  # 4 frames are 0.08 ms: others lie within a quarter of one
    assert found_in(gate(odd, spread=13)) == []  # 0.27 ms: none does


def test_three_of_a_length_repeat_it_and_seven_in_ten_must() -> None:
    odd = gap(2 * RATE, 480)
    alike = [gap(RATE // 4 * n + 1000, REST) for n in range(1, 29)]
    alone = [gap(RATE // 4 * n + 1000, REST + 100 * n) for n in range(30, 42)]
    assert found_in(gapped(odd, *alike, *alone)) == [(ASK, 1)]  # 28 of 40
    assert found_in(gapped(odd, *alike[1:], *alone)) == []  # 27 of 39
    pairs = [gap(RATE // 4 * n + 1000, REST + 100 * (n // 2)) for n in range(2, 42)]
    assert found_in(gapped(odd, *pairs)) == []


def gaps(*frames: int, kind: str = "zeros", every: int = 5 * RATE + 333, spread: int = 977) -> Gaps:
    places = [
        Gap(frame=RATE + n * every + (n * n * spread), frames=f, kind=kind, before_dbfs=-20.0, after_dbfs=-21.0)  # type: ignore[arg-type]
        for n, f in enumerate(frames)
    ]
    return Gaps(count=len(places), places=tuple(places))


def dropouts(found: Gaps) -> list[tuple[Action, Kind | None]]:
    return [(f.action, f.kind) for f in of("content.dropout", findings([track(gaps=found), *others()]))]


def test_short_single_gaps_are_asked_about_long_ones_noted_and_rests_left_alone() -> None:
    assert dropouts(gaps(64)) == [(Action.ASK, "request")]
    assert dropouts(gaps(64, 480, 900)) == [(Action.ASK, "request")]
    assert dropouts(gaps(4800)) == [(Action.NOTE, None)]
    assert dropouts(gaps(*[400] * 30)) == [(Action.NOTE, None)], "so many are no accident"
    assert dropouts(gaps(*[400] * 6, spread=0)) == [(Action.NOTE, None)], "nor are those at one interval"
    assert dropouts(gaps(*[4000] * 30)) == [], "the rests of a gate"
    assert dropouts(gaps(*[30] * 40, kind="held")) == [], "the steps of a square wave"
