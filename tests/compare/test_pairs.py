"""Two mono files that are the sides of one stereo sound."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from compare.columns import apart, sampled
from deep_tally.compare.pairs import energies_of, find_pairs
from deep_tally.compare.sampled import Sampled
from deep_tally.model.delivery import Track
from deep_tally.model.measures import OverviewLevel
from sounds import RATE
from tracks import MEASURES, track


def half(path: str, levels: np.ndarray, **changes: object) -> Track:
    rms = levels.astype(np.float16)[:, None]
    return track(path, overview=(OverviewLevel(bin_frames=2400, low=-rms, high=rms, rms=rms),), **changes)


def test_energies_are_of_fifty_milliseconds() -> None:
    rms = np.array([1.0, 0.5, 0.25, 0.0, 1.0], np.float16)[:, None]
    for bin_frames, expected in (
        (2400, [1, 0.25, 0.0625, 0, 1]),
        (1200, [0.625, 0.03125, 0.5]),
        (9600, [1, 0.25, 0.0625, 0, 1]),
    ):
        level = OverviewLevel(bin_frames=bin_frames, low=-rms, high=rms, rms=rms)
        assert energies_of(replace(MEASURES, overview=(level,)), RATE).tolist() == pytest.approx(expected)
    assert len(energies_of(MEASURES, RATE)) == 0


def test_a_pair_is_reported_with_both_correlations() -> None:
    levels = np.random.default_rng(3).uniform(0.01, 1.0, 80)
    a, b = apart(2)
    names = ["Piano L.wav", "Piano R.wav"]
    made, gram = sampled(a, 0.6 * a + 0.8 * b, names=names)
    (pair,) = find_pairs([half(names[0], levels), half(names[1], levels)], made, gram)
    assert (pair.left, pair.right) == ("Piano L.wav", "Piano R.wav")
    assert (pair.correlation, pair.level_correlation) == (pytest.approx(0.6, abs=1e-6), pytest.approx(1.0))
    turned, products = sampled(a, -0.6 * a - 0.8 * b, names=names)
    (against,) = find_pairs([half(names[0], levels), half(names[1], levels)], turned, products)
    assert against.correlation == pytest.approx(-0.6, abs=1e-6)
    for changes in (
        {"channels": 2},
        {"bits": 16},
        {"rate_hz": 44_100},
        {"frames": 9 * RATE},
        {"sample_format": "float"},
    ):
        assert find_pairs([half(names[0], levels), half(names[1], levels, **changes)], made, gram) == []
    unread = Sampled(tuple(names), np.array([0]), made.places, made.columns[:, :1])
    (pair,) = find_pairs([half(names[0], levels), half(names[1], levels)], unread, unread.gram())
    assert pair.correlation == 0.0
    silent, zeros = sampled(a, 0 * b, names=names)
    assert find_pairs([half(names[0], levels), half(names[1], levels)], silent, zeros)[0].correlation == 0.0


def test_of_several_candidates_those_go_together_that_agree_in_samples_and_levels() -> None:
    one, other = (np.random.default_rng(n).uniform(0.01, 1.0, 80) for n in (3, 4))
    a, b = apart(2)
    names = ["Piano L.wav", "Piano R.wav", "Piano right.wav"]
    # The first right side has more of the left's samples, the second all of its level: together the second has more.
    made, gram = sampled(a, 0.8 * a + 0.6 * b, 0.7 * a + 0.714 * b, names=names)
    tracks = [half(names[0], one), half(names[1], other), half(names[2], one)]
    (pair,) = find_pairs(tracks, made, gram)
    assert (pair.left, pair.right) == (names[0], names[2])
