"""The loudest and the quietest places."""

from __future__ import annotations

import numpy as np

from deep_tally.measure.stretches import loud_places, quiet_places
from measure.measured_sounds import WINDOW, windows


def test_the_loudest_places_in_order_of_time() -> None:
    found = windows(np.array([-30.0, -10.0, -np.inf, -20.0, -5.0]))
    assert loud_places(found, 5 * WINDOW, span=WINDOW, most=2) == [WINDOW, 4 * WINDOW]
    assert loud_places(found, 5 * WINDOW, span=WINDOW, most=9) == [0, WINDOW, 3 * WINDOW, 4 * WINDOW]
    # A span under a window takes one window; the last one begins where it still fits.
    assert loud_places(found, 5 * WINDOW, span=WINDOW // 2, most=1) == [4 * WINDOW]
    assert loud_places(found, 5 * WINDOW - 8, span=WINDOW, most=1) == [4 * WINDOW - 8]
    assert loud_places(found, 5 * WINDOW, span=6 * WINDOW, most=1) == []


def test_the_quietest_places_that_are_nowhere_silent() -> None:
    found = windows(np.array([-30.0, -10.0, -np.inf, -60.0, -50.0, -50.0, -40.0, -20.0]))
    assert quiet_places(found, 8 * WINDOW, span=WINDOW, most=2) == [3 * WINDOW, 4 * WINDOW]
    assert quiet_places(found, 8 * WINDOW, span=2 * WINDOW, most=1) == [4 * WINDOW]
    assert quiet_places(found, 8 * WINDOW, span=WINDOW // 2, most=1) == [3 * WINDOW]
    assert quiet_places(found, 8 * WINDOW - 1, span=WINDOW, most=9)[-1] == 6 * WINDOW
