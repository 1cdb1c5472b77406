"""All measures of one file in one pass over its blocks, with a few short stretches read again at the end."""

from __future__ import annotations

from collections.abc import Callable
from functools import reduce
from operator import or_

import numpy as np
from numpy.typing import NDArray

from deep_tally.intake.sound import SoundReader
from deep_tally.measure.ceiling import CeilingFinder
from deep_tally.measure.click_tempo import find_click_tempo
from deep_tally.measure.clipping import ClipFinder
from deep_tally.measure.dc_offset import DcOffsetMeter
from deep_tally.measure.decibels import amplitude_db, power_db, rms_dbfs
from deep_tally.measure.density import STRETCH_MS, density, sounding_stretches
from deep_tally.measure.depth import GridMeter, bits_in_use, value_grid
from deep_tally.measure.edit_jumps import EditJumpFinder
from deep_tally.measure.flat_tops import FlatTopFinder, flat_tops
from deep_tally.measure.gaps import GapFinder
from deep_tally.measure.hum import find_hum
from deep_tally.measure.loudness import LoudnessMeter
from deep_tally.measure.overview import pyramid
from deep_tally.measure.runs import RunFinder
from deep_tally.measure.sides import SidesMeter
from deep_tally.measure.sound_extent import find_extent
from deep_tally.measure.spectrum import EXCERPTS, FRAMES, long_term, spectra_of
from deep_tally.measure.stretches import loud_places, quiet_places
from deep_tally.measure.truepeak import TruePeakMeter
from deep_tally.measure.windows import BoundedWindows, WindowCutter, Windows
from deep_tally.model.errors import UnreadableSound
from deep_tally.model.measures import Excerpt, Hum, Measures, Run, Runs

_BLOCK_FRAMES, _BLOCK_SAMPLES = 262_144, 1 << 20
_CHANNELS_AT_FULL = 8
"""Up to so many channels, excerpts are as many, and overviews as fine, as they are for stereo; of wider
files they shrink, so that memory does not grow with the channels."""

_EXCERPTS_LEAST = 8
_WINDOWS_MOST = 1 << 18
_BINS_MOST = 1 << 16
_BIN_WINDOWS = 5
_EXCERPT_AROUND, _EXCERPT_MOST = 120, 4096
_QUIET_EXCERPTS = 4
_DC_OFFSET_LEAST = 1e-3  # -60 dBFS: what counts as a constant offset
_CALM_BINS = 20  # 100 ms: longer than a period of anything that is heard
_CALM_LEAST = 5
_CALM_SHARE = 50  # one stretch in so many, the calmest, shows where a file rests
ABSURD = 2.0**32
"""A float sample beyond this (+193 dBFS) is no sound; it counts with NaN and infinities."""


def measure_sound(
    reader: SoundReader,
    *,
    on_progress: Callable[[int], None] | None = None,
    block_frames: int | None = None,
) -> Measures:
    """Measure one open file.

    Parameters
    ----------
    reader : SoundReader
    on_progress : callable, optional
        Called after every block with the number of frames done; may raise to end the work.
    block_frames : int > 0, optional
        How much is read at once; the measures do not depend on it. Else as much as the file's channels allow.

    Raises
    ------
    UnreadableSound
        Nothing of the file can be read. One that breaks off later is measured up to there (`Measures.frames`).
    """
    one = _Pass(reader)
    position = 0
    block_frames = block_frames or _block_frames(reader.format.channels)
    while position < reader.format.frames:
        try:
            block = reader.read(position, block_frames)
        except UnreadableSound:
            if not position:
                raise
            break  # what was read before the damage is measured; the missing frames show it
        if not len(block.samples):
            break
        one.feed(block.samples, block.bits_set)
        position += len(block.samples)
        if on_progress is not None:
            on_progress(position)
    return one.result(lambda: on_progress(position) if on_progress is not None else None)


class _Pass:
    """The meters of one file, fed block by block."""

    def __init__(self, reader: SoundReader) -> None:
        sound = reader.format
        channels = sound.channels
        self._reader = reader
        self._format = sound
        self._frames = 0
        self._peak = np.zeros(channels)
        self._peak_frame: int | None = None
        self._fixed = _FixedMeters(sound.bits, channels) if sound.sample_format == "int" and sound.bits else None
        self._grid = GridMeter() if sound.sample_format == "float" else None
        self._overs = RunFinder(channels)
        self._nonfinite = RunFinder(channels)
        window = max(1, round(sound.rate_hz / 1000))
        self._cutter = WindowCutter(window, channels)
        self._windows = BoundedWindows(window, most=_WINDOWS_MOST)
        self._bins = BoundedWindows(window, most=_share(_BINS_MOST, channels), group=_BIN_WINDOWS)
        self._loudness = LoudnessMeter(sound.rate_hz, channels)
        self._true_peak = TruePeakMeter(channels)
        self._sides = SidesMeter() if channels == 2 else None
        self._flat_tops = FlatTopFinder(channels)
        self._ceiling = CeilingFinder(channels)
        self._gaps = GapFinder(channels, sound.rate_hz)
        self._edit_jumps = EditJumpFinder(channels, sound.rate_hz)
        self._offset = DcOffsetMeter(channels, window)

    def feed(self, samples: NDArray[np.float64], bits_set: tuple[int, ...] | None) -> None:
        if bits_set is None:
            samples = self._finite(samples)
        windows = self._cutter.feed(samples)
        self._take_windows(windows)
        self._offset.feed(self._cutter.sums, windows.energy)
        self._flat_tops.feed(samples, self._cutter.low, self._cutter.high)
        self._ceiling.feed(samples, self._cutter.low, self._cutter.high)
        self._gaps.feed(samples)
        self._edit_jumps.feed(samples)
        highest = float(self._cutter.highest.max())
        if bits_set is not None and self._fixed is not None:
            self._fixed.feed(samples, highest, bits_set)
        elif highest > 1.0:
            self._overs.feed(np.abs(samples) > 1.0)
        else:
            self._overs.skip(len(samples))
        if self._grid is not None:
            self._grid.feed(samples)
        self._take_peak(samples, self._cutter.highest)
        self._loudness.feed(samples)
        self._true_peak.feed(samples, self._cutter.highest, windows, self._cutter.begun)
        if self._sides is not None:
            self._sides.feed(samples)
        self._frames += len(samples)

    def _finite(self, samples: NDArray[np.float64]) -> NDArray[np.float64]:
        """NaN, infinities and absurd values noted and replaced by zero."""
        with np.errstate(invalid="ignore"):
            sane = bool((samples <= ABSURD).all() and (samples >= -ABSURD).all())
        if sane:
            self._nonfinite.skip(len(samples))
            return samples
        finite = np.isfinite(samples) & (np.abs(samples) <= ABSURD)
        self._nonfinite.feed(~finite)
        return np.asfortranarray(np.where(finite, samples, 0.0))

    def _take_peak(self, samples: NDArray[np.float64], highest: NDArray[np.float64]) -> None:
        if highest.max() > self._peak.max():
            channels = np.flatnonzero(highest == highest.max())
            self._peak_frame = self._frames + min(int(np.abs(samples[:, c]).argmax()) for c in channels)
        np.maximum(self._peak, highest, out=self._peak)

    def _take_windows(self, windows: Windows) -> None:
        self._bins.feed(windows)
        self._windows.feed(windows.together())  # the extent of sound is that of any channel

    def result(self, alive: Callable[[], None] = lambda: None) -> Measures:
        """All measures; `alive` is called while the file is read again, which takes as long as the first time."""
        self._take_windows(self._cutter.rest())
        windows, rate_hz = self._windows.result(), self._format.rate_hz
        frames = max(1, self._frames)
        mean, mean_square = self._cutter.totals.T / frames
        by_channel = self._bins.result()
        rest = _resting_dc_offset(by_channel)
        heard = self._windows_without(rest, alive) if rest.any() else windows
        extent = find_extent(heard, self._frames, rate_hz, self._reader_without(rest))
        sounding, stretches = sounding_stretches(windows, rate_hz)
        most = max(_EXCERPTS_LEAST, _share(EXCERPTS, self._format.channels))
        loud = loud_places(windows, self._frames, span=FRAMES, most=most)
        excerpts = self._excerpts(loud, FRAMES)
        spectra = spectra_of(excerpts)
        tops = flat_tops(self._flat_tops, sounding, stretches.frames, self._read, self._frames)
        peak, power = float(self._peak.max()), float(mean_square.mean())
        clips = self._fixed.clip_runs() if self._fixed else Runs()
        overs = self._overs.result()
        ceiling = self._ceiling.result(self._read, self._frames, self._step())
        return Measures(
            frames=self._frames,
            sample_peak_by_channel_dbfs=tuple(amplitude_db(float(p)) for p in self._peak),
            peak_frame=self._peak_frame,
            true_peak_dbtp=amplitude_db(self._true_peak.peak()),
            rms_by_channel_dbfs=tuple(rms_dbfs(float(s)) for s in mean_square),
            rms_dbfs=rms_dbfs(power),
            crest_db=amplitude_db(peak) - power_db(power) if power else None,
            loudness_lufs=self._loudness.integrated_lufs(),
            dc_offset=tuple(float(m) for m in mean),
            bits_in_use=self._fixed.bits() if self._fixed else self._grid.bits() if self._grid else None,
            clip_runs=clips,
            overs=overs,
            nonfinite=self._nonfinite.result(),
            sides=self._sides.result(excerpts, spectra, _stretches(by_channel, rate_hz), rate_hz=rate_hz)
            if self._sides
            else None,
            extent=extent,
            overview=pyramid(by_channel, self._frames),
            worst_clip=self._excerpt(clips.longest or overs.longest),
            bits_set=self._fixed.bits_set if self._fixed else (),
            value_grid=value_grid(excerpts) if self._format.sample_format != "lossy" else None,
            loud_frames=tuple(loud),
            flat_tops=tops,
            ceiling=ceiling,
            edit_jumps=self._edit_jumps.result(windows, peak),
            gaps=self._gaps.result(windows, self._frames, peak),
            density=density(windows, sounding, stretches),
            spectrum=long_term(spectra, rate_hz),
            hum=self._hum(windows),
            click_tempo=find_click_tempo(windows, self._format.rate_hz),
            dc_offset_steady=self._offset.steady(),
            dc_offset_step=self._offset.step(),
            worst_flat_top=self._excerpt(tops.runs.longest or (ceiling.runs.longest if ceiling is not None else None)),
        )

    def _windows_without(self, offset: NDArray[np.float64], alive: Callable[[], None]) -> Windows:
        """The windows of all channels together, each with its constant offset taken out, so that silence is silent.

        Few files need this second reading: the windows that are at hand are of all channels together, and in them the
        offset of one hides what another plays.
        """
        window = self._windows.base_frames
        cutter, kept = WindowCutter(window, len(offset)), BoundedWindows(window, most=_WINDOWS_MOST)
        step = _block_frames(len(offset))
        for start in range(0, self._frames, step):
            samples = self._read(start, min(step, self._frames - start)) - offset
            kept.feed(cutter.feed(np.asfortranarray(samples)).together())
            alive()
        kept.feed(cutter.rest().together())
        return kept.result()

    def _reader_without(self, offset: NDArray[np.float64]) -> Callable[[int, int], NDArray[np.float64]]:
        """Reads samples with a constant offset taken out: an offset is no sound."""
        return lambda start, count: self._read(start, count) - offset

    def _excerpts(self, places: list[int], span: int, *, channels: int | None = None) -> list[NDArray[np.float64]]:
        """Short stretches read again, of the first channels; one that a damaged stream no longer gives is missing."""
        step = min(span, _block_frames(self._format.channels))
        excerpts = []
        for place in places:
            stop = place + span
            pieces = [self._read(at, min(step, stop - at))[:, :channels].copy() for at in range(place, stop, step)]
            excerpts.append(np.concatenate(pieces) if len(pieces) > 1 else pieces[0])
        return [excerpt for excerpt in excerpts if len(excerpt) == span]

    def _step(self) -> float:
        """What one bit in use is worth; of a float file's that of 24 bits."""
        bits = self._fixed.bits() if self._fixed else 24
        return 2.0 ** (1 - max(2, bits or 24))

    def _hum(self, windows: Windows) -> Hum | None:
        second = self._format.rate_hz
        places = quiet_places(windows, self._frames, span=second, most=_QUIET_EXCERPTS)
        # Mains hum reaches all channels of a device alike: a few of them show it.
        quiet = self._excerpts(places, second, channels=_CHANNELS_AT_FULL)
        if not quiet:
            return None
        seconds = windows.grouped(max(1, round(second / windows.frames)))
        return find_hum(quiet, second, loud_dbfs=rms_dbfs(float(seconds.energy.max()) / seconds.frames))

    def _read(self, start: int, count: int) -> NDArray[np.float64]:
        samples = self._reader.read(start, count).samples
        return np.where(np.isfinite(samples) & (np.abs(samples) <= ABSURD), samples, 0.0)

    def _excerpt(self, run: Run | None) -> Excerpt | None:
        """The samples around the worst place, for the reply's picture."""
        if run is None:
            return None
        start = max(0, run.frame - _EXCERPT_AROUND)
        stop = min(self._frames, run.frame + run.frames + _EXCERPT_AROUND, start + _EXCERPT_MOST)
        return Excerpt(frame=start, samples=self._read(start, stop - start).astype(np.float32))


def _block_frames(channels: int) -> int:
    """How much is read at once: few enough samples, however wide a file is."""
    return min(_BLOCK_FRAMES, _BLOCK_SAMPLES // channels)


def _share(most: int, channels: int) -> int:
    """What a file of so many channels may take of a number that holds for stereo."""
    return most * _CHANNELS_AT_FULL // max(_CHANNELS_AT_FULL, channels)


def _resting_dc_offset(windows: Windows) -> NDArray[np.float64]:
    """Where each channel's zero line lies while it rests; 0 where it never rests, or rests at zero."""
    offset = np.zeros(windows.low.shape[1])
    windows = windows.grouped(_CALM_BINS)
    if len(windows) < _CALM_LEAST:
        return offset
    for channel in range(len(offset)):
        low, high = windows.low[:, channel], windows.high[:, channel]
        calm = np.argsort(high - low, kind="stable")[: max(1, len(low) // _CALM_SHARE)]
        middle = float(np.median(low[calm] + high[calm])) / 2
        if abs(middle) > _DC_OFFSET_LEAST and float(np.median(high[calm] - low[calm])) < abs(middle):
            offset[channel] = middle
    return offset


def _stretches(windows: Windows, rate_hz: int) -> NDArray[np.float32]:
    """Energy of every channel in stretches of about 50 ms."""
    return windows.grouped(max(1, round(STRETCH_MS * rate_hz / 1000 / windows.frames))).energy


class _FixedMeters:
    """What only a fixed-point file has: bits in use and runs at their full scale."""

    def __init__(self, bits: int, channels: int) -> None:
        self.bits_set: tuple[int, ...] = (0,) * channels
        self._clips = ClipFinder(bits, channels)

    def feed(self, samples: NDArray[np.float64], highest: float, bits_set: tuple[int, ...]) -> None:
        self.bits_set = tuple(map(or_, self.bits_set, bits_set))
        self._clips.feed(samples, highest, self.bits())

    def bits(self) -> int:
        return bits_in_use(reduce(or_, self.bits_set))

    def clip_runs(self) -> Runs:
        return self._clips.result(self.bits()) if self.bits() else Runs()
