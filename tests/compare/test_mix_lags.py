"""Correlation with a mix: a shifted noise peaks at its shift (Knapp and Carter 1976), a stranger nowhere."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import butter, lfilter

from deep_tally.compare.mix_lags import THIN_HZ, MixCorrelation, middle_or_left, smoothed_power

RANDOM = np.random.default_rng(5)
MIX = RANDOM.standard_normal(10 * THIN_HZ).astype(np.float32)


@pytest.mark.parametrize("lag", [0, 1, 5000, -700])
def test_a_part_of_a_noise_lies_where_it_was_taken(lag: int) -> None:
    whole = np.concatenate([RANDOM.standard_normal(1000).astype(np.float32), MIX])
    part = whole[1000 + lag : 1000 + lag + 4 * THIN_HZ]
    best, second, *_ = MixCorrelation(MIX).peaks(part)
    assert best.lag == lag
    assert best.height > 10 * second.height


def test_coloured_music_does_not_hide_a_quiet_file() -> None:
    """Without the weights, the low tones of the mix decide; the file is 26 dB under it."""
    low = lfilter(*butter(4, 200 / (THIN_HZ / 2)), RANDOM.standard_normal(len(MIX)))
    quiet = np.zeros(len(MIX))
    quiet[3000 : 3000 + 2 * THIN_HZ] = RANDOM.standard_normal(2 * THIN_HZ)
    mix = (20 * low / low.std() + quiet).astype(np.float32)
    best, second, *_ = MixCorrelation(mix).peaks(quiet[3000 : 3000 + 2 * THIN_HZ].astype(np.float32))
    assert best.lag == 3000
    assert best.height > 2 * second.height


def test_a_stranger_has_no_peak_that_stands_out() -> None:
    peaks = MixCorrelation(MIX).peaks(RANDOM.standard_normal(5 * THIN_HZ).astype(np.float32))
    assert peaks[0].height - peaks[1].height < 3
    assert [p.height for p in peaks] == sorted((p.height for p in peaks), reverse=True)
    lags = sorted(p.lag for p in peaks)
    assert min(np.diff(lags)) > 0.01 * THIN_HZ


def test_silence_has_no_place() -> None:
    assert MixCorrelation(MIX).peaks(np.zeros(THIN_HZ, np.float32)) == []
    assert MixCorrelation(np.zeros(THIN_HZ, np.float32)).peaks(MIX) == []


def test_a_long_mix_is_taken_in_pieces() -> None:
    mix = RANDOM.standard_normal(2_600_000).astype(np.float32)
    part = mix[2_300_000:2_400_000]
    assert MixCorrelation(mix).peaks(part)[0].lag == 2_300_000


def test_of_a_long_file_the_loudest_stretch_is_used() -> None:
    mix = RANDOM.standard_normal(1_400_000).astype(np.float32)
    sound = (0.01 * RANDOM.standard_normal(1_400_000)).astype(np.float32)
    sound[600_000:1_400_000] = mix[500_000:1_300_000]
    assert MixCorrelation(mix).peaks(sound)[0].lag == -100_000


def test_a_file_whose_sides_cancel_speaks_by_its_left_one() -> None:
    left = MIX[:1000]
    cancelling, is_left = middle_or_left(np.column_stack([left, -left]))
    assert is_left
    assert (cancelling == left).all()
    middle, is_left = middle_or_left(np.column_stack([left, left]))
    assert not is_left
    assert middle == pytest.approx(left)
    assert middle_or_left(left[:, None])[1] is False


def test_the_power_of_white_noise_is_even_and_has_a_floor() -> None:
    power = smoothed_power(MIX)
    assert power[10:-10].std() / power.mean() < 0.3
    tone = np.sin(np.arange(len(MIX)) * 0.3).astype(np.float32)
    assert smoothed_power(tone).min() == pytest.approx(1e-7 * smoothed_power(tone).max())
