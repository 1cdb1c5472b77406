"""What a console does to a sum: pan, equaliser, compressor, limiter, reverberation. Textbook forms, made for tests."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d, uniform_filter1d
from scipy.signal import lfilter

from deep_tally.demo.synth import RATE_HZ, room

Sound = NDArray[np.float64]


def panned(sound: Sound, pan: float = 0.0) -> Sound:
    """Stereo from mono at constant power, -1 left to 1 right; stereo stays as it is."""
    sound = sound.reshape(len(sound), -1)
    if sound.shape[1] == 2:
        return sound
    return np.concatenate([sound * np.sqrt((1 - pan) / 2), sound * np.sqrt((1 + pan) / 2)], axis=1)


def shelf(sound: Sound, hz: float, gain_db: float, *, is_high: bool) -> Sound:
    """A shelf of slope 1 (Bristow-Johnson, Audio EQ Cookbook)."""
    a, w = 10 ** (gain_db / 40), 2 * np.pi * hz / RATE_HZ
    c, s = np.cos(w), np.sqrt(2 * a) * np.sin(w)
    sign = 1 if is_high else -1
    b = [a * ((a + 1) + sign * (a - 1) * c + s), -sign * 2 * a * ((a - 1) + sign * (a + 1) * c)]
    b.append(a * ((a + 1) + sign * (a - 1) * c - s))
    d = [(a + 1) - sign * (a - 1) * c + s, sign * 2 * ((a - 1) - sign * (a + 1) * c), (a + 1) - sign * (a - 1) * c - s]
    return lfilter(np.array(b) / d[0], np.array(d) / d[0], sound, axis=0)


def compressed(sound: Sound, reduction_db: float = 10.0, ratio: float = 4.0) -> Sound:
    """A feed-forward compressor that takes `reduction_db` off the loudest hundredth; 5 ms attack, 80 ms release."""
    step = 48
    sound = sound.reshape(len(sound), -1)
    blocks = len(sound) // step
    peaks = np.abs(sound[: blocks * step]).max(axis=1).reshape(blocks, step).max(axis=1)
    rises, falls = (np.exp(-step / RATE_HZ / s) for s in (0.005, 0.08))
    envelope, level = np.empty(blocks), 0.0
    for number, peak in enumerate(peaks):
        level = peak + (level - peak) * (rises if peak > level else falls)
        envelope[number] = level
    level_db = 20 * np.log10(envelope + 1e-9)
    threshold_db = np.percentile(level_db, 99) - reduction_db * ratio / (ratio - 1)
    gain_db = np.minimum(0.0, (threshold_db - level_db) * (1 - 1 / ratio))
    at = np.arange(blocks) * step + step / 2
    return sound * 10 ** (np.interp(np.arange(len(sound)), at, gain_db) / 20)[:, None]


def limited(sound: Sound, drive_db: float = 8.0) -> Sound:
    """Driven over full scale and held there by a limiter that looks 5 ms ahead."""
    driven = sound / np.abs(sound).max() * 10 ** (drive_db / 20)
    held = uniform_filter1d(maximum_filter1d(np.maximum(np.abs(driven).max(axis=1), 1.0), 480), 480)
    return driven / held[:, None]


def reverberation(noise: np.random.Generator, sound: Sound, seconds: float = 1.5) -> Sound:
    """What a room adds, in stereo, without the sound itself."""
    return room(noise, sound.reshape(len(sound), -1).mean(axis=1), seconds=seconds)
