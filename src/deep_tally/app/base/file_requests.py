"""What a view asks to be read from files. The answer goes straight back to the view that asked."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

from deep_tally.model.measures import Excerpt

PictureKind = Literal["spectrogram", "stereo field", "histogram"]


@dataclass(frozen=True, slots=True)
class SamplesRequest:
    """Samples of one or more files.

    Attributes
    ----------
    asker : str
        Who asks; a newer request of the same asker replaces one that still waits.
    stretches : tuple of (path, first frame, frames)
    answer : callable
        Takes the excerpts by their paths. A file that could not be read is missing.
    """

    asker: str
    stretches: tuple[tuple[str, int, int], ...]
    answer: Callable[[Mapping[str, Excerpt]], None]


@dataclass(frozen=True, slots=True)
class PictureRequest:
    """A picture of one file; a newer request for the same kind replaces one that still waits.

    Attributes
    ----------
    arguments : tuple
        What the job needs besides the file (see `measure.pictures`).
    answer : callable
        Takes the path and the picture, or None where the file cannot be read.
    """

    kind: PictureKind
    path: str
    arguments: tuple[object, ...]
    answer: Callable[[str, object], None]
