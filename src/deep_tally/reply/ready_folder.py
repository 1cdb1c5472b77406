"""What lies beside the copies of a ready copy, put together from what is known: sheet, tempo, markers, edit list."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from pathlib import Path

from deep_tally.model.delivery import Delivery
from deep_tally.model.ready import Copy, ReadyPlan
from deep_tally.ready.hand_over import HandOver, clips_of, markers_of
from deep_tally.reply.formats.session_sheet import sheet_to_html
from deep_tally.reply.session_sheet import session_sheets

FOLDER = "Session"
"""Inside the folder of a song's copies."""


def hand_overs(delivery: Delivery, plan: ReadyPlan, sources: Mapping[str, Path]) -> Iterator[HandOver]:
    """One for each song of which anything is copied.

    Parameters
    ----------
    delivery : Delivery
        Of which the plan is.
    plan : ReadyPlan
    sources : mapping of path to Path
        Where the originals are.
    """
    sheets = session_sheets(delivery)
    for song, placed, sheet in zip(delivery.sets, plan.songs, sheets, strict=True):
        copies = [copy for copy in plan.copies if copy.song == song.name]
        if not copies:
            continue
        frames, rate_hz, reference = Counter(map(_shape, copies)).most_common(1)[0][0]
        yield HandOver(
            song=sheet.title,
            folder=f"{placed.folder}{FOLDER}",
            texts={"Session sheet.html": sheet_to_html([sheet])},
            timeline=song.facts.timeline,
            lead_s=-placed.start_s,
            markers=markers_of(song, placed),
            clips=clips_of(placed, copies, sources, song),
            frames=frames,
            rate_hz=rate_hz,
            time_reference=reference,
        )


def _shape(copy: Copy) -> tuple[int, int, int]:
    return copy.frames, copy.rate_hz, copy.time_reference
