"""What tests of several modules of the room share."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import soundfile

from deep_tally.compare.sampled import SPAN, Sampled
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, Role
from sounds import RATE
from tracks import track

PLACES = 64


APART = 40
"""So many spans lie from one place to the next: 0.43 s."""


def noise(seed: int, channels: int = 1) -> np.ndarray:
    """Columns of noise, strangers to each other."""
    return np.random.default_rng(seed).standard_normal((PLACES * SPAN, channels))


def apart(count: int) -> list[np.ndarray]:
    """Columns at right angles, of equal energy."""
    made, _ = np.linalg.qr(noise(1, count))
    return [made[:, [n]] * 100 for n in range(count)]


def sampled(*files: np.ndarray, names: list[str] | None = None) -> tuple[Sampled, np.ndarray]:
    owners = np.concatenate([[n] * f.shape[1] for n, f in enumerate(files)]).astype(int)
    paths = tuple(names or [f"{n} P.wav" for n in range(len(files))])
    columns = np.concatenate(files, axis=1).astype(np.float32)
    made = Sampled(paths, owners, np.arange(PLACES) * APART * SPAN, columns)
    return made, made.gram()


def written(folder: Path, name: str, samples: np.ndarray) -> tuple[Track, Entry]:
    from deep_tally.measure.job import measure_entry

    soundfile.write(folder / name, samples, RATE, subtype="PCM_24")
    entry = Entry(path=name, source=folder / name, role=Role.TRACKOUT, song="s", bytes=1)
    return measure_entry(lambda done, total: None, entry), entry


def strokes(seed: int = 5, seconds: float = 3.0) -> np.ndarray:
    random = np.random.default_rng(seed)
    samples = (
        0.1
        * random.standard_normal((round(seconds * RATE), 1))
        * np.exp(-((np.arange(round(seconds * RATE)) % 20_000) / 4000))[:, None]
    )
    samples[RATE : RATE + 100] *= 3
    return np.asarray(samples)


def loud(path: str, frames: tuple[int, ...], length: int = 100 * SPAN) -> Track:
    return track(path, loud_frames=frames, frames=length)
