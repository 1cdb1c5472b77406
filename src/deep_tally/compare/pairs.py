"""Split pairs: two mono files whose names differ in a side mark only. Does their sound move together?"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from itertools import product

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.sampled import Sampled
from deep_tally.intake.words import side_of
from deep_tally.model.comparison import Pair
from deep_tally.model.delivery import Track
from deep_tally.model.measures import Measures

_STRETCH_MS = 50
_DOWN_TO_DB = 50.0
_STRETCHES_LEAST = 40


def find_pairs(tracks: Sequence[Track], sampled: Sampled, gram: NDArray[np.float64]) -> list[Pair]:
    """Each left file with the right one it moves with best, where names leave several."""
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
    return found


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
        level_correlation=_level_correlation(left, right),
        correlation=max(-1.0, min(1.0, correlation)),
    )


def _level_correlation(left: Track, right: Track) -> float | None:
    """How the levels of both files, in decibels and down to 50 under their loudest, move together."""
    if left.measures is None or right.measures is None or left.format is None:
        return None
    a, b = (_levels(m, left.format.rate_hz) for m in (left.measures, right.measures))
    if len(a) != len(b) or len(a) < _STRETCHES_LEAST:
        return None
    a, b = a - a.mean(), b - b.mean()
    spread = float(np.sqrt((a @ a) * (b @ b)))
    return float(a @ b) / spread if spread else None


def _levels(measures: Measures, rate_hz: int) -> NDArray[np.float64]:
    if not measures.overview:
        return np.empty(0)
    level = measures.overview[0]
    power = level.rms[:, 0].astype(np.float64) ** 2
    size = max(1, round(_STRETCH_MS * rate_hz / 1000 / level.bin_frames))
    power = np.pad(power, (0, -len(power) % size)).reshape(-1, size).mean(axis=1)
    loudest = float(power.max(initial=0.0))
    levels: NDArray[np.float64] = (
        10 * np.log10(np.maximum(power / loudest, 10 ** (-_DOWN_TO_DB / 10))) if loudest else power
    )
    return levels
