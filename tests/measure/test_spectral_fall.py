"""Where a spectrum falls most: levels made by hand, one bin a ten hertz."""

from __future__ import annotations

import numpy as np
import pytest

from deep_tally.measure.spectral_fall import greatest_fall

HZ = np.arange(2400) * 10.0


def steps(*falls: tuple[float, float]) -> np.ndarray:
    """0 dB, and from each frequency on so many decibels less."""
    return -sum((hz <= HZ) * db for hz, db in falls)


def test_the_greatest_of_several_falls_counts() -> None:
    fall = greatest_fall(steps((8000, 20.0), (14_000, 30.0)), 10.0, 5000, 22_000)
    assert fall is not None
    assert fall.place * 10 == pytest.approx(14_000, abs=250)  # level from 250 to 1000 Hz on both sides: a plateau
    assert (fall.drop_db, fall.below_db) == (pytest.approx(30.0), pytest.approx(-20.0))


def test_only_between_two_frequencies() -> None:
    levels = steps((8000, 40.0), (14_000, 30.0))
    assert greatest_fall(levels, 10.0, 12_000, 22_000).drop_db == pytest.approx(30.0)  # type: ignore[union-attr]
    assert greatest_fall(levels, 10.0, 30_000, 40_000) is None


@pytest.mark.parametrize(("under_db", "is_found"), [(18.0, True), (16.0, False)])
def test_nothing_above_comes_within_seventeen_decibels(under_db: float, is_found: bool) -> None:
    levels = steps((10_000, 60.0))
    levels[(HZ > 15_000) & (HZ < 15_400)] = -under_db
    fall = greatest_fall(levels, 10.0, 9500, 10_500)
    assert (fall is not None) is is_found
