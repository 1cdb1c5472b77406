"""Jobs for workers that take long enough to be watched."""

from __future__ import annotations

import time

from deep_tally.measure.job import measure_entry
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry
from deep_tally.work.isolated import OnProgress


def all_but_the_horn(progress: OnProgress, entry: Entry) -> Track:
    """Measure a file, and take a while for each but one."""
    if "Horn" not in entry.path:
        time.sleep(0.7)
    return measure_entry(progress, entry)
