"""The ring between reading and mixing."""

from __future__ import annotations

import numpy as np
import pytest

from deep_tally.listen.ring import Ring
from listen.playing import RATE


def test_a_gap_is_silence_and_counted_once() -> None:
    ring = Ring(RATE, 0)
    ring.take(100)  # nothing was there yet: no gap before it begins
    ring.put(0, np.full((150, 2), 0.5, np.float32), 0)
    assert ring.take(100).min() == 0.5
    late = ring.take(100)
    assert (late[:50].min(), late[50:].max()) == (0.5, 0.0)
    ring.take(100)
    ring.put(150, np.full((100, 2), 0.25, np.float32), 7)
    ring.take(100)
    frame, peaks, _, gaps, over = ring.heard()
    assert (frame, peaks, gaps, over) == (250, (pytest.approx(-6.0206, abs=1e-3),) * 2, 1, 7)


def test_the_end_is_no_gap() -> None:
    ring = Ring(RATE, 0)
    ring.put(0, np.ones((50, 2), np.float32), 0)
    ring.end()
    ring.take(100)
    assert (ring.is_drained, ring.heard()[3]) == (True, 0)


def test_meters_read_a_full_scale_sine_as_zero() -> None:
    # AES17: RMS of a full-scale 997 Hz sine is 0 dBFS
    sine = np.sin(2 * np.pi * 997 * np.arange(RATE) / RATE).astype(np.float32)
    ring = Ring(RATE, 0)
    ring.put(0, np.stack([sine, sine / 2], axis=1), 0)
    for _ in range(100):
        ring.take(480)
    _, peaks, rms, _, _ = ring.heard()
    assert peaks == (pytest.approx(0, abs=0.01), pytest.approx(-6.02, abs=0.01))
    assert rms == (pytest.approx(0, abs=0.05), pytest.approx(-6.02, abs=0.05))


def test_what_lies_far_ahead_is_mixed_anew_when_something_changes() -> None:
    ring = Ring(RATE, 0)
    for start in range(0, 5_000, 1_000):
        ring.put(start, np.zeros((1_000, 2), np.float32), 0)
    ring.take(500)
    assert ring.drop_after(1_200) == 2_000
    assert ring.ready_frames == 1_500
    assert ring.drop_after(5_000) is None
