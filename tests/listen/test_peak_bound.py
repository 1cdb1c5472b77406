"""How loud a sum can get."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deep_tally.listen.peak_bound import Addend, attenuation_db, sum_bound_dbfs
from listen.playing import RATE
from searching import examples
from sounds import measured


@settings(max_examples=examples(40), deadline=None)
@given(st.integers(0, 2**31), st.lists(st.tuples(st.floats(-2.0, 2.0), st.floats(-12.0, 12.0)), min_size=1, max_size=4))
def test_no_sum_is_louder_than_its_bound(seed: int, placed: list[tuple[float, float]]) -> None:
    random = np.random.default_rng(seed)
    total, addends = np.zeros(RATE * 8), []
    for start_s, gain_db in placed:
        samples = random.uniform(-1, 1, int(random.integers(100, RATE * 2))) * random.uniform(0.01, 1)
        first = round(start_s * RATE)
        addends.append(Addend(measures=measured(samples), rate_hz=RATE, start_s=first / RATE, gain_db=gain_db))
        total[first + 3 * RATE :][: len(samples)] += samples * 10 ** (gain_db / 20)
    peak = 20 * math.log10(np.abs(total).max())
    bound = sum_bound_dbfs(addends)
    assert bound >= peak
    # and it is the sum of the peaks at most
    peaks = sum(10 ** ((a.measures.sample_peak_dbfs + a.gain_db) / 20) for a in addends)
    assert bound <= 20 * math.log10(peaks) + 0.02


def test_files_that_never_meet_are_not_turned_down() -> None:
    loud = measured(np.full(RATE, 0.9))
    apart = [Addend(measures=loud, rate_hz=RATE, start_s=start) for start in (0.0, 1.5)]
    assert attenuation_db(sum_bound_dbfs(apart)) == 0.0
    together = [Addend(measures=loud, rate_hz=RATE, start_s=start) for start in (0.0, 0.5)]
    assert attenuation_db(sum_bound_dbfs(together)) == pytest.approx(20 * math.log10(1.8), abs=0.11)
    assert sum_bound_dbfs([]) == -math.inf
    assert attenuation_db(-math.inf) == 0.0
