"""What a worker does for one song when all its files are measured: hold them against each other."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from functools import partial

from deep_tally.model.comparison import Comparison
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry
from deep_tally.work.isolated import OnProgress


def is_compared(track: Track) -> bool:
    """Whether a file takes part: it is asked all questions, has sound, and its samples are its own."""
    return (
        track.role.is_assessed and track.is_heard and track.format is not None and track.format.sample_format != "lossy"
    )


def _report(progress: OnProgress, before: int, total: int, number: int) -> None:
    progress(before + number, total)


def compare_song(progress: OnProgress, entries: Sequence[Entry], tracks: Sequence[Track]) -> Comparison:
    """Hold the files of a song against each other; only files of one rate can have samples in common.

    Parameters
    ----------
    progress : callable
        Called with (files read, files in all).
    entries : sequence of Entry
    tracks : sequence of Track
        The same files, measured.
    """
    from deep_tally.compare.containment import find_contained
    from deep_tally.compare.pairs import find_pairs
    from deep_tally.compare.sampled import sample
    from deep_tally.compare.sums import find_sums
    from deep_tally.compare.twins import find_shifted, find_twins

    by_path = {e.path: e for e in entries}
    by_rate: defaultdict[int, list[Track]] = defaultdict(list)
    for track in tracks:
        if is_compared(track) and track.format is not None:
            by_rate[track.format.rate_hz].append(track)
    total = sum(map(len, by_rate.values()))
    comparison = Comparison()
    done = 0
    for group in by_rate.values():
        if len(group) < 2:
            continue
        sampled = sample(group, by_path, partial(_report, progress, done, total))
        done += len(group)
        alive = partial(_report, progress, done, total, 0)  # with thousands of files a step takes minutes
        gram = sampled.gram()
        alive()
        twins = find_twins(sampled, gram)
        alive()
        copies = frozenset(t.path for t in twins)
        twins += find_shifted([t for t in group if t.path not in copies], by_path, alive)
        alive()
        sums = find_sums(sampled, gram, leave_out=copies)
        alive()
        explained = copies | {s.path for s in sums}
        comparison = Comparison(
            twins=(*comparison.twins, *twins),
            sums=(*comparison.sums, *sums),
            contained=(*comparison.contained, *find_contained(group, sampled, gram, leave_out=explained, alive=alive)),
            pairs=(*comparison.pairs, *find_pairs(group, sampled, gram)),
            unread=(*comparison.unread, *sampled.unread),
        )
    return comparison
