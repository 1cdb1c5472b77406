"""Where does the sound begin and end, and does it begin and end by itself?

Coarse to fine: windows of about 1 ms show where an edge can lie, then the samples there are read
again and settle the exact frame. A file's own steady floor (digital silence, dither, hiss, hum) is not sound:

- a steady floor under -75 dBFS RMS never is;
- one up to -45 dBFS is not, when it holds for 100 ms at the edge and lies 30 dB under the file's loud parts;
- a file that never rises 10 dB over its quietest stretch and stays under -60 dBFS is only floor.

The end is measured as the start of the reversed file.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.cut_edges import fades_to_zero, head_jump_db
from deep_tally.measure.decibels import SINE_CREST_DB, amplitude, amplitude_db, rms_dbfs
from deep_tally.measure.falls import falls_before_end
from deep_tally.measure.windows import Windows
from deep_tally.model.measures import SoundExtent

NEVER_SOUND_DBFS = -75.0
_FLOOR_MOST_DBFS = -45.0
_FLOOR_UNDER_LOUD_DB = 30.0
_STEADY_ONLY_FLOOR_DBFS = -60.0
_RISE_DB = 10.0
_LEAST_LEVEL_DBFS = -90.0  # RMS of 5 ms: over 16-bit dither, which reads -93
_LEAST_PEAK_DBFS = -84.0
_QUIET_UNDER_PEAK_DB = 50.0

_LEVEL_MS, _STEADY_MS, _SHORT_LEAD_MS, _STEADY_LEAST_MS = 5, 20, 60, 100
_HEAD_MS, _TAIL_WINDOWS = 100, 8
_CONFIRM_MS, _CONFIRM_WINDOW_MS = 400, 50
_ROOM_TONE_MS, _ROOM_TONE_WITHIN_DB = 2000, 6.0
_SEARCHED_AT_ONCE = 8192  # windows

ReadSamples = Callable[[int, int], NDArray[np.float64]]
"""(first frame, frames) -> float64 [shape=(frames, channels)]."""


class _Means:
    """Running means of a level against time, each made once."""

    def __init__(self, square: NDArray[np.float32]) -> None:
        self._total = np.zeros(len(square) + 1)
        np.cumsum(square, dtype=np.float64, out=self._total[1:])
        self._made: dict[int, NDArray[np.float32]] = {}

    def of(self, windows: int) -> NDArray[np.float32]:
        """The mean of `windows` neighbours, [shape=(n - windows + 1,)]."""
        if windows not in self._made:
            mean = np.empty(len(self._total) - windows, np.float32)
            np.subtract(self._total[windows:], self._total[:-windows], out=mean, casting="same_kind")
            # A running sum leaves rounding behind a loud part: never below zero.
            np.maximum(mean, 0.0, out=mean)
            mean /= windows
            self._made[windows] = mean
        return self._made[windows]


@dataclass(frozen=True, slots=True)
class _Envelope:
    """Level against time from one edge inwards: peak and mean square of windows, all channels together.

    Single precision is far finer than any threshold, and a long file has a million windows.
    """

    window: int
    peak: NDArray[np.float32]
    square: NDArray[np.float32]
    means: _Means
    is_reversed: bool = False

    def reversed(self) -> _Envelope:
        return _Envelope(self.window, self.peak[::-1], self.square[::-1], self.means, not self.is_reversed)

    def count(self, ms: float, rate_hz: int) -> int:
        return max(1, round(ms * rate_hz / 1000 / self.window))

    def smoothed(self, windows: int) -> NDArray[np.float32]:
        """Mean square of `windows` neighbours, [shape=(n - windows + 1,)]."""
        mean = self.means.of(min(windows, len(self.square)))
        return mean[::-1] if self.is_reversed else mean


def find_extent(windows: Windows, frames: int, rate_hz: int, read: ReadSamples) -> SoundExtent:
    """First and last sound and how the file begins and ends.

    Parameters
    ----------
    windows : Windows
        Of the whole file, about 1 ms each, all channels together.
    frames : int
        The file's length.
    rate_hz : int
    read : ReadSamples
        Reads a few samples again; called for stretches of under half a second.
    """
    if not frames:
        return SoundExtent(
            first_sound_frame=None,
            last_sound_frame=None,
            lead_floor_dbfs=-math.inf,
            tail_floor_dbfs=-math.inf,
            head_dbfs=-math.inf,
            head_peak_dbfs=-math.inf,
            entry_rise_ms=None,
            tail_levels_dbfs=(-math.inf,) * _TAIL_WINDOWS,
        )
    envelope = _envelope(windows, frames)
    loud = _loud_level(envelope, rate_hz)

    def read_reversed(start: int, count: int) -> NDArray[np.float64]:
        return read(frames - start - count, count)[::-1]

    falls = falls_before_end(envelope.square, windows.frames * 1000 / rate_hz)
    lead_floor, lead_peak = _edge_floor(envelope, rate_hz, loud)
    tail_floor, tail_peak = _edge_floor(envelope.reversed(), rate_hz, loud)
    first = last = None
    if _rises_or_is_loud(envelope, rate_hz):
        first = _first_sound(envelope, frames, rate_hz, read, lead_floor, lead_peak)
        shift = len(envelope.peak) * envelope.window - frames
        back = _first_sound(envelope.reversed(), frames, rate_hz, read_reversed, tail_floor, tail_peak, shift=shift)
        last = None if first is None or back is None else max(first, frames - 1 - back)
    head = read(0, min(frames, round(_HEAD_MS * rate_hz / 1000)))
    tail = _tail(frames, rate_hz, read)
    return SoundExtent(
        first_sound_frame=first if last is not None else None,
        last_sound_frame=last,
        lead_floor_dbfs=lead_floor,
        tail_floor_dbfs=max(tail_floor, _noise_floor(envelope, rate_hz, loud), _room_tone(envelope, rate_hz)),
        head_dbfs=amplitude_db(float(np.abs(head[:1]).max(initial=0.0))),
        head_peak_dbfs=amplitude_db(float(np.abs(head).max(initial=0.0))),
        entry_rise_ms=_entry_rise(envelope, rate_hz),
        tail_levels_dbfs=_tail_levels(tail, rate_hz),
        falls=falls.all,
        hard_falls=falls.hard,
        stops=falls.stops,
        fades_to_zero=fades_to_zero(tail, rate_hz),
        head_jump_db=head_jump_db(head),
    )


def _envelope(windows: Windows, frames: int) -> _Envelope:
    peak = np.maximum(windows.high[:, 0], -windows.low[:, 0])
    square = windows.energy[:, 0] / np.float32(windows.frames)
    square[-1] = windows.energy[-1, 0] / (frames - windows.frames * (len(windows) - 1))
    return _Envelope(windows.frames, peak, square, _Means(square))


def _loud_level(envelope: _Envelope, rate_hz: int) -> float:
    """The level that 5 % of the file's 50 ms stretches exceed."""
    levels = envelope.smoothed(envelope.count(_CONFIRM_WINDOW_MS, rate_hz))
    rank = round(0.95 * (len(levels) - 1))
    return rms_dbfs(float(np.partition(levels, rank)[rank]))


def _is_floor(level: float, loud: float) -> bool:
    """Whether a steady level can be a floor rather than a soft part."""
    return level <= NEVER_SOUND_DBFS or (level <= _FLOOR_MOST_DBFS and level <= loud - _FLOOR_UNDER_LOUD_DB)


def _noise_floor(envelope: _Envelope, rate_hz: int, loud: float) -> float:
    """The level of the quietest 400 ms when that is a floor; -inf otherwise (an organ that never rests)."""
    windows = envelope.count(400, rate_hz)
    if len(envelope.square) < windows:
        return -math.inf
    level = rms_dbfs(float(envelope.smoothed(windows).min()))
    return level if _is_floor(level, loud) else -math.inf


def _room_tone(envelope: _Envelope, rate_hz: int) -> float:
    """The level of the last two seconds when they are steady and no moment of the file is quieter; -inf otherwise."""
    last = envelope.count(_ROOM_TONE_MS, rate_hz)
    if len(envelope.square) < last:
        return -math.inf
    short = envelope.smoothed(envelope.count(_CONFIRM_WINDOW_MS, rate_hz))
    end = short[-last:]
    level = rms_dbfs(float(end.mean()))
    spread = rms_dbfs(float(end.max())) - rms_dbfs(float(end.min()))
    quietest = rms_dbfs(float(envelope.smoothed(envelope.count(_CONFIRM_MS, rate_hz)).min()))
    is_everywhere = quietest > level - _ROOM_TONE_WITHIN_DB
    return level if level <= _FLOOR_MOST_DBFS and spread <= _ROOM_TONE_WITHIN_DB and is_everywhere else -math.inf


def _rises_or_is_loud(envelope: _Envelope, rate_hz: int) -> bool:
    """Whether anything in the file can be more than its floor."""
    squares = envelope.smoothed(envelope.count(_CONFIRM_WINDOW_MS, rate_hz))
    highest, lowest = rms_dbfs(float(squares.max())), rms_dbfs(float(squares.min()))
    if highest <= NEVER_SOUND_DBFS:
        return False
    return highest > _STEADY_ONLY_FLOOR_DBFS or highest > lowest + _RISE_DB


def _edge_floor(envelope: _Envelope, rate_hz: int, loud: float) -> tuple[float, float]:
    """Level and peak of the steady floor at the start; (-inf, 0) when there is none or it is digital silence."""
    steady = envelope.count(_STEADY_MS, rate_hz)
    squares = envelope.smoothed(steady)
    rises = np.flatnonzero(squares > np.minimum.accumulate(squares) * 10 ** (_RISE_DB / 10))
    # The windows up to the first rise, without those that the rise is already in.
    calm = int(rises[0]) if len(rises) else len(squares)
    if calm * envelope.window >= 2 * _STEADY_MS * rate_hz / 1000:
        square = float(envelope.square[:calm].mean())
        level = rms_dbfs(square)
        long_enough = calm >= envelope.count(_STEADY_LEAST_MS, rate_hz)
        if level <= NEVER_SOUND_DBFS or (long_enough and _is_floor(level, loud)):
            return level, float(envelope.peak[:calm].max())
    short = envelope.count(_SHORT_LEAD_MS, rate_hz)
    quietest = int(envelope.square[:short].argmin())
    level = rms_dbfs(float(envelope.square[quietest]))
    if level <= NEVER_SOUND_DBFS:
        return level, float(envelope.peak[quietest])
    return -math.inf, 0.0


def _first_sound(
    envelope: _Envelope,
    frames: int,
    rate_hz: int,
    read: ReadSamples,
    floor: float,
    floor_peak: float,
    *,
    shift: int = 0,
) -> int | None:
    """The first frame over the floor's peak by 6 dB whose next 5 ms have an RMS over the floor by 10 dB.

    `shift` is how many frames the first window overhangs the file (reversed, the file's short last window is first).
    """
    span = max(1, round(_LEVEL_MS * rate_hz / 1000))
    around = -(-span // envelope.window) + 1
    confirm = envelope.count(_CONFIRM_MS, rate_hz)
    calm_windows = envelope.count(_CONFIRM_WINDOW_MS, rate_hz)
    position = 0
    while True:
        least_square = 10 ** ((max(floor + _RISE_DB, _LEAST_LEVEL_DBFS) - SINE_CREST_DB) / 10)
        least_peak = max(2 * floor_peak, amplitude(_LEAST_PEAK_DBFS))
        found = None
        for window in _hopeful(envelope, position, around, least_peak, least_square * span):
            start = max(0, window * envelope.window - shift)
            stop = min(frames, (window + 1) * envelope.window - shift)
            found = _first_frame(
                read(start, min(frames - start, stop - start + span)), stop - start, span, least_peak, least_square
            )
            if found is not None:
                found += start
                position = window
                break
        if found is None:
            return None
        square = envelope.square[position : position + confirm]
        means = _Means(square).of(min(calm_windows, len(square)))
        if float(means.max()) > 10 ** ((NEVER_SOUND_DBFS - SINE_CREST_DB) / 10):
            return found
        # Only a steady floor that sets in (a dithered stretch after digital silence): go on above it.
        floor = max(floor + 1, rms_dbfs(float(square.mean())))
        floor_peak = max(floor_peak, float(envelope.peak[position : position + confirm].max()))
        position += confirm


def _hopeful(envelope: _Envelope, position: int, around: int, least_peak: float, least_energy: float) -> Iterator[int]:
    """The windows from `position` on in which a frame can qualify: by their peak, and by the energy of the windows
    that its 5 ms can touch. Looked for bit by bit: most files begin to sound early."""
    for begin in range(position, len(envelope.square), _SEARCHED_AT_ONCE):
        end = min(begin + _SEARCHED_AT_ONCE, len(envelope.square))
        energy = np.concatenate(
            [[0.0], np.cumsum(envelope.square[begin : end + around] * float(envelope.window), dtype=np.float64)]
        )
        ahead = np.minimum(np.arange(end - begin) + around, len(energy) - 1)
        energy_ahead = energy[ahead] - energy[: end - begin]
        # Sums in another order differ by rounding.
        enough = energy_ahead * (1 + 1e-5) >= least_energy
        yield from (begin + np.flatnonzero((envelope.peak[begin:end] >= least_peak) & enough)).tolist()


def _first_frame(
    samples: NDArray[np.float64], within: int, span: int, least_peak: float, least_square: float
) -> int | None:
    """The first of `within` frames that qualifies, in any channel; at the file's end the span is what is left."""
    padded = np.zeros((within + span, samples.shape[1]))
    padded[: len(samples)] = samples
    energy = np.concatenate([np.zeros((1, samples.shape[1])), np.cumsum(padded * padded, axis=0)])
    left = np.minimum(span, np.maximum(1, len(samples) - np.arange(within)))[:, None]
    ahead = (energy[span : span + within] - energy[:within]) / left
    qualifies = (np.abs(padded[:within]) >= least_peak) & (ahead >= least_square)
    frames = np.flatnonzero(qualifies.any(axis=1))
    return int(frames[0]) if len(frames) else None


def _entry_rise(envelope: _Envelope, rate_hz: int) -> float | None:
    """Median time in ms from quiet to 10 % of the following 100 ms' peak, over the entries inside the file."""
    quiet = float(envelope.peak.max()) * amplitude(-_QUIET_UNDER_PEAK_DB)
    still = envelope.count(20, rate_hz)
    reach = envelope.count(_HEAD_MS, rate_hz)
    sounding = envelope.peak > quiet
    # An entry: the first sounding window after at least 20 ms of quiet.
    starts = np.flatnonzero(sounding[1:] & ~sounding[:-1]) + 1
    sounding_before = np.zeros(len(sounding) + 1, np.int32)
    np.cumsum(sounding, dtype=np.int32, out=sounding_before[1:])
    rises = []
    for start in starts:
        if start < still or sounding_before[start] - sounding_before[start - still] > 0:
            continue
        ahead = envelope.peak[start : start + reach]
        if ahead.max() > 10 * quiet:
            rises.append(int(np.flatnonzero(ahead >= 0.1 * ahead.max())[0]))
    if not rises:
        return None
    window_ms = envelope.window / rate_hz * 1000
    # Wider windows, in long files, round up: the rise took at least this long.
    return max(0.0, float(np.median(rises)) * window_ms - max(0.0, window_ms - 1))


def _tail(frames: int, rate_hz: int, read: ReadSamples) -> NDArray[np.float64]:
    count = min(frames, max(1, round(_LEVEL_MS * rate_hz / 1000)) * _TAIL_WINDOWS)
    return read(frames - count, count)


def _tail_levels(tail: NDArray[np.float64], rate_hz: int) -> tuple[float, ...]:
    span = max(1, round(_LEVEL_MS * rate_hz / 1000))
    padded = np.zeros((span * _TAIL_WINDOWS, tail.shape[1]))
    # A damaged stream may give less when it is decoded a second time.
    padded[len(padded) - len(tail) :] = tail
    squares = (padded * padded).reshape(_TAIL_WINDOWS, span, -1).mean(axis=1).max(axis=1)
    return tuple(rms_dbfs(float(s)) for s in squares)
