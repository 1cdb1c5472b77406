"""Integrated loudness in LUFS.

References
----------
ITU-R BS.1770-5, Annex 1: K-weighting, 400 ms gating blocks with 75 % overlap, gates at -70 LKFS and
-10 LU. All channels weigh 1.0 here: a trackout's channels carry no loudspeaker positions.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.decibels import power_db
from deep_tally.work.compiled import compiled

_OFFSET_LUFS = -0.691  # BS.1770 eq. 2
_ABSOLUTE_GATE_LUFS = -70.0
_RELATIVE_GATE_LU = -10.0
_STEPS_PER_BLOCK = 4
_SHELF_HZ = 1681.974450955533
_DENORMAL_GUARD = 1e-15
"""Added to the input: -300 dBFS, but it keeps the filter out of denormals, which slow it 7 to 10 times."""


def k_weighting(rate_hz: int) -> NDArray[np.float64]:
    """The two filter stages of BS.1770 as second-order sections [shape=(2, 6)] for any rate.

    The standard gives coefficients at 48 kHz only. These are the analogue prototypes behind them,
    transformed bilinearly: at 48 kHz they are the standard's table to 1e-10. They exist where the shelf lies under half
    the rate (see `is_defined`).
    """
    k = math.tan(math.pi * _SHELF_HZ / rate_hz)
    q = 0.7071752369554196
    high = 10 ** (3.999843853973347 / 20)
    band = high**0.4996667741545416
    norm = 1 + k / q + k * k
    library = [
        (high + band * k / q + k * k) / norm,
        2 * (k * k - high) / norm,
        (high - band * k / q + k * k) / norm,
        1.0,
        2 * (k * k - 1) / norm,
        (1 - k / q + k * k) / norm,
    ]
    k = math.tan(math.pi * 38.13547087602444 / rate_hz)
    q = 0.5003270373238773
    norm = 1 + k / q + k * k
    high_pass = [1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / norm, (1 - k / q + k * k) / norm]
    return np.array([library, high_pass])


def is_defined(rate_hz: int) -> bool:
    """Whether a signal of this rate can be weighted: the shelf must lie under half of it."""
    return rate_hz > 2 * _SHELF_HZ


class LoudnessMeter:
    """Integrated loudness of a stream of blocks."""

    def __init__(self, rate_hz: int, channels: int) -> None:
        self._is_defined = is_defined(rate_hz)
        self._step_frames = max(1, round(rate_hz / 10))
        # b0 b1 b2 a1 a2 of each stage; the leading a0 is 1.
        self._sections = np.delete(k_weighting(rate_hz), 3, axis=1)
        self._states = np.zeros((channels + channels % 2, 4))
        self._open = np.zeros(-(-channels // 2))
        self._filled = 0
        self._steps: list[NDArray[np.float64]] = []

    def feed(self, samples: NDArray[np.float64]) -> None:
        """Take in float64 [shape=(frames, channels), Fortran order]."""
        if not self._is_defined:
            return
        energy = np.zeros((self._filled + len(samples)) // self._step_frames)
        last = samples.shape[1] - 1
        # Two at a time: a recursive filter waits for its own output, two fill each other's waits.
        for channel in range(0, last + 1, 2):
            first, second = samples[:, channel], samples[:, min(channel + 1, last)]
            pair = slice(channel, channel + 2)
            states = self._states[pair]
            weight = 1.0 if channel < last else 0.0
            self._open[channel // 2] = _add_weighted_energy(
                first,
                second,
                weight,
                self._sections,
                states[0],
                states[1],
                self._step_frames,
                self._filled,
                self._open[channel // 2],
                energy,
            )
        self._filled = (self._filled + len(samples)) % self._step_frames
        self._steps.append(energy / self._step_frames)

    def integrated_lufs(self) -> float | None:
        """Gated loudness.

        None when the file is shorter than a gating block, when no block passes the gates, or when the rate is too low.
        """
        steps = np.concatenate(self._steps) if self._steps else np.empty(0)
        if len(steps) < _STEPS_PER_BLOCK:
            return None
        blocks = np.convolve(steps, np.ones(_STEPS_PER_BLOCK), "valid") / _STEPS_PER_BLOCK
        blocks = blocks[blocks > 10 ** ((_ABSOLUTE_GATE_LUFS - _OFFSET_LUFS) / 10)]
        if not len(blocks):
            return None
        gate = blocks.mean() * 10 ** (_RELATIVE_GATE_LU / 10)
        return _OFFSET_LUFS + power_db(float(blocks[blocks > gate].mean()))


@compiled("f8", "f8[::1]", "f8[::1]", "f8", "f8[:, ::1]", "f8[::1]", "f8[::1]", "i8", "i8", "f8", "f8[::1]")
def _add_weighted_energy(
    first: NDArray[np.float64],
    second: NDArray[np.float64],
    second_counts: float,
    sections: NDArray[np.float64],
    state_first: NDArray[np.float64],
    state_second: NDArray[np.float64],
    step: int,
    filled: int,
    energy: float,
    out: NDArray[np.float64],
) -> float:
    """Weight two channels and add the energy of each completed step to `out`; returns that of the open step.

    `second_counts` is 1, or 0 where there is only one channel. Two second-order sections in transposed direct form
    II; the states [shape=(4,)] carry over to the next block.
    """
    b0, b1, b2, a1, a2 = sections[0]
    c0, c1, c2, d1, d2 = sections[1]
    s0, s1, t0, t1 = state_first
    u0, u1, v0, v1 = state_second
    step_number = 0
    position = 0
    while position < len(first):
        stop = min(len(first), position + step - filled)
        piece, other = first[position:stop], second[position:stop]
        energy_second = 0.0
        for i in range(len(piece)):
            x = piece[i] + _DENORMAL_GUARD
            w = other[i] + _DENORMAL_GUARD
            # What waits for the output comes last: one multiply-add each on the way from sample to sample.
            y = s0 + b0 * x
            s0 = (s1 + b1 * x) - a1 * y
            s1 = b2 * x - a2 * y
            z = t0 + c0 * y
            t0 = (t1 + c1 * y) - d1 * z
            t1 = c2 * y - d2 * z
            energy += z * z
            y = u0 + b0 * w
            u0 = (u1 + b1 * w) - a1 * y
            u1 = b2 * w - a2 * y
            z = v0 + c0 * y
            v0 = (v1 + c1 * y) - d1 * z
            v1 = c2 * y - d2 * z
            energy_second += z * z
        energy += second_counts * energy_second
        filled += stop - position
        position = stop
        if filled == step:
            out[step_number] += energy
            step_number += 1
            energy = 0.0
            filled = 0
    state_first[0], state_first[1], state_first[2], state_first[3] = s0, s1, t0, t1
    state_second[0], state_second[1], state_second[2], state_second[3] = u0, u1, v0, v1
    return energy
