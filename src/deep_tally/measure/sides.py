"""How do the two sides of a stereo file relate? Sums over the whole file; by band and by delay at its loud moments."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from deep_tally.measure.decibels import power_db
from deep_tally.model.measures import BandSides, Lag, Sides
from deep_tally.work.compiled import compiled

_BANDS_HZ = ((20, 150), (150, 2000), (2000, 16_000))
_LAG_FROM_DB = -30.0
_LAG_MOST = 48
_LAG_LOOKS = 16
_LEVELS_DOWN_TO_DB = 50.0
_STRETCHES_LEAST = 40


class SidesMeter:
    """Sums of products of left and right over a stream of blocks."""

    def __init__(self) -> None:
        self._left = self._right = self._product = self._side = self._mid = 0.0
        self._difference = self._sum = 0.0

    def feed(self, samples: NDArray[np.float64]) -> None:
        """Take in float64 [shape=(frames, 2), Fortran order]."""
        if not len(samples):
            return
        left, right = samples[:, 0], samples[:, 1]
        energy_left, energy_right, product, side, mid, difference, total = _relate(left, right)
        self._left += energy_left
        self._right += energy_right
        self._product += product
        self._side += side
        self._mid += mid
        self._difference = max(self._difference, difference)
        self._sum = max(self._sum, total)

    def result(
        self,
        excerpts: list[NDArray[np.float64]],
        spectra: NDArray[np.complex128],
        stretches: NDArray[np.float32],
        *,
        rate_hz: int,
    ) -> Sides:
        """The relations over all that was fed.

        Parameters
        ----------
        excerpts : list of float64 [shape=(frames, 2)]
            The loudest moments, all of one length.
        spectra : complex128 [shape=(excerpts, 2, bins)]
            Their spectra.
        stretches : float32 [shape=(stretches, 2)]
            Energy of both sides in stretches of about 50 ms.
        rate_hz : int
        """
        left, right, product = self._left, self._right, self._product
        both = left + right
        # Summed by themselves: far under the sides' energies, a difference of sums is what rounding left of it.
        mid, side = self._mid, self._side
        correlation = product / math.sqrt(left * right) if left and right else None
        if correlation is not None:
            correlation = max(-1.0, min(1.0, correlation))
        side_to_mid: float | None = None
        if both:
            side_to_mid = power_db(side / mid) if mid > 0 else math.inf
        residual = None if correlation is None else power_db(1 - correlation * correlation)
        lag = None
        if residual is not None and residual > _LAG_FROM_DB:
            lag = _find_lag(excerpts[:: max(1, len(excerpts) // _LAG_LOOKS)])
        return Sides(
            correlation=correlation,
            side_to_mid_db=side_to_mid,
            gain_right_over_left=product / left if left else None,
            residual_db=residual,
            mono_loss_db=power_db(mid / (2 * both)) if both else None,
            greatest_difference=self._difference,
            greatest_sum=self._sum,
            bands=_by_band(spectra, rate_hz),
            lag=lag,
            level_correlation=level_correlation(stretches),
        )


def _by_band(spectra: NDArray[np.complex128], rate_hz: int) -> tuple[BandSides, ...]:
    """Correlation and mono loss in three bands; a band without energy is left out."""
    if not len(spectra):
        return ()
    frames = 2 * (spectra.shape[2] - 1)
    left, right = spectra[:, 0], spectra[:, 1]
    lefts, rights = ((s.real**2 + s.imag**2).sum(axis=0) for s in (left, right))
    product = (left.real * right.real + left.imag * right.imag).sum(axis=0)
    total = lefts + rights
    bands = []
    for low_hz, high_hz in _BANDS_HZ:
        band = slice(max(1, round(low_hz * frames / rate_hz)), min(len(total), round(high_hz * frames / rate_hz)) + 1)
        both, cross = float(total[band].sum()), float(product[band].sum())
        sides = float(lefts[band].sum()) * float(rights[band].sum())
        if sides > 0:
            bands.append(
                BandSides(
                    low_hz=low_hz,
                    high_hz=high_hz,
                    correlation=max(-1.0, min(1.0, cross / math.sqrt(sides))),
                    mono_loss_db=power_db(max(0.0, both + 2 * cross) / (2 * both)),
                    share_db=power_db(both / float(total.sum())),
                )
            )
    return tuple(bands)


def _find_lag(excerpts: list[NDArray[np.float64]]) -> Lag | None:
    """How many frames later the right side comes than the left, within 48, and how alike they are then."""
    inside = slice(_LAG_MOST, -_LAG_MOST)
    if not excerpts or len(excerpts[0]) <= 4 * _LAG_MOST:
        return None
    cross = np.zeros(2 * len(excerpts[0]))
    for excerpt in excerpts:
        middle = np.zeros(len(cross))
        middle[inside.start : len(excerpt) + inside.stop] = excerpt[inside, 0]
        cross += np.fft.irfft(np.fft.rfft(excerpt[:, 1], len(cross)) * np.fft.rfft(middle).conj())
    lags = np.arange(-_LAG_MOST, _LAG_MOST + 1)
    lag = int(lags[np.abs(cross[lags]).argmax()])
    product = left_energy = right_energy = 0.0
    for excerpt in excerpts:
        left = excerpt[inside, 0]
        right = excerpt[_LAG_MOST + lag : len(excerpt) - _LAG_MOST + lag, 1]
        product += float(left @ right)
        left_energy += float(left @ left)
        right_energy += float(right @ right)
    if not left_energy or not right_energy:
        return None
    correlation = product / math.sqrt(left_energy * right_energy)
    return Lag(frames=lag, correlation=correlation, residual_db=power_db(max(0.0, 1 - correlation * correlation)))


def level_correlation(stretches: NDArray[np.float32]) -> float | None:
    """How two levels, in decibels and down to 50 under their loudest, move together.

    Parameters
    ----------
    stretches : float32 [shape=(stretches, 2)]
        Energy of both in stretches of about 50 ms.

    Returns
    -------
    float or None
        -1 to 1; None for fewer than forty stretches, and where one is silent or steady.
    """
    loudest = stretches.max(axis=0, initial=0.0)
    if not loudest.all() or len(stretches) < _STRETCHES_LEAST:
        return None
    levels = 10 * np.log10(np.maximum(stretches / loudest, 10 ** (-_LEVELS_DOWN_TO_DB / 10)))
    levels -= levels.mean(axis=0)
    spread = float(np.sqrt((levels[:, 0] ** 2).sum() * (levels[:, 1] ** 2).sum()))
    return float(levels[:, 0] @ levels[:, 1]) / spread if spread else None


@compiled("f8*7", "f8[::1]", "f8[::1]", finite=True)
def _relate(
    left: NDArray[np.float64], right: NDArray[np.float64]
) -> tuple[float, float, float, float, float, float, float]:
    """Energy of left, of right, their product, energy of L-R and L+R, max |L-R| and max |L+R|."""
    energy_left = energy_right = product = side = mid = difference = total = 0.0
    for i in range(len(left)):
        a, b = left[i], right[i]
        energy_left += a * a
        energy_right += b * b
        product += a * b
        side += (a - b) * (a - b)
        mid += (a + b) * (a + b)
        difference = max(difference, abs(a - b))
        total = max(total, abs(a + b))
    return energy_left, energy_right, product, side, mid, difference, total
