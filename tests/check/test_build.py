"""What the modules of all questions share."""

from __future__ import annotations

import pytest

from deep_tally.check.build import about, is_most, place_at, places_of
from deep_tally.model.findings import Action, Place
from deep_tally.model.measures import Run
from tracks import track


@pytest.mark.parametrize(
    ("count", "total", "most"),
    [
        (0, 0, False),
        (1, 1, False),
        (1, 2, False),
        (2, 2, True),
        (2, 3, True),
        (2, 4, False),
        (3, 4, True),
        (3, 6, False),
    ],
)
def test_most_is_more_than_half_and_never_one_file(count: int, total: int, most: bool) -> None:
    assert is_most(count, total) is most


def test_runs_keep_their_channel_as_places_and_a_moment_is_on_all_of_them() -> None:
    file = track()
    assert places_of(file, [Run(frame=5, frames=3, channel=1)]) == (
        Place(path=file.path, frame=5, frames=3, channel=1),
    )
    assert place_at(file, 7) == (Place(path=file.path, frame=7, frames=1),)
    assert place_at(file, 7, 9) == (Place(path=file.path, frame=7, frames=9),)


def test_a_finding_leaves_out_evidence_that_is_not_there() -> None:
    found = about("rate.differs", Action.ASK, [track("a.wav"), track("b.wav")], ms=3.0, also={"bars": 2.0}, db=None)
    assert (found.files, found.evidence["ms"], found.evidence["bars"]) == (("a.wav", "b.wav"), 3.0, 2.0)
