"""What is read from a file on demand to be seen: nothing a check rests on."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True, kw_only=True)
class Spectrogram:
    """Levels over time and frequency, of the louder channel.

    Attributes
    ----------
    start, stop : int
        Frames of the file that the columns cover evenly.
    top_hz : float
        Half the file's rate: where the last row ends.
    levels_db : float16 [shape=(rows, columns)]
        The highest level in each cell, the lowest frequency first; 0 dB is a sine at full scale.
    """

    start: int
    stop: int
    top_hz: float
    levels_db: NDArray[np.float16] = field(repr=False, compare=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class BandField:
    """Mid and side of one third of an octave, and how the channels go together there.

    Levels are dB of power, 0 dB a sine at full scale on both sides; -inf for silence. `correlation` is None where a
    side is silent.
    """

    centre_hz: float
    mid_db: float
    side_db: float
    correlation: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class StereoField:
    """How two channels relate at a file's loudest moments.

    Attributes
    ----------
    reach : float
        Full scale 1.0: the picture goes from minus this to this on both axes.
    density : float32 [shape=(cells, cells)]
        Share of samples by mid (rows, upwards) and side (columns, to the right).
    """

    reach: float
    density: NDArray[np.float32] = field(repr=False, compare=False)
    bands: tuple[BandField, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class ValueCounts:
    """How often each sample value occurs in a file, all channels together.

    Attributes
    ----------
    reach : float
        The bins go evenly from minus this to this; 1.0, or the peak of a file that goes over it.
    bins : int64 [shape=(bins,)]
    lowest, highest : int
        How many samples have the lowest and the highest value that occurs.
    middle : int64 [shape=(2 * span + 1,)]
        Counts of the codes from -span to span, in steps of the file's own bits (24 for float).
    samples : int
    """

    reach: float
    bins: NDArray[np.int64] = field(repr=False, compare=False)
    lowest: int = 0
    highest: int = 0
    middle: NDArray[np.int64] = field(repr=False, compare=False, default_factory=lambda: np.zeros(1, np.int64))
    samples: int = 0
