"""The conditions of playing, one by one."""

from __future__ import annotations

import numpy as np
import pytest

from deep_tally.listen.peak_bound import Addend, sum_bound_dbfs
from deep_tally.listen.ring import Ring
from listen.playing import RATE
from sounds import measured


def test_a_converted_file_counts_with_what_lies_between_its_samples() -> None:
    # A sine at a quarter of the rate, sampled at 45 degrees: its samples peak 3.01 dB under its wave.
    samples = 0.5 * np.sin(np.arange(RATE) * np.pi / 2 + np.pi / 4)
    measures = measured(samples, bits=24)
    peak = measures.sample_peak_dbfs
    assert sum_bound_dbfs([Addend(measures=measures, rate_hz=RATE, start_s=0.0)]) == pytest.approx(peak, abs=0.02)
    converted = Addend(measures=measures, rate_hz=RATE, start_s=0.0, is_converted=True)
    assert sum_bound_dbfs([converted]) == pytest.approx(peak + 3.01, abs=0.1)


def test_the_last_block_may_be_short_and_is_no_gap() -> None:
    for is_last, gaps in ((True, 0), (False, 1)):
        ring = Ring(RATE, 0)
        ring.put(0, np.full((100, 2), 0.5, np.float32), over=3)
        if is_last:
            ring.end()
        taken = ring.take(256)
        assert (taken[:100] == 0.5).all()
        assert not taken[100:].any()
        assert ring.heard()[3] == gaps
        assert ring.heard()[4] == 3
        assert ring.is_drained is is_last
