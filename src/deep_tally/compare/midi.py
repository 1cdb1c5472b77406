"""Which part does a MIDI file play, and how far off? By when its notes begin, and when the parts' levels rise."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.performances import rises_ms
from deep_tally.model.comparison import MidiPair
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, MidiFacts

_GRID_MS, _REACH_MS = 10.0, 1000.0
_NOTES_LEAST = 8
_CHORD_MS, _NEAR_MS = 20.0, 30.0
_ALIKE_LEAST, _OVER_NEXT = 0.3, 1.1
_NEAR = np.array([0.25, 0.75, 1.0, 0.75, 0.25])
"""How much a note counts that begins up to two steps of the grid away."""


def find_midi(entries: Sequence[Entry], tracks: Sequence[Track]) -> tuple[MidiPair, ...]:
    """The part that each MIDI file plays, where one part's notes begin with its notes and no other's do as well.

    Parameters
    ----------
    entries : sequence of Entry
        Those with MIDI are looked at.
    tracks : sequence of Track
        Measured, with the finest level of their overviews.
    """
    rises = {t.path: _rises(t) for t in tracks if t.role.is_assessed}
    found = []
    for entry in entries:
        begins = _notes_ms(entry.midi) if entry.midi is not None else np.empty(0)
        if len(begins) < _NOTES_LEAST:
            continue
        scored = sorted(((*_alike(begins, r), path) for path, r in rises.items() if len(r)), reverse=True)
        if not scored or scored[0][0] < _ALIKE_LEAST:
            continue
        if len(scored) > 1 and scored[0][0] < _OVER_NEXT * scored[1][0]:
            continue
        alike, lag_ms, path = scored[0]
        found.append(
            MidiPair(path=entry.path, track=path, offset_ms=_offset_ms(begins, rises[path], lag_ms), alike=alike)
        )
    return tuple(found)


def _notes_ms(midi: MidiFacts) -> NDArray[np.float64]:
    """When its notes begin, chords once, in ms from its start; nothing where it states no tempo."""
    if midi.timeline is None or not midi.note_quarters:
        return np.empty(0)
    begins = np.array([midi.timeline.seconds_at(q) * 1000 for q in midi.note_quarters])
    alone: NDArray[np.float64] = begins[np.concatenate([[True], np.diff(begins) > _CHORD_MS])]
    return alone


def _rises(track: Track) -> NDArray[np.float64]:
    """When a file's notes begin, in ms from its start, by its overview."""
    if (known := track.heard) is None or not known[1].overview:
        return np.empty(0)
    level = known[1].overview[0]
    window_ms = level.bin_frames * 1000 / known[0].rate_hz
    return rises_ms(level.rms.astype(np.float64).max(axis=1) ** 2, window_ms=window_ms)


def _alike(notes: NDArray[np.float64], rises: NDArray[np.float64]) -> tuple[float, float]:
    """How far two rows of beginnings are one, 0 to 1, at their best lag in ms: later rises count positive."""
    reach = round(_REACH_MS / _GRID_MS)
    length = int(max(notes.max(), rises.max()) / _GRID_MS) + 2 * reach + 8
    one, other = (np.bincount((x / _GRID_MS).astype(int) + reach, minlength=length) > 0 for x in (notes, rises))
    near = np.convolve(other.astype(float), _NEAR, "same")
    size = 2 * length
    product = np.fft.irfft(np.fft.rfft(one, size).conj() * np.fft.rfft(near, size), size)
    lags = np.concatenate([product[-reach:], product[: reach + 1]])
    best = int(lags.argmax())
    alike = float(lags[best] / np.sqrt(one.sum() * other.sum()))
    return min(1.0, alike), (best - reach) * _GRID_MS


def _offset_ms(notes: NDArray[np.float64], rises: NDArray[np.float64], lag_ms: float) -> float:
    """The median by which rises come after the notes they belong to."""
    nearest = rises[np.abs(notes[:, None] + lag_ms - rises[None, :]).argmin(axis=1)] - notes
    near = nearest[np.abs(nearest - lag_ms) <= _NEAR_MS]
    return float(np.median(near)) if len(near) else lag_ms
