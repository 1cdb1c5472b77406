"""Search a mix for the files of its song: where each of them lies, how loud, and what is left without them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_bus import Bus, fit_through_bus
from deep_tally.compare.mix_follows import follows, loud_stretch
from deep_tally.compare.mix_frames import MixFrames, gather, spectra_of
from deep_tally.compare.mix_gains import IN_T, Gains, Products, fit, products, products_with
from deep_tally.compare.mix_lags import THIN_HZ, MixCorrelation, Thin, middle_or_left, smoothed_power
from deep_tally.compare.mix_places import (
    Located,
    alternatives,
    as_high,
    common_lag,
    first_guess,
    lags_alike,
    mode_of,
    refined,
)
from deep_tally.compare.mix_remainder import Remainder, remainder
from deep_tally.compare.mix_speed import at_speed, speeds_worth_trying
from deep_tally.compare.mix_steady import is_steady
from deep_tally.compare.mix_timeline import OnTimeline, thin_of

_READERS = 2
_BUS_FROM_DB, _BUS_GIVES_DB = -25.0, 1.5
_FOLLOWED_MOST = 16
_LOST_SHARE, _SPED_MOST, _SPED_T = 0.5, 4, 12.0
_SURE, _MAD_SIGMA, _TINY_SHARE = 6.0, 1.4826, 1e-5
_SETTLED_AFTER = 3
_POLISHED_MOST, _POLISHED_BY = 4, 3
_FAR_S = 0.02  # places nearer to each other are one place

Array = NDArray[np.float64]
Alive = Callable[[int], None]


@dataclass(frozen=True, slots=True)
class Source:
    """A file that is looked for in the mix: where it is heard, how to open it at a start, and that at another speed."""

    path: str
    open: Callable[[int], OnTimeline]
    loud: Sequence[int] = ()
    open_at_speed: Callable[[float, int], OnTimeline] | None = None

    def played_at(self, speed: float) -> Source:
        """The same file at another speed."""
        if self.open_at_speed is None:
            return self
        loud = tuple(round(place / speed) for place in self.loud)
        return Source(self.path, partial(self.open_at_speed, speed), loud)


@dataclass(slots=True)
class Fitted:
    """The state of the search.

    Attributes
    ----------
    starts : list of int
        Of each source, in frames of the mix.
    common : int
        The start that a file has which lies where it was sent.
    is_steady : bool
        Whether the gains are surely those of faders that stand still, though much of the mix is left.
    speeds : dict of int to float
        At what speed the mix has a source, where that is not its own.
    """

    starts: list[int]
    common: int
    frames: MixFrames
    products: Products
    gains: Gains
    bus: Bus | None = None
    is_steady: bool = False
    other_starts: dict[int, tuple[int, ...]] = field(default_factory=dict)
    speeds: dict[int, float] = field(default_factory=dict)
    located: Sequence[Located] = ()

    @property
    def weights(self) -> NDArray[np.complex64] | None:
        """What the bus does to each bin of each moment and side."""
        return self.bus.at_moments() if self.bus is not None else None


class MixSearch:
    """One mix and the files of its song.

    Parameters
    ----------
    mix : OnTimeline
        Open, and from its frame 0 on.
    sources : sequence of Source
    alive : callable
        Called with the number of steps done, of `steps`; may raise to end the work.
    """

    def __init__(self, mix: OnTimeline, sources: Sequence[Source], alive: Alive) -> None:
        self._mix, self._sources = mix, list(sources)
        self._alive = alive
        self._done = 0
        self.frames, self.rate_hz = mix.frames, mix.rate_hz

    @property
    def steps(self) -> int:
        """How many steps a search takes at most."""
        return 4 * len(self._sources)

    def _step(self, count: int = 1) -> None:
        self._done = min(self.steps, self._done + count)
        self._alive(self._done)

    # -- places -------------------------------------------------------------------------------

    def search(self) -> Fitted:
        """Places and gains of all files.

        Raises
        ------
        UnreadableSound, NotCheckedHere
        """
        located = self._locate_all()
        common_thin = common_lag(located)
        firm = [n for n, file in enumerate(located) if file.is_firm and abs(file.peaks[0].lag - common_thin) <= 1]
        firm.sort(key=lambda n: -located[n].peaks[0].height)
        common = mode_of({n: self._refine(n, common_thin) for n in firm[:5]})
        starts = []
        for number, file in enumerate(located):
            guess = first_guess(file, common_thin)
            starts.append(common if guess == common_thin else self._refine(number, guess))
        frames = self._gather(starts)
        known = products(frames)
        fitted = Fitted(starts, common, frames, known, fit(known), located=located)
        # Without a bus first: files that stand elsewhere look like one.
        self._settle_all(fitted, common_thin)
        self._fit_bus(fitted)
        if fitted.bus is not None:
            self._settle_all(fitted, common_thin)
        self._rescue(fitted)
        self._try_speeds(fitted)
        self._fit_bus(fitted)
        for number, start in enumerate(fitted.starts):
            if start != common and abs(fitted.gains.certainty[number]) >= IN_T:
                self._polish(fitted, number)
        return fitted

    def _locate_all(self) -> list[Located]:
        """Where each file may lie, by correlation with the middle of the mix, or its left side."""
        thin = thin_of(self._mix)
        middle, left = MixCorrelation(thin.mean(axis=1)), MixCorrelation(thin[:, 0].copy())

        def locate(number: int) -> Located:
            with self._sources[number].open(0) as sound:
                own, is_left = middle_or_left(thin_of(sound))
            found = Located(tuple((left if is_left else middle).peaks(own)))
            self._step()
            return found

        with ThreadPoolExecutor(_READERS) as pool:
            return list(pool.map(locate, range(len(self._sources))))

    def _refine(self, number: int, thin_lag: int) -> int:
        source = self._sources[number]
        with source.open(0) as sound:
            return refined(self._mix, sound, thin_lag, source.loud)

    def _gather(self, starts: Sequence[int]) -> MixFrames:
        opened = [source.open(start) for source, start in zip(self._sources, starts, strict=True)]
        try:
            return gather(self._mix, opened, self.frames, lambda done: self._step())
        finally:
            for sound in opened:
                sound.close()

    def _fit_bus(self, fitted: Fitted) -> None:
        """Look for a bus where a plain sum leaves more than encoders do."""
        fitted.bus, fitted.products = None, products(fitted.frames)
        fitted.gains = fit(fitted.products)
        plain_db = median_null_db(fitted.frames, fitted.gains)
        if plain_db > _BUS_FROM_DB:
            through = fit_through_bus(fitted.frames, fitted.gains)
            if through is not None and median_null_db(fitted.frames, through[0]) < plain_db - _BUS_GIVES_DB:
                fitted.gains, fitted.bus = through
                fitted.products = products(fitted.frames, fitted.weights)

    def _settle_all(self, fitted: Fitted, common_thin: int) -> None:
        """Settle each file's place, and all once more where that moved any: one put right shows where others belong."""
        for _ in range(_SETTLED_AFTER):
            before = list(fitted.starts)
            for number in range(len(self._sources)):
                self._settle(fitted, number, common_thin)
            if before == fitted.starts:
                return

    def _settle(self, fitted: Fitted, number: int, common_thin: int) -> None:
        """Of several places that are nearly as good, take the one with which least is left."""
        chosen = fitted.starts[number]
        thin = round(chosen * THIN_HZ / self.rate_hz)
        others = alternatives(fitted.located[number], thin, common_thin)
        starts = [chosen, *(fitted.common if o == common_thin else self._refine(number, o) for o in others)]
        if chosen == fitted.common and fitted.located[number].peaks:
            starts.append(self._refine(number, common_thin))  # a few frames off is off
        starts = list(dict.fromkeys(starts))
        if len(starts) == 1 and starts[0] == fitted.common:
            return
        left, spectra, tried = [], [], []
        for start in starts:
            with self._sources[number].open(start) as sound:
                spectra.append(spectra_of(sound, fitted.frames.firsts) * fitted.frames.weights)
            fitted.frames.with_file(number, spectra[-1])
            tried.append(products_with(fitted.products, fitted.frames, number, fitted.weights))
            left.append(fit(tried[-1]).left.sum(axis=1))
        best = int(np.argmin([here.sum() for here in left]))
        as_good = [n for n in range(len(starts)) if not _is_better(left[best], left[n])]
        if fitted.common in starts and starts.index(fitted.common) in as_good:
            best = starts.index(fitted.common)
        fitted.starts[number], fitted.products = starts[best], tried[best]
        fitted.gains = fit(fitted.products)
        fitted.frames.with_file(number, spectra[best])
        far = _FAR_S * self.rate_hz
        others_as_good = dict.fromkeys(starts[n] for n in as_good if abs(starts[n] - starts[best]) > far)
        fitted.other_starts[number] = tuple(others_as_good)
        if starts[best] != fitted.common:
            # A loop has more places than were tried: none of them is ruled out.
            more = (round(lag * self.rate_hz / THIN_HZ) for lag in as_high(fitted.located[number]))
            untried = [start for start in more if all(abs(start - tried_at) > far for tried_at in starts)]
            fitted.other_starts[number] += tuple(untried)

    def _polish(self, fitted: Fitted, number: int) -> None:
        """Move a file to where surely less is left, by a few frames or a period of its tone.

        A correlation's peak may stand beside the place, and that of a tone a whole period.
        """
        with self._sources[number].open(0) as sound:
            periods = lags_alike(sound, self._sources[number].loud)
        for _ in range(_POLISHED_MOST):
            here, kept, best = fitted.starts[number], fitted.frames.files[..., number].copy(), fitted.gains
            found = None
            steps = [*range(1, _POLISHED_BY + 1), *periods]
            for start in (here + sign * step for step in steps for sign in (-1, 1)):
                with self._sources[number].open(start) as sound:
                    spectra = spectra_of(sound, fitted.frames.firsts) * fitted.frames.weights
                fitted.frames.with_file(number, spectra)
                tried = products_with(fitted.products, fitted.frames, number, fitted.weights)
                gains = fit(tried)
                if _is_better(gains.left.sum(axis=1), best.left.sum(axis=1)):
                    best, kept, found = gains, spectra, (start, tried)
            fitted.frames.with_file(number, kept)
            if found is None:
                return
            (fitted.starts[number], fitted.products), fitted.gains = found, best

    def _rescue(self, fitted: Fitted) -> None:
        """Look for files without a trace once more, in what the others leave of the mix."""
        lost = [n for n, t in enumerate(fitted.gains.certainty) if abs(t) < IN_T]
        if not lost:
            return
        left = self.remainder(fitted).thin
        power = smoothed_power(left.mean(axis=1))
        middle, side = MixCorrelation(left.mean(axis=1), power), MixCorrelation(left[:, 0].copy(), power)
        for number in lost:
            with self._sources[number].open(0) as sound:
                thin, is_left = middle_or_left(thin_of(sound))
            found = Located(tuple((side if is_left else middle).peaks(thin)))
            if not found.peaks:
                continue
            kept = fitted.frames.files[..., number].copy()
            before = abs(float(fitted.gains.certainty[number]))
            for peak in found.peaks[:3]:
                start = self._refine(number, peak.lag)
                with self._sources[number].open(start) as sound:
                    fitted.frames.with_file(number, spectra_of(sound, fitted.frames.firsts) * fitted.frames.weights)
                tried = products_with(fitted.products, fitted.frames, number, fitted.weights)
                gains = fit(tried)
                if abs(float(gains.certainty[number])) > max(IN_T, before):
                    before = abs(float(gains.certainty[number]))
                    fitted.gains, fitted.products, fitted.starts[number] = gains, tried, start
                    kept = fitted.frames.files[..., number].copy()
            fitted.frames.with_file(number, kept)

    def _try_speeds(self, fitted: Fitted) -> None:
        """Look for files without a trace at other speeds."""
        lost = [n for n, t in enumerate(fitted.gains.certainty) if abs(t) < IN_T and self._sources[n].open_at_speed]
        if not lost or len(lost) > _LOST_SHARE * len(self._sources):
            return  # where most are lost, this is no mix of them
        left = self.remainder(fitted).thin
        middle, side = left.mean(axis=1), left[:, 0].copy()
        common_thin = round(fitted.common * THIN_HZ / self.rate_hz)
        for number in lost[:_SPED_MOST]:
            with self._sources[number].open(0) as sound:
                thin, is_left = middle_or_left(thin_of(sound))
            mix = side if is_left else middle
            correlation = MixCorrelation(mix)
            for speed in speeds_worth_trying(mix, thin, common_thin):
                peaks = correlation.peaks(at_speed(thin, speed))
                self._step(0)
                if peaks and self._take_at_speed(fitted, number, speed, peaks[0].lag):
                    break

    def _take_at_speed(self, fitted: Fitted, number: int, speed: float, thin_lag: int) -> bool:
        """Take a file at another speed from now on, if the mix surely has it so; returns whether it does."""
        own, kept = self._sources[number], fitted.frames.files[..., number].copy()
        self._sources[number] = own.played_at(speed)
        start = self._refine(number, thin_lag)
        with self._sources[number].open(start) as sound:
            fitted.frames.with_file(number, spectra_of(sound, fitted.frames.firsts) * fitted.frames.weights)
        tried = products_with(fitted.products, fitted.frames, number, fitted.weights)
        gains = fit(tried)
        if abs(float(gains.certainty[number])) < _SPED_T:
            self._sources[number] = own
            fitted.frames.with_file(number, kept)
            return False
        fitted.gains, fitted.products, fitted.starts[number] = gains, tried, start
        fitted.speeds[number] = speed
        return True

    # -- what is left -------------------------------------------------------------------------

    def judge(self, fitted: Fitted, left: Remainder) -> Remainder:
        """Where much of the mix is left: is that sound that nobody sent, beside files that lie in it as they are?

        Sets `Fitted.is_steady`; returns what is left. A bus shows less where that is much: it is taken where gains are
        steady through it, and not without it.
        """
        fitted.is_steady = is_steady(fitted.frames, fitted.gains, fitted.weights)
        if not fitted.is_steady and fitted.bus is None:
            through = fit_through_bus(fitted.frames, fitted.gains)
            if through is not None and is_steady(fitted.frames, through[0], through[1].at_moments()):
                (fitted.gains, fitted.bus), fitted.is_steady = through, True
                fitted.products = products(fitted.frames, fitted.weights)
                left = self.remainder(fitted)
        fitted.is_steady = fitted.is_steady and not self._is_left_by_effects(fitted, left)
        return left

    def _is_left_by_effects(self, fitted: Fitted, left: Remainder) -> bool:
        """Whether what is left comes after the files, as effects that nobody sent do."""
        stretch = loud_stretch(left.thin)
        surest = np.argsort(-np.abs(fitted.gains.certainty))[:_FOLLOWED_MOST].tolist()

        def each() -> Iterator[Thin]:
            for number in surest:
                if abs(float(fitted.gains.certainty[number])) < IN_T:
                    return
                with self._sources[number].open(fitted.starts[number]) as sound:
                    thin = thin_of(sound).mean(axis=1)
                late = round(fitted.starts[number] * THIN_HZ / self.rate_hz) - stretch.start
                here = np.zeros(stretch.stop - stretch.start, np.float32)
                stop = min(len(here), late + len(thin))
                if stop > max(0, late):
                    here[max(0, late) : stop] = thin[max(0, -late) : stop - late]
                self._step(0)
                yield here

        return follows(left.thin[stretch].mean(axis=1), each())

    def remainder(self, fitted: Fitted) -> Remainder:
        """What is left with the places and gains that were found."""
        opened = [source.open(start) for source, start in zip(self._sources, fitted.starts, strict=True)]
        try:
            return remainder(
                self._mix,
                opened,
                fitted.gains.gains,
                self.frames,
                response=fitted.bus.response if fitted.bus else None,
                hz=fitted.frames.hz,
                on_block=lambda done, total: self._step(0),
            )
        finally:
            for sound in opened:
                sound.close()


def _is_better(left: Array, than: Array) -> bool:
    """Whether a place leaves surely less than another one, where a loop a bar off differs in a few moments only.

    Parameters
    ----------
    left, than : float64 [shape=(moments,)]
        What each leaves.
    """
    gain = than - left
    usual = float(np.median(np.abs(gain - np.median(gain))))
    noise = _MAD_SIGMA * usual * np.sqrt(len(gain)) + _TINY_SHARE * float(left.sum())
    return bool(float(gain.sum()) > _SURE * noise)


def median_null_db(frames: MixFrames, gains: Gains) -> float:
    """What a fit leaves of the median moment, dB."""
    whole = (frames.mix.real**2 + frames.mix.imag**2).sum(axis=(1, 2), dtype=np.float64)
    sounding = whole > 1e-6 * whole.max(initial=0.0)
    if not sounding.any():
        return 0.0
    return float(np.median(10 * np.log10((gains.left.sum(axis=1)[sounding] + 1e-30) / whole[sounding])))
