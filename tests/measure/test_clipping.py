"""Runs at full scale, at the depth that is in use."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deep_tally.measure.runs import PLACES_KEPT, RunFinder
from deep_tally.model.measures import Runs
from searching import examples
from sounds import measured, sine


def naive_runs(mask: np.ndarray) -> dict[int, int]:
    """Run lengths by itertools.groupby, a sample at a time."""
    lengths: dict[int, int] = {}
    for channel in mask.T:
        for is_in, group in itertools.groupby(channel):
            if is_in:
                length = len(list(group))
                lengths[length] = lengths.get(length, 0) + 1
    return lengths


@settings(max_examples=examples(80), deadline=None)
@given(
    mask=st.lists(st.tuples(st.booleans(), st.booleans()), max_size=60),
    cuts=st.lists(st.integers(0, 60), max_size=5),
)
def test_runs_across_blocks_are_those_of_a_sample_by_sample_count(
    mask: list[tuple[bool, bool]], cuts: list[int]
) -> None:
    samples = np.array(mask, dtype=bool).reshape(-1, 2)
    finder = RunFinder(2)
    for part in np.split(samples, sorted(c for c in cuts if c <= len(samples))):
        finder.feed(part) if part.any() else finder.skip(len(part))
    found = finder.result()
    assert found.lengths == naive_runs(samples)
    for run in found.places:
        assert samples[run.frame : run.frame + run.frames, run.channel].all()
    assert (found.longest.frames if found.longest else 0) == max(found.lengths, default=0)


def test_only_the_longest_places_are_kept_but_all_runs_are_counted() -> None:
    mask = np.zeros((60_000, 1), dtype=bool)
    mask[::10] = True
    mask[5:59_000:59] = mask[6:59_000:59] = True
    finder = RunFinder(1)
    finder.feed(mask)
    found = finder.result()
    assert sum(n * length for length, n in found.lengths.items()) == mask.sum()
    assert len(found.places) == PLACES_KEPT
    assert all(r.frames >= 2 for r in found.places)
    assert [r.frame for r in found.places] == sorted(r.frame for r in found.places)


def clipped(bits: int, drive: float) -> tuple[np.ndarray, int]:
    """A driven sine and how many samples it has at full scale, counted on Python integers."""
    top = 2 ** (bits - 1) - 1
    codes = [max(-top - 1, min(top, round(v * top))) for v in sine(440, 0.2, peak=drive).tolist()]
    return np.array(codes) / 2 ** (bits - 1), sum(c >= top or c <= -top for c in codes)


@pytest.mark.parametrize("bits", [8, 16, 24, 32])
def test_every_sample_at_full_scale_is_found_at_every_depth(bits: int) -> None:
    signal, at_full_scale = clipped(bits, 1.6)
    runs = measured(signal, bits=bits).clip_runs
    assert at_full_scale > 100
    assert runs.samples() == at_full_scale


def test_16_bit_audio_in_a_24_bit_file_clips_at_the_16_bit_extreme() -> None:
    signal, at_full_scale = clipped(16, 1.6)
    m = measured(signal, bits=24)
    assert m.bits_in_use == 16
    assert m.clip_runs.samples() == at_full_scale


def test_a_24_bit_file_does_not_clip_at_the_16_bit_extreme() -> None:
    signal, _ = clipped(16, 1.6)
    signal[7] += 2**-23
    m = measured(signal, bits=24)
    assert m.bits_in_use == 24
    # Its positive tops lie 255 steps under full scale now; the negative ones still are at it.
    assert {r.channel for r in m.clip_runs.places} == {0}
    assert m.clip_runs.samples() == int((signal <= -1 + 2**-23).sum())


def test_full_scale_of_both_polarities_in_turn_is_no_run() -> None:
    signal = np.tile([32767, -32768], 50) / 32768
    assert set(measured(signal, bits=16).clip_runs.lengths) == {1}


def test_one_sided_clipping_counts() -> None:
    signal = np.maximum(sine(440, 0.2, peak=0.9) - 0.3, -1.0)
    assert measured(signal, bits=16).clip_runs.count(3) > 50


def test_float_has_overs_and_no_clip_runs() -> None:
    m = measured(sine(100, 0.1, peak=1.3))
    assert m.clip_runs == Runs()
    assert m.overs.count() == 20
    assert m.worst_clip is not None
    assert np.abs(m.worst_clip.samples).max() == pytest.approx(1.3, abs=1e-3)


def test_two_samples_at_full_scale_have_a_place_and_one_has_not() -> None:
    for bits in (16, 24, 32):
        signal = 0.5 * sine(100, 0.5)
        signal[1000:1002], signal[5000] = 1.0, 1.0
        found = measured(signal, bits=bits).clip_runs
        assert [(r.frame, r.frames) for r in found.places] == [(1000, 2)]
        assert found.lengths == {1: 1, 2: 1}


@pytest.mark.parametrize(
    ("used", "bits"), [(8, 16), (8, 24), (16, 24), (20, 24), (16, 32), (24, 32), (20, 20), (12, 12)]
)
def test_full_scale_is_that_of_the_bits_in_use(used: int, bits: int) -> None:
    # Positive full scale of n bits is one step under 1; the file around it may have room for more.
    step = 2.0 ** (1 - used)
    codes = np.rint(1.5 * sine(100, 0.5) / step) * step
    clipped = np.clip(codes, -1.0, 1.0 - step)
    found = measured(clipped, bits=bits)
    assert found.bits_in_use == used
    assert found.clip_runs.count(3) == 100  # both sides of fifty periods
