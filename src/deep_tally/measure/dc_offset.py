"""Does the zero line move? The mean of every half second, and where it steps from one value to another."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.model.measures import DcOffsetStep

_STRETCH_WINDOWS = 500
_SIDE = 4
"""Stretches on each side of a step: two seconds that keep still."""
_LEAST = 10 ** (-50 / 20)
_STILL_SHARE = 0.25
_STEADY_SHARE = 0.8
_AT_ONCE = 32 * _STRETCH_WINDOWS
_RESTING_WINDOWS = _STRETCH_WINDOWS // 10
_SOUNDS = 10 ** (-60 / 10)


class DcOffsetMeter:
    """Means of stretches of 500 windows, about half a second, channel by channel."""

    def __init__(self, channels: int, window_frames: int) -> None:
        self._window_frames, self._stretch_frames = window_frames, _STRETCH_WINDOWS * window_frames
        self._channels = channels
        self._open: list[NDArray[np.float32]] = []
        self._waiting = 0
        self._means: list[NDArray[np.float64]] = []
        self._rests: list[NDArray[np.float32]] = []

    def feed(self, sums: NDArray[np.float32], energy: NDArray[np.float32]) -> None:
        """Take in the sums and energies of complete windows [shape=(windows, channels)]."""
        # Time along the last axis: NumPy sums that one fast.
        self._open.append(np.stack([sums.T, energy.T]))
        self._waiting += len(sums)
        if self._waiting >= _AT_ONCE:
            self._settle()

    def _settle(self) -> None:
        """Take the whole stretches of what waits."""
        if not self._open:
            return
        windows = np.concatenate(self._open, axis=2)
        whole = windows.shape[2] // _STRETCH_WINDOWS
        if whole:
            cut = windows[:, :, : whole * _STRETCH_WINDOWS].reshape(2, -1, whole, _STRETCH_WINDOWS)
            self._means.append(cut.sum(axis=3, dtype=np.float64) / self._stretch_frames)
            calm = np.partition(cut[1], _RESTING_WINDOWS, axis=2)[:, :, _RESTING_WINDOWS]
            self._rests.append((calm / self._window_frames).astype(np.float32))
        self._open = [windows[:, :, whole * _STRETCH_WINDOWS :]]
        self._waiting = self._open[0].shape[2]

    def steady(self) -> tuple[bool, ...]:
        """For each channel whether the mean is there throughout: most half seconds that sound share its sign and half.

        A single stroke of a drum has a mean as well, but no offset; a file under two seconds does not show one. Nor is
        it an offset where a tenth of the moment lies under half of it: it comes and goes with the sound, as that of a
        pulse wave does, and taking it out would move the rests.
        """
        self._settle()
        if not self._means:
            return (False,) * self._channels
        means, squares = np.concatenate(self._means, axis=2)
        mean, rests = means.mean(axis=1), np.concatenate(self._rests, axis=1)
        found = []
        for channel in range(self._channels):
            sounds = squares[channel] > _SOUNDS
            sounding, half = means[channel][sounds], abs(mean[channel]) / 2
            alike = ((sounding * np.sign(mean[channel]) >= half) & (rests[channel][sounds] >= half**2)).sum()
            found.append(bool(len(sounding) >= _SIDE and alike >= _STEADY_SHARE * len(sounding)))
        return tuple(found)

    def step(self) -> DcOffsetStep | None:
        """The greatest step of the zero line over -50 dBFS with two still seconds on both sides."""
        self._settle()
        if not self._means:
            return None
        means, squares = np.concatenate(self._means, axis=2).transpose(0, 2, 1)
        if len(means) < 2 * _SIDE:
            return None
        runs = np.lib.stride_tricks.sliding_window_view(means, _SIDE, axis=0)  # [shape=(places, channels, _SIDE)]
        middles, spreads = np.median(runs, axis=2), np.ptp(runs, axis=2)
        sizes = np.abs(middles[_SIDE:] - middles[:-_SIDE])
        still = np.maximum(spreads[_SIDE:], spreads[:-_SIDE]) < _STILL_SHARE * sizes
        # Where one side is silent, the offset comes and goes with the sound: it is a part of it.
        sounding = np.median(np.lib.stride_tricks.sliding_window_view(squares, _SIDE, axis=0), axis=2) > _SOUNDS
        both = sounding[_SIDE:] & sounding[:-_SIDE]
        sizes = np.where(still & both & (sizes > _LEAST), sizes, 0.0)
        at, channel = (int(index) for index in np.unravel_index(int(sizes.argmax()), sizes.shape))
        if not sizes[at, channel]:
            return None
        return DcOffsetStep(
            frame=(at + _SIDE) * self._stretch_frames,
            channel=channel,
            before=float(middles[at, channel]),
            after=float(middles[at + _SIDE, channel]),
        )
