"""What a worker does for one file of a check: recall what was measured before, else measure and keep it."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from platformdirs import user_cache_path

from deep_tally.measure.apart import OnProgress
from deep_tally.measure.job import measure_entry
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry
from deep_tally.session.cache import MeasureCache


def cache_path() -> Path:
    """Where the measures are kept (XDG cache folder)."""
    return user_cache_path("deep-tally") / "measures.sqlite"


@lru_cache(maxsize=1)
def _cache(path: Path) -> MeasureCache:
    """One open store for all the files of a worker."""
    return MeasureCache(path)


def recall_or_measure(progress: OnProgress, entry: Entry) -> Track:
    """The track of a file, from the cache where it is known."""
    cache = _cache(cache_path())
    track = cache.find(entry)
    if track is None:
        track = measure_entry(progress, entry)
        cache.keep(entry, track)
    return track
