"""What lanes are drawn from: overviews of many files side by side, so that one step of arithmetic serves all lanes.

Arrays have the shape (bins, lanes): a pixel column is then one row of memory, which NumPy copies and compares at once.
Each lane is scaled to its own peak. Tiles are made when they come into sight and kept as long as there is room.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deep_tally.model.measures import Measures, OverviewLevel

FULL = 16_384
"""What a lane's peak becomes: fits 16 bits with room for rounding."""
PEAK = 150
"""How opaque what lies between RMS and peak is, of 255."""
HEIGHT_MOST = 500
_TILE_BINS = 1024
_BYTES_MOST = 48 << 20
_QUIETEST = 10 ** (-60 / 20)
"""A lane that peaks lower is drawn as if it peaked here: noise does not look like music."""


@dataclass(frozen=True, slots=True)
class Columns:
    """Lowest, highest and RMS of each pixel column: int16 [shape=(columns, lanes)], `FULL` at each lane's peak."""

    low: NDArray[np.int16]
    high: NDArray[np.int16]
    rms: NDArray[np.int16]


class Bank:
    """Overviews of files that share a rate and the widths of their bins."""

    def __init__(self, measures: Sequence[Measures]) -> None:
        self._levels = [m.overview for m in measures]
        self._scales = [np.float32(FULL / max(_QUIETEST, _peak(m))) for m in measures]
        self.widths = [level.bin_frames for level in max(self._levels, key=len)]
        """Frames of a bin, level by level from the finest."""
        self._tiles: OrderedDict[tuple[int, int], Columns] = OrderedDict()
        self._bytes = 0

    def columns(self, edges: NDArray[np.float64], lanes: NDArray[np.intp]) -> Columns:
        """The pixel columns of some lanes, from the finest tiles that are at hand; `refine` makes finer ones.

        Parameters
        ----------
        edges : float [shape=(columns + 1,)]
            Frames at the columns' borders, even and rising; may lie outside of the files.
        lanes : int [shape=(n,)]
            Which of the bank's files.
        """
        level = self._level_for(edges)
        while level < len(self.widths) - 1 and self._missing(level, edges):
            level += 1
        width = self.widths[level]
        first = np.floor(edges[:-1] / width).astype(np.intp)
        # Up to the bin before the next column's first: none is left out and none is shown twice.
        last = np.maximum(first, np.floor(edges[1:] / width).astype(np.intp) - 1)
        lo, hi = self._span(level, edges)
        bins = self._bins_of(level)
        window = self._window(level, lo, hi, lanes)
        outside = (last < 0) | (first >= bins)
        start, stop = np.clip(first, lo, hi) - lo, np.clip(last, lo, hi) - lo
        low, high, rms = window.low[start], window.high[start], window.rms[start]
        for step in range(1, int((stop - start).max(initial=0)) + 1):
            at = np.minimum(start + step, stop)
            np.minimum(low, window.low[at], out=low)
            np.maximum(high, window.high[at], out=high)
            np.maximum(rms, window.rms[at], out=rms)
        if outside.any():
            low[outside] = high[outside] = rms[outside] = 0
        return Columns(low, high, rms)

    def refine(self, edges: NDArray[np.float64]) -> bool:
        """Make one tile that the view lacks; returns whether there was one. A tile takes about 10 ms for 100 files."""
        level = self._level_for(edges)
        missing = self._missing(level, edges)
        if missing:
            self._tile(level, missing[0])
        return bool(missing)

    def lacks(self, edges: NDArray[np.float64]) -> bool:
        """Whether the view is drawn from a coarser level than it could be."""
        return bool(self._missing(self._level_for(edges), edges))

    def _level_for(self, edges: NDArray[np.float64]) -> int:
        """The coarsest level that has a bin for each column."""
        scale = (edges[-1] - edges[0]) / (len(edges) - 1)
        return max((i for i, width in enumerate(self.widths) if width <= scale), default=0)

    def _bins_of(self, level: int) -> int:
        return max(len(levels[level].low) for levels in self._levels if level < len(levels))

    def _span(self, level: int, edges: NDArray[np.float64]) -> tuple[int, int]:
        """The first and last bin of a level in sight."""
        width, bins = self.widths[level], self._bins_of(level)
        first, last = int(edges[0] // width), int(edges[-1] // width)
        return max(0, min(first, bins - 1)), max(0, min(last, bins - 1))

    def _missing(self, level: int, edges: NDArray[np.float64]) -> list[int]:
        lo, hi = self._span(level, edges)
        return [n for n in range(lo // _TILE_BINS, hi // _TILE_BINS + 1) if (level, n) not in self._tiles]

    def _window(self, level: int, lo: int, hi: int, lanes: NDArray[np.intp]) -> Columns:
        """The bins `lo` to `hi` of some lanes, out of tiles."""
        tiles = [self._tile(level, number) for number in range(lo // _TILE_BINS, hi // _TILE_BINS + 1)]
        begin = lo - lo // _TILE_BINS * _TILE_BINS
        end = begin + hi - lo + 1
        everything = np.array_equal(lanes, np.arange(len(self._levels)))

        def joined(name: str) -> NDArray[np.int16]:
            parts = [getattr(tile, name) for tile in tiles]
            whole = parts[0] if len(parts) == 1 else np.concatenate(parts)
            return whole[begin:end] if everything else whole[begin:end][:, lanes]

        return Columns(joined("low"), joined("high"), joined("rms"))

    def _tile(self, level: int, number: int) -> Columns:
        key = level, number
        if key in self._tiles:
            self._tiles.move_to_end(key)
            return self._tiles[key]
        tile = self._make(level, number * _TILE_BINS)
        self._tiles[key] = tile
        self._bytes += 3 * tile.low.nbytes
        while self._bytes > _BYTES_MOST and len(self._tiles) > 1:
            _, old = self._tiles.popitem(last=False)
            self._bytes -= 3 * old.low.nbytes
        return tile

    def _make(self, level: int, begin: int) -> Columns:
        shape = (min(_TILE_BINS, max(1, self._bins_of(level) - begin)), len(self._levels))
        made = [np.zeros(shape[::-1], np.float32) for _ in range(3)]
        for lane, (levels, scale) in enumerate(zip(self._levels, self._scales, strict=True)):
            # A short file has fewer levels: its coarsest serves, stretched, where a coarser one is wanted.
            have = levels[min(level, len(levels) - 1)]
            for rows, values in zip(made, _bins(have, begin, shape[0], self.widths[level], scale), strict=True):
                rows[lane, : len(values)] = values
        return Columns(*(np.ascontiguousarray(rows.astype(np.int16).T) for rows in made))


def _bins(
    level: OverviewLevel, begin: int, bins: int, width: int, scale: np.float32
) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
    """Low, high and RMS of one file's bins of a width, all its channels together; fewer at its end."""
    if width == level.bin_frames:
        part = slice(begin, begin + bins)
        low, high, rms = (values[part].astype(np.float32) for values in (level.low, level.high, level.rms))
        return _over(np.minimum, low) * scale, _over(np.maximum, high) * scale, _over(np.maximum, rms) * scale
    starts = (np.arange(begin, begin + bins) * (width / level.bin_frames)).astype(np.intp)
    starts = starts[starts < len(level.low)]
    if not len(starts):
        return np.zeros(0, np.float32), np.zeros(0, np.float32), np.zeros(0, np.float32)
    low, high, rms = (values.astype(np.float32) for values in (level.low, level.high, level.rms))
    return (
        np.minimum.reduceat(_over(np.minimum, low), starts) * scale,
        np.maximum.reduceat(_over(np.maximum, high), starts) * scale,
        np.maximum.reduceat(_over(np.maximum, rms), starts) * scale,
    )


def _over(keep: np.ufunc, values: NDArray[np.float32]) -> NDArray[np.float32]:
    """The extremes over a file's channels; channel by channel, which is far quicker than along a short axis."""
    kept = values[:, 0]
    for channel in range(1, values.shape[1]):
        kept = keep(kept, values[:, channel])
    return kept


def _peak(measures: Measures) -> float:
    levels = measures.overview
    return max(float(np.abs(levels[-1].low).max(initial=0)), float(np.abs(levels[-1].high).max(initial=0)))


def raster(columns: Columns, height: int, *, is_line: bool = False) -> NDArray[np.uint8]:
    """The strokes of many lanes as one picture of opacities.

    Parameters
    ----------
    columns : Columns [shape=(columns, lanes)]
    height : int
        Pixel rows of a lane, at most 500.
    is_line : bool
        Columns are pieces of a line, opaque from low to high, and not an overview.

    Returns
    -------
    uint8 [shape=(lanes, height, columns)]
        255 inside the RMS, `PEAK` up to the peaks; ends are smoothed. A silent column of an
        overview is a thin line.
    """
    # Whole numbers of 1/64 pixel: the quickest that NumPy adds and compares, for lanes of up to 500 pixels.
    unit, middle = 64, height * 32
    scale = np.float32(height * 32 / FULL)
    top = middle - (_across(columns.high) * scale).astype(np.int16)
    bottom = middle - (_across(columns.low) * scale).astype(np.int16)
    if not is_line:
        # A silent column is a thin, pale line: the file is there, and says nothing.
        least = np.int16(unit // 2)
        np.minimum(top, np.int16(middle) - least, out=top)
        np.maximum(bottom, np.int16(middle) + least, out=bottom)
    half = (_across(columns.rms) * scale).astype(np.int16)
    core_top, core_bottom = middle - half, middle + half
    shape = top.shape
    picture = np.empty((shape[0], height, shape[1]), np.uint8)
    # Bounds as whole arrays: NumPy compares array with array twenty times as fast as array with number.
    none, whole = np.zeros(shape, np.int16), np.full(shape, unit, np.int16)
    stroke, core, spare = (np.empty(shape, np.int16) for _ in range(3))
    for row in range(height):
        _cover(top, bottom, none, whole, stroke, spare)
        _cover(core_top, core_bottom, none, whole, core, spare)
        stroke *= np.int16(255 if is_line else PEAK)
        core *= np.int16(255)
        np.maximum(stroke, core, out=stroke)
        stroke >>= 6
        picture[:, row] = stroke
        for edge in (top, bottom, core_top, core_bottom):
            edge -= np.int16(unit)
    return picture


def _across(values: NDArray[np.int16]) -> NDArray[np.float32]:
    return np.ascontiguousarray(values.T).astype(np.float32)


def _cover(
    top: NDArray[np.int16],
    bottom: NDArray[np.int16],
    none: NDArray[np.int16],
    whole: NDArray[np.int16],
    out: NDArray[np.int16],
    spare: NDArray[np.int16],
) -> None:
    """How much of the pixel row from 0 to `whole` a stroke covers."""
    np.minimum(np.maximum(bottom, none, out=out), whole, out=out)
    np.minimum(np.maximum(top, none, out=spare), whole, out=spare)
    out -= spare


def columns_of_samples(
    samples: NDArray[np.float32], first_frame: int, edges: NDArray[np.float64], peak: float
) -> Columns:
    """The pixel columns of one file drawn from its samples, all its channels together.

    Parameters
    ----------
    samples : float32 [shape=(frames, channels)]
        From `first_frame` on.
    edges : float [shape=(columns + 1,)]
        Frames at the columns' borders; a sample stands in the middle of its frame.
    peak : float
        The file's, full scale 1.0.

    Returns
    -------
    Columns [shape=(columns, 1)]
        A column reaches to its neighbour, so that a steep wave stays one line; `rms` is zero.
    """
    count = len(edges) - 1
    scale = (edges[-1] - edges[0]) / count
    factor = FULL / max(_QUIETEST, peak)
    place = np.arange(first_frame, first_frame + len(samples)) + 0.5
    if scale < 1.5:
        middles = (edges[:-1] + edges[1:]) / 2
        lines = [np.interp(middles, place, samples[:, c], left=0.0, right=0.0) for c in range(samples.shape[1])]
        low, high = np.minimum.reduce(lines), np.maximum.reduce(lines)
    else:
        starts = np.clip((edges[:-1] - first_frame).astype(np.intp), 0, len(samples) - 1)
        low = _over(np.minimum, np.minimum.reduceat(samples, starts, axis=0)).copy()
        high = _over(np.maximum, np.maximum.reduceat(samples, starts, axis=0)).copy()
    reached_low, reached_high = low.copy(), high.copy()
    reached_low[1:], reached_high[1:] = np.minimum(low[1:], high[:-1]), np.maximum(high[1:], low[:-1])
    made = [
        np.clip(np.rint(v * factor), -FULL * 1.5, FULL * 1.5).astype(np.int16)[:, None]
        for v in (reached_low, reached_high)
    ]
    return Columns(made[0], made[1], np.zeros((count, 1), np.int16))
