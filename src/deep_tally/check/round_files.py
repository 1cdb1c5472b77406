"""Which file of a second round stands for which of the first: by content, by name, by sound; several may for one."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from deep_tally.model.delivery import Track
from deep_tally.names.parse import COPY_MARK
from deep_tally.names.words import bare_stem

_VERSION = re.compile(
    r"[\s_.-]+\(?(?:(?:v|ver|version|rev|round)[\s_.-]*\d{1,2}|new|fixed|fix|corrected|again)\)?$", re.I
)
_SEPARATORS = re.compile(r"[\W_]+")
_ENVELOPE_S = 0.1
_SOUND_ALIKE, _SOUND_AHEAD = 0.97, 0.02
"""Correlation of two files' levels over time that makes them one part, and by how much it must beat the next best."""

Key = Callable[[Track], str]
Envelope = NDArray[np.float64]


def successors(
    first: Sequence[Track],
    second: Sequence[Track],
    first_contents: Mapping[str, str],
    second_contents: Mapping[str, str],
) -> dict[str, str]:
    """For each file of the second round that stands for one of the first: that one's path.

    Parameters
    ----------
    first, second : sequence of Track
        Measured.
    first_contents, second_contents : mapping of path to str
        Fingerprints of the contents.
    """
    found: dict[str, str] = {}
    for key in (_path, _name, _plain_name):
        _by_key(found, first, second, key)
    contents: Mapping[str, list[str]] = _grouped(first_contents)
    for track in second:
        same = contents.get(second_contents.get(track.path, ""), [])
        if track.path not in found and len(same) == 1:
            found[track.path] = same[0]
    for key in (_base_name, _base_without_number):
        _by_key(found, first, second, key)
    _by_sound(found, first, second)
    return found


def _path(track: Track) -> str:
    return track.path.casefold()


def _name(track: Track) -> str:
    return track.path.rpartition("/")[2].casefold()


def _plain_name(track: Track) -> str:
    return _SEPARATORS.sub(" ", track.stem).strip().casefold()


def _base_name(track: Track) -> str:
    """Without marks of copies and versions: what a client adds to a name on sending a file again."""
    stem = COPY_MARK.sub("", track.stem)
    return _SEPARATORS.sub(" ", _VERSION.sub("", stem)).strip().casefold()


def _base_without_number(track: Track) -> str:
    return bare_stem(f"{_base_name(track)}.")


def _grouped(values: Mapping[str, str]) -> dict[str, list[str]]:
    groups: dict[str, list[str]] = defaultdict(list)
    for path, value in values.items():
        groups[value].append(path)
    return groups


def _by_key(found: dict[str, str], first: Iterable[Track], second: Iterable[Track], key: Key) -> None:
    """Files that share a key which only one of the first round has."""
    groups = _grouped({track.path: key(track) for track in first})
    for track in second:
        alike = groups.get(key(track), [])
        if track.path not in found and len(alike) == 1 and key(track):
            found[track.path] = alike[0]


def _by_sound(found: dict[str, str], first: Sequence[Track], second: Sequence[Track]) -> None:
    """What no name tells: files whose levels rise and fall together, once their beginnings lie on each other."""
    taken = set(found.values())
    open_first = {t.path: shape for t in first if t.path not in taken and (shape := _shape(t)) is not None}
    for track in second:
        if track.path in found or (own := _shape(track)) is None:
            continue
        alike = sorted(((_likeness(own, shape), path) for path, shape in open_first.items()), reverse=True)
        if alike and alike[0][0] >= _SOUND_ALIKE and (len(alike) < 2 or alike[0][0] - alike[1][0] >= _SOUND_AHEAD):
            found[track.path] = alike[0][1]


def _shape(track: Track) -> Envelope | None:
    """A file's level every tenth of a second, from its first sound on; None for one that could not be read."""
    known = track.measured
    if known is None or not known[1].overview:
        return None
    sound, measures = known
    finest = measures.overview[0]
    energy = np.square(finest.rms.astype(np.float64)).sum(axis=1)
    per = max(1, round(_ENVELOPE_S * sound.rate_hz / finest.bin_frames))
    levels = np.sqrt([piece.mean() for piece in np.split(energy, range(per, len(energy), per))])
    start = (measures.extent.first_sound_frame or 0) // (per * finest.bin_frames)
    return levels[start:]


def _likeness(one: Envelope, other: Envelope) -> float:
    length = min(len(one), len(other))
    if length < 2 or length < 0.5 * max(len(one), len(other)):
        return 0.0
    a, b = one[:length] - one[:length].mean(), other[:length] - other[:length].mean()
    scale = float(np.sqrt((a @ a) * (b @ b)))
    return float(a @ b) / scale if scale > 0 else 0.0
