"""Words on their way to the page."""

from __future__ import annotations

from deep_tally.model.language import gettext, marked, ngettext


def test_english_is_what_stands_in_the_code() -> None:
    assert gettext(marked("has gaps in the sound")) == "has gaps in the sound"


def test_one_thing_and_several_are_told_apart() -> None:
    said = [ngettext("One question:", "{number} questions:", number) for number in (0, 1, 2)]
    assert said == ["0 questions:", "One question:", "2 questions:"]
    assert ngettext("{number} of {all}", "{number} of {all}", 3, all=7) == "3 of 7"
