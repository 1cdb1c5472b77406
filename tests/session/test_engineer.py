"""The user's own name, kept for every letter."""

from __future__ import annotations

import pytest

from deep_tally.model.paper import usual_paper
from deep_tally.session.engineer import Engineer, engineer_at_hand, home, keep_engineer


def test_what_is_kept_is_there_again() -> None:
    assert engineer_at_hand() == Engineer()
    said = Engineer(name="Ada", address="ada@example.org", signature="one\ntwo")
    keep_engineer(said)
    assert engineer_at_hand() == said


@pytest.mark.parametrize("content", ["", "{", "[]", "7", '{"name": 3, "other": "x"}', "[" * 100_000])
def test_what_cannot_be_read_is_nobody(content: str) -> None:
    home().parent.mkdir(parents=True, exist_ok=True)
    home().write_text(content, "utf-8")
    assert engineer_at_hand() == Engineer()


def test_the_paper_is_the_users_or_that_of_the_country(monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("LC_ALL", "LC_PAPER", "LANG"):
        monkeypatch.delenv(name, raising=False)
    assert Engineer().paper_at_hand == "A4"
    monkeypatch.setenv("LANG", "en_US.UTF-8")
    assert Engineer().paper_at_hand == "Letter"
    monkeypatch.setenv("LC_PAPER", "de_DE@euro")
    assert Engineer().paper_at_hand == "A4"
    monkeypatch.setenv("LC_ALL", "C")
    assert Engineer().paper_at_hand == "A4"
    assert Engineer(paper="Letter").paper_at_hand == "Letter"
    assert Engineer(paper="napkin").paper_at_hand == "A4"
    assert (usual_paper("ca"), usual_paper("NO")) == ("Letter", "A4")
