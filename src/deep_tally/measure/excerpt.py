"""Samples of a file for drawing, read on demand in a worker process."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from deep_tally.model.measures import Excerpt


def read_excerpt(progress: Callable[[int, int], None], path: Path, start: int, frames: int) -> Excerpt:
    """Samples from frame `start` on; fewer than `frames` at the end of the file, non-finite ones as zero.

    Raises
    ------
    UnreadableSound
        The file cannot be opened or read any more.
    """
    # Imported here, in the worker: whoever only submits the job needs no decoder.
    from deep_tally.intake.reading import open_sound

    with open_sound(path) as reader:
        samples = reader.read(start, frames).samples
    progress(frames, frames)
    finite = np.nan_to_num(samples, nan=0.0, posinf=0.0, neginf=0.0)
    return Excerpt(frame=start, samples=finite.astype(np.float32))
