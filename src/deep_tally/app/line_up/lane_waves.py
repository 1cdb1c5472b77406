"""The waves of all lanes in sight as one picture, drawn from tiles or from samples."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QColor, QImage

from deep_tally.model.measures import Excerpt
from deep_tally.views.lane_axis import LaneAxis
from deep_tally.views.lane_samples import LaneSamples
from deep_tally.views.lane_tiles import HEIGHT_MOST, Bank, Columns, columns_of_samples, raster
from deep_tally.views.lanes import Lane, Slot

_PEN = 2.0
_GHOST = 70


@dataclass(frozen=True, slots=True)
class Pane:
    """What the waves are drawn on: its size in pixels of the screen, of which the window's have `ratio` each way."""

    width: int
    rows: int
    ratio: float
    scrolled_px: int
    silenced: frozenset[str]
    colour: str


class LaneWaves(QObject):
    """Draws the waves; the picture stays while only what lies over it moves, as when something plays.

    What is seen for the first time is drawn from what is at hand, and gets finer tile by tile (`refined`).
    """

    refined = Signal()

    def __init__(self, axis: LaneAxis, samples: LaneSamples, parent: QObject) -> None:
        super().__init__(parent)
        self._axis, self._samples = axis, samples
        self._banks: dict[str, tuple[Bank, int]] = {}
        self._banked: tuple[tuple[str, int], ...] = ()
        self._version = 0
        self._state: object = None
        self._in_use: list[tuple[Bank, NDArray[np.float64]]] = []
        self.picture = QImage()
        """As drawn last."""
        self._refining = QTimer(self)
        self._refining.setSingleShot(True)
        self._refining.timeout.connect(self._refine)

    def show_lanes(self, lanes: Sequence[Lane]) -> None:
        """Files of one rate and one width of bins share a bank; for the same files nothing is built twice."""
        self.outdate()
        lanes = [*lanes, *(lane.before for lane in lanes if lane.before is not None)]
        banked = tuple((lane.path, id(lane.track.measures)) for lane in lanes)
        if banked == self._banked:
            return
        self._banked, self._banks = banked, {}
        alike: defaultdict[tuple[int, int], list[Lane]] = defaultdict(list)
        for lane in lanes:
            measures = lane.track.measures
            if measures is not None and measures.overview:
                alike[lane.rate_hz, measures.overview[0].bin_frames].append(lane)
        for group in alike.values():
            bank = Bank([lane.track.measures for lane in group if lane.track.measures is not None])
            self._banks |= {lane.path: (bank, number) for number, lane in enumerate(group)}

    def outdate(self) -> None:
        """What was drawn no longer shows all there is."""
        self._version += 1

    @property
    def is_fine(self) -> bool:
        """Whether all lanes in sight are drawn, and as finely as they can be."""
        return self._state is not None and not any(bank.lacks(edges) for bank, edges in self._in_use)

    def draw(self, slots: Sequence[Slot], pane: Pane) -> QImage:
        """The picture of these slots."""
        places = tuple((slot.lane.path, slot.lane.start_s, slot.top, slot.height) for slot in slots)
        state = self._axis.view.start, self._axis.view.scale, pane, places, self._version
        if self._state != state:
            self._state = state
            self.picture = self._drawn(slots, pane)
            self._refining.start(0)
        return self.picture

    def _drawn(self, slots: Sequence[Slot], pane: Pane) -> QImage:
        """The strokes of all lanes: drawn as lines from Python they take ten times as long."""
        width, rows, ratio = pane.width, pane.rows, pane.ratio
        shades = np.zeros((rows, width), np.uint8)
        self._in_use = []
        for slot, lane, strokes in self._strokes(slots, width, ratio):
            left, right = (round(self._axis.x_of(s) * ratio) for s in (lane.start_s, lane.stop_s))
            strokes[:, : min(max(0, left), width)] = 0
            strokes[:, min(max(0, right, left + 1), width) :] = 0
            if lane is not slot.lane or slot.lane.path in pane.silenced:
                strokes = (strokes * np.float32(_GHOST / 255)).astype(np.uint8)
            top = round((slot.top - pane.scrolled_px) * ratio)
            above = max(0, -top)
            part = strokes[above : max(above, rows - top)]
            target = shades[top + above : top + above + len(part)]
            np.maximum(target, part[: len(target)], out=target)
        image = QImage(shades.data, width, rows, width, QImage.Format.Format_Indexed8)
        image.setColorTable(_shades(pane.colour))
        # Drawn as it is, each pixel would be looked up on a slow way.
        image.convertTo(QImage.Format.Format_ARGB32_Premultiplied)
        image.setDevicePixelRatio(ratio)
        return image

    def _refine(self) -> None:
        if any(bank.refine(edges) for bank, edges in self._in_use):
            self.outdate()
            self.refined.emit()

    def _strokes(
        self, slots: Sequence[Slot], width: int, ratio: float
    ) -> Iterator[tuple[Slot, Lane, NDArray[np.uint8]]]:
        """The strokes of each lane, and of the ghosts at their raw starts; alike lanes are worked out together."""
        alike: defaultdict[tuple[int, float, int], list[tuple[Slot, Lane, int]]] = defaultdict(list)
        for slot in slots:
            where = [slot.lane]
            # So close, its outline says enough; and where nobody knows its place, it was not moved.
            if slot.lane.is_moved and not self._axis.is_close(slot.lane):
                where.append(replace(slot.lane, start_s=0.0, stop_s=slot.lane.seconds))
            if slot.lane.before is not None:
                where.append(slot.lane.before)
            for lane in where:
                is_now = lane is not slot.lane.before
                have = self._samples.at_hand(lane) if is_now and self._axis.is_close(lane) else None
                if have is not None and len(have.samples):
                    edges = self._edges(lane, width, ratio)
                    yield slot, lane, _from_samples(have, lane, edges, _rows_of(slot, ratio))
                elif lane.path in self._banks:
                    bank, number = self._banks[lane.path]
                    alike[id(bank), lane.start_s, slot.height].append((slot, lane, number))
        for group in alike.values():
            slot, lane, _ = group[0]
            bank, _ = self._banks[lane.path]
            numbers = np.array([number for _, _, number in group], np.intp)
            edges = self._edges(lane, width, ratio)
            self._in_use.append((bank, edges))
            strokes = raster(bank.columns(edges, numbers), _rows_of(slot, ratio))
            for (slot, lane, _), drawn in zip(group, strokes, strict=True):
                yield slot, lane, drawn

    def _edges(self, lane: Lane, width: int, ratio: float) -> NDArray[np.float64]:
        """The lane's frames at the borders of the pixels, [shape=(width + 1,)]."""
        scale = self._axis.view.scale / ratio * lane.rate_hz / self._axis.rate_hz
        first = (self._axis.start_s - lane.start_s) * lane.rate_hz
        return np.asarray(first + np.arange(width + 1) * scale, dtype=np.float64)


def _from_samples(have: Excerpt, lane: Lane, edges: NDArray[np.float64], rows: int) -> NDArray[np.uint8]:
    measures = lane.track.measures
    peak = 10 ** (measures.sample_peak_dbfs / 20) if measures is not None else 1.0
    columns = columns_of_samples(have.samples, have.frame, edges, peak)
    # The line has a width of its own, whatever the lane's height.
    pen = np.int16(min(_PEN / 2 / rows * 2 * 16_384, 16_000))
    columns = Columns(columns.low - pen, columns.high + pen, columns.rms)
    return raster(columns, rows, is_line=True)[0]


def _rows_of(slot: Slot, ratio: float) -> int:
    return min(HEIGHT_MOST, max(1, round(slot.height * ratio)))


@lru_cache(maxsize=2)
def _shades(colour: str) -> list[int]:
    """The colour table of opacities: 255 is the colour itself."""
    base = QColor(colour)
    return [(alpha << 24) | (base.rgb() & 0xFFFFFF) for alpha in range(256)]
