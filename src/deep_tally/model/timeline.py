"""Where a moment stands in the music: seconds to bars and beats and back, through changes of tempo and meter.

Positions in the music count in quarter notes from 0, as the Standard MIDI File definition does; bars and beats count
from 1 for people. The first tempo and meter hold before 0 too, the last ones for ever.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

_NEAR = 1e-7
"""Of a bar or quarter: what arithmetic with floats may lose is never the difference between one bar and the next."""


@dataclass(frozen=True, slots=True, kw_only=True)
class TempoStep:
    """From `quarter` on, each quarter note takes `seconds`."""

    quarter: float
    seconds: float


@dataclass(frozen=True, slots=True, kw_only=True)
class MeterStep:
    """From `quarter` on, bars hold `beats` beats of a `unit`-th note; a bar begins there."""

    quarter: float
    beats: int = 4
    unit: int = 4

    @property
    def bar_quarters(self) -> float:
        """A bar's length in quarter notes."""
        return self.beats * 4 / self.unit


COMMON_TIME = MeterStep(quarter=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class BarPlace:
    """A moment as musicians say it: bar and beat from 1, `part` of the beat that has gone by, 0 to 1."""

    bar: int
    beat: int
    part: float


@dataclass(frozen=True, kw_only=True)
class Timeline:
    """The tempo and meter of a song.

    Attributes
    ----------
    tempos : tuple of TempoStep
        In order, the first at quarter 0; every `seconds` is over 0.
    meters : tuple of MeterStep
        In order, the first at quarter 0.
    """

    tempos: tuple[TempoStep, ...]
    meters: tuple[MeterStep, ...] = (COMMON_TIME,)

    @cached_property
    def _tempo_quarters(self) -> list[float]:
        return [step.quarter for step in self.tempos]

    @cached_property
    def _tempo_seconds(self) -> list[float]:
        """When each tempo begins."""
        begins = [0.0]
        for before, step in zip(self.tempos, self.tempos[1:], strict=False):
            begins.append(begins[-1] + (step.quarter - before.quarter) * before.seconds)
        return begins

    @cached_property
    def _meter_quarters(self) -> list[float]:
        return [step.quarter for step in self.meters]

    @cached_property
    def _meter_bars(self) -> list[int]:
        """How many bars stand before each meter; one that a change cuts short counts as a bar."""
        begins = [0]
        for before, step in zip(self.meters, self.meters[1:], strict=False):
            bars = (step.quarter - before.quarter) / before.bar_quarters
            begins.append(begins[-1] + math.ceil(bars - _NEAR))
        return begins

    @property
    def bpm(self) -> float:
        """The first tempo in quarter notes a minute."""
        return 60.0 / self.tempos[0].seconds

    def seconds_at(self, quarter: float) -> float:
        """When a quarter note falls."""
        at = max(0, bisect_right(self._tempo_quarters, quarter) - 1)
        return self._tempo_seconds[at] + (quarter - self._tempo_quarters[at]) * self.tempos[at].seconds

    def quarter_at(self, seconds: float) -> float:
        """Which quarter note a moment falls on."""
        at = max(0, bisect_right(self._tempo_seconds, seconds) - 1)
        return self._tempo_quarters[at] + (seconds - self._tempo_seconds[at]) / self.tempos[at].seconds

    def bars_at(self, seconds: float) -> float:
        """Bars gone by since 0, with the part of the bar that is at work."""
        quarter = self.quarter_at(seconds)
        # A hair before a change of meter that cuts a bar short is the change: else its bar line would lie in that bar.
        at = max(0, bisect_right(self._meter_quarters, quarter + _NEAR) - 1)
        return self._meter_bars[at] + (quarter - self._meter_quarters[at]) / self.meters[at].bar_quarters

    def seconds_of_bar(self, bars: float) -> float:
        """When a number of bars has gone by; the inverse of `bars_at`."""
        at = max(0, bisect_right(self._meter_bars, bars) - 1)
        return self.seconds_at(self._meter_quarters[at] + (bars - self._meter_bars[at]) * self.meters[at].bar_quarters)

    def place_at(self, seconds: float) -> BarPlace:
        """Bar and beat of a moment."""
        quarter = self.quarter_at(seconds)
        at = max(0, bisect_right(self._meter_quarters, quarter + _NEAR) - 1)
        meter = self.meters[at]
        bars = (quarter - meter.quarter) / meter.bar_quarters
        bar = math.floor(bars + _NEAR)
        beats = max(0.0, (bars - bar) * meter.beats)
        beat = min(math.floor(beats + _NEAR), meter.beats - 1)
        return BarPlace(bar=self._meter_bars[at] + bar + 1, beat=beat + 1, part=max(0.0, beats - beat))

    def nearest_bar_s(self, seconds: float) -> float:
        """When the bar nearest to a moment begins."""
        bars = self.bars_at(seconds)
        around = (self.seconds_of_bar(math.floor(bars)), self.seconds_of_bar(math.floor(bars) + 1))
        return min(around, key=lambda s: abs(s - seconds))

    def off_the_bar_s(self, seconds: float) -> float:
        """How far a moment lies from the nearest bar line; positive: after it."""
        return seconds - self.nearest_bar_s(seconds)

    def beats_between(self, start_s: float, stop_s: float, *, every_bars: int = 1) -> Iterator[tuple[float, BarPlace]]:
        """The beats from one moment to another, with their places; with `every_bars` over 1 only such bars' first."""
        bar = math.floor(self.bars_at(start_s) + _NEAR)
        while (when := self.seconds_of_bar(bar)) <= stop_s:
            if every_bars == 1 or bar % every_bars == 0:
                yield from self._beats_of(bar, start_s, stop_s, only_first=every_bars > 1)
            bar += 1 if every_bars == 1 else every_bars - bar % every_bars
            if self.seconds_of_bar(bar) <= when:
                return  # past what floats can tell apart

    def beat_before(self, seconds: float) -> tuple[float, BarPlace]:
        """The beat that came last before a moment, or falls on it, and when."""
        bar = math.floor(self.bars_at(seconds) + _NEAR)
        begin = self.seconds_of_bar(bar)
        found = begin, BarPlace(bar=bar + 1, beat=1, part=0.0)
        for when, place in self.beats_between(begin, seconds + _NEAR):
            found = when, place
        return found

    def _beats_of(
        self, bar: int, start_s: float, stop_s: float, *, only_first: bool
    ) -> Iterator[tuple[float, BarPlace]]:
        at = max(0, bisect_right(self._meter_bars, bar) - 1)
        meter = self.meters[at]
        first = meter.quarter + (bar - self._meter_bars[at]) * meter.bar_quarters
        cut = self.meters[at + 1].quarter if at + 1 < len(self.meters) else math.inf
        for beat in range(1 if only_first else meter.beats):
            quarter = first + beat * 4 / meter.unit
            seconds = self.seconds_at(quarter)
            if quarter < cut - _NEAR and start_s <= seconds <= stop_s:
                yield seconds, BarPlace(bar=bar + 1, beat=beat + 1, part=0.0)


def steady(bpm: float, meters: Sequence[MeterStep] = (COMMON_TIME,)) -> Timeline:
    """One tempo throughout, in quarter notes a minute.

    Raises
    ------
    ValueError
        A tempo that is not over 0.
    """
    if not bpm > 0 or math.isinf(bpm):
        raise ValueError(f"a tempo must be over 0 BPM, not {bpm}")
    return Timeline(tempos=(TempoStep(quarter=0.0, seconds=60.0 / bpm),), meters=tuple(meters))
