"""Plans of sets of tracks with chosen measures."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from deep_tally.check.registry import tally
from deep_tally.model.brief import DEFAULT_BRIEF, Brief
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.delivery import Delivery, SongSet, Track
from deep_tally.model.ready import AS_PLANNED, Copy, ReadyChoices, ReadyPlan, Step
from deep_tally.ready.plan import plan_ready
from tracks import others, song_of


def plan_of(
    *tracks: Track,
    brief: Brief = DEFAULT_BRIEF,
    corrections: Corrections = NO_CORRECTIONS,
    choices: ReadyChoices = AS_PLANNED,
    rest: int = 4,
    song: SongSet | None = None,
    **options: Any,
) -> ReadyPlan:
    """The plan of these tracks among clean ones."""
    song = song or song_of([*tracks, *others(rest)], brief=brief, **options)
    delivery = Delivery(source=Path("/x"), name="x", sets=(song,), findings=tally(song, brief))
    return plan_ready(delivery, brief, corrections, choices)


def copy_of(plan: ReadyPlan, source: str) -> Copy:
    """The copy with this source among its own."""
    (found,) = (copy for copy in plan.copies if source in copy.sources)
    return found


def steps(copy: Copy) -> list[str]:
    """What is done for a copy, but for its name."""
    return [step.name for step in copy.steps if step.name != "name"]


def step_of(copy: Copy, name: str) -> Step:
    """What is done for a copy of one kind."""
    (found,) = (step for step in copy.steps if step.name == name)
    return found


def out_of(plan: ReadyPlan) -> dict[str, str]:
    """Why files are left out."""
    return {left.source: left.reason for left in plan.left_out}


def spans(copy: Copy) -> Sequence[tuple[int, int, int]]:
    """Of each piece: where it begins, what is left out before, how much follows."""
    return [(piece.at, piece.skip, piece.frames) for piece in copy.pieces]
