"""Bit depth: what is asked, what is used, what is padded."""

from __future__ import annotations

import pytest

from check.found import ASK, NOTE, actions_of, all_of, of, one
from deep_tally.model.findings import Action
from deep_tally.model.measures import (
    ValueGrid,
)
from tracks import (
    brief,
    codes,
    findings,
    others,
    track,
)


def test_one_file_alone_of_few_bits_is_a_request() -> None:
    assert one("depth.low", [track(bits=16, bits_in_use=16)]).kind == "request"
    pair = [track(f"{n} Part{'ab'[n]}.wav", bits=16, bits_in_use=16) for n in range(2)]
    found = one("depth.low", pair)
    assert (found.kind, found.evidence) == ("question", {"bits": 16, "wanted_bits": 24})
    mixed = [pair[0], track("2 Other.wav", bits=20, bits_in_use=20)]
    assert {f.kind for f in findings(mixed) if f.code == "depth.low"} == {"request"}


def test_a_sample_format_that_was_not_asked() -> None:
    found = one(
        "depth.off-brief",
        [track(sample_format="float", bits=32, bits_in_use=32), *others()],
        brief=brief(sample_formats=["int"]),
    )
    assert found.evidence == {"sample_format": "float", "wanted": "int"}


@pytest.mark.parametrize(("grid", "bits"), [(24, 24), (16, 16), (32, None)])
def test_float_on_a_grid_is_padded(grid: int, bits: int | None) -> None:
    file = track(bits=32, sample_format="float", bits_in_use=grid)
    found = [f.evidence["bits"] for f in all_of([file, *others()]) if f.code == "depth.padded"]
    assert found == ([] if bits is None else [bits])


def test_a_gain_after_rounding_is_reported() -> None:
    file = track(value_grid=ValueGrid(step=2**-15 * 0.7, bits=16, gain_db=-3.1))
    found = one("depth.padded", [file, *others()])
    assert found.evidence == {"bits": 16, "container_bits": 24, "gain_db": -3.1}
    plain = one("depth.padded", [track(bits_in_use=16), *others()])
    assert plain.evidence == {"bits": 16, "container_bits": 24, "gain_db": None}


def test_another_depth_is_noted_and_fewer_bits_than_asked_are_asked_for() -> None:
    assert actions_of([track(bits=32, sample_format="float", bits_in_use=32), *others()]) == [("depth.differs", NOTE)]
    low = findings([track(bits=16, bits_in_use=16), *others()])
    assert [(f.code, f.action, f.kind) for f in low] == [("depth.low", ASK, "request")]
    assert [f.code for f in low[0].consequences] == ["depth.differs"]
    assert actions_of([track(bits=16, bits_in_use=16), *others()], brief=brief(bits_min=16)) == [
        ("depth.differs", NOTE)
    ]


def test_a_whole_set_of_16_bits_is_one_question() -> None:
    (found,) = findings(others(bits=16, bits_in_use=16))
    assert (found.code, found.kind, len(found.files)) == ("depth.low", "question", 4)


@pytest.mark.parametrize(
    ("changes", "expected"),
    [
        ({"bits_in_use": 16}, [("depth.padded", NOTE)]),
        ({"bits_in_use": 20}, [("depth.padded", NOTE)]),
        ({"bits_in_use": 21}, []),
        ({"bits_in_use": 0, "first_sound_frame": None}, [("content.empty", ASK)]),
    ],
)
def test_padded_files(changes: dict[str, object], expected: list[tuple[str, Action]]) -> None:
    assert actions_of([track(**changes), *others()]) == expected


def test_a_float_file_on_a_16_bit_grid_is_padded_too() -> None:
    file = track(bits=32, sample_format="float", bits_in_use=16)
    assert ("depth.padded", NOTE) in actions_of([file, *others()])


def test_most_files_padded_are_one_question() -> None:
    (found,) = findings([*others(4, bits_in_use=16), track()])
    assert (found.code, found.kind, len(found.files)) == ("depth.padded", "question", 4)


def test_sixteen_bits_that_were_turned_down_are_padded() -> None:
    grid = ValueGrid(step=2.0**-15 * 0.7, bits=16, gain_db=-3.1)
    (finding,) = of("depth.padded", findings([track(value_grid=grid), *others()]))
    assert (finding.evidence["bits"], finding.evidence["gain_db"]) == (16, -3.1)


def test_a_sample_format_that_is_not_asked() -> None:
    float_only = brief(sample_formats=["float"], bits_min=24)
    (found,) = of("depth.off-brief", findings(others(5), brief=float_only))
    assert (found.action, len(found.files)) == (Action.ASK, 5)
    floats = others(5, sample_format="float", bits=32, bits_in_use=32)
    assert "depth.off-brief" not in codes(floats, brief=float_only)
    assert "depth.off-brief" not in codes(others(5))
