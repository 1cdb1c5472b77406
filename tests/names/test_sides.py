"""Which side a name states: words of their own, and letters at the end of a part's (common practice)."""

from __future__ import annotations

import pytest

from deep_tally.names.sides import SideMark, side_of


@pytest.mark.parametrize(
    ("stem", "expected"),
    [
        ("Guitar L", SideMark("left", "d/guitar")),
        ("03 Choir links", SideMark("left", "d/choir")),
        ("Room_right", SideMark("right", "d/room")),
        ("OHL", SideMark("left", "d/oh")),
        ("OHR", SideMark("right", "d/oh")),
        ("Tom1L", SideMark("left", "d/tom 1")),
        ("L_Steam", SideMark("left", "d/steam")),
        ("Snare Top L", SideMark("left", "d/snare top")),
        ("Left", None),
        ("L", None),
        ("Gtr L Room R", None),
        ("Viol", None),
        ("Vox", None),
    ],
)
def test_a_side_and_the_rest_of_the_name(stem: str, expected: SideMark | None) -> None:
    assert side_of(f"d/{stem}.wav") == expected
