"""Whole deliveries: no wrong fix, no needless ask, and every planted matter found."""

from __future__ import annotations

import os
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import pytest

from detectors.deliveries import Outcome, judged
from detectors.delivery_table import DELIVERIES


def outcome(number: int, folder: Path) -> Outcome:
    return judged(DELIVERIES[number], folder / str(number))


@pytest.fixture(scope="module")
def outcomes(tmp_path_factory: pytest.TempPathFactory) -> list[Outcome]:
    """What every delivery gives: on all cores at once, for there are many."""
    count = len(DELIVERIES)
    folders = [tmp_path_factory.mktemp("deliveries")] * count
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        return list(pool.map(outcome, range(count), folders, chunksize=4))


@pytest.mark.parametrize("number", range(len(DELIVERIES)), ids=[d.name for d in DELIVERIES])
def test_a_delivery_gets_the_findings_it_should_and_no_others(number: int, outcomes: list[Outcome]) -> None:
    assert outcomes[number] == Outcome((), (), (), DELIVERIES[number].songs)


def test_there_are_forty_deliveries_and_more_of_all_kinds() -> None:
    assert len(DELIVERIES) >= 40
    assert len({d.name for d in DELIVERIES}) == len(DELIVERIES)
    assert len({code for d in DELIVERIES for code in d.asked | d.fixed | d.noted}) >= 25
    assert sum(not (d.asked | d.fixed | d.noted) for d in DELIVERIES) >= 15
