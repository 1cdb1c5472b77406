"""Does a file hold another one, sample by sample at a constant gain, with more besides?

That is what a wrongly routed track gives. A microphone that hears a neighbour gives a delayed and coloured copy; an
effect gives what sounds with its source and just after. Both stay silent here: the gain must be the same in every band
and at every moment, and the rest must sound where the other file has long been at rest.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.sampled import SPAN, Sampled, shares_between
from deep_tally.measure.decibels import amplitude_db
from deep_tally.model.comparison import Held
from deep_tally.model.delivery import Track

_SHARE_LEAST = 0.01
_PLACES_LEAST = 8
_CERTAIN_T = 8.0
_ACTIVE, _SOUNDS = 1e-3, 1e-4  # of the loudest moment's energy
_RESTS = 10 ** (-50 / 20)
_RESTED_S = 3.0
"""How long a file must have been 50 dB under its loudest: what sounds then is no reverberation or echo of it."""
_REST_PLACES_LEAST = 2
_BAND_EDGES = (1, 3, 8, 20, 50, 120, SPAN // 2 + 1)  # bins of the spectrum of SPAN frames
_BAND_SHARE_LEAST = 0.001
_BANDS_LEAST = 2
_SAME_WITHIN = 0.06
_ERROR_LEAST = 0.005  # of a gain: no band is believed to be surer than that


def find_held(
    tracks: Sequence[Track],
    sampled: Sampled,
    gram: NDArray[np.float64],
    *,
    leave_out: frozenset[str],
    alive: Callable[[], None] = lambda: None,
) -> list[Held]:
    """All pairs of which one file holds the other.

    Parameters
    ----------
    tracks : sequence of Track
        The sampled files.
    sampled : Sampled
    gram : float64 [shape=(columns, columns)]
    leave_out : frozenset of str
        Files that are twins or sums of others: their relation is told already.
    alive : callable
        Called for every pair that is looked at.
    """
    found = []
    for path, held in np.argwhere(shares_between(sampled, gram) >= _SHARE_LEAST).tolist():
        alive()
        if path == held or {sampled.paths[path], sampled.paths[held]} & leave_out:
            continue
        gain = _gain_inside(sampled, gram, path, held, tracks[held])
        if gain is not None:
            found.append(Held(path=sampled.paths[path], held=sampled.paths[held], gain_db=amplitude_db(abs(gain))))
    return found


def _gain_inside(sampled: Sampled, gram: NDArray[np.float64], path: int, held: int, inside: Track) -> float | None:
    outer, inner = sampled.of(path), sampled.of(held)
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
    if shares[side] < _SHARE_LEAST:
        return None
    shape = (-1, SPAN)
    window = np.hanning(SPAN)
    y = np.fft.rfft(sampled.columns[:, outer[side]].reshape(shape) * window, axis=1)
    x = np.fft.rfft(sampled.columns[:, inner[side]].reshape(shape) * window, axis=1)
    return _constant_gain(x[:, 1:], y[:, 1:], _has_rested(inside, sampled.places))


def _has_rested(track: Track, places: NDArray[np.int_]) -> NDArray[np.bool_]:
    """At which places a file has been at rest for three seconds."""
    if track.measures is None or track.format is None or not track.measures.overview:
        return np.zeros(len(places), bool)
    level = track.measures.overview[0]
    loudness = level.rms.max(axis=1).astype(np.float64)
    sounding = np.concatenate([[0], np.cumsum(loudness > _RESTS * loudness.max())])
    end = np.minimum(-(-(places + SPAN) // level.bin_frames), len(loudness))
    begin = np.maximum(0, (places - round(_RESTED_S * track.format.rate_hz)) // level.bin_frames)
    rested: NDArray[np.bool_] = sounding[end] == sounding[np.minimum(begin, end)]
    return rested


def _constant_gain(x: NDArray[np.complex128], y: NDArray[np.complex128], rested: NDArray[np.bool_]) -> float | None:
    """The gain at which x sits in y, both [shape=(places, bins)]; None unless it is the same everywhere."""
    energy_x, energy_y = (np.abs(s) ** 2 for s in (x, y))
    places_x, places_y = energy_x.sum(axis=1), energy_y.sum(axis=1)
    active = places_x > _ACTIVE * places_x.max()
    rests = rested & (places_y > _SOUNDS * places_y.max())
    if active.sum() < _PLACES_LEAST or rests.sum() < _REST_PLACES_LEAST:
        return None
    cross = (y * x.conj())[active]
    x_there = energy_x[active]
    gains, errors = [], []
    for low, high in pairwise(_BAND_EDGES):
        band = slice(low - 1, high - 1)
        of_x = x_there[:, band].sum(axis=1)
        if of_x.sum() > _BAND_SHARE_LEAST * x_there.sum():
            there = complex(cross[:, band].sum() / of_x.sum())
            gains.append(there)
            errors.append(max(_error(cross[:, band].sum(axis=1), of_x, there), _ERROR_LEAST * abs(there)))
    # The bands in which nothing else plays tell the gain best.
    weights = 1 / np.square(errors)
    gain = complex(np.array(gains) @ weights / weights.sum())
    if abs(gain.imag) > _SAME_WITHIN * abs(gain.real) or abs(gain) < _CERTAIN_T / np.sqrt(weights.sum()):
        return None
    if abs(gain) ** 2 * x_there.sum() < _SHARE_LEAST * energy_y[active].sum():
        return None
    if any(abs(g - gain) > max(_SAME_WITHIN * abs(gain), 3 * e) for g, e in zip(gains, errors, strict=True)):
        return None
    return gain.real if sum(e < abs(gain) / 4 for e in errors) >= _BANDS_LEAST else None


def _error(cross: NDArray[np.complex128], energy: NDArray[np.float64], gain: complex) -> float:
    """Standard error of a gain, clustered by place."""
    return float(np.sqrt((np.abs(cross - gain * energy) ** 2).sum()) / energy.sum())
