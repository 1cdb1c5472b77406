"""Files like one: by what they seem to be, their folder, or the words of their names."""

from __future__ import annotations

from dataclasses import replace

import pytest

from deep_tally.model.delivery import Common
from deep_tally.model.files import Role, RoleBasis
from deep_tally.views.alike import files_like
from deep_tally.views.rows import Row
from tracks import track

LIKELY = RoleBasis("name", 0.7)


def row(path: str, role: Role = Role.TRACKOUT, basis: RoleBasis | None = None) -> Row:
    file = track(path, role=role)
    return Row(replace(file, basis=basis) if basis is not None else file, (), True, Common())


@pytest.mark.parametrize(
    ("rows", "alike"),
    [
        ([row("Gtr 1.wav"), row("Gtr 2.wav"), row("Bass.wav")], ["Gtr 1.wav", "Gtr 2.wav"]),
        ([row("FX/a.wav"), row("FX/b.wav"), row("c.wav")], ["FX/a.wav", "FX/b.wav"]),
        ([row("1.wav"), row("2.wav")], ["1.wav"]),
        ([row("Gtr 1.wav"), row("Gtr 2.wav", Role.REFERENCE)], ["Gtr 1.wav"]),
        (
            [row("A.wav", Role.TRIGGER, LIKELY), row("B.wav", Role.TRIGGER, LIKELY), row("C.wav", Role.TRIGGER)],
            ["A.wav", "B.wav"],
        ),
        (
            [row("A.wav", Role.GROUP, LIKELY), row("B.wav", Role.GROUP, RoleBasis("sound", 0.8))],
            ["A.wav"],
        ),
    ],
)
def test_files_are_like_the_first(rows: list[Row], alike: list[str]) -> None:
    assert list(files_like(rows[0], rows)) == alike
