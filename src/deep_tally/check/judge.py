"""Measured files and a brief become a judged delivery. Reads no audio: an edited brief gives a new tally at once."""

from __future__ import annotations

from collections.abc import Sequence

from deep_tally.check.common import find_common
from deep_tally.check.registry import tally
from deep_tally.intake.facts import read_facts
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import Delivery, SongSet, Track
from deep_tally.model.files import Intake


def judge(intake: Intake, tracks: Sequence[Track], brief: Brief) -> Delivery:
    """Form the song set of a delivery and tally its findings.

    Parameters
    ----------
    intake : Intake
        What came.
    tracks : sequence of Track
        The measured files, in any order; files not measured yet may be missing.
    """
    order = {entry.path: index for index, entry in enumerate(intake.entries)}
    ordered = tuple(sorted(tracks, key=lambda t: order[t.path]))
    comments = [c for t in ordered if t.format is not None for c in t.format.comments]
    facts = read_facts(intake.name, [entry.path for entry in intake.entries], comments)
    song = SongSet(name=facts.title or intake.name, tracks=ordered, facts=facts, common=find_common(ordered, brief))
    return Delivery(
        source=intake.source,
        name=intake.name,
        sets=(song,),
        others=tuple(e for e in intake.entries if not e.role.is_audio),
        troubles=intake.troubles,
        findings=tally(song, brief),
    )
