"""Does a file hold another one, sample by sample at a constant gain, with more besides?

That is what a wrongly routed track gives. A microphone that hears a neighbour gives a delayed and coloured copy; an
effect gives what sounds with its source and just after. Both stay silent here: the gain must be the same in every band
and at every moment, and the rest must sound where the other file has long been at rest.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.sampled import SPAN, Sampled, shares_between
from deep_tally.measure.decibels import amplitude_db
from deep_tally.model.comparison import Contained
from deep_tally.model.delivery import Track

_SHARE_LEAST = 0.01
_PLACES_LEAST = 8
_CERTAIN_T = 8.0
_ACTIVE, _SOUNDS = 1e-3, 1e-4  # of the loudest moment's energy
_RESTS = 10 ** (-50 / 20)
_RESTED_S = 3.0
"""How long a file must have been 50 dB under its loudest: what sounds then is no reverberation or echo of it."""
_REST_PLACES_LEAST = 2
_BAND_STARTS = (0, 2, 7, 19, 49, 119)  # bins of the spectrum of SPAN frames, without the first
_BAND_SHARE_LEAST = 0.001
_BANDS_LEAST = 2
_SAME_WITHIN = 0.06
_ERROR_LEAST = 0.005  # of a gain: no band is believed to be surer than that


def find_contained(
    tracks: Sequence[Track],
    sampled: Sampled,
    gram: NDArray[np.float64],
    *,
    leave_out: frozenset[str],
    alive: Callable[[], None] = lambda: None,
) -> list[Contained]:
    """All pairs of which one file holds the other.

    Parameters
    ----------
    tracks : sequence of Track
        The sampled files.
    sampled : Sampled
    gram : float64 [shape=(columns, columns)]
    leave_out : frozenset of str
        Files that are twins or sums of others: their relation is known already.
    alive : callable
        Called for every pair that is looked at.
    """
    found: dict[tuple[int, int], Contained] = {}
    moments = _Moments(sampled)
    rested = {file: has_rested(track, sampled.places) for file, track in enumerate(tracks)}
    for one, other in np.argwhere(np.triu(shares_between(sampled, gram), 1) >= _SHARE_LEAST).tolist():
        alive()
        if {sampled.paths[one], sampled.paths[other]} & leave_out:
            continue
        for outer, inner in ((one, other), (other, one)):
            sides = _most_alike(sampled, gram, outer, inner)
            gain = _constant_gain(moments, *sides, rested[inner]) if sides is not None else None
            if gain is not None:
                path, inside = sampled.paths[outer], sampled.paths[inner]
                found[outer, inner] = Contained(path=path, inner=inside, gain_db=amplitude_db(abs(gain)))
    return [found[pair] for pair in sorted(found)]


class _Moments:
    """The spectra of the sampled moments, each channel's computed once, whatever it is compared with."""

    def __init__(self, sampled: Sampled) -> None:
        self._columns = sampled.columns
        self._window = np.hanning(SPAN).astype(np.float32)
        self._spectra: dict[int, NDArray[np.complex64]] = {}
        self._energies: dict[int, NDArray[np.float64]] = {}
        self._latest: tuple[int, int] = (-1, -1)
        self._cross = np.empty((0, 0), np.complex128)

    def _spectrum(self, column: int) -> NDArray[np.complex64]:
        if column not in self._spectra:
            spans = self._columns[:, column].reshape(-1, SPAN) * self._window
            self._spectra[column] = np.fft.rfft(spans, axis=1)[:, 1:].astype(np.complex64)
        return self._spectra[column]

    def energy(self, column: int) -> NDArray[np.float64]:
        """Of each moment in each band, [shape=(places, bands)]."""
        if column not in self._energies:
            spectrum = self._spectrum(column)
            power = (spectrum.real**2 + spectrum.imag**2).astype(np.float64)
            self._energies[column] = np.add.reduceat(power, _BAND_STARTS, axis=1)
        return self._energies[column]

    def cross(self, outer: int, inner: int) -> NDArray[np.complex128]:
        """Of each moment in each band, the sum of one times the conjugate of the other, [shape=(places, bands)].

        Which of the two is conjugated makes no difference here: only how far a gain is from being real matters.
        """
        both = min(outer, inner), max(outer, inner)
        if both != self._latest:  # the same two are asked both ways, one after the other
            product = self._spectrum(both[0]) * self._spectrum(both[1]).conj()
            self._cross = np.add.reduceat(product, _BAND_STARTS, axis=1, dtype=np.complex128)
            self._latest = both
        return self._cross


def _most_alike(
    sampled: Sampled, gram: NDArray[np.float64], outer_file: int, inner_file: int
) -> tuple[int, int] | None:
    """The columns of the channels of two files that are most alike; None where no channels match, or are alike."""
    outer, inner = sampled.of(outer_file), sampled.of(inner_file)
    if len(inner) == 1:
        inner = np.repeat(inner, len(outer))
    if len(inner) != len(outer):
        return None
    products, inner_energy = gram[outer, inner], gram[inner, inner]
    outer_energy = gram[outer, outer]
    if not (inner_energy > 0).all() or not (outer_energy > 0).all():
        return None
    shares = products**2 / (inner_energy * outer_energy)
    side = int(shares.argmax())
    return (int(outer[side]), int(inner[side])) if shares[side] >= _SHARE_LEAST else None


def has_rested(track: Track, places: NDArray[np.int_]) -> NDArray[np.bool_]:
    """At which places a file has been at rest for three seconds."""
    if (known := track.measured) is None or not known[1].overview:
        return np.zeros(len(places), bool)
    sound, level = known[0], known[1].overview[0]
    loudness = level.rms.max(axis=1).astype(np.float64)
    sounding = np.concatenate([[0], np.cumsum(loudness > _RESTS * loudness.max())])
    end = np.minimum(-(-(places + SPAN) // level.bin_frames), len(loudness))
    begin = np.maximum(0, (places - round(_RESTED_S * sound.rate_hz)) // level.bin_frames)
    rested: NDArray[np.bool_] = sounding[end] == sounding[np.minimum(begin, end)]
    return rested


def _constant_gain(moments: _Moments, outer: int, inner: int, rested: NDArray[np.bool_]) -> float | None:
    """The gain of one channel inside another, where it is the same in every band and at every moment; else None."""
    energy_x, energy_y = moments.energy(inner), moments.energy(outer)
    places_x, places_y = energy_x.sum(axis=1), energy_y.sum(axis=1)
    active = places_x > _ACTIVE * places_x.max()
    rests = rested & (places_y > _SOUNDS * places_y.max())
    if active.sum() < _PLACES_LEAST or rests.sum() < _REST_PLACES_LEAST:
        return None
    cross, x_there = moments.cross(outer, inner)[active], energy_x[active]
    gains, errors = [], []
    for band in np.flatnonzero(x_there.sum(axis=0) > _BAND_SHARE_LEAST * x_there.sum()).tolist():
        there = complex(cross[:, band].sum() / x_there[:, band].sum())
        gains.append(there)
        errors.append(max(_error(cross[:, band], x_there[:, band], there), _ERROR_LEAST * abs(there)))
    # The bands in which nothing else plays show the gain best.
    weights = 1 / np.square(errors)
    gain = complex(np.array(gains) @ weights / weights.sum())
    if abs(gain.imag) > _SAME_WITHIN * abs(gain.real) or abs(gain) < _CERTAIN_T / np.sqrt(weights.sum()):
        return None
    if abs(gain) ** 2 * x_there.sum() < _SHARE_LEAST * places_y[active].sum():
        return None
    if any(abs(g - gain) > max(_SAME_WITHIN * abs(gain), 3 * e) for g, e in zip(gains, errors, strict=True)):
        return None
    return gain.real if sum(e < abs(gain) / 4 for e in errors) >= _BANDS_LEAST else None


def _error(cross: NDArray[np.complex128], energy: NDArray[np.float64], gain: complex) -> float:
    """Standard error of a gain, clustered by place."""
    return float(np.sqrt((np.abs(cross - gain * energy) ** 2).sum()) / energy.sum())
