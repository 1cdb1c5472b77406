"""Split pairs: two mono files whose names differ in a side mark only. Does their sound move together?"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from itertools import product
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.performances import coherence, entries_ms, entry_spread_ms
from deep_tally.compare.sampled import Sampled, read_at
from deep_tally.measure.density import STRETCH_MS
from deep_tally.measure.sides import level_correlation
from deep_tally.model.comparison import Pair
from deep_tally.model.delivery import Track
from deep_tally.model.errors import NotCheckedHere, UnreadableSound
from deep_tally.model.files import Entry
from deep_tally.model.measures import Measures
from deep_tally.names.sides import side_of

_ONE_SOUND = 0.95
"""Of samples: what is so alike needs no closer look."""
_READ_MOST_S = 120.0


def find_pairs(
    tracks: Sequence[Track],
    sampled: Sampled,
    gram: NDArray[np.float64],
    entries: Mapping[str, Entry] = MappingProxyType({}),
    alive: Callable[[], None] = lambda: None,
) -> list[Pair]:
    """Each left file with the right one it moves with best, where names leave several.

    With `entries`, both are read whole for how they were played; `alive` is called for every pair.
    """
    sides: defaultdict[tuple[object, ...], dict[str, list[Track]]] = defaultdict(lambda: {"left": [], "right": []})
    for track in tracks:
        side = side_of(track.path)
        if side is not None and track.format is not None and track.format.channels == 1:
            sound = track.format
            key = (side.rest, sound.rate_hz, sound.frames, sound.bits, sound.sample_format)
            sides[key][side.side].append(track)
    found = []
    for group in sides.values():
        candidates = [_pair(left, right, sampled, gram) for left, right in product(group["left"], group["right"])]
        candidates.sort(key=lambda p: -(abs(p.correlation) + (p.level_correlation or 0.0)))
        taken: set[str] = set()
        for pair in candidates:
            if not taken & {pair.left, pair.right}:
                taken |= {pair.left, pair.right}
                found.append(pair)
    rates = {t.path: t.format.rate_hz for t in tracks if t.format is not None}
    return [_played(pair, entries, rates[pair.left], alive) for pair in found]


def _played(pair: Pair, entries: Mapping[str, Entry], rate_hz: int, alive: Callable[[], None]) -> Pair:
    """The pair with how its sides were played, as far as they can be read."""
    alive()
    if not {pair.left, pair.right} <= entries.keys() or abs(pair.correlation) > _ONE_SOUND:
        return pair
    try:
        left, right = (
            read_at(entries[path].source, [0], round(_READ_MOST_S * rate_hz))[:, 0] for path in (pair.left, pair.right)
        )
    except (UnreadableSound, NotCheckedHere):
        return pair
    spread = entry_spread_ms(entries_ms(left, rate_hz), entries_ms(right, rate_hz))
    return replace(pair, entry_spread_ms=spread, coherence=coherence(left, right, rate_hz))


def _pair(left: Track, right: Track, sampled: Sampled, gram: NDArray[np.float64]) -> Pair:
    columns = [sampled.of(sampled.paths.index(t.path)) for t in (left, right)]
    correlation = 0.0
    if all(len(c) for c in columns):
        a, b = (int(c[0]) for c in columns)
        energy = float(gram[a, a] * gram[b, b])
        correlation = float(gram[a, b]) / energy**0.5 if energy else 0.0
    return Pair(
        left=left.path,
        right=right.path,
        level_correlation=correlation_of_levels(left, right),
        correlation=max(-1.0, min(1.0, correlation)),
    )


def correlation_of_levels(left: Track, right: Track) -> float | None:
    """How the levels of both files move together."""
    if left.measures is None or right.measures is None or left.format is None:
        return None
    energies = [energies_of(m, left.format.rate_hz) for m in (left.measures, right.measures)]
    return level_correlation(np.stack(energies, axis=1)) if len(energies[0]) == len(energies[1]) else None


def energies_of(measures: Measures, rate_hz: int) -> NDArray[np.float32]:
    """Energy in stretches of about 50 ms, as far as the overview is as fine as that."""
    if not measures.overview:
        return np.empty(0, np.float32)
    level = measures.overview[0]
    power = level.rms[:, 0].astype(np.float32) ** 2
    size = max(1, round(STRETCH_MS * rate_hz / 1000 / level.bin_frames))
    energies: NDArray[np.float32] = np.pad(power, (0, -len(power) % size)).reshape(-1, size).mean(axis=1)
    return energies
