"""The user's own name, kept for every letter."""

from __future__ import annotations

import pytest

from deep_tally.model.letter_edits import LetterEdits
from deep_tally.model.paper import usual_paper
from deep_tally.session.engineer import Engineer, engineer_at_hand, home, keep_engineer, language_of, usual_language


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


@pytest.mark.parametrize(
    ("said", "language"),
    [
        ({}, "en"),
        ({"LANG": "de_DE.UTF-8"}, "de"),
        ({"LANG": "de_DE.UTF-8", "LC_MESSAGES": "en_GB.UTF-8"}, "en"),
        ({"LANG": "en_US.UTF-8", "LC_ALL": "de_CH"}, "de"),
        ({"LANG": "en_US.UTF-8", "LANGUAGE": "tlh:de_AT:en"}, "de"),
        ({"LANG": "tlh_XX.UTF-8"}, "en"),
        ({"LC_ALL": "C.UTF-8", "LANGUAGE": "de"}, "en"),
    ],
)
def test_the_language_of_letters_is_the_users_own_where_it_is_known(
    said: dict[str, str], language: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Which variable counts is in POSIX.1, 8.2; LANGUAGE in the gettext manual, "Locale Environment Variables"."""
    for name in ("LC_ALL", "LC_MESSAGES", "LANG", "LANGUAGE"):
        monkeypatch.delenv(name, raising=False)
    for name, value in said.items():
        monkeypatch.setenv(name, value)
    assert usual_language() == language
    assert language_of(LetterEdits()) == language
    assert language_of(LetterEdits(language="en")) == "en"
    assert language_of(LetterEdits(language="xx")) == language
