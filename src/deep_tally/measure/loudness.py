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
from deep_tally.work.lanes import LANES, gathered, loaded, spread, store

_OFFSET_LUFS = -0.691  # BS.1770 eq. 2
_ABSOLUTE_GATE_LUFS = -70.0
_RELATIVE_GATE_LU = -10.0
_STEPS_PER_BLOCK = 4
_STEPS_LEAST = 2
"""Shorter segments are not worth the step in which their filters settle."""

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
        step, frames, channels = self._step_frames, *samples.shape
        energy = np.zeros((self._filled + frames) // step)
        first = -self._filled % step
        for channel in range(0, channels, 2):
            group = slice(channel, min(channel + 2, channels))
            segments = LANES // (group.stop - group.start)
            steps = (frames - first) // step // segments
            if steps < _STEPS_LEAST:
                self._one_by_one(samples[:, group], channel, self._filled, energy)
                continue
            self._one_by_one(samples[:first, group], channel, self._filled, energy)
            done = energy[(self._filled + first) // step :]
            self._side_by_side(samples[:, group], channel, first, steps, done)
            last = first + segments * steps * step
            self._one_by_one(samples[last:, group], channel, 0, done[segments * steps :])
        self._filled = (self._filled + frames) % step
        self._steps.append(energy / step)

    def _one_by_one(self, samples: NDArray[np.float64], channel: int, filled: int, energy: NDArray[np.float64]) -> None:
        """One or two channels from `channel` on, sample by sample; the open step has `filled` frames."""
        # Two at a time: a recursive filter waits for its own output, two fill each other's waits.
        last = samples.shape[1] - 1
        states = self._states[channel : channel + 2]
        self._open[channel // 2] = _add_weighted_energy(
            samples[:, 0],
            samples[:, last],
            float(last),
            self._sections,
            states[0],
            states[1],
            self._step_frames,
            filled,
            self._open[channel // 2],
            energy,
        )

    def _side_by_side(
        self, samples: NDArray[np.float64], channel: int, first: int, steps: int, energy: NDArray[np.float64]
    ) -> None:
        """Segments of so many steps from frame `first` on, all at once.

        Each filter but the first has to settle before its segment: 100 ms are 24 of the high pass's time constants.
        """
        step, (frames, channels) = self._step_frames, samples.shape
        segments = LANES // channels
        begins = first + steps * step * np.arange(segments)
        starts = (frames * np.arange(channels)[:, None] + begins).ravel()
        signal = samples.ravel(order="F")  # no copy: that is the order they lie in
        states, weighted = np.zeros((4, LANES)), np.empty((steps, LANES))
        _weigh_side_by_side(signal, np.maximum(starts - step, 0), self._sections, states, step, weighted[:1])
        states[:, ::segments] = self._states[channel : channel + channels].T
        _weigh_side_by_side(signal, starts, self._sections, states, step, weighted)
        self._states[channel : channel + channels] = states[:, segments - 1 :: segments].T
        by_segment = weighted.reshape(steps, channels, segments).sum(axis=1)
        energy[: segments * steps] += by_segment.T.ravel()

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


@compiled("i8", "f8[::1]", "i8[::1]", "f8[:, ::1]", "f8[:, ::1]", "i8", "f8[:, ::1]")
def _weigh_side_by_side(
    signal: NDArray[np.float64],
    starts: NDArray[np.int64],
    sections: NDArray[np.float64],
    states: NDArray[np.float64],
    step: int,
    out: NDArray[np.float64],
) -> int:
    """Weight what begins at each of eight `starts`, and write the energy of each step to `out` [shape=(steps, 8)].

    The filter is that of `_add_weighted_energy`; its states [shape=(4, 8)] carry over.
    """
    b0, b1, b2 = spread(sections[0, 0]), spread(sections[0, 1]), spread(sections[0, 2])
    a1, a2 = spread(sections[0, 3]), spread(sections[0, 4])
    c0, c1, c2 = spread(sections[1, 0]), spread(sections[1, 1]), spread(sections[1, 2])
    d1, d2 = spread(sections[1, 3]), spread(sections[1, 4])
    s0, s1, t0, t1 = loaded(states[0], 0), loaded(states[1], 0), loaded(states[2], 0), loaded(states[3], 0)
    guard = spread(_DENORMAL_GUARD)
    for number in range(len(out)):
        energy = spread(0.0)
        for i in range(number * step, (number + 1) * step):
            x = gathered(signal, starts, i) + guard
            y = s0 + b0 * x
            s0 = (s1 + b1 * x) - a1 * y
            s1 = b2 * x - a2 * y
            z = t0 + c0 * y
            t0 = (t1 + c1 * y) - d1 * z
            t1 = c2 * y - d2 * z
            energy = energy + z * z
        store(out[number], 0, energy)
    store(states[0], 0, s0)
    store(states[1], 0, s1)
    store(states[2], 0, t0)
    store(states[3], 0, t1)
    return 0
