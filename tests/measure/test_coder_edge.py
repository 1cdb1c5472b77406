"""What a lossy encoder leaves at the top of the band: spectra made by hand, and sounds coded by FFmpeg's libraries.

The limits stand in docs/measures.md (measured). Each spectrum differs from `abrupt` in one thing.
"""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import bessel, butter, cheby1, sosfilt

from deep_tally.measure.coder_edge import find_coder_edge
from detectors.coding import coded
from measure.measured_sounds import RATE
from sounds import measured

BINS = 2049
HZ = np.arange(BINS) * RATE / 4096
BIN_HZ = RATE / 4096


def abrupt(
    *,
    edge: float = 16_500.0,
    drop: float = 60.0,
    width: float = 240.0,
    level: float = -60.0,
    looks: int = 8,
    ripple: float = 2.0,
) -> np.ndarray:
    """Decibels [shape=(looks, bins)]: a band with some ripple that falls at one place, within so many hertz."""
    shape = level + (np.arange(BINS) % 4 == 0) * ripple - ripple / 2 - drop * np.clip((HZ - edge) / width, 0, 1)
    return np.tile(shape, (looks, 1))


def found(levels: np.ndarray) -> bool:
    return find_coder_edge(10 ** (levels / 10), BIN_HZ) is not None


@pytest.mark.parametrize("edge", [15_700.0, 16_500.0, 17_500.0, 18_600.0, 20_400.0])
def test_an_abrupt_end_in_the_encoders_bands_is_found_where_it_is(edge: float) -> None:
    result = find_coder_edge(10 ** (abrupt(edge=edge) / 10), BIN_HZ)
    assert result is not None
    assert result.kind == "coded"
    assert result.edge_hz == pytest.approx(edge + 120, abs=100)
    assert result.drop_db == pytest.approx(60, abs=1)


@pytest.mark.parametrize("edge", [14_000.0, 17_850.0, 21_500.0])
def test_no_encoder_ends_elsewhere(edge: float) -> None:
    assert not found(abrupt(edge=edge))


@pytest.mark.parametrize(("drop", "is_found"), [(26.5, True), (24.5, False)])
def test_within_three_hundred_hertz_it_falls_by_25_db(drop: float, is_found: bool) -> None:
    assert found(abrupt(drop=drop)) is is_found
    assert not found(abrupt(drop=40.0, width=500.0))
    assert found(abrupt(drop=60.0, width=500.0))


def test_all_in_all_it_falls_by_more_than_25_db() -> None:
    levels = abrupt(drop=45.0)
    # A tone just above, 20 dB under the band, takes part of the fall away again.
    levels[:, (HZ > 16_800) & (HZ < 17_500)] = -82.0
    assert not found(levels)


def test_content_that_goes_on_above_is_no_end() -> None:
    levels = abrupt()
    levels[:, (HZ > 18_000) & (HZ < 18_400)] = -60.0 - 16.0
    assert not found(levels)
    levels[:, (HZ > 18_000) & (HZ < 18_400)] = -60.0 - 19.0
    assert found(levels)


def test_two_looks_must_show_it() -> None:
    assert not found(abrupt(looks=1))
    assert found(abrupt(looks=2))
    faint = abrupt(level=-127.0, looks=9, drop=23.0)
    assert not found(np.concatenate([abrupt(level=-90.0, looks=1), faint]))  # under 25 dB over the floor
    soft = abrupt(level=-101.0, looks=9)
    assert not found(np.concatenate([abrupt(looks=1), soft]))  # 41 dB under the loudest
    assert found(np.concatenate([abrupt(looks=1), soft + 2.0]))


@pytest.mark.parametrize(("level", "is_found"), [(-109.0, True), (-111.0, False)])
def test_what_ends_there_lies_40_db_over_the_floor(level: float, is_found: bool) -> None:
    assert found(abrupt(level=level)) is is_found


def test_what_lies_between_the_tones_ends_with_them() -> None:
    lines = np.arange(BINS) % 40 < 20  # the last of them ends at the edge
    tones, goes_on, ends = abrupt(), abrupt(level=-112.0, drop=0.0), abrupt(level=-85.0, drop=35.0)
    assert not found(np.where(lines, tones, goes_on))
    assert found(np.where(lines, tones, ends))


def test_a_lump_of_its_own_is_no_band() -> None:
    levels = abrupt()
    levels[:, HZ < 15_000] -= 44.0
    assert not found(levels)
    levels[:, HZ < 15_000] += 6.0
    assert found(levels)


def test_a_single_line_at_the_end_is_a_tone() -> None:
    # Falls at once, as the skirt of one tone does: within two bins, or within 45 Hz altogether.
    wide, narrow, deep = 240.0, 24.0, 40.0
    for width, is_found in ((wide, True), (narrow, False), (deep, False)):
        assert found(abrupt(width=width, ripple=12.0)) is is_found
    # Over noise an encoder can end so, but always in one place.
    assert found(abrupt(width=narrow))
    moved = [abrupt(width=narrow, looks=4, edge=16_500.0 - off) for off in (0, 60)]
    assert not found(np.concatenate(moved))


@pytest.mark.parametrize(
    ("color", "kbit", "rate"),
    [
        *((color, kbit, 44_100) for color in ("noise", "riser", "cymbal") for kbit in (128, 160)),
        *(("noise", kbit, 48_000) for kbit in (128, 160, 192, 320)),
    ],
)
def test_what_an_mp3_encoder_cut_is_found(color: str, kbit: int, rate: int) -> None:
    noise = np.random.default_rng(5).standard_normal((4 * rate, 2))
    time = np.arange(4 * rate)[:, None] / rate
    shape = {"noise": 1.0, "riser": (time / 4) ** 2, "cymbal": np.exp(-3 * (time % 1.3))}[color]
    spectrum = measured(coded(0.05 * noise * shape, rate, "libmp3lame", kbit), bits=24, rate=rate).spectrum
    assert spectrum is not None
    assert spectrum.edge is not None
    assert spectrum.edge.kind == "coded"


@pytest.mark.parametrize("order", [1, 3, 6])
@pytest.mark.parametrize("hz", [10_000, 16_000, 18_000])
@pytest.mark.parametrize("kind", ["butterworth", "chebyshev", "bessel"])
def test_a_low_pass_filter_is_no_encoder(kind: str, hz: int, order: int) -> None:
    # The three textbook families (SciPy's designs).
    noise = 0.05 * np.random.default_rng(order).standard_normal(4 * 44_100)
    made = {
        "butterworth": butter(order, hz, fs=44_100, output="sos"),
        "chebyshev": cheby1(order, 0.5, hz, fs=44_100, output="sos"),
        "bessel": bessel(order, hz, fs=44_100, output="sos"),
    }[kind]
    spectrum = measured(sosfilt(made, noise), bits=24, rate=44_100).spectrum
    assert spectrum is not None
    assert spectrum.edge is None or spectrum.edge.kind != "coded"


@pytest.mark.parametrize(
    ("hz", "falls", "is_found"),
    [
        ((16_500, 16_560, 16_620, 16_900), (0, 14, 30, 60), True),
        ((16_500, 16_505, 16_700, 16_900), (0, 24, 36, 60), False),  # the first half as steep as a tone's skirt
        ((16_500, 16_600, 16_660, 16_690, 16_900), (0, 4, 8, 40, 60), False),  # the second
    ],
)
def test_both_halves_of_a_tones_skirt_are_steep(hz: tuple[int, ...], falls: tuple[int, ...], is_found: bool) -> None:
    ripple = (np.arange(BINS) % 4 == 0) * 8.3 - 3.3  # tones: too uneven for noise
    levels = np.tile(-60.0 + ripple * (hz[0] > HZ) - np.interp(HZ, hz, falls), (8, 1))
    assert found(levels) is is_found
