"""Samples as they are stored: exact where they fit, with the right dither where they do not."""

from __future__ import annotations

import io

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from deep_tally.model.errors import CannotWrite
from deep_tally.model.ready import Piece
from deep_tally.ready.rounding import Rounder
from ready.written import copy, noise

PIECE = Piece(path="a.wav", sides=(0,), at=0, skip=0, frames=1)
FRAMES = 200_000


def rounder(bits: int = 24, *, is_float: bool = False, is_exact: bool = True, channels: int = 1) -> Rounder:
    piece = Piece(path="a.wav", sides=tuple(range(channels)), at=0, skip=0, frames=1)
    return Rounder(copy(piece, frames=1, bits=bits, is_float=is_float, is_exact=is_exact))


@pytest.mark.parametrize("bits", [8, 16, 24, 32])
@pytest.mark.parametrize("channels", [1, 2])
def test_samples_on_the_grid_are_stored_exactly(bits: int, channels: int) -> None:
    """Against libsndfile, which reads the bytes back as the samples they were."""
    samples = noise(1000, channels, bits=bits, peak=0.99)
    samples[0], samples[1] = -1.0, 1.0 - 2.0 ** (1 - bits)
    stored = rounder(bits, channels=channels).stored(samples, ((0, 1000),)).tobytes()
    form = {"samplerate": 48_000, "channels": channels, "format": "RAW", "endian": "LITTLE"}
    subtype = {8: "PCM_U8", 16: "PCM_16", 24: "PCM_24", 32: "PCM_32"}[bits]
    back = soundfile.read(io.BytesIO(stored), dtype="float64", always_2d=True, subtype=subtype, **form)[0]
    assert np.array_equal(back, samples)


@pytest.mark.parametrize(("bits", "dtype"), [(32, "<f4"), (64, "<f8")])
def test_float_is_stored_as_the_nearest_float(bits: int, dtype: str) -> None:
    samples = noise(1000, bits=None, peak=3.0)
    stored = rounder(bits, is_float=True, is_exact=False).stored(samples, ((0, 1000),))
    assert np.array_equal(stored.view(dtype), samples[:, 0].astype(dtype))


@pytest.mark.parametrize("bits", [16, 24])
def test_dither_has_the_power_that_theory_gives_it(bits: int) -> None:
    """TPDF of two steps: (1/12 + 1/6) of a squared step, 4.77 dB over rounding alone (Lipshitz et al. 1992)."""
    step = 2.0 ** (1 - bits)
    samples = noise(FRAMES, bits=None)
    codes = rounder(bits, is_exact=False).codes(samples, ((0, FRAMES),))
    error = codes[:, 0] * step - samples[:, 0]
    over_rounding_db = 10 * np.log10(np.mean(error**2) / (step**2 / 12))
    assert over_rounding_db == pytest.approx(4.77, abs=0.05)
    assert abs(error.mean()) < 5 * step / np.sqrt(FRAMES)
    # The error does not follow the sound, nor itself: it is white.
    assert abs(np.corrcoef(error, samples[:, 0])[0, 1]) < 0.01
    assert abs(np.corrcoef(error[1:], error[:-1])[0, 1]) < 0.01


def test_a_tone_under_the_last_bit_is_still_there_under_dither() -> None:
    """What rounding alone makes silence of: the point of dither."""
    tone = 0.4 * 2.0**-15 * np.sin(2 * np.pi * 0.01 * np.arange(FRAMES))[:, None]
    codes = rounder(16, is_exact=False).codes(tone, ((0, FRAMES),))[:, 0]
    found = 2 * np.dot(codes, np.sin(2 * np.pi * 0.01 * np.arange(FRAMES))) / FRAMES
    assert found == pytest.approx(0.4, abs=0.01)
    assert not np.rint(tone * 2.0**15).any()


def test_padding_stays_exactly_zero() -> None:
    samples = np.zeros((1000, 2))
    codes = rounder(16, is_exact=False, channels=2).codes(samples, ((100, 200), (700, 800)))
    sounding = np.zeros(1000, bool)
    sounding[100:200] = sounding[700:800] = True
    assert codes[sounding].any()
    assert not codes[~sounding].any()


def test_the_same_copy_gets_the_same_dither() -> None:
    samples = noise(1000, bits=None)
    first, again = (rounder(16, is_exact=False).codes(samples, ((0, 1000),)) for _ in range(2))
    assert np.array_equal(first, again)


@pytest.mark.parametrize("value", [1.0, 1.0 - 2.0**-24, -1.0])
def test_full_scale_itself_is_stored(value: float) -> None:
    codes = rounder(24, is_exact=False).codes(np.full((100, 1), value), ((0, 100),))
    assert -(2**23) <= codes.min() <= codes.max() <= 2**23 - 1


@pytest.mark.parametrize("value", [1.001, -1.001, 2.0])
def test_what_is_over_full_scale_is_never_clipped_in_silence(value: float) -> None:
    with pytest.raises(CannotWrite, match="over full scale"):
        rounder(24, is_exact=False).codes(np.full((100, 1), value), ((0, 100),))


@given(st.lists(st.integers(-(2**23), 2**23 - 1), min_size=1, max_size=50))
def test_whatever_24_bits_hold_comes_back(codes: list[int]) -> None:
    samples = np.array(codes, float)[:, None] / 2.0**23
    stored = rounder().stored(samples, ((0, len(codes)),)).tobytes()
    assert [int.from_bytes(stored[n : n + 3], "little", signed=True) for n in range(0, len(stored), 3)] == codes
