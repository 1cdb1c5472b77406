"""What every reader of sound files offers, whatever the format."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import Protocol, Self

import numpy as np
from numpy.typing import NDArray

from deep_tally.model.errors import UnreadableSound
from deep_tally.model.files import SoundFormat
from deep_tally.model.phrase import Phrase

CHANNELS_MOST = 128
RATE_LEAST_HZ, RATE_MOST_HZ = 1_000, 1_536_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Block:
    """A stretch of samples. The arrays belong to the reader and change with its next read.

    Attributes
    ----------
    samples : float64 [shape=(frames, channels)]
        Full scale 1.0, each channel contiguous in memory (Fortran order). NaN and infinities as in the file.
    bits_set : tuple of int, or None
        For each channel the OR of all codes of a fixed-point file, shifted up to 32 bits: what is never set is not in
        use. None for float and lossy.
    """

    samples: NDArray[np.float64]
    bits_set: tuple[int, ...] | None


class SoundReader(Protocol):
    """An open sound file."""

    @property
    def format(self) -> SoundFormat:
        """What the file is."""

    def read(self, start: int, frames: int) -> Block:
        """Samples from frame `start` on; fewer than `frames` at the end of the file.

        Raises
        ------
        UnreadableSound
            It cannot be decoded there.
        NotCheckedHere
            The file shrank meanwhile, or the system cannot read it.
        """

    def close(self) -> None:
        """Let go of the file."""

    def __enter__(self) -> Self: ...

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None: ...


def require_sane(path: Path, channels: int, rate_hz: int) -> None:
    """Refuse what no audio file has: no field of a header sizes memory unchecked.

    Raises
    ------
    UnreadableSound
    """
    if not 1 <= channels <= CHANNELS_MOST:
        raise UnreadableSound(path.name, Phrase("sound.channels", channels=channels), Phrase("ask.as-wav"))
    if not RATE_LEAST_HZ <= rate_hz <= RATE_MOST_HZ:
        raise UnreadableSound(path.name, Phrase("sound.rate", rate_hz=rate_hz), Phrase("ask.as-wav"))
