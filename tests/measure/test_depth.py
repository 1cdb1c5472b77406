"""Bits in use."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from searching import examples
from sounds import measured


def noise(bits: int, frames: int = 4000) -> np.ndarray:
    steps = np.random.default_rng(bits).integers(-(2 ** (bits - 2)), 2 ** (bits - 2), frames)
    return steps / 2 ** (bits - 1)


@pytest.mark.parametrize(("held", "used"), [(16, 16), (24, 24), (24, 16), (24, 20), (32, 24), (32, 16), (16, 8)])
def test_trailing_zero_bits_are_not_in_use(held: int, used: int) -> None:
    assert measured(noise(used), bits=held).bits_in_use == used


@settings(max_examples=examples(40), deadline=None)
@given(codes=st.lists(st.integers(-(2**23), 2**23 - 1), min_size=1, max_size=50))
def test_bits_in_use_are_what_python_integers_say(codes: list[int]) -> None:
    together = 0
    for code in codes:
        together |= code & 0xFFFFFF
    expected = 0 if together == 0 else 24 - (together & -together).bit_length() + 1
    assert measured(np.array(codes) / 2**23, bits=24).bits_in_use == expected


def test_a_silent_file_uses_no_bits() -> None:
    assert measured(np.zeros(100), bits=24).bits_in_use == 0
    assert measured(np.zeros(100)).bits_in_use == 0


@pytest.mark.parametrize("used", [16, 24])
def test_a_float_file_on_a_fixed_grid_says_which(used: int) -> None:
    assert measured(noise(used)).bits_in_use == used


def test_one_value_off_the_grid_is_enough() -> None:
    signal = noise(16)
    signal[3999] += 2**-23
    assert measured(signal).bits_in_use == 24
    signal[10] *= 1 / 3
    assert measured(signal).bits_in_use == 32
