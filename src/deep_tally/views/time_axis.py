"""Where a time ruler has its strokes, and what stands beside them: minutes, samples, or bars and beats."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from typing import Literal

from deep_tally.model.timeline import Timeline
from deep_tally.reply.numbers import clock
from deep_tally.views.viewport import nice_step, time_step

RulerMode = Literal["minutes", "samples", "bars"]
RULERS: tuple[RulerMode, ...] = ("minutes", "samples", "bars")
_LABEL_PX, _BAR_PX, _BEAT_PX = 84.0, 44.0, 9.0
_EVERY = (2, 4, 8, 16, 32, 64, 128, 256, 512, 1024, 2048)
_TICKS_MOST = 2000


@dataclass(frozen=True, slots=True)
class Tick:
    """A stroke of the ruler; without words it is a small one."""

    seconds: float
    words: str = ""
    is_strong: bool = False


def ticks(
    mode: RulerMode, start_s: float, stop_s: float, pixels: float, *, rate_hz: int, timeline: Timeline | None = None
) -> list[Tick]:
    """The strokes of a ruler over `pixels` from one moment to another; without a timeline bars are minutes."""
    px_per_s = pixels / max(stop_s - start_s, 1e-12)
    if mode == "bars" and timeline is not None:
        return list(islice(_bars(start_s, stop_s, px_per_s, timeline), _TICKS_MOST))
    if mode == "samples" or px_per_s / rate_hz * 2 > _LABEL_PX:
        return _samples(start_s, stop_s, px_per_s, rate_hz)
    step = time_step(_LABEL_PX / px_per_s)
    digits = max(0, math.ceil(-math.log10(step) - 1e-9)) if step < 1 else 0
    numbers = range(math.ceil(start_s / step - 1e-9), math.floor(stop_s / step + 1e-9) + 1)
    return [Tick(n * step, _signed_clock(n * step, digits)) for n in numbers]


def _samples(start_s: float, stop_s: float, px_per_s: float, rate_hz: int) -> list[Tick]:
    step = max(1, round(nice_step(_LABEL_PX / px_per_s * rate_hz)))
    numbers = range(math.ceil(start_s * rate_hz / step - 1e-6), math.floor(stop_s * rate_hz / step + 1e-6) + 1)
    return [Tick(n * step / rate_hz, grouped(n * step)) for n in numbers]


def _bars(start_s: float, stop_s: float, px_per_s: float, timeline: Timeline) -> Iterator[Tick]:
    middle = timeline.bars_at((start_s + stop_s) / 2)
    bar_s = timeline.seconds_of_bar(math.floor(middle) + 1) - timeline.seconds_of_bar(math.floor(middle))
    beats = max(1, sum(1 for _ in timeline.beats_between(bar_s * 0, bar_s - 1e-9)))
    beat_px = bar_s / beats * px_per_s
    if beat_px > (stop_s - start_s) * px_per_s / 2:
        yield from _inside_a_beat(start_s, stop_s, px_per_s, timeline)
        return
    every = (
        1 if bar_s * px_per_s >= _BAR_PX else next((n for n in _EVERY if n * bar_s * px_per_s >= _BAR_PX), _EVERY[-1])
    )
    for seconds, place in timeline.beats_between(start_s, stop_s, every_bars=every):
        if place.beat == 1:
            yield Tick(seconds, str(place.bar), is_strong=(place.bar - 1) % (4 * every) == 0)
        elif beat_px >= _LABEL_PX:
            yield Tick(seconds, f"{place.bar}.{place.beat}")
        elif beat_px >= _BEAT_PX:
            yield Tick(seconds)


def _inside_a_beat(start_s: float, stop_s: float, px_per_s: float, timeline: Timeline) -> Iterator[Tick]:
    """Closer than a beat: time after the beat that came last."""
    step = nice_step(_LABEL_PX * 1.3 / px_per_s)
    beat_s, place = timeline.beat_before(start_s)
    number = math.ceil((start_s - beat_s) / step - 1e-9)
    digits = max(0, math.ceil(-math.log10(step * 1000) - 1e-9))
    while (seconds := beat_s + number * step) <= stop_s:
        after = f" + {number * step * 1000:.{digits}f} ms" if number else ""
        yield Tick(seconds, f"{place.bar}.{place.beat}{after}", is_strong=not number)
        number += 1


def grouped(number: int) -> str:
    """ "1 234 567": groups of three, set apart by thin blanks."""
    return f"{number:,}".replace(",", "\N{THIN SPACE}").replace("-", "\N{MINUS SIGN}")


def _signed_clock(seconds: float, digits: int) -> str:
    # A hair's breadth under a whole step must not be cut to the step before it.
    text = clock(abs(seconds) + 1e-9, digits=digits)
    return f"\N{MINUS SIGN}{text}" if seconds < -1e-9 else text


def moment_words(mode: RulerMode, seconds: float, *, rate_hz: int, timeline: Timeline | None) -> str:
    """A moment in the ruler's words: "1:02.345", "2 976 560", "bar 26, beat 2 + 12 ms"."""
    if mode == "samples":
        return f"sample {grouped(round(seconds * rate_hz))}"
    if mode == "bars" and timeline is not None:
        when, place = timeline.beat_before(seconds)
        return f"bar {place.bar}, beat {place.beat} + {(seconds - when) * 1000:.0f} ms"
    return _signed_clock(seconds, 3)
