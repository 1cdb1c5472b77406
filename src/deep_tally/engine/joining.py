"""A delivery becomes the next round of a saved check, in a worker: files are matched, and read where they changed."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from deep_tally.engine.opening import Opened
from deep_tally.engine.round_sides import Joining, side_of_saved
from deep_tally.engine.rounds import RoundsOf
from deep_tally.engine.saved import SavedPlace, unpacked
from deep_tally.intake.unpacked import UnpackFolder
from deep_tally.model.errors import DeepTallyError
from deep_tally.session.corrections import new_record
from deep_tally.session.saved_checks import now, read_check
from deep_tally.session.words import vocabulary_at_hand
from deep_tally.work.isolated import OnProgress


def join(progress: OnProgress, joining: Joining) -> Opened | DeepTallyError:
    """The delivery as it is to be judged now, with where it is saved and what became of each file."""
    try:
        check = read_check(joining.path)
    except DeepTallyError as error:
        return error
    vocabulary, _ = vocabulary_at_hand()
    earlier = check.rounds[: joining.rounds] if joining.rounds is not None else check.rounds
    folder = UnpackFolder()
    try:
        before = replace(earlier[-1], found=unpacked(earlier[-1], folder.files, progress))
        first = side_of_saved(before, joining.brief, vocabulary)
        second = side_of_saved(joining.second, joining.brief, vocabulary)
        rounds = RoundsOf(first, second, partial=joining.partial, said=joining.said or {})
        opened, since = rounds.opened(), rounds.since()
    finally:
        folder.remove()
    place = SavedPlace(
        path=joining.path,
        revision=check.revision,
        checked_at=joining.checked_at or now(),
        earlier=earlier,
        since=since,
    )
    said = joining.second.corrections if joining.rounds is not None else opened.corrections
    return replace(
        opened,
        corrections=replace(said, stands_for=dict(joining.said or {})),
        saved=place,
        record=new_record(opened.found.source, opened.files),
        paths=tuple(map(Path, joining.second.paths)),
    )
