"""The peak of all parts together in words."""

from __future__ import annotations

from dataclasses import replace

import pytest

from deep_tally.model.comparison import Comparison, PeakPart, SumPeak
from deep_tally.model.delivery import SongFacts, SongSet
from deep_tally.views.sum_peak import sum_lines
from tracks import others, song_of

FILES = others(4)
PATHS = [f.path for f in FILES]  # 02 Drum, 03 Viola, 04 Horn, 05 Choir
PEAK = SumPeak(
    dbtp=3.31,
    seconds=20.4,
    starts=dict.fromkeys(PATHS, 0),
    left_out=0,
    parts=(
        PeakPart(path=PATHS[0], share=0.52, won_db=1.31),
        PeakPart(path=PATHS[1], share=0.3, won_db=0.04),
        PeakPart(path=PATHS[2], share=0.2, won_db=0.3),
    ),
)


def song(peak: SumPeak | None = PEAK, **options: object) -> SongSet:
    return replace(song_of(FILES, **options), comparison=Comparison(sum_peak=peak))  # type: ignore[arg-type]


def test_a_file_that_makes_it_says_what_less_of_it_would_bring() -> None:
    # 96 BPM: a bar of four is 2.5 s, so 20.4 s lie in the ninth.
    assert sum_lines(song(), PATHS[0]) == (
        "4 parts added up as they are peak at 3.3 dBTP, at 0:20.4 (bar 9).",
        "This file makes 52 % of it. Turning it down by 3 dB would lower the peak by 1.3 dB.",
        "Most of the rest comes from Viola and Horn.",
    )
    assert "would not lower the peak." in sum_lines(song(), PATHS[1])[1]


def test_any_other_file_says_who_makes_it() -> None:
    assert sum_lines(song(), PATHS[3])[1:] == ("Most of that comes from Drum, Viola and Horn.",)


def test_without_a_tempo_there_is_no_bar() -> None:
    assert "(bar" not in sum_lines(song(facts=SongFacts(title="Song")), PATHS[3])[0]


@pytest.mark.parametrize("path", ["Song rough mix.wav", "nothing.wav"])
def test_what_is_not_in_the_sum_says_nothing(path: str) -> None:
    assert sum_lines(song(), path) == ()
    assert sum_lines(song(None), PATHS[0]) == ()


def test_files_placed_elsewhere_since_make_it_unknown() -> None:
    moved = song(places={PATHS[0]: 4800})
    assert moved.sum_peak is None
    assert sum_lines(moved, PATHS[0]) == ()
    there = replace(PEAK, starts={**PEAK.starts, PATHS[0]: 4800})
    assert song(there, places={PATHS[0]: 4800}).sum_peak is there
