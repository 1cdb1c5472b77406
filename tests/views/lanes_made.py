"""Lanes made by hand: of one second, at a place, with an overview of 48 frames a bin."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from deep_tally.model.measures import OverviewLevel
from deep_tally.model.placement import Placement
from deep_tally.views.lanes import Lane
from tracks import MEASURES, RATE, track


def lane(path: str = "a.wav", *, start_s: float = 0.0, rate_hz: int = RATE, seconds: float = 1.0) -> Lane:
    frames = round(seconds * rate_hz)
    bins = np.zeros((frames // 48, 1), np.float16)
    file = track(path, rate_hz=rate_hz, frames=frames)
    measures = replace(MEASURES, frames=frames, overview=(OverviewLevel(bin_frames=48, low=bins, high=bins, rms=bins),))
    return Lane(
        track=replace(file, measures=measures),
        number="",
        title=path,
        family="other",
        start_s=start_s,
        stop_s=start_s + seconds,
        placement=Placement(frames=round(start_s * rate_hz), by="hand") if start_s else None,
        end_frames=None,
        says="",
        action=None,
        marks=(),
    )
