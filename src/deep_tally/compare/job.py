"""What a worker does for one song when all its files are measured: compare them with each other."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import partial

from deep_tally.model.comparison import Comparison, Contained, SumOf, SumPeak
from deep_tally.model.delivery import Track
from deep_tally.model.errors import NotCheckedHere, UnreadableSound
from deep_tally.model.files import Entry
from deep_tally.work.isolated import OnProgress

_LOSSY_MOST = 0.25


def compared(tracks: Sequence[Track]) -> list[Track]:
    """The files that take part: those with sound. Lossy ones hold no samples of others, but may be mixes of them.

    Where many are lossy they are the parts themselves, which nothing can be said of.
    """
    heard = [t for t in tracks if t.is_heard and t.format is not None]
    lossy = [t for t in heard if _is_lossy(t)]
    return [t for t in heard if t not in lossy] if len(lossy) > _LOSSY_MOST * len(heard) else heard


def _is_lossy(track: Track) -> bool:
    return track.format is not None and track.format.sample_format == "lossy"


_GROUP_LEAST_DB = -7.0
"""A group that leaves more than this of itself unexplained, while one file is in it sample by sample, only holds it."""


def _only_holds(group: SumOf, contained: Sequence[Contained]) -> bool:
    """Whether what looks like a processed group is one file inside another, beside something that sounds alike."""
    members = {path for path, _ in group.parts}
    inside = {c.inner for c in contained if c.path == group.path}
    return bool(members & inside) and not members <= inside and group.residual_db > _GROUP_LEAST_DB


def _report(progress: OnProgress, before: int, total: int, number: int) -> None:
    progress(before + number, total)


def compare_song(progress: OnProgress, entries: Sequence[Entry], tracks: Sequence[Track]) -> Comparison:
    """Compare the files of a song with each other; only files of one rate can have samples in common.

    Parameters
    ----------
    progress : callable
        Called with (files read, files in all).
    entries : sequence of Entry
    tracks : sequence of Track
        The same files, measured.
    """
    import numpy as np

    from deep_tally.compare.composites import find_composites
    from deep_tally.compare.containment import find_contained
    from deep_tally.compare.midi import find_midi
    from deep_tally.compare.pairs import find_pairs
    from deep_tally.compare.sampled import sample
    from deep_tally.compare.sums import find_sums
    from deep_tally.compare.twins import find_shifted, find_twins

    by_path = {e.path: e for e in entries}
    by_rate: defaultdict[int, list[Track]] = defaultdict(list)
    for track in compared(tracks):
        if track.format is not None:
            by_rate[track.format.rate_hz].append(track)
    total = sum(map(len, by_rate.values()))
    comparison = Comparison(midi=find_midi(entries, tracks))
    done = 0
    for group in by_rate.values():
        if len(group) < 2:
            continue
        sampled = sample(group, by_path, partial(_report, progress, done, total))
        done += len(group)
        alive = partial(_report, progress, done, total, 0)  # with thousands of files a step takes minutes
        gram = sampled.gram()
        alive()
        mixes, groups = find_composites(sampled, gram, alive=alive)
        # What a mix is to its parts is known now; the rest compares parts with parts.
        of_mixes = frozenset(m.path for m in mixes)
        parts = [n for n, t in enumerate(group) if t.path not in of_mixes and not _is_lossy(t)]
        group = [group[n] for n in parts]
        sampled, columns = sampled.of_files(parts)
        gram = gram[np.ix_(columns, columns)]
        twins = find_twins(sampled, gram)
        alive()
        copies = frozenset(t.path for t in twins)
        twins += find_shifted([t for t in group if t.path not in copies], by_path, alive)
        alive()
        sums = find_sums(sampled, gram, leave_out=copies)
        alive()
        exact = copies | {s.path for s in sums}
        contained = find_contained(group, sampled, gram, leave_out=exact, alive=alive)
        sums += [s for s in groups if s.path not in exact and not _only_holds(s, contained)]
        of_groups = {s.path for s in sums}
        contained = [c for c in contained if c.path not in of_groups]
        comparison = Comparison(
            twins=(*comparison.twins, *twins),
            sums=(*comparison.sums, *sums),
            contained=(*comparison.contained, *contained),
            pairs=(*comparison.pairs, *find_pairs(group, sampled, gram, by_path, alive)),
            mixes=(*comparison.mixes, *mixes),
            midi=comparison.midi,
            unread=(*comparison.unread, *sampled.unread),
        )
    alive = partial(_report, progress, total, total, 0)
    return replace(comparison, sum_peak=_sum_peak(by_rate, by_path, comparison, alive))


def _sum_peak(
    by_rate: Mapping[int, Sequence[Track]],
    entries: Mapping[str, Entry],
    comparison: Comparison,
    alive: Callable[[], None],
) -> SumPeak | None:
    """The peak of the sum of the parts: without mixes, and groups whose members are there."""
    from deep_tally.compare.sum_peak import find_sum_peak

    sums = {m.path for m in comparison.mixes} | {s.path for s in comparison.sums}
    parts = [
        [t for t in group if t.role.is_assessed and t.path not in sums and not _is_lossy(t)]
        for group in by_rate.values()
    ]
    summed = max(parts, key=len, default=[])
    heard = sum(t.role.is_assessed and t.path not in sums for group in by_rate.values() for t in group)
    try:
        return find_sum_peak(summed, entries, left_out=heard - len(summed), alive=alive)
    except (UnreadableSound, NotCheckedHere):
        return None  # what could not be read is said where it was to be compared
