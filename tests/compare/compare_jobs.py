"""Jobs for workers: comparing that does not end, or fails."""

from __future__ import annotations

import time

from deep_tally.model.comparison import Comparison


def never(progress: object, entries: object, tracks: object) -> Comparison:
    time.sleep(120)
    return Comparison()


def broken(progress: object, entries: object, tracks: object) -> Comparison:
    raise ValueError("no")
