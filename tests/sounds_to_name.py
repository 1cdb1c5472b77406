"""A small delivery of badly named files, all different in sound and level."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import soundfile

NAMES = ("01 Kick In", "02 bs", "03 vx3", "04 LdVox wet", "05 Gtr L", "06 Gtr R", "07 Zithering")


def write_delivery(home: Path) -> Path:
    """Write it; returns its folder."""
    folder = home / "Tidewrack 96 BPM D minor"
    folder.mkdir(parents=True)
    random = np.random.default_rng(5)
    rate, seconds = 48_000, 3.0
    time_s = np.arange(round(rate * seconds)) / rate
    for place, name in enumerate(NAMES):
        noise = random.standard_normal(len(time_s)) * np.exp(-6 * ((time_s + 0.07 * place) % 0.6))
        signal = 10 ** (-(12 + 1.3 * place) / 20) * noise / np.abs(noise).max() * np.hanning(len(time_s))
        soundfile.write(folder / f"{name}.wav", signal, rate, subtype="PCM_24")
    return folder
