"""Which frames of a file a waveform shows: zoom and pan without widgets."""

from __future__ import annotations

import math
from dataclasses import dataclass

_CLOSEST = 1 / 48
"""Frames per pixel at the closest zoom: a sample every 48 pixels."""


@dataclass(slots=True)
class Viewport:
    """A stretch of a file shown on some pixels.

    `start` is the frame at the left edge (may lie between frames), `scale` frames per pixel, `pixels` the width.
    """

    frames: int
    pixels: int
    start: float = 0.0
    scale: float = 0.0

    def __post_init__(self) -> None:
        if not self.scale:
            self.show_all()

    @property
    def whole(self) -> float:
        """The scale at which the whole file fits."""
        return max(self.frames, 1) / max(self.pixels, 1)

    @property
    def is_whole(self) -> bool:
        """Whether all of the file is shown."""
        return self.scale >= self.whole * (1 - 1e-9)

    @property
    def stop(self) -> float:
        """The frame at the right edge."""
        return self.start + self.scale * self.pixels

    def x_of(self, frame: float) -> float:
        """The pixel of a frame."""
        return (frame - self.start) / self.scale

    def frame_at(self, x: float) -> float:
        """The frame under a pixel."""
        return self.start + x * self.scale

    def show_all(self) -> None:
        """Show the whole file."""
        self.start, self.scale = 0.0, self.whole

    def resize(self, pixels: int) -> None:
        """Another width; what was whole stays whole."""
        whole = self.is_whole
        self.pixels = max(1, pixels)
        if whole:
            self.show_all()
        self._clamp()

    def zoom(self, factor: float, x: float) -> None:
        """Show `factor` times as much, keeping the frame under pixel x where it is."""
        anchor = self.frame_at(x)
        self.scale = min(max(self.scale * factor, min(_CLOSEST, self.whole)), self.whole)
        self.start = anchor - x * self.scale
        self._clamp()

    def pan(self, pixels: float) -> None:
        """Move by some pixels; positive shows later frames."""
        self.start += pixels * self.scale
        self._clamp()

    def show_stretch(self, frame: float, frames: float) -> None:
        """Centre a stretch so that it takes about a third of the width."""
        wanted = max(frames, 8) * 3 / max(self.pixels, 1)
        self.scale = min(max(wanted, min(_CLOSEST, self.whole)), self.whole)
        self.start = frame + frames / 2 - self.scale * self.pixels / 2
        self._clamp()

    def _clamp(self) -> None:
        self.start = min(max(0.0, self.start), max(0.0, self.frames - self.scale * self.pixels))


def nice_step(least: float) -> float:
    """The smallest of 1, 2, 5 times a power of ten that is at least `least`."""
    power = 10.0 ** math.floor(math.log10(least))
    return next(step * power for step in (1, 2, 5, 10) if step * power >= least * (1 - 1e-9))


_TIME_STEPS = (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600)


def time_step(least_s: float) -> float:
    """A step for a time ruler: decimal under a second, then seconds, minutes and hours."""
    if least_s <= 0.5:
        return nice_step(least_s)
    return next((float(s) for s in _TIME_STEPS if s >= least_s), nice_step(least_s))
