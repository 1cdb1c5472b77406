"""What a worker does for a file, and for a song: recall what was found before, else find it and keep it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path

from platformdirs import user_cache_path

from deep_tally.compare.job import compare_song
from deep_tally.compare.mix_job import looked_for, match_mix
from deep_tally.measure.job import measure_entry
from deep_tally.model.comparison import Comparison
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry
from deep_tally.model.mix_match import MixMatch
from deep_tally.session.cache import MeasureCache
from deep_tally.work.isolated import OnProgress


def cache_path() -> Path:
    """Where the measures are kept (XDG cache folder)."""
    return user_cache_path("deep-tally") / "measures.sqlite"


@lru_cache(maxsize=1)
def _cache(path: Path) -> MeasureCache:
    """One open store for all the files of a worker."""
    return MeasureCache(path)


def measure_cached(progress: OnProgress, entry: Entry) -> Track:
    """The track of a file, from the cache where it is known."""
    cache = _cache(cache_path())
    track = cache.find(entry)
    if track is None:
        track = measure_entry(progress, entry)
        cache.keep(entry, track)
    return track


def compare_cached(progress: OnProgress, entries: Sequence[Entry], tracks: Sequence[Track]) -> Comparison:
    """How the files of a song relate, from the cache where it is known."""
    cache = _cache(cache_path())
    comparison = cache.find_comparison(entries)
    if comparison is None:
        comparison = compare_song(progress, entries, tracks)
        if not comparison.unread:
            cache.keep_comparison(entries, comparison)
    return comparison


def match_cached(
    progress: OnProgress, mix: Entry, entries: Sequence[Entry], tracks: Sequence[Track], comparison: Comparison
) -> MixMatch:
    """What a mix says of the files of its song, from the cache where it is known."""
    cache = _cache(cache_path())
    chosen = {t.path for t in looked_for(tracks, comparison)[0]}
    rests_on = [mix, *(e for e in entries if e.path in chosen)]
    match = cache.find_match(rests_on)
    if match is None:
        match = match_mix(progress, mix, entries, tracks, comparison)
        cache.keep_match(rests_on, match)
    return match
