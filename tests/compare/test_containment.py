"""A file inside another one."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import pytest

from compare.columns import APART, PLACES, noise, sampled
from deep_tally.compare.containment import find_contained, has_rested
from deep_tally.compare.sampled import SPAN
from deep_tally.model.comparison import Contained
from deep_tally.model.delivery import Track
from deep_tally.model.files import Role
from deep_tally.model.measures import OverviewLevel
from tracks import track


def resting(path: str, at: np.ndarray, *, bin_frames: int = SPAN) -> Track:
    """A track whose overview sounds at full level where `at` says, else not at all."""
    rms = at.astype(np.float16)[:, None]
    level = OverviewLevel(bin_frames=bin_frames, low=-rms, high=rms, rms=rms)
    return track(path, overview=(level,))


def test_a_file_has_rested_after_three_seconds_fifty_decibels_down() -> None:
    bins = np.zeros(600)  # of 512 frames: 6.4 s
    bins[:100] = 1.0
    places = np.array([99, 100, 380, 382, 384]) * SPAN
    # Three seconds are 281.25 bins: after bin 100 the first place that has rested begins in bin 382.
    assert has_rested(resting("a", bins), places).tolist() == [False, False, False, True, True]
    quiet = np.where(bins == 1, 1.0, 10 ** (-50.5 / 20))
    assert has_rested(resting("a", quiet), places).tolist() == [False, False, False, True, True]
    louder = np.where(bins == 1, 1.0, 10 ** (-49.5 / 20))
    assert not has_rested(resting("a", louder), places).any()
    assert not has_rested(Track(path="a", role=Role.TRACKOUT), places).any()


def held_in(
    inner_share: float,
    *,
    gain: float = 0.5,
    rests: int = 24,
    imaginary: bool = False,
    bins: Sequence[int] | None = None,
) -> int:
    """How many relations are found when a file that rests at some places is in another by a share of its energy."""
    inner, outer = noise(11), noise(12)
    if bins is not None:
        spectra = np.fft.rfft(inner.reshape(PLACES, SPAN), axis=1)
        spectra[:, [n for n in range(SPAN // 2 + 1) if n not in bins]] = 0
        inner = np.fft.irfft(spectra, axis=1).reshape(-1, 1)
    is_rest = np.arange(PLACES) >= PLACES - rests
    inner.reshape(PLACES, SPAN)[is_rest] = 0
    mixed = gain * inner
    if imaginary:
        mixed = np.roll(mixed.reshape(PLACES, SPAN), 1, axis=1).reshape(-1, 1)
    energy = (mixed**2).sum()
    active = ~np.repeat(is_rest, SPAN)
    outer *= math.sqrt(energy * (1 / inner_share - 1) / (outer[active] ** 2).sum())
    made, gram = sampled(outer + mixed, inner)
    sounds = np.zeros(PLACES * APART)
    sounds[: (PLACES - rests) * APART - 290] = 1.0
    tracks = [resting("0 P.wav", np.ones(len(sounds))), resting("1 P.wav", sounds)]
    return len(find_contained(tracks, made, gram, leave_out=frozenset()))


def test_a_file_inside_another_at_one_gain() -> None:
    assert held_in(0.5) == 1
    assert held_in(0.05) == 1
    assert held_in(0.5, rests=2) == 1
    assert held_in(0.5, rests=1) == 0  # what sounds at one place alone proves nothing
    assert held_in(0.5, rests=PLACES - 8) == 1
    assert held_in(0.5, rests=PLACES - 7) == 0
    assert held_in(0.004) == 0  # under a hundredth
    assert held_in(0.5, imaginary=True) == 0  # a sample late


def test_a_gain_is_known_in_two_bands_at_least() -> None:
    # Of 512 frames: bins 3 to 7 and 8 to 19 are two of the bands; the window spreads each bin over its neighbours.
    assert held_in(0.5, bins=[4, 5, 6, *range(9, 19)]) == 1
    assert held_in(0.5, bins=range(9, 19)) == 0


def test_what_is_reported_already_is_left_out() -> None:
    inner, outer = noise(11), noise(12)
    inner.reshape(PLACES, SPAN)[40:] = 0
    made, gram = sampled(outer + 0.5 * inner, inner)
    bins = np.zeros(PLACES * APART)
    bins[: 40 * APART - 290] = 1.0
    tracks = [resting("0 P.wav", np.ones(len(bins))), resting("1 P.wav", bins)]
    (found,) = find_contained(tracks, made, gram, leave_out=frozenset())
    assert (found.path, found.inner, found.gain_db) == ("0 P.wav", "1 P.wav", pytest.approx(-6.02, abs=0.5))
    for path in made.paths:
        assert find_contained(tracks, made, gram, leave_out=frozenset({path})) == []


def stereo_inside(*, of_two: bool) -> list[Contained]:
    """A stereo file with another one, of two sides or of one, at half its level; it rests from the middle on."""
    inner, outer = noise(11, 2 if of_two else 1), noise(12, 2)
    inner.reshape(PLACES, SPAN, -1)[40:] = 0
    made, gram = sampled(outer + 0.5 * inner, inner)
    bins = np.zeros(PLACES * APART)
    bins[: 40 * APART - 290] = 1.0
    tracks = [resting("0 P.wav", np.ones(len(bins))), resting("1 P.wav", bins)]
    return find_contained(tracks, made, gram, leave_out=frozenset())


@pytest.mark.parametrize("of_two", [True, False])
def test_a_stereo_file_holds_another_of_two_sides_or_a_mono_one_in_the_middle(of_two: bool) -> None:
    (found,) = stereo_inside(of_two=of_two)
    assert (found.path, found.inner) == ("0 P.wav", "1 P.wav")
    assert found.gain_db == pytest.approx(-6.02, abs=0.5)


def test_a_mono_file_holds_no_stereo_one() -> None:
    inner, outer = noise(11, 2), noise(12)
    inner.reshape(PLACES, SPAN, -1)[40:] = 0
    made, gram = sampled(outer + 0.5 * inner[:, :1], inner)
    bins = np.zeros(PLACES * APART)
    bins[: 40 * APART - 290] = 1.0
    tracks = [resting("0 P.wav", np.ones(len(bins))), resting("1 P.wav", bins)]
    assert find_contained(tracks, made, gram, leave_out=frozenset()) == []
