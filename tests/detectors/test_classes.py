"""Classes of faults, a few files of each: the table of hundreds is `make detectors`."""

from __future__ import annotations

import os
from concurrent.futures import ProcessPoolExecutor

import numpy as np
import pytest

from detectors.classes import CLASSES, outcome
from detectors.clean_kinds import write_kind
from detectors.material import material, programmed
from detectors.sound_font import notes
from inline import check_inline

TRIED = (("programmed", 21), ("recorded", 3), ("noise", 1))
"""A part of the band, a spoken word where one is installed, and a hat."""
Key = tuple[int, str, int]
Outcomes = dict[Key, tuple[bool | None, bool | None]]


def tried(number: int) -> list[Key]:
    return [(number, kind, at) for kind, at in TRIED if kind in CLASSES[number].kinds]


@pytest.fixture(scope="module")
def outcomes() -> Outcomes:
    todo = [key for number in range(len(CLASSES)) for key in tried(number)]
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        return dict(zip(todo, pool.map(outcome, *zip(*todo, strict=True)), strict=True))


@pytest.mark.parametrize("number", range(len(CLASSES)), ids=[c.name for c in CLASSES])
def test_no_clean_file_is_taken_for_a_faulty_one(number: int, outcomes: Outcomes) -> None:
    alarms = [outcomes[key][1] for key in tried(number)]
    assert any(alarm is not None for alarm in alarms)
    is_same = CLASSES[number].faulty is CLASSES[number].clean  # a fade: noted, and never asked about
    assert is_same or not any(alarms)


def test_what_is_faulty_is_found(outcomes: Outcomes) -> None:
    found = {key: hit for key, (hit, _) in outcomes.items() if hit is not None}
    assert len(found) >= 5
    assert sum(found.values()) >= 0.9 * len(found)


@pytest.mark.parametrize("kind", ["orchestral", "beat and voices"])
def test_a_clean_delivery_of_every_kind_is_asked_nothing(kind: str, tmp_path: object) -> None:
    assessed = check_inline(write_kind(tmp_path, kind, 1, seconds=8.0))  # type: ignore[arg-type]
    assert [f.code for f in assessed.findings if f.action.value != "note"] == []


def test_material_is_varied_and_its_halves_share_nothing() -> None:
    made = [programmed(number) for number in range(8)]
    assert len({m.name for m in made}) == 4
    assert all(np.abs(m.sound).max() == pytest.approx(0.5) for m in made)
    assert [m.is_proof for m in made] == [False, True] * 4
    if not notes():
        pytest.skip("no sound font is installed")
    tuning, proof = ({m.name for m in material("recorded", 60) if m.is_proof is half} for half in (False, True))
    assert not tuning & proof
