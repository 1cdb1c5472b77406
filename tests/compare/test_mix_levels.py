"""Levels read where a mix is as good as nothing but its files."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import pytest
from numpy.typing import NDArray

from compare.mixes import RATE, on_timeline, small
from deep_tally.compare.mix_frames import MixFrames, gather
from deep_tally.compare.mix_gains import Gains, fit, products
from deep_tally.compare.mix_levels import levels
from detectors.mix_songs import MixSong, Sent, as_mp3


def frames_of(files: Mapping[str, Sent], mix: NDArray[np.float64]) -> MixFrames:
    return gather(on_timeline(mix), [on_timeline(f.sound) for f in files.values()], len(mix))


def errors_db(found: Gains, song: MixSong) -> NDArray[np.float64]:
    """Against the faders the song was made with; an encoder's own gain is the same for all."""
    found_db = 10 * np.log10(np.square(found.gains).mean(axis=0))
    off = found_db - [sent.level_db for sent in song.files.values()]
    return np.asarray(off - np.median(off))


def both(song: MixSong, mix: NDArray[np.float64]) -> tuple[Gains, Gains]:
    """The gains of all there is, and those of what counts."""
    frames = frames_of(song.files, mix)
    plain = fit(products(frames))
    return plain, levels(frames, plain)


MOMENTS, BINS = 40, 400


def spectra(files: int, seed: int) -> NDArray[np.complex128]:
    """[shape=(moments, 2, bins, files)], of power 1."""
    random = np.random.default_rng((77, seed))
    shape = (MOMENTS, 2, BINS, files)
    return (random.standard_normal(shape) + 1j * random.standard_normal(shape)) / np.sqrt(2)


def made(files: NDArray[np.complex128], mix: NDArray[np.complex128]) -> MixFrames:
    ones = np.ones(BINS, np.float32)
    return MixFrames(
        mix.astype(np.complex64), files.astype(np.complex64), np.arange(MOMENTS), np.arange(BINS) * 10.0, ones
    )


def noise(power: NDArray[np.float64], seed: int) -> NDArray[np.complex128]:
    """[shape=(moments, 2, bins)], every bin of the power that is broadcast to it, at a phase of its own."""
    turns = np.random.default_rng((78, seed)).random((MOMENTS, 2, BINS))
    return np.asarray(np.exp(2j * np.pi * turns) * np.sqrt(power))


def off_db(found: Gains) -> float:
    """Of the first file, whose gain is 1."""
    return float(20 * np.log10(np.sqrt(np.square(found.gains[:, 0]).mean())))


def test_bins_that_were_thinned_do_not_count_where_others_show_the_gain() -> None:
    """A third of the bins has a sixth too little: 3 % of the energy is left there, under the loose limit."""
    files = spectra(2, 1)
    kept = np.where(np.arange(BINS) < BINS // 3, 0.84, 1.0)
    frames = made(files, files.sum(axis=-1) * kept + noise(np.float64(1e-3), 1))
    plain = fit(products(frames))
    assert off_db(plain) < -0.3
    assert off_db(levels(frames, plain)) == pytest.approx(0, abs=0.01)


@pytest.mark.parametrize(("seed", "moments", "bins"), [(4, 1, 20), (0, 8, 12)])
def test_where_little_is_sure_more_bins_count_but_none_of_which_much_is_missing(
    seed: int, moments: int, bins: int
) -> None:
    """A few bins with 1 % of noise, a third of all with 3.5 %, and the others thinned to a half."""
    files, at = spectra(1, seed), np.arange(BINS)
    noisy = np.where((at < bins) & (np.arange(MOMENTS) < moments)[:, None, None], 0.01, 0.035)
    mix = files[..., 0] * np.where(at < BINS // 3, 1.0, 0.5) + noise(noisy, seed)
    start = Gains(np.ones((2, 1)), np.full((2, 1), 0.1), np.zeros((MOMENTS, 2)))
    assert off_db(levels(made(files, mix), start)) == pytest.approx(0, abs=0.03)


def test_moments_and_bins_count_by_how_little_is_left_in_them() -> None:
    """Weighted by the inverse of their noise, the gain is as sure as its closed form: the root of all those weights."""
    power = np.where(np.arange(MOMENTS) % 8 == 0, 1e-6, 1.9e-2)[:, None, None]
    sure_db = 20 / np.log(10) / np.sqrt((1 / power).sum() * 2 * BINS)
    for seed in range(3):
        files = spectra(1, 10 + seed)
        frames = made(files, files[..., 0] + noise(power, 10 + seed))
        start = Gains(np.full((2, 1), 0.9), np.full((2, 1), 0.01), np.zeros((MOMENTS, 2)))
        assert abs(off_db(levels(frames, start))) < 4 * sure_db


def test_a_plain_sum_is_as_exact_as_before() -> None:
    song = small(40, 6)
    _, found = both(song, song.mix)
    assert np.abs(errors_db(found, song)).max() < 1e-3


@pytest.mark.parametrize("seed", [41, 42, 43])
def test_what_an_encoder_took_is_not_taken_for_a_level(seed: int) -> None:
    song = small(seed, 8)
    plain, found = both(song, as_mp3(song.mix, 128))
    before, after = (np.abs(errors_db(gains, song)) for gains in (plain, found))
    assert after.max() < before.max()
    assert np.median(after) < 0.1


def test_a_part_that_nobody_sent_leaves_the_levels_of_the_others() -> None:
    """It plays in one band, and as one of the files does there."""
    song = small(44, 5)
    name = next(iter(song.files))
    strange = song.files[name].sound[:, :1] + 0.3 * np.random.default_rng(1).standard_normal((len(song.mix), 1)) * (
        np.arange(len(song.mix)) < 4 * RATE
    ).reshape(-1, 1)
    files = {path: sent for path, sent in song.files.items() if path != name}
    rest = MixSong(files, song.mix)
    plain, found = both(rest, song.mix + 0.2 * np.repeat(strange, 2, axis=1))
    assert np.abs(errors_db(found, rest)).max() < 0.5 * np.abs(errors_db(plain, rest)).max()


def test_who_plays_nowhere_in_what_counts_keeps_the_gain_it_had() -> None:
    """Under a noise that fills every bin in which one file plays."""
    song = small(45, 4)
    noise = 0.3 * np.random.default_rng(2).standard_normal(song.mix.shape)
    plain, found = both(song, song.mix + noise)
    lost = np.abs(plain.certainty) >= 4
    assert lost.any()
    assert found.gains[:, lost].any(axis=0).all()


def test_a_silent_mix_has_no_levels() -> None:
    song = small(46, 3)
    plain, found = both(song, np.zeros_like(song.mix))
    assert not found.gains.any()
    assert not plain.gains.any()
