"""Which part does a MIDI file play, and how far off? By its name, and by when its notes and the parts' begin.

Parts of one song stand on one grid: when notes begin says for sure which part is played only where no other comes near.
A name that says the part need only be borne out.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.performances import rises_ms
from deep_tally.model.comparison import MidiPair
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, MidiFacts
from deep_tally.model.names import SURE
from deep_tally.names.match import score
from deep_tally.names.read import parse_part
from deep_tally.names.vocabulary import shipped
from deep_tally.names.words import stem_of

_GRID_MS, _REACH_MS = 10.0, 1000.0
_NOTES_LEAST = 8
_CHORD_MS, _NEAR_MS = 20.0, 30.0
_ALIKE_LEAST, _OVER_NEXT = 0.8, 1.2
_NAMED_LEAST, _NAMED_OF_BEST = 0.3, 0.6
_NEAR = np.array([0.25, 0.75, 1.0, 0.75, 0.25])
"""How much a note counts that begins up to two steps of the grid away."""


_Scored = tuple[float, float, str]


def find_midi(entries: Sequence[Entry], tracks: Sequence[Track]) -> tuple[MidiPair, ...]:
    """The part that each MIDI file plays, where its name says it and its notes bear that out, or these alone say it.

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
        if (chosen := _chosen(scored, _named(entry, rises))) is not None:
            alike, lag_ms, path = chosen
            offset_ms = _offset_ms(begins, rises[path], lag_ms)
            found.append(MidiPair(path=entry.path, track=path, offset_ms=offset_ms, alike=alike))
    return tuple(found)


def _chosen(scored: Sequence[_Scored], named: str | None) -> _Scored | None:
    """Of (alike, lag in ms, path), the best first: the one that is named and alike enough, else the one far ahead."""
    if not scored:
        return None
    best = scored[0]
    by_name = next((s for s in scored if s[2] == named), None)
    if by_name is not None and by_name[0] >= max(_NAMED_LEAST, _NAMED_OF_BEST * best[0]):
        return by_name
    is_ahead = len(scored) == 1 or best[0] >= _OVER_NEXT * scored[1][0]
    return best if named is None and is_ahead and best[0] >= _ALIKE_LEAST else None


def _named(entry: Entry, paths: Iterable[str]) -> str | None:
    """The one file whose name says the part that the MIDI file's name or title says."""
    for words in (stem_of(entry.path), entry.midi.title if entry.midi is not None else None):
        wanted = parse_part(words) if words else None
        if wanted is None or wanted.part is None:
            continue
        alike = [p for p in paths if score(wanted, parse_part(stem_of(p)), shipped()) >= SURE]
        if len(alike) == 1:
            return alike[0]
    return None


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
