"""Where two versions of one file differ."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deep_tally.compare.sample_changes import sample_changes
from deep_tally.model.rounds import SampleChanges
from sounds import ArrayReader

RATE = 8_000
NOISE = 0.05 * np.random.default_rng(3).standard_normal((4 * RATE, 2))


def changes(before: np.ndarray, after: np.ndarray, *, later: int = 0, rate: int = RATE) -> SampleChanges | None:
    return sample_changes(
        ArrayReader(before, bits=24, rate=RATE), ArrayReader(after, bits=24, rate=rate), later_frames=later
    )


def test_the_same_sound_differs_nowhere() -> None:
    assert changes(NOISE, NOISE) == SampleChanges(level_db=0.0, differences=())


def test_a_stretch_that_was_mended_is_found_with_how_much_it_is() -> None:
    before = NOISE.copy()
    before[2 * RATE : 2 * RATE + RATE // 10] = 0.0
    found = changes(before, NOISE)
    assert found is not None
    (span,) = found.differences
    assert (span.start_s, span.stop_s, span.db) == (2.0, 2.1, 0.0)  # all of it is new there
    half = NOISE.copy()
    half[RATE : 2 * RATE] *= 1.1
    found = changes(NOISE, half)
    assert found is not None
    assert [(s.start_s, s.stop_s) for s in found.differences] == [(1.0, 2.0)]
    # A tenth against 1.1: 20 log10(0.1 / 1.1) by the closed form.
    assert found.differences[0].db == pytest.approx(20 * np.log10(0.1 / 1.1), abs=0.02)


@given(st.floats(-20, 6).filter(lambda db: abs(db) > 0.1), st.integers(-RATE, RATE))
def test_level_and_start_are_taken_out_first(gain_db: float, later: int) -> None:
    moved = np.concatenate([np.zeros((max(0, later), 2)), NOISE * 10 ** (gain_db / 20)])[max(0, -later) :]
    before = NOISE.copy()
    before[: max(0, -later)] = 0.0
    found = changes(before, moved, later=later)
    assert found is not None
    assert found.level_db == pytest.approx(gain_db, abs=0.02)
    assert found.differences == ()


def test_what_only_one_of_them_has_at_its_end_is_a_difference() -> None:
    longer = np.concatenate([NOISE, NOISE[:RATE]])
    found = changes(NOISE, longer)
    assert found is not None
    assert [(s.start_s, s.stop_s, s.db) for s in found.differences] == [(4.0, 5.0, 0.0)]
    assert changes(NOISE, np.concatenate([NOISE, np.zeros((RATE, 2))])) == SampleChanges(level_db=0.0, differences=())


def test_dither_and_stretches_close_together() -> None:
    dithered = NOISE + 2**-16 * np.random.default_rng(5).standard_normal(NOISE.shape)
    found = changes(NOISE, dithered)
    assert found is not None
    assert found.differences == ()
    two = NOISE.copy()
    two[RATE : RATE + 80] = two[RATE + RATE // 5 : RATE + RATE // 5 + 80] = 0.0
    found = changes(NOISE, two)
    assert found is not None
    assert [(s.start_s, s.stop_s) for s in found.differences] == [(1.0, 1.3)]
    two[3 * RATE : 3 * RATE + 80] = 0.0
    found = changes(NOISE, two)
    assert found is not None
    assert len(found.differences) == 2


def test_another_rate_or_other_channels_cannot_be_compared() -> None:
    assert changes(NOISE, NOISE, rate=2 * RATE) is None
    assert changes(NOISE, NOISE[:, :1]) is None
    assert changes(NOISE, NOISE[:0]) is None


def test_values_that_are_no_numbers_are_silence() -> None:
    broken = NOISE.copy()
    broken[RATE] = np.nan
    found = sample_changes(ArrayReader(broken, bits=None, rate=RATE), ArrayReader(NOISE, bits=24, rate=RATE))
    assert found is not None
    assert [(s.start_s, s.stop_s) for s in found.differences] == [(1.0, 1.1)]
