"""How a file's earlier notes end, against how it ends itself."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from deep_tally.measure.falls import falls_before_end
from sounds import RATE, measured


def levels(*db: float, each: int = 5) -> NDArray[np.float32]:
    """Mean squares of windows of 1 ms, five for every level in dB."""
    return np.repeat(10 ** (np.array(db) / 10), each).astype(np.float32)


LOUD, QUIET = [-20.0] * 10, [-80.0] * 10


@pytest.mark.parametrize(
    ("before", "falls", "hard"),
    [
        ([], 0, 0),
        ([*LOUD, *QUIET], 1, 1),
        ([*LOUD, *QUIET] * 3, 3, 3),
        ([*LOUD, -30, -40, *QUIET], 1, 1),  # three windows from loud to low
        ([*LOUD, -30, -35, -40, *QUIET], 1, 0),
        ([*LOUD, *[-45.9] * 10], 0, 0),  # 26 dB are needed
        ([*LOUD, *[-46.1] * 10], 1, 1),
        ([*[-26.1] * 10, *QUIET], 0, 0),  # never as loud as the end
        ([*[-25.9] * 10, *QUIET], 1, 1),
        (([*LOUD, *QUIET] * 2) + [*LOUD, -25, -30, -35, -40, *QUIET] * 2, 4, 2),
    ],
)
def test_falls_are_counted_against_the_files_own_end(before: list[float], falls: int, hard: int) -> None:
    assert falls_before_end(levels(*before, *LOUD), 1.0)[:2] == (falls, hard)


@pytest.mark.parametrize(
    ("before", "stops"),
    [
        ([*LOUD, *QUIET] * 3, 3),
        ([*LOUD, -30, -44.9, -84.9, *QUIET], 1),  # decayed by 24.9 dB, then shut
        ([*LOUD, -30, -45.1, -85.1, *QUIET], 0),  # by 25.1 dB: too low
        ([*LOUD, -40, -79.9, -81], 0),  # 39.9 dB from one window to the next
        ([*LOUD, -40, -80.1, -81], 1),
        ([*LOUD, -40, -60, -80, *QUIET], 0),
    ],
)
def test_a_sound_that_stops_dead_is_counted_from_further_below(before: list[float], stops: int) -> None:
    assert falls_before_end(levels(*before, *LOUD), 1.0).stops == stops


def test_silence_and_a_moment_have_no_falls() -> None:
    assert falls_before_end(np.zeros(100, np.float32), 1.0) == (0, 0, 0)
    assert falls_before_end(levels(-20.0), 1.0) == (0, 0, 0)


def test_a_chopped_sound_falls_hard_and_a_ringing_one_does_not() -> None:
    time = np.arange(4 * RATE) / RATE
    tone = 0.3 * np.sin(2 * np.pi * 220 * time)
    chopped = tone * ((time * 4) % 1 < 0.5)
    end = round(3.6 * RATE)  # in the middle of a note
    extent = measured(chopped[:end], bits=24).extent
    assert extent.falls == extent.hard_falls == 14
    ringing = tone * np.exp(-((time * 2) % 1) * 14)
    extent = measured(ringing[:end], bits=24).extent
    assert extent.falls >= 2
    assert extent.hard_falls == 0
