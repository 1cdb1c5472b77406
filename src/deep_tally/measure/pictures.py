"""Pictures of a file that are worked out when someone looks: spectrogram, stereo field, counts of values.

Each is a job for a worker: `job(progress, path, …)` reads what it needs and returns arrays ready to be drawn.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

import numpy as np
from numpy.typing import NDArray

from deep_tally.model.pictures import BandField, Spectrogram, StereoField, ValueCounts
from deep_tally.work.isolated import OnProgress, run_isolated

if TYPE_CHECKING:
    from deep_tally.intake.sound import SoundReader

T = TypeVar("T")

_FLOOR_DB = -150.0
_LONGEST, _SHORTEST = 4096, 256
_WINDOWS_A_COLUMN = 3
_ROWS_MOST = 1024
_AT_ONCE = 64
"""Windows that are transformed together: a few megabytes."""
_STRETCH = 4096
_CELLS = 96
_LOWEST_HZ = 25.0
_BINS = 2048
_MIDDLE = 1024
_BLOCK = 1 << 18


def _with_reader(job: Callable[..., T], progress: OnProgress, path: Path, *arguments: object) -> T:
    """Run a job on a file's reader; what needs a decoder is read in a process that may die."""
    # Imported here, in the worker: whoever only submits the job needs no decoder.
    from deep_tally.intake.reading import open_plain

    reader = open_plain(path)
    if reader is None:
        made: T = run_isolated(_decoded, progress, path, job, *arguments)
        return made
    with reader:
        return job(progress, reader, *arguments)


def _decoded(progress: OnProgress, path: Path, job: Callable[..., T], *arguments: object) -> T:
    from deep_tally.intake.reading import open_decoded

    with open_decoded(path) as reader:
        return job(progress, reader, *arguments)


def _read(reader: SoundReader, start: int, frames: int) -> NDArray[np.float64]:
    """Frames from `start` on, silence outside of the file and for what is no number: float64 [shape=(frames, c)]."""
    out = np.zeros((frames, reader.format.channels))
    first = max(0, start)
    samples = reader.read(first, max(0, start + frames - first)).samples
    out[first - start : first - start + len(samples)] = np.nan_to_num(samples, nan=0.0, posinf=0.0, neginf=0.0)
    return out


# -- spectrogram ------------------------------------------------------------------------------


def read_spectrogram(progress: OnProgress, path: Path, start: int, stop: int, columns: int) -> Spectrogram:
    """Levels over time and frequency of a stretch of a file.

    Blackman windows of 4096 samples (fewer where a column is far shorter, down to 256), divided by the window's
    coherent gain (0.42; Harris 1978, table 1), so that a full-scale sine in the middle of a bin reads 0 dB; between two
    bins it reads up to 1.1 dB less (scallop loss, same table). A column shows the highest of up to three windows that
    lie evenly in it.

    Raises
    ------
    UnreadableSound
    """
    return _with_reader(spectrogram_of, progress, path, start, stop, columns)


def spectrogram_of(progress: OnProgress, reader: SoundReader, start: int, stop: int, columns: int) -> Spectrogram:
    """The spectrogram of an open file; see `read_spectrogram`."""
    span = max(1, stop - start) / columns
    size = _LONGEST
    while size > _SHORTEST and size > 8 * span:
        size //= 2
    window = np.blackman(size + 1)[:-1]  # periodic: the form whose figures the table gives
    window *= 2 / window.sum()
    each = 1 if span < size else min(_WINDOWS_A_COLUMN, math.ceil(span / size))
    places = start + (np.arange(columns * each) + 0.5) * (stop - start) / (columns * each) - size / 2
    pooled = max(1, -(-(size // 2) // _ROWS_MOST))
    rows = -(-(size // 2) // pooled)
    levels = np.full((rows, columns), _FLOOR_DB, np.float16)
    step = max(1, _AT_ONCE // each) * each
    for begin in range(0, len(places), step):
        some = places[begin : begin + step]
        sound = np.stack([_read(reader, round(place), size) for place in some.tolist()])
        power = _power(sound, window)
        # The last bin, half the rate itself, goes with the one before it.
        power[:, size // 2 - 1] = np.maximum(power[:, size // 2 - 1], power[:, size // 2])
        power = power[:, : rows * pooled] if rows * pooled <= size // 2 else power[:, : size // 2]
        cells = np.maximum.reduceat(power, np.arange(0, power.shape[1], pooled), axis=1)
        loudest = cells.reshape(len(some) // each, each, -1).max(axis=1)
        first = begin // each
        decibels = 10 * np.log10(np.maximum(loudest, 10 ** (_FLOOR_DB / 10)))
        levels[:, first : first + len(loudest)] = decibels.T
        progress(begin + len(some), len(places))
    return Spectrogram(start=start, stop=stop, top_hz=reader.format.rate_hz / 2, levels_db=levels)


def _power(sound: NDArray[np.float64], window: NDArray[np.float64]) -> NDArray[np.float64]:
    """Power of the louder channel in each bin: [shape=(windows, bins)]."""
    highest = np.zeros((len(sound), len(window) // 2 + 1))
    for channel in range(sound.shape[2]):
        spectra = np.fft.rfft(sound[:, :, channel] * window, axis=1)
        np.maximum(highest, spectra.real**2 + spectra.imag**2, out=highest)
    return highest


# -- stereo field -----------------------------------------------------------------------------


def read_stereo_field(progress: OnProgress, path: Path, frames: Sequence[int]) -> StereoField:
    """How the two channels relate over stretches of 4096 frames that begin at `frames`.

    Mid is (L+R)/2, side (L-R)/2. Bands are thirds of an octave around the preferred frequencies of IEC 61260-1.

    Raises
    ------
    UnreadableSound
    """
    return _with_reader(stereo_field_of, progress, path, tuple(frames))


def stereo_field_of(progress: OnProgress, reader: SoundReader, frames: Sequence[int]) -> StereoField:
    """The stereo field of an open file of two channels; see `read_stereo_field`."""
    window = np.blackman(_STRETCH + 1)[:-1]
    window *= 2 / window.sum()
    stretches = [_read(reader, start, _STRETCH)[:, :2] for start in frames] or [np.zeros((_STRETCH, 2))]
    sound = np.stack(stretches)
    mid, side = (sound[..., 0] + sound[..., 1]) / 2, (sound[..., 0] - sound[..., 1]) / 2
    reach = max(float(np.abs(mid).max()), float(np.abs(side).max()), 1e-6)
    edges = np.linspace(-reach, reach, _CELLS + 1)
    density, _, _ = np.histogram2d(mid.ravel(), side.ravel(), bins=(edges, edges))
    left, right = (np.fft.rfft(sound[..., channel] * window, axis=1) for channel in range(2))
    progress(1, 1)
    return StereoField(
        reach=reach,
        density=(density / mid.size).astype(np.float32),
        bands=_bands(left, right, reader.format.rate_hz, float((window**2).sum()) / 4 * _STRETCH),
    )


def _bands(
    left: NDArray[np.complex128], right: NDArray[np.complex128], rate_hz: int, noise_bins: float
) -> tuple[BandField, ...]:
    bands = []
    bin_hz = rate_hz / _STRETCH
    number = math.ceil(10 * math.log10(_LOWEST_HZ / 1000))
    while (centre := 1000 * 10 ** (number / 10)) * 10 ** (1 / 20) < rate_hz / 2:
        low, high = (math.ceil(centre * 10 ** (way / 20) / bin_hz) for way in (-1, 1))
        number += 1
        if high <= low:
            continue  # narrower than the spectra can tell
        part = slice(low, high)
        # A sine's power spreads over the window's noise bandwidth: taken together it reads as one sine.
        powers = [
            float((np.abs(spectrum[:, part]) ** 2).sum()) / len(left) / noise_bins
            for spectrum in ((left + right) / 2, (left - right) / 2, left, right)
        ]
        mid_power, side_power, left_power, right_power = powers
        shared = float((left[:, part] * right[:, part].conj()).real.sum()) / len(left) / noise_bins
        both = math.sqrt(left_power * right_power)
        bands.append(
            BandField(
                centre_hz=centre,
                mid_db=_decibels(mid_power),
                side_db=_decibels(side_power),
                correlation=max(-1.0, min(1.0, shared / both)) if both > 0 else None,
            )
        )
    return tuple(bands)


def _decibels(power: float) -> float:
    return 10 * math.log10(power) if power > 0 else -math.inf


# -- counts of values -------------------------------------------------------------------------


def count_values(progress: OnProgress, path: Path) -> ValueCounts:
    """How often each sample value occurs.

    Raises
    ------
    UnreadableSound
    """
    return _with_reader(values_of, progress, path)


def values_of(progress: OnProgress, reader: SoundReader) -> ValueCounts:
    """The counts of an open file; see `count_values`."""
    sound = reader.format
    unit = 2.0 ** ((sound.bits if sound.bits and sound.sample_format == "int" else 24) - 1)
    reach = 1.0
    bins, middle = np.zeros(_BINS, np.int64), np.zeros(2 * _MIDDLE + 1, np.int64)
    extremes: dict[float, int] = {}
    for start in range(0, sound.frames, _BLOCK):
        samples = _read(reader, start, min(_BLOCK, sound.frames - start)).ravel(order="K")
        peak = float(np.abs(samples).max(initial=0.0))
        while peak > reach:
            # A float file that goes over: twice the reach, two bins become one.
            reach *= 2
            bins = np.concatenate(
                [np.zeros(_BINS // 4, np.int64), bins.reshape(-1, 2).sum(1), np.zeros(_BINS // 4, np.int64)]
            )
        at = np.minimum(((samples + reach) * (_BINS / 2 / reach)).astype(np.intp), _BINS - 1)
        bins += np.bincount(at, minlength=_BINS)
        codes = np.rint(samples * unit)
        near = codes[np.abs(codes) <= _MIDDLE].astype(np.intp) + _MIDDLE
        middle += np.bincount(near, minlength=2 * _MIDDLE + 1)
        for value in (float(samples.min(initial=0.0)), float(samples.max(initial=0.0))):
            extremes[value] = extremes.get(value, 0) + int((samples == value).sum())
        progress(start, sound.frames)
    low, high = min(extremes, default=0.0), max(extremes, default=0.0)
    return ValueCounts(
        reach=reach,
        bins=bins,
        lowest=extremes.get(low, 0),
        highest=extremes.get(high, 0),
        middle=middle,
        samples=sound.frames * sound.channels,
    )
