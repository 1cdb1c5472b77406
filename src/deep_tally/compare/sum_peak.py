"""How high does the plain sum of all files go, where, and whose doing is it?

The files' overviews say how high the sum can go at most in every moment; only where that is more than what was found
already are samples read and added. True peak: ITU-R BS.1770-5, Annex 2.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.sampled import read_at
from deep_tally.measure.decibels import amplitude_db
from deep_tally.measure.truepeak import PHASES, true_peak_of
from deep_tally.model.comparison import PeakPart, SumPeak
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry
from deep_tally.model.measures import OverviewLevel

_BLOCK = 4096
_FILES_AT_ONCE = 960
_BLOCKS_MOST = 400
"""About 34 s of a song: in 22 songs the highest moment was among the likeliest eighth (measured: docs/measures.md)."""
_KEPT = 24
_UNHEARD = 1e-5
"""What lies 100 dB under the loudest file of a moment is not read."""
_AROUND = PHASES.shape[1]
_ROUNDED = 1 + 2.0**-10  # overviews are float16
_LOWERED_DB = 3.0
_PARTS = 3

Samples = NDArray[np.floating]


@dataclass(slots=True)
class _Sum:
    """The files that are added, and the highest blocks of the song that were read."""

    tracks: Sequence[Track]
    entries: Mapping[str, Entry]
    starts: Sequence[int]
    peaks: Samples
    highest: dict[int, float] = field(default_factory=dict)
    _kept: dict[int, Samples] = field(default_factory=dict)

    def look_at(self, blocks: Sequence[int]) -> None:
        """Find the true peak of some blocks."""
        for block, read in self._read(blocks).items():
            self.highest[block] = _true_peak(read.sum(axis=0, dtype=np.float64))
            self._kept[block] = read
        for block in sorted(self._kept, key=lambda b: self.highest[b])[:-_KEPT]:
            del self._kept[block]

    def of(self, block: int) -> Samples:
        """What each file has in and just around a block: float32 [shape=(files, frames, 2)]."""
        return self._kept[block] if block in self._kept else self._read([block])[block]

    def _read(self, blocks: Sequence[int]) -> dict[int, Samples]:
        span = _BLOCK + 2 * _AROUND
        # Each side's samples in a row, as they are read.
        rooms = {number: np.zeros((len(self.tracks), 2, span), np.float32) for number in blocks}
        found = {number: room.transpose(0, 2, 1) for number, room in rooms.items()}
        for index, (track, start) in enumerate(zip(self.tracks, self.starts, strict=True)):
            length = track.format.frames if track.format is not None else 0
            inside = {b: at for b in blocks if -span < (at := b * _BLOCK - _AROUND - start) < length}
            inside = {b: at for b, at in inside.items() if self.peaks[index, b] > _UNHEARD * self.peaks[:, b].max()}
            if not inside:
                continue
            samples = read_at(self.entries[track.path].source, [max(0, at) for at in inside.values()], span)
            for number, (block, at) in enumerate(inside.items()):
                early = max(0, -at)  # before the file's first frame
                piece = samples[number * span : (number + 1) * span - early]
                found[block][index, early:] = piece[:, :2]  # mono plays on both sides
        return found


def find_sum_peak(
    tracks: Sequence[Track], entries: Mapping[str, Entry], *, left_out: int, alive: Callable[[], None]
) -> SumPeak | None:
    """The true peak of the sum of files of one rate; None for silence, and where a sum has fewer than two files.

    Parameters
    ----------
    tracks : sequence of Track
        Measured, with an overview of their peaks.
    entries : mapping of path to Entry
    left_out : int
        How many files of the song are not among them.
    alive : callable
        Called often; may raise to end the work.

    Raises
    ------
    UnreadableSound, NotCheckedHere
        A file cannot be read any more.
    """
    tracks = [t for t in tracks if t.format is not None and t.measures is not None and t.measures.overview]
    if len(tracks) < 2:
        return None
    stamps = [t.format.time_reference for t in tracks if t.format is not None and t.format.time_reference is not None]
    first = min(stamps, default=0)
    starts = [_start(t, first) for t in tracks]
    bounds, peaks = _bounds(tracks, starts)
    total = _Sum(tracks, entries, starts, peaks)
    best = 0.0
    at_once = min(_KEPT, max(1, _FILES_AT_ONCE // len(tracks)))
    # Files seldom peak together: by the power of their peaks, the highest moment comes early.
    likely = np.argsort(-np.sqrt((peaks.astype(np.float64) ** 2).sum(axis=0)), kind="stable").tolist()
    while len(total.highest) < _BLOCKS_MOST:
        likely = [b for b in likely if bounds[b] > best]
        blocks, likely = likely[:at_once], likely[at_once:]
        if not blocks:
            break
        total.look_at(blocks)
        best = max(total.highest.values())
        alive()
    if best <= 0:
        return None
    peak_block = max(total.highest, key=lambda b: total.highest[b])
    frame, shares = _shares(total.of(peak_block))
    order = np.argsort(-shares, kind="stable")[:_PARTS].tolist()
    rate_hz = tracks[0].format.rate_hz if tracks[0].format is not None else 1
    return SumPeak(
        dbtp=amplitude_db(best),
        seconds=(peak_block * _BLOCK - _AROUND + frame) / rate_hz,
        starts={t.path: s for t, s in zip(tracks, starts, strict=True)},
        left_out=left_out,
        parts=tuple(
            PeakPart(path=tracks[i].path, share=float(shares[i]), won_db=_won_db(total, best, i)) for i in order
        ),
    )


def _start(track: Track, first: int) -> int:
    sound = track.format
    return sound.time_reference - first if sound is not None and sound.time_reference is not None else 0


def _bounds(tracks: Sequence[Track], starts: Sequence[int]) -> tuple[Samples, Samples]:
    """For every block of the song, what no sum of the files' samples can exceed, and each file's own peak."""
    ends = [s + t.format.frames for t, s in zip(tracks, starts, strict=True) if t.format is not None]
    fine = max(min(level.bin_frames for level in _levels(t)) for t in tracks)
    cells = -(-max(ends) // fine) + 2
    blocks = -(-max(ends) // _BLOCK)
    firsts = np.arange(blocks) * _BLOCK // fine
    lasts = np.minimum((np.arange(blocks) + 1) * _BLOCK // fine, cells - 1)

    def by_block(values: Samples) -> Samples:
        edges = np.column_stack([firsts, lasts + 1]).ravel()
        highest: Samples = np.maximum.reduceat(np.append(values, 0.0), edges)[::2]
        return highest

    sides = np.zeros((2, cells))  # above and below zero
    peaks = np.zeros((len(tracks), blocks), np.float32)
    for index, (track, start) in enumerate(zip(tracks, starts, strict=True)):
        for level in _levels(track):
            begins = start + np.arange(len(level.low)) * level.bin_frames
            own = np.zeros((2, cells))
            for row, values in zip(own, (level.high.max(axis=1), -level.low.min(axis=1)), strict=True):
                for edge in range(0, level.bin_frames + fine, fine):
                    at = np.minimum((begins + min(edge, level.bin_frames)) // fine, cells - 1)
                    np.maximum.at(row, at, values.astype(np.float64))
            sides += own
            peaks[index] = by_block(own.max(axis=0))
    return by_block(sides.max(axis=0)) * _ROUNDED, peaks


def _levels(track: Track) -> tuple[OverviewLevel, ...]:
    return track.measures.overview[-1:] if track.measures is not None else ()


def _true_peaks(x: Samples) -> Samples:
    """The greatest value between samples at each of them, [shape=(frames, 2)]; without the edges."""
    peaks = np.abs(x)
    for side in range(x.shape[1]):
        for phase in PHASES:
            between = np.abs(np.convolve(x[:, side], phase, "full"))[_AROUND // 2 : _AROUND // 2 + len(x)]
            np.maximum(peaks[:, side], between, out=peaks[:, side])
    peaks[:_AROUND] = peaks[-_AROUND:] = 0.0
    return peaks


def _true_peak(x: Samples) -> float:
    """The greatest value of a block on and between its samples, of both sides, without its edges."""
    columns = np.asfortranarray(x, np.float64)
    # What the interpolation gives lies half its length behind the samples it is made of.
    first, frames = _AROUND + _AROUND // 2 - (_AROUND - 1), len(x) - 2 * _AROUND
    between = max(true_peak_of(columns[first:, side], frames) for side in range(x.shape[1]))
    return max(between, float(np.abs(x[_AROUND:-_AROUND]).max()))


def _shares(read: Samples) -> tuple[int, Samples]:
    """The frame of a block at which its sum is highest, and what each file adds there, of the sum."""
    total = read.sum(axis=0, dtype=np.float64)
    frame, side = np.unravel_index(int(_true_peaks(total).argmax()), total.shape)
    # Between two samples: the higher one speaks for both.
    near = slice(max(0, int(frame) - 1), int(frame) + 2)
    at = near.start + int(np.abs(total[near, side]).argmax())
    return at, read[:, at, side] / total[at, side]


def _won_db(total: _Sum, best: float, lowered: int) -> float:
    """By how many decibels the peak falls when one file is turned down: it may be at another moment then."""
    gain = 10 ** (-_LOWERED_DB / 20)
    left = 0.0
    for block in sorted(total.highest, key=lambda b: -total.highest[b]):
        if total.highest[block] <= left:
            break
        read = total.of(block)
        left = max(left, _true_peak(read.sum(axis=0, dtype=np.float64) - (1 - gain) * read[lowered]))
    return amplitude_db(best) - amplitude_db(left)
