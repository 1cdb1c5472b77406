"""The same few moments of every file of a song, side by side.

A file that is made of others is so at every sample: some thousands of them, taken where each file is loud, show it as
well as all of them do.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from deep_tally.intake.reading import open_decoded, open_plain
from deep_tally.intake.sound import SoundReader
from deep_tally.model.delivery import Track
from deep_tally.model.errors import NotCheckedHere, UnreadableSound
from deep_tally.model.files import Entry, Incomplete
from deep_tally.work.isolated import OnProgress, run_isolated

SPAN = 512
_PLACES_MOST = 256
_PLACES_LEAST_EACH, _PLACES_MOST_EACH = 2, 16
_SPREAD_PLACES = 32
_BYTES_MOST = 96 << 20
_CHUNK_ROWS = 8192


@dataclass(frozen=True, slots=True)
class Sampled:
    """Samples of several files at the same moments.

    Attributes
    ----------
    paths : tuple of str
        The files.
    owners : int [shape=(columns,)]
        Which file each column is a channel of; a file's columns are neighbours, in the order of its channels.
    places : int [shape=(places,)]
        First frame of each moment.
    columns : float32 [shape=(places * SPAN, columns)]
    unread : tuple of Incomplete
        The files that could not be read here any more; they have no columns.
    """

    paths: tuple[str, ...]
    owners: NDArray[np.int_]
    places: NDArray[np.int_]
    columns: NDArray[np.float32]
    unread: tuple[Incomplete, ...] = ()

    def of(self, file: int) -> NDArray[np.int_]:
        """The columns of a file."""
        return np.flatnonzero(self.owners == file)

    def of_files(self, files: Sequence[int]) -> tuple[Sampled, NDArray[np.int_]]:
        """Some of the files alone, and which columns of all were theirs [shape=(columns,)]."""
        kept = np.flatnonzero(np.isin(self.owners, list(files)))
        renumbered = {file: number for number, file in enumerate(files)}
        owners = np.array([renumbered[int(o)] for o in self.owners[kept]], int)
        paths = tuple(self.paths[file] for file in files)
        return Sampled(paths, owners, self.places, self.columns[:, kept], self.unread), kept

    def gram(self) -> NDArray[np.float64]:
        """All products of columns, summed over the rows in double precision."""
        total = np.zeros((len(self.owners), len(self.owners)))
        for start in range(0, len(self.columns), _CHUNK_ROWS):
            rows = self.columns[start : start + _CHUNK_ROWS].astype(np.float64)
            total += rows.T @ rows
        return total


def shares_between(sampled: Sampled, gram: NDArray[np.float64]) -> NDArray[np.float64]:
    """For every two files, the most that any channel of one can be of any of the other: 1 for copies, 0 for strangers.

    It shows in one go which of very many pairs are worth a closer look.

    Parameters
    ----------
    sampled : Sampled
    gram : float64 [shape=(columns, columns)]

    Returns
    -------
    float64 [shape=(files, files)]
        The greatest squared correlation of two channels; 1 where a channel is silent, which says nothing; -1 for files
        without columns.
    """
    energy = np.diag(gram)
    with np.errstate(invalid="ignore", divide="ignore"):
        shares = np.nan_to_num(gram**2 / np.outer(energy, energy), nan=1.0)
    files, starts = np.unique(sampled.owners, return_index=True)
    between = np.full((len(sampled.paths), len(sampled.paths)), -1.0)
    if len(files):
        rows = np.maximum.reduceat(shares, starts, axis=0)
        between[np.ix_(files, files)] = np.maximum.reduceat(rows, starts, axis=1)
    return between


def sample(tracks: Sequence[Track], entries: Mapping[str, Entry], on_file: Callable[[int], None]) -> Sampled:
    """Read the moments at which the files are loud, the same for all.

    Parameters
    ----------
    tracks : sequence of Track
        Measured, with sound, of one rate.
    entries : mapping of path to Entry
    on_file : callable
        Called after every file with the number of files read; may raise to end the work.
    """
    columns = sum(t.format.channels for t in tracks if t.format is not None)
    places = sampling_places(tracks, max(_SPREAD_PLACES, _BYTES_MOST // (4 * SPAN * max(1, columns))))
    read: list[NDArray[np.float32]] = []
    owners: list[int] = []
    unread: list[Incomplete] = []
    for number, track in enumerate(tracks):
        try:
            samples = read_at(entries[track.path].source, places, SPAN)
        except UnreadableSound:
            continue  # it was read before and is damaged now: what is said of the others stays true
        except NotCheckedHere as error:
            why = Incomplete(what="comparing", files=(track.path,), problem=error.problem, remedy=error.remedy)
            unread.append(why)
            continue
        read.append(samples)
        owners += [number] * samples.shape[1]
        on_file(number + 1)
    joined = np.concatenate(read, axis=1) if read else np.empty((0, 0), np.float32)
    return Sampled(tuple(t.path for t in tracks), np.array(owners, int), np.array(places, int), joined, tuple(unread))


def sampling_places(tracks: Sequence[Track], most: int) -> list[int]:
    """First frames of the moments to be read, in order of time."""
    most = min(most, _PLACES_MOST)
    each = min(_PLACES_MOST_EACH, max(_PLACES_LEAST_EACH, (most - _SPREAD_PLACES) // max(1, len(tracks))))
    chosen: set[int] = set()
    longest = 0
    for track in tracks:
        if track.measures is not None:
            longest = max(longest, track.measures.frames)
            loud = track.measures.loud_frames
            chosen |= set(loud[:: -(-len(loud) // each)] if loud else ())
    spread = np.linspace(0, max(0, longest - SPAN), _SPREAD_PLACES + 2)[1:-1].astype(int).tolist()
    places: list[int] = []
    for place in sorted(chosen | set(spread)):
        if not places or place >= places[-1] + SPAN:
            places.append(place)
    step = -(-len(places) // most)
    return places[::step]


def read_at(path: Path, places: Sequence[int], span: int) -> NDArray[np.float32]:
    """Samples at several places, [shape=(places * span, channels)]; past the file's end they are zero.

    Raises
    ------
    UnreadableSound
        The file cannot be decoded any more.
    NotCheckedHere
        The file cannot be opened or read any more.
    """
    reader = open_plain(path)
    if reader is None:
        return run_isolated(_decode_at, lambda done, total: None, path, tuple(places), span)
    return _read_at(reader, places, span)


def _decode_at(progress: OnProgress, path: Path, places: Sequence[int], span: int) -> NDArray[np.float32]:
    return _read_at(open_decoded(path), places, span)


def _read_at(opened: SoundReader, places: Sequence[int], span: int) -> NDArray[np.float32]:
    with opened as reader:
        out = np.zeros((len(places) * span, reader.format.channels), np.float32, order="F")  # as they are read
        for number, place in enumerate(places):
            samples = reader.read(place, span).samples
            begin = number * span
            if reader.format.sample_format == "float":
                samples = np.nan_to_num(samples, nan=0.0, posinf=0.0, neginf=0.0)
            out[begin : begin + len(samples)] = samples
        return out
