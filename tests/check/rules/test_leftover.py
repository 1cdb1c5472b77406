"""Sound after the song, on overviews made by hand."""

from __future__ import annotations

import numpy as np
import pytest

from check.found import NOTE, of
from deep_tally.model.delivery import Track
from deep_tally.model.measures import OverviewLevel
from tracks import RATE, SECONDS, findings, track

BIN = 480  # 10 ms


def sounding(path: str, *spans_s: tuple[float, float], level: float = 0.1, **changes: object) -> Track:
    """A track that sounds in these spans only."""
    rms = np.zeros((SECONDS * RATE // BIN, 1), np.float16)
    for begin, end in spans_s:
        rms[round(begin * 100) : round(end * 100)] = level
    overview = (OverviewLevel(bin_frames=BIN, low=-rms, high=rms, rms=rms),)
    last = round(max(end for _, end in spans_s) * RATE) - 1
    return track(path, overview=overview, last_sound_frame=last, **changes)


def left_over(*tracks: Track, **options: object) -> list[tuple[str, float]]:
    found = of("content.leftover", findings(tracks, **options))
    assert all(f.action is NOTE for f in found)
    return [(f.files[0], f.places[0].frame / RATE) for f in found]


OTHERS = [sounding(f"{n} Part{'abc'[n]}.wav", (1, 20 + n), rms_dbfs=-20.0 - n) for n in range(3)]


@pytest.mark.parametrize(("begin_s", "found"), [(28.1, True), (27.9, False)])
def test_sound_after_eight_seconds_of_rest_is_left_over(begin_s: float, found: bool) -> None:
    assert left_over(sounding("9 Vox.wav", (2, 20), (begin_s, 30)), *OTHERS) == [("9 Vox.wav", begin_s)] * found


def test_while_anything_else_plays_it_is_a_part_of_the_song() -> None:
    late = sounding("8 Horn.wav", (5, 32), rms_dbfs=-30.0)
    assert left_over(sounding("9 Vox.wav", (2, 15), (30, 35)), *OTHERS, late) == []
    assert left_over(sounding("9 Vox.wav", (2, 15), (33, 35)), *OTHERS, late) == [("9 Vox.wav", 33.0)]


def test_what_two_files_have_left_over_is_found_in_both() -> None:
    two = [sounding(f"{n} Take{'ab'[n - 8]}.wav", (2, 18), (34, 36), rms_dbfs=-31.0 - n) for n in (8, 9)]
    assert left_over(*two, *OTHERS) == [("8 Takea.wav", 34.0), ("9 Takeb.wav", 34.0)]


def test_where_a_file_belongs_counts() -> None:
    moved = sounding("9 Vox.wav", (2, 5), (15, 17))
    assert left_over(moved, *OTHERS) == []
    assert left_over(moved, *OTHERS, places={"9 Vox.wav": 10 * RATE}) == [("9 Vox.wav", 15.0)]


def test_a_file_alone_and_one_without_an_overview_say_nothing() -> None:
    assert left_over(sounding("9 Vox.wav", (2, 20), (33, 35))) == []
    assert left_over(track("9 Vox.wav"), *OTHERS) == []


def test_a_whisper_after_the_song_is_rest() -> None:
    quiet = sounding("9 Vox.wav", (2, 20))
    rms = quiet.measures.overview[0].rms  # type: ignore[union-attr]
    rms[3300:3400] = 0.1 * 10 ** (-61 / 20)
    assert left_over(quiet, *OTHERS) == []
    rms[3300:3400] = 0.1 * 10 ** (-59 / 20)
    assert left_over(quiet, *OTHERS) == [("9 Vox.wav", 33.0)]
