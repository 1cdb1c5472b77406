"""Levels of amplitudes and powers."""

from __future__ import annotations

import math

import pytest

from deep_tally.measure.decibels import amplitude


def test_the_amplitude_of_a_level() -> None:
    assert amplitude(-20.0) == pytest.approx(0.1)
    assert amplitude(-40.0) == pytest.approx(0.01)
    assert amplitude(6.0) == pytest.approx(1.99526, abs=1e-5)
    assert amplitude(-math.inf) == 0
