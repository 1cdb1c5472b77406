"""Which place each file has on the axis of a mix: by correlation first, then by what the fit of all of them says."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_lags import THIN_HZ, LagPeak
from deep_tally.compare.mix_timeline import OnTimeline

FIRM = 3.0
"""A peak that stands this far over the next one is that of a file that is there; strangers' reach 1.2 (docs)."""
_PERIOD_S = 0.009
_AS_GOOD = 0.8
_NEAR_THIN = 2
_WINDOW, _WINDOWS = 1 << 16, 4
_TRIED = 3
_SEARCH_S = 0.0006
_PERIODS_S, _PERIODS_TRIED, _ALIKE = (0.001, 0.025), 4, 0.5
_FLOOR = 1e-6


@dataclass(frozen=True, slots=True)
class Located:
    """Where one file may lie: its peaks at `THIN_HZ`, the likeliest first, and whether the first one is firm."""

    peaks: tuple[LagPeak, ...]

    @property
    def is_firm(self) -> bool:
        if len(self.peaks) < 2:
            return bool(self.peaks)
        return self.peaks[0].height - self.peaks[1].height > FIRM

    def near(self, lag: float, within: float) -> LagPeak | None:
        """The highest peak at most so many frames from a lag."""
        return max((p for p in self.peaks if abs(p.lag - lag) <= within), key=lambda p: p.height, default=None)


def common_lag(located: Sequence[Located]) -> int:
    """The lag that most firm files share, of several that with the highest peaks; 0 where none is firm."""
    votes: Counter[int] = Counter()
    heights: Counter[int] = Counter()
    for file in located:
        if file.is_firm:
            votes[file.peaks[0].lag] += 1
            heights[file.peaks[0].lag] += round(file.peaks[0].height)
    if not votes:
        return 0
    together = {lag: sum(votes[lag + d] for d in (-1, 0, 1)) for lag in votes}
    return max(together, key=lambda lag: (together[lag], votes[lag], heights[lag], -abs(lag)))


def first_guess(file: Located, common: int) -> int:
    """The lag to begin with: the common one wherever that is as good as any, within a period of low tones."""
    if not file.peaks:
        return common
    best = file.peaks[0]
    there = file.near(common, _NEAR_THIN)
    if there is not None and there.height >= _AS_GOOD * best.height:
        return common
    if abs(best.lag - common) <= _PERIOD_S * THIN_HZ or not file.is_firm:
        return common
    return best.lag


def alternatives(file: Located, chosen: int, common: int) -> list[int]:
    """Other lags worth a look, a few at most: those with higher peaks where the common one was chosen for being common,
    else all that are nearly as good, and the common one.
    """
    if not file.peaks:
        return []
    others = [p for p in file.peaks if abs(p.lag - chosen) > _NEAR_THIN]
    if abs(chosen - common) <= _NEAR_THIN:
        there = file.near(common, _NEAR_THIN)
        height = there.height if there is not None else 0.0
        return [p.lag for p in others if p.height > height and p.height >= _AS_GOOD * file.peaks[0].height][:_TRIED]
    good = [p.lag for p in others if p.height >= _AS_GOOD * file.peaks[0].height][:_TRIED]
    return list(dict.fromkeys([common, *good]))


def as_high(file: Located) -> list[int]:
    """The lags whose peaks are nearly as high as the highest."""
    return [p.lag for p in file.peaks if p.height >= _AS_GOOD * file.peaks[0].height]


def refined(mix: OnTimeline, file: OnTimeline, thin_lag: int, loud: Sequence[int]) -> int:
    """The start of a file on the mix's axis to the frame, from its lag at `THIN_HZ`.

    Parameters
    ----------
    mix, file : OnTimeline
        The file from its own frame 0.
    thin_lag : int
    loud : sequence of int
        Frames of the file at which it is loud.
    """
    rate = mix.rate_hz
    about = round(thin_lag * rate / THIN_HZ)
    reach = max(8, round(_SEARCH_S * rate))
    ordered = sorted(loud) or [0]
    spread = [ordered[n] for n in np.linspace(0, len(ordered) - 1, _WINDOWS).astype(int).tolist()]
    total = np.zeros(2 * reach + 1)
    for place in dict.fromkeys(spread):
        first = max(0, min(place - _WINDOW // 4, file.frames - _WINDOW))
        x, y = file.read(first, _WINDOW), mix.read(first + about, _WINDOW)
        best: NDArray[np.float64] | None = None
        for side in range(x.shape[1]):
            correlated = _whitened(x[:, side], y[:, min(side, y.shape[1] - 1)] if x.shape[1] > 1 else y.mean(axis=1))
            here = np.concatenate([correlated[-reach:], correlated[: reach + 1]])
            best = here if best is None or np.abs(here).max() > np.abs(best).max() else best
        total += best if best is not None else 0.0
    return about + int(np.abs(total).argmax()) - reach


def lags_alike(file: OnTimeline, loud: Sequence[int]) -> list[int]:
    """By how many frames a tone can be moved and be nearly the same: its periods, the likeliest first; none of a noise.

    Parameters
    ----------
    file : OnTimeline
        From its own frame 0.
    loud : sequence of int
        Frames of the file at which it is loud.
    """
    at = next(iter(loud), 0)
    x = file.read(max(0, min(at, file.frames - _WINDOW)), _WINDOW).mean(axis=1, dtype=np.float64) * np.hanning(_WINDOW)
    spectrum = np.fft.rfft(x, 2 * _WINDOW)
    alike = np.fft.irfft(spectrum.real**2 + spectrum.imag**2)[: round(_PERIODS_S[1] * file.rate_hz)]
    if alike[0] <= 0:
        return []
    inner = alike[1:-1]
    is_top = (inner >= alike[:-2]) & (inner > alike[2:]) & (inner > _ALIKE * alike[0])
    tops = np.flatnonzero(is_top) + 1
    tops = tops[tops >= round(_PERIODS_S[0] * file.rate_hz)]
    return [int(lag) for lag in tops[np.argsort(-alike[tops], kind="stable")][:_PERIODS_TRIED]]


def _whitened(x: NDArray[np.float32], y: NDArray[np.float32]) -> NDArray[np.float64]:
    """Their circular correlation, each frequency weighted by the mix's power around it."""
    theirs, of_mix = np.fft.rfft(x), np.fft.rfft(y)
    power = of_mix.real**2 + of_mix.imag**2
    smooth = np.convolve(power, np.ones(65) / 65, "same")
    weighted = theirs.conj() * of_mix / (smooth + _FLOOR * max(float(smooth.max()), 1e-30))
    return np.fft.irfft(weighted, len(x))


def mode_of(starts: Mapping[int, int]) -> int:
    """The start most files have, of those found to the frame; the smallest where several are as frequent."""
    counted = Counter(starts.values())
    return max(counted, key=lambda s: (counted[s], -abs(s))) if counted else 0
