"""Small synthetic instruments. Each gives one mono note, float64 [shape=(n,)], peaking near 1.0.

Notes are cached: do not write to them.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache

import numpy as np
from numpy.typing import NDArray

RATE_HZ = 48_000
Sound = NDArray[np.float64]


def _time(seconds: float) -> Sound:
    return np.arange(round(seconds * RATE_HZ)) / RATE_HZ


def _swell(n: int, attack_s: float, release_s: float) -> Sound:
    """An envelope of two raised-cosine ramps."""
    attack = min(n // 2, max(2, round(attack_s * RATE_HZ)))
    release = min(n - attack, max(2, round(release_s * RATE_HZ)))
    envelope = np.ones(n)
    envelope[:attack] = 0.5 - 0.5 * np.cos(np.pi * np.arange(attack) / attack)
    envelope[n - release :] = 0.5 + 0.5 * np.cos(np.pi * np.arange(1, release + 1) / release)
    return envelope


def _harmonics(hz: float, weights: Sequence[float], time: Sound, vibrato_cents: float) -> Sound:
    """Harmonics of `hz` below 18 kHz with a vibrato that sets in late."""
    depth = hz * (2 ** (vibrato_cents / 1200) - 1) * np.clip(time / 0.5, 0, 1)
    phase = 2 * np.pi * (hz * time + np.cumsum(depth * np.sin(2 * np.pi * 5.3 * time)) / RATE_HZ)
    # Chebyshev recurrence: each further harmonic costs one multiplication instead of a sine.
    twice_cos = 2 * np.cos(phase)
    before, now = np.zeros_like(phase), np.sin(phase)
    total = np.zeros_like(phase)
    for number, weight in enumerate(weights, start=1):
        if number * hz > 18_000:
            break
        total += weight * now
        before, now = now, twice_cos * now - before
    return total / max(1e-9, float(np.abs(total).max(initial=0.0)))


@cache
def bowed(hz: float, seconds: float) -> Sound:
    """A bowed string: rich harmonics, slow attack."""
    time = _time(seconds)
    weights = [1 / n**1.1 * (1 + 0.5 * np.cos(n * 1.7)) for n in range(1, 15)]
    return _harmonics(hz, weights, time, 14) * _swell(len(time), 0.09, 0.16)


@cache
def reed(hz: float, seconds: float) -> Sound:
    """A reed: odd harmonics first."""
    time = _time(seconds)
    weights = [(1.0 if n % 2 else 0.25) / n for n in range(1, 16)]
    return _harmonics(hz, weights, time, 5) * _swell(len(time), 0.05, 0.1)


@cache
def voice(hz: float, seconds: float, vowel: tuple[float, ...] = (620.0, 1180.0, 2600.0)) -> Sound:
    """A sung vowel: harmonics weighted by three formants."""
    time = _time(seconds)
    weights = [
        sum(a / (1 + ((n * hz - f) / 160) ** 2) for f, a in zip(vowel, (1.0, 0.6, 0.25), strict=True)) / n**0.4
        for n in range(1, 32)
    ]
    return _harmonics(hz, weights, time, 28) * _swell(len(time), 0.07, 0.14)


@cache
def plucked(hz: float, seconds: float, ring_s: float = 1.1) -> Sound:
    """A plucked string: higher harmonics die sooner."""
    time = _time(seconds)
    # Recurrences instead of a sine and an exponential for each of ten partials.
    twice_cos = 2 * np.cos(2 * np.pi * hz * time)
    before, now = np.zeros_like(time), np.sin(2 * np.pi * hz * time)
    decay, fade = np.exp(-1.35 * time / ring_s), np.exp(-0.35 * time / ring_s)
    total = np.zeros_like(time)
    for n in range(1, 11):
        if n * hz > 18_000:
            break
        total += np.sin(np.pi * n * 0.22) / n * decay * now
        before, now = now, twice_cos * now - before
        decay = decay * fade
    return total / float(np.abs(total).max()) * _swell(len(time), 0.003, 0.02)


@cache
def bell(hz: float, seconds: float, ring_s: float = 2.4) -> Sound:
    """A hand bell: a few inharmonic partials."""
    time = _time(seconds)
    total = np.zeros_like(time)
    for ratio, weight, life in (
        (1.0, 1.0, 1.0),
        (2.01, 0.55, 0.6),
        (3.03, 0.35, 0.4),
        (4.17, 0.2, 0.3),
        (5.43, 0.12, 0.2),
    ):
        total += weight * np.exp(-time / (ring_s * life)) * np.sin(2 * np.pi * hz * ratio * time)
    return total / float(np.abs(total).max()) * _swell(len(time), 0.002, 0.02)


def frame_drum(noise: np.random.Generator, seconds: float, hz: float = 84.0) -> Sound:
    """A frame drum: a falling tone and the slap of the skin."""
    time = _time(seconds)
    tone = np.sin(2 * np.pi * (hz * time + 1.4 * (1 - np.exp(-time * 26)))) * np.exp(-time * 7)
    slap = np.convolve(noise.standard_normal(len(time)), np.ones(6) / 6, "same") * np.exp(-time * 55)
    total = tone + 0.5 * slap
    total -= np.exp(-time * 7) * total.sum() / np.exp(-time * 7).sum()  # no offset: a skin returns to rest
    return total / float(np.abs(total).max()) * _swell(len(time), 0.001, 0.02)


def shaker(noise: np.random.Generator, seconds: float) -> Sound:
    """A shaker: a short burst of bright noise."""
    time = _time(seconds)
    burst = np.diff(noise.standard_normal(len(time) + 1)) * np.minimum(time / 0.02, np.exp(-(time - 0.02) * 34))
    return burst / float(np.abs(burst).max()) * _swell(len(time), 0.002, 0.01)


def place(track: Sound, note: Sound, at_s: float, level: float) -> None:
    """Add a note to a track; what runs over the end is left out."""
    start = round(at_s * RATE_HZ)
    stop = min(len(track), start + len(note))
    track[start:stop] += level * note[: stop - start]


def room(noise: np.random.Generator, dry: Sound, *, seconds: float) -> NDArray[np.float64]:
    """A small stereo reverberation of a dry track, float64 [shape=(n, 2)]: exponentially decaying noise."""
    from scipy.signal import oaconvolve  # heavy, and only the demo's maker needs it

    length = round(seconds * RATE_HZ)
    decay = np.exp(-6.9 * np.arange(length) / length)
    decay[: RATE_HZ // 100] = 0
    tails = noise.standard_normal((2, length)) * decay / np.sqrt(length / 8)
    return np.stack([oaconvolve(dry, tail)[: len(dry)] for tail in tails], axis=1)
