"""A file's name without what orders it."""

from __future__ import annotations

import pytest

from deep_tally.views.titles import bare_title, number_of
from tracks import track


@pytest.mark.parametrize(
    ("path", "title", "number"),
    [
        ("Song/03 Lap steel.wav", "Lap steel", "03"),
        ("12_Bass.wav", "Bass", "12"),
        ("7-Choir.aif", "Choir", "7"),
        ("Horn 2.wav", "Horn 2", ""),
        ("2024.wav", "2024", ""),
    ],
)
def test_a_title_is_bare_and_a_number_stands_before_it(path: str, title: str, number: str) -> None:
    assert (bare_title(path), number_of(track(path))) == (title, number)
