"""How do the two sides of a stereo file relate? Sums over the whole file, settled at its end."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

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
        self._left += float(np.dot(left, left))
        self._right += float(np.dot(right, right))
        self._product += float(np.dot(left, right))
        difference = left - right
        self._difference = max(self._difference, float(difference.max()), -float(difference.min()))
        np.add(left, right, out=difference)
        self._sum = max(self._sum, float(difference.max()), -float(difference.min()))

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
