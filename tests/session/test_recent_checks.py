"""The list of recent checks: the latest first, what is gone left out, damage no more than an empty list."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from platformdirs import user_data_path

from deep_tally.session.recent_checks import RecentCheck, forget, recent_checks, remember


@pytest.fixture
def checks(tmp_path: Path) -> list[RecentCheck]:
    made = []
    for name in "abc":
        path = tmp_path / f"{name}.deeptally"
        path.write_text("{}")
        made.append(RecentCheck(path=str(path), name=name, saved_at="2026-11-30T10:00:00+01:00", ask=3, files=9))
        remember(made[-1])
    return made


def listed() -> str:
    return "".join(c.name for c in recent_checks())


def document() -> Path:
    return user_data_path("deep-tally") / "recent.json"


def test_the_latest_stand_first_each_once(checks: list[RecentCheck]) -> None:
    assert listed() == "cba"
    remember(checks[0])
    assert listed() == "acb"
    assert recent_checks()[0] == checks[0]


def test_one_that_is_gone_is_not_listed_and_one_that_was_forgotten_stays_where_it_is(
    checks: list[RecentCheck],
) -> None:
    Path(checks[1].path).unlink()
    assert listed() == "ca"
    forget(checks[2].path)
    assert listed() == "a"
    assert Path(checks[2].path).exists()


def test_a_damaged_list_is_an_empty_one_and_a_damaged_row_is_left_out(checks: list[RecentCheck]) -> None:
    said = json.loads(document().read_text())
    said[0]["ask"] = "many"
    said[1].pop("path")
    document().write_text(json.dumps([*said, 3]))
    assert listed() == "a"
    for damaged in ("[", "{}", "\udcff"):
        document().write_bytes(damaged.encode("utf-8", "surrogateescape"))
        assert listed() == ""
    remember(checks[0])
    assert listed() == "a"


def test_the_list_does_not_grow_without_end(tmp_path: Path, checks: list[RecentCheck]) -> None:
    for number in range(60):
        remember(RecentCheck(path=str(tmp_path / f"{number}.deeptally"), name="x", saved_at=""))
    assert len(json.loads(document().read_text())) == 40


def test_a_folder_that_cannot_be_written_costs_the_list_alone() -> None:
    document().parent.parent.mkdir(parents=True, exist_ok=True)
    document().parent.write_text("a file where the folder should be")
    remember(RecentCheck(path="x", name="x", saved_at=""))
    assert recent_checks() == ()
