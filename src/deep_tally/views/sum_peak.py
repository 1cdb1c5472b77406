"""The peak of all files together in words, and a file's part in it."""

from __future__ import annotations

from deep_tally.model.delivery import SongSet
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import clock, count, decibels, listed
from deep_tally.views.titles import bare_title

_SHOWN_DB = 0.05


def sum_lines(song: SongSet, path: str) -> tuple[str, ...]:
    """What the bench says of one file; nothing where the sum is not known, or the file is not in it."""
    peak = song.sum_peak
    if peak is None or path not in peak.starts:
        return ()
    timeline = song.facts.timeline
    bar = f" (bar {timeline.place_at(peak.seconds).bar})" if timeline is not None else ""
    together = f"{count(len(peak.starts), 'part')} added up as they are peak at {decibels(peak.dbtp, 'dBTP')}"
    lines = [f"{together}, at {clock(peak.seconds)}{bar}."]
    own = next((part for part in peak.parts if part.path == path), None)
    others = listed([readable(bare_title(part.path)) for part in peak.parts if part.path != path])
    if own is None:
        return (*lines, f"Most of that comes from {others}.")
    less = f"lower the peak by {decibels(own.won_db)}" if own.won_db >= _SHOWN_DB else "not lower the peak"
    lines.append(f"This file makes {own.share * 100:.0f} % of it. Turning it down by 3 dB would {less}.")
    return (*lines, f"Most of the rest comes from {others}.")
