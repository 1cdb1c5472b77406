"""How do the two sides of a stereo file relate? Sums over the whole file, settled at its end."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from deep_tally.compiled import compiled
from deep_tally.measure.decibels import power_db
from deep_tally.model.measures import Sides


class SidesMeter:
    """Sums of products of left and right over a stream of blocks."""

    def __init__(self) -> None:
        self._left = self._right = self._product = 0.0
        self._difference = self._sum = 0.0

    def feed(self, samples: NDArray[np.float64]) -> None:
        """Take in float64 [shape=(frames, 2), Fortran order]."""
        if not len(samples):
            return
        left, right = samples[:, 0], samples[:, 1]
        energy_left, energy_right, product, difference, total = _relate(left, right)
        self._left += energy_left
        self._right += energy_right
        self._product += product
        self._difference = max(self._difference, difference)
        self._sum = max(self._sum, total)

    def result(self) -> Sides:
        """The relations over all that was fed."""
        left, right, product = self._left, self._right, self._product
        both = left + right
        mid, side = both + 2 * product, max(0.0, both - 2 * product)
        correlation = product / math.sqrt(left * right) if left and right else None
        if correlation is not None:
            correlation = max(-1.0, min(1.0, correlation))
        side_to_mid: float | None = None
        if both:
            side_to_mid = power_db(side / mid) if mid > 0 else math.inf
        return Sides(
            correlation=correlation,
            side_to_mid_db=side_to_mid,
            gain_right_over_left=product / left if left else None,
            residual_db=None if correlation is None else power_db(1 - correlation * correlation),
            mono_loss_db=power_db(max(0.0, mid) / (2 * both)) if both else None,
            greatest_difference=self._difference,
            greatest_sum=self._sum,
        )


@compiled("UniTuple(f8, 5)(f8[::1], f8[::1])", finite=True)
def _relate(left: NDArray[np.float64], right: NDArray[np.float64]) -> tuple[float, float, float, float, float]:
    """Energy of left, of right, their product, max |L-R| and max |L+R|."""
    energy_left = energy_right = product = difference = total = 0.0
    for i in range(len(left)):
        a, b = left[i], right[i]
        energy_left += a * a
        energy_right += b * b
        product += a * b
        difference = max(difference, abs(a - b))
        total = max(total, abs(a + b))
    return energy_left, energy_right, product, difference, total
