"""Samples of a file for drawing, read on demand in a worker process."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from deep_tally.model.errors import DeepTallyError
from deep_tally.model.measures import Excerpt
from deep_tally.work.isolated import OnProgress, run_isolated

if TYPE_CHECKING:
    from deep_tally.intake.sound import SoundReader


def read_excerpt(progress: OnProgress, path: Path, start: int, frames: int) -> Excerpt:
    """Samples from frame `start` on; fewer than `frames` at the end of the file, non-finite ones as zero.

    Raises
    ------
    UnreadableSound
        The file cannot be decoded any more.
    NotCheckedHere
        The file cannot be opened or read any more.
    """
    # Imported here, in the worker: whoever only submits the job needs no decoder.
    from deep_tally.intake.reading import open_plain

    reader = open_plain(path)
    excerpt = run_isolated(_decode, progress, path, start, frames) if reader is None else _read(reader, start, frames)
    progress(frames, frames)
    return excerpt


def read_excerpts(progress: OnProgress, wanted: Sequence[tuple[str, Path, int, int]]) -> dict[str, Excerpt]:
    """Samples of several files: (name, path, first frame, frames) each; a file that cannot be read is left out."""
    read = {}
    for number, (name, path, start, frames) in enumerate(wanted):
        with contextlib.suppress(DeepTallyError):
            read[name] = read_excerpt(lambda done, total: None, path, start, frames)
        progress(number + 1, len(wanted))
    return read


def _decode(progress: OnProgress, path: Path, start: int, frames: int) -> Excerpt:
    from deep_tally.intake.reading import open_decoded

    return _read(open_decoded(path), start, frames)


def _read(opened: SoundReader, start: int, frames: int) -> Excerpt:
    with opened as reader:
        samples = reader.read(start, frames).samples
    finite = np.nan_to_num(samples, nan=0.0, posinf=0.0, neginf=0.0)
    return Excerpt(frame=start, samples=finite.astype(np.float32))
