"""Twins: is a file another one at some gain, perhaps inverted, perhaps later?

Two performances are never alike to a thousandth; a copy is, also at another gain. What was processed or coded anew
leaves more than that, and is left alone.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from functools import cache

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.sampled import Sampled, read_at, shares_between
from deep_tally.measure.decibels import amplitude_db, power_db
from deep_tally.model.comparison import Twin, TwinKind
from deep_tally.model.delivery import Track
from deep_tally.model.errors import NotCheckedHere, UnreadableSound
from deep_tally.model.files import Entry

TWIN_DB = -60.0
_SHARE_OF_TWINS = 0.9
_PEAK_REACH = 512
_ALIKE_FROM_PEAK = 0.999
"""Of how two files go on from their peaks; twins are alike to a thousandth in all, and more so where they are loud."""
_SAME_GAIN = 1e-5
_SHAPE_WITHIN_DB = 0.05
_EXCERPTS, _EXCERPT_FRAMES = 16, 4096
_FLOOR_DB = -150.0


def find_twins(sampled: Sampled, gram: NDArray[np.float64]) -> list[Twin]:
    """Twins that are in step, each with the first file it is a twin of."""
    found: list[Twin] = []
    known: set[int] = set()
    sounding = [len(columns := sampled.of(f)) > 0 and _energy(gram, columns) > 0 for f in range(len(sampled.paths))]
    for one, other in np.argwhere(np.triu(shares_between(sampled, gram), 1) > _SHARE_OF_TWINS).tolist():
        if one in known or other in known or not (sounding[one] and sounding[other]):
            continue
        relation = _relation(gram, sampled.of(one), sampled.of(other))
        if relation is not None and relation[1] < TWIN_DB:
            gain, residual = relation
            known.add(other)
            found.append(
                Twin(
                    path=sampled.paths[other],
                    other=sampled.paths[one],
                    kind=_kind(gain),
                    gain_db=amplitude_db(abs(gain)),
                    offset_frames=0,
                    residual_db=residual,
                )
            )
    return found


def _kind(gain: float) -> TwinKind:
    return "inverted" if gain < 0 else "exact" if abs(gain - 1) < _SAME_GAIN else "scaled"


def _energy(gram: NDArray[np.float64], columns: NDArray[np.int_]) -> float:
    return float(gram[columns, columns].sum())


def _relation(gram: NDArray[np.float64], one: NDArray[np.int_], other: NDArray[np.int_]) -> tuple[float, float] | None:
    """The gain from one file to the other, and what that leaves of the other in dB; None when channels do not match."""
    energy = _energy(gram, other)
    if len(one) == len(other):
        product = float(gram[one, other].sum())
        gain = product / _energy(gram, one)
        left = energy - gain * product
    elif len(one) == 1:
        # A mono file against a stereo one that may hold it on both sides.
        products = gram[one[0], other]
        gain = float(products[np.abs(products).argmax()]) / _energy(gram, one)
        left = energy - float(products @ products) / _energy(gram, one)
        if not products.all():
            return None
    elif len(other) == 1:
        return _relation(gram, other, one)
    else:
        return None
    return gain, max(_FLOOR_DB, power_db(max(0.0, left) / energy))


def find_shifted(
    tracks: Sequence[Track], entries: Mapping[str, Entry], alive: Callable[[], None] = lambda: None
) -> list[Twin]:
    """Twins of which one comes later than the other, each with the first file it is a twin of.

    A shift keeps the ratio of peak to energy, and moves the peak by itself: few pairs are left to be looked at. `alive`
    is called for every file.
    """
    found: dict[str, Twin] = {}
    shapes = np.array([shape_db(t) for t in tracks])
    peaks = cache(lambda file: from_peak(tracks[file], entries))  # few files are like any other
    for one, first in enumerate(tracks):
        alive()
        alike = np.flatnonzero(np.abs(shapes[one + 1 :] - shapes[one]) <= _SHAPE_WITHIN_DB) + one + 1
        for other in alike.tolist():
            second = tracks[other]
            if {first.path, second.path} & found.keys() or not may_be_one(peaks(one), peaks(other)):
                continue
            twin = shifted(first, second, entries)
            if twin is not None:
                found[twin.path] = twin
    return list(found.values())


def from_peak(track: Track, entries: Mapping[str, Entry]) -> NDArray[np.float64] | None:
    """The samples from a file's peak on, in one row of unit energy; None where they are not all there."""
    m = track.measures
    if m is None or m.peak_frame is None or m.peak_frame + _PEAK_REACH > m.frames:
        return None
    try:
        samples = read_at(entries[track.path].source, [m.peak_frame], _PEAK_REACH).astype(np.float64)
    except (UnreadableSound, NotCheckedHere):
        return None
    row: NDArray[np.float64] = samples.ravel()
    length = float(np.linalg.norm(row))
    return row / length if length else None


def may_be_one(one: NDArray[np.float64] | None, other: NDArray[np.float64] | None) -> bool:
    """Whether two files can be one sound by how they go on from their peaks; so where that is not known."""
    if one is None or other is None:
        return True
    return len(one) == len(other) and abs(float(one @ other)) > _ALIKE_FROM_PEAK


def shape_db(track: Track) -> float:
    """Peak over energy, in dB: the same at any gain and place."""
    measures = track.measures
    return (
        measures.sample_peak_dbfs - measures.rms_dbfs - power_db(measures.frames) if measures is not None else math.inf
    )


def shifted(one: Track, other: Track, entries: Mapping[str, Entry]) -> Twin | None:
    if (known := one.measured) is None or (known_other := other.measured) is None:
        return None
    (sound, a), (other_sound, b) = known, known_other
    if a.peak_frame is None or b.peak_frame is None or sound.channels != other_sound.channels:
        return None
    lag = b.peak_frame - a.peak_frame
    if not lag or not a.loud_frames:
        return None
    # What the shift moved over an edge is gone: only moments that both files have whole are compared.
    both = [p for p in a.loud_frames if p + lag >= 0 and max(p, p + lag) + _EXCERPT_FRAMES <= min(a.frames, b.frames)]
    places = both[:: -(-len(both) // _EXCERPTS)] if both else []
    try:
        x = read_at(entries[one.path].source, places, _EXCERPT_FRAMES).astype(np.float64)
        y = read_at(entries[other.path].source, [p + lag for p in places], _EXCERPT_FRAMES).astype(np.float64)
    except (UnreadableSound, NotCheckedHere):
        return None
    energy, product = float((x * x).sum()), float((x * y).sum())
    whole = float((y * y).sum())
    if not energy or not whole:
        return None
    residual = power_db(max(0.0, whole - product * product / energy) / whole)
    if residual >= TWIN_DB:
        return None
    return Twin(
        path=other.path,
        other=one.path,
        kind="shifted",
        gain_db=amplitude_db(abs(product / energy)),
        offset_frames=lag,
        residual_db=max(_FLOOR_DB, residual),
    )
