"""Copies to be written, and sources to write them from."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from numpy.typing import NDArray

from deep_tally.intake.fingerprint import fingerprint
from deep_tally.model.ready import Copy, Piece
from deep_tally.ready.write import CopyJob, Proved, write_copy

RATE = 48_000
MADE = datetime(2026, 11, 30, 17, 45, 30, tzinfo=UTC)


def noise(
    frames: int, channels: int = 1, *, bits: int | None = 24, seed: int = 0, peak: float = 0.5
) -> NDArray[np.float64]:
    """Noise on the grid of so many bits; on none where that is None."""
    samples = np.random.default_rng(seed).uniform(-peak, peak, (frames, channels))
    return samples if bits is None else np.rint(samples * 2.0 ** (bits - 1)) / 2.0 ** (bits - 1)


def source(path: Path, samples: NDArray[np.float64], *, subtype: str = "PCM_24", rate: int = RATE, **form: Any) -> Path:
    """A sound file, written by libsndfile."""
    path.parent.mkdir(parents=True, exist_ok=True)
    soundfile.write(path, samples, rate, subtype=subtype, **form)
    return path


def copy(*pieces: Piece, frames: int, **changes: Any) -> Copy:
    """A copy of 24 bits under a name of its own."""
    known: dict[str, Any] = {
        "song": "Song",
        "sources": tuple(dict.fromkeys(piece.path for piece in pieces)),
        "name": "01 Copy.wav",
        "steps": (),
        "offset_frames": 0,
        "channels": len(pieces[0].sides),
        "rate_hz": RATE,
        "bits": 24,
    }
    return Copy(pieces=pieces, frames=frames, **known | changes)


def job_of(made: Copy, sources: Mapping[str, Path], folder: Path) -> CopyJob:
    contents = {path: digest for path, file in sources.items() if (digest := fingerprint(file)) is not None}
    return CopyJob(copy=made, sources=sources, contents=contents, folder=folder, made=MADE)


def write(made: Copy, sources: Mapping[str, Path], folder: Path) -> Proved:
    """Write one copy, which succeeds."""
    proved = write_copy(lambda done, total: None, job_of(made, sources, folder))
    assert isinstance(proved, Proved), proved
    return proved
