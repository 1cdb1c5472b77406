"""The language in force."""

from __future__ import annotations

import pytest

from deep_tally.reply.language import gettext, marked, ngettext, speaking, spoken


def test_english_is_what_stands_in_the_code() -> None:
    assert spoken() == "en"
    assert gettext("has gaps in the sound") == marked("has gaps in the sound") == "has gaps in the sound"
    assert ngettext("One question:", "{number} questions:", 1) == "One question:"
    assert ngettext("One of {all}", "{number} of {all}", 3, all=7) == "3 of 7"


def test_the_language_holds_inside_only() -> None:
    def failing() -> None:
        with speaking("en"):
            raise ValueError("x")

    with pytest.raises(ValueError, match="x"):
        failing()
    assert spoken() == "en"
