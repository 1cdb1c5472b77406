"""How loud each file is in a mix, and whether it is in it at all: least squares, and how sure each gain is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_frames import MixFrames

IN_T, TRACE_T = 8.0, 4.0
"""At a gain over eight times its error a file is in the mix, under four times there is no trace of it (docs)."""
_RIDGE = 1e-9
_QUIET = 0.01
"""Of the mean energy of a moment: what is added to each one's when moments are to count alike."""

Array = NDArray[np.float64]
Spectra = NDArray[np.complex64]


@dataclass(frozen=True, slots=True)
class Products:
    """What the files have to do with each other and with the mix, moment by moment.

    Attributes
    ----------
    among : float64 [shape=(moments, 2, files, files)]
    with_mix : float64 [shape=(moments, 2, files)]
    of_mix : float64 [shape=(moments, 2)]
    """

    among: Array
    with_mix: Array
    of_mix: Array


@dataclass(frozen=True, slots=True)
class Gains:
    """What a fit of one mix on its files gives.

    Attributes
    ----------
    gains, errors : float64 [shape=(2, files)]
        Of each side; a gain of 0 has no error (infinity).
    left : float64 [shape=(moments, 2)]
        Energy of the mix that no file gives.
    """

    gains: Array
    errors: Array
    left: Array

    @property
    def certainty(self) -> Array:
        """Each file's gain over its error, of the surer side, with the sign of the gain [shape=(files,)]."""
        t = self.gains / self.errors
        surer = np.abs(t).argmax(axis=0)[None]
        chosen: Array = np.take_along_axis(t, surer, axis=0)[0]
        return chosen

    def or_else(self, other: Gains) -> Gains:
        """The same, with the other's gain and error where a file has none here."""
        is_lost = ~self.gains.any(axis=0)
        gains, errors = (np.where(is_lost, b, a) for a, b in ((self.gains, other.gains), (self.errors, other.errors)))
        return Gains(gains, errors, self.left)


def products(
    frames: MixFrames, weights: Spectra | None = None, *, trust: NDArray[np.float32] | None = None
) -> Products:
    """All products of what every bin of every moment and side is worth.

    Parameters
    ----------
    frames : MixFrames
    weights : complex64, optional
        What the files' spectra are multiplied with, to be broadcast to [shape=(moments, 2, bins)]: what a bus does.
    trust : float32 [shape=(moments, 2, bins)], optional
        What files and mix are multiplied with alike: how far each bin counts.
    """
    moments, sides, _, count = frames.files.shape
    among, with_mix = np.empty((moments, sides, count, count)), np.empty((moments, sides, count))
    of_mix = np.empty((moments, sides))
    for moment in range(moments):
        for side in range(sides):
            x, y = frames.files[moment, side], frames.mix[moment, side]
            if weights is not None:
                x = x * weights[moment, side][:, None]
            if trust is not None:
                x, y = x * trust[moment, side][:, None], y * trust[moment, side]
            among[moment, side] = x.real.T @ x.real + x.imag.T @ x.imag
            with_mix[moment, side] = y.real @ x.real + y.imag @ x.imag
            of_mix[moment, side] = (y.real**2 + y.imag**2).sum(dtype=np.float64)
    return Products(among, with_mix, of_mix)


def products_with(known: Products, frames: MixFrames, number: int, weights: Spectra | None = None) -> Products:
    """The products after one file's spectra were replaced: only its own are computed again."""
    among, with_mix = known.among.copy(), known.with_mix.copy()
    for moment in range(len(among)):
        for side in range(among.shape[1]):
            x, y = frames.files[moment, side], frames.mix[moment, side]
            own = x[:, number]
            if weights is not None:
                # One factor on both sides of a product of two files; on one side of a product with the mix.
                own, y = own * np.abs(weights[moment, side]) ** 2, y * weights[moment, side].conj()
                with_mix[moment, side, number] = float((y.conj() * x[:, number]).real.sum())
            else:
                with_mix[moment, side, number] = float((y.conj() * own).real.sum())
            row = own.real @ x.real + own.imag @ x.imag
            among[moment, side, number] = among[moment, side, :, number] = row
    return Products(among, with_mix, known.of_mix)


def fit(known: Products, *, least_t: float = TRACE_T, alike: bool = True) -> Gains:
    """The gains with which the files come nearest to the mix; files that leave no trace are left out one by one.

    Parameters
    ----------
    known : Products
    least_t : float
        Times its error: a smaller gain is no trace.
    alike : bool
        Whether soft moments count as loud ones do; if not, every moment counts by its energy.
    """
    _, sides, count = known.with_mix.shape
    gains, errors = np.zeros((sides, count)), np.full((sides, count), np.inf)
    left = known.of_mix.copy()
    for side in range(sides):
        energy, of_files, with_mix = known.of_mix[:, side], known.among[:, side], known.with_mix[:, side]
        counts = 1 / np.maximum(energy + _QUIET * energy.mean(), 1e-30) if alike else np.ones_like(energy)
        weights = np.where(energy > 0, counts, 0.0)
        among, wanted = np.einsum("m,mij->ij", weights, of_files), weights @ with_mix
        used = np.flatnonzero(np.diag(among) > 0)
        while len(used):
            part = among[np.ix_(used, used)]
            inverse = np.linalg.inv(part + _RIDGE * np.diag(np.diag(part)))
            found = inverse @ wanted[used]
            # Errors clustered by moment (Liang and Zeger, Biometrika 73, 1986): its bins hang together.
            scores = with_mix[:, used] - of_files[:, used[:, None], used] @ found
            spread = (scores * weights[:, None]) @ inverse
            error = np.sqrt((spread**2).sum(axis=0)) + 1e-12
            certainty = np.abs(found / error)
            weakest = int(certainty.argmin())
            if certainty[weakest] >= least_t:
                gains[side, used], errors[side, used] = found, error
                break
            used = np.delete(used, weakest)
        g = gains[side]
        left[:, side] -= 2 * with_mix @ g - np.einsum("i,mij,j->m", g, of_files, g)
    return Gains(gains, errors, np.maximum(left, 0.0))
