"""Least squares with no weight below zero, from products alone.

A library's takes up to a second to be imported, which is longer than a small delivery takes to be compared.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_ROUNDS_PER_COLUMN = 3


def non_negative_weights(gram: NDArray[np.float64], products: NDArray[np.float64]) -> NDArray[np.float64]:
    """The weights, none below zero, with which columns come closest to a target.

    The active set method of Lawson and Hanson (Solving Least Squares Problems, 1974, algorithm 23.10), on the normal
    equations as in Bro and de Jong (Journal of Chemometrics 11, 1997).

    Parameters
    ----------
    gram : float64 [shape=(columns, columns)]
        Products of the columns with each other; positive definite.
    products : float64 [shape=(columns,)]
        Products of the columns with the target.

    Returns
    -------
    float64 [shape=(columns,)]

    Raises
    ------
    numpy.linalg.LinAlgError
        The columns depend on each other.
    """
    weights = np.zeros(len(products))
    is_used = np.zeros(len(products), bool)
    smallest = 1e-14 * max(1.0, float(np.abs(products).max(initial=0.0)))
    for _ in range(_ROUNDS_PER_COLUMN * len(products)):
        gains = np.where(is_used, 0.0, products - gram @ weights)
        best = int(gains.argmax()) if len(gains) else 0
        if not len(gains) or gains[best] <= smallest:
            break
        is_used[best] = True
        wanted = _solved(gram, products, is_used)
        while is_used.any() and wanted[is_used].min() <= 0:
            # Go towards the free solution until the first weight is zero; that column is used no longer.
            falls = is_used & (wanted <= 0)
            way = (weights[falls] / (weights[falls] - wanted[falls])).min()
            weights = weights + way * (wanted - weights)
            is_used &= weights > smallest
            weights[~is_used] = 0.0
            wanted = _solved(gram, products, is_used)
        weights = wanted
    return weights


def _solved(
    gram: NDArray[np.float64], products: NDArray[np.float64], is_used: NDArray[np.bool_]
) -> NDArray[np.float64]:
    """Least squares with the used columns only, of any sign."""
    weights = np.zeros(len(products))
    weights[is_used] = np.linalg.solve(gram[np.ix_(is_used, is_used)], products[is_used])
    return weights
