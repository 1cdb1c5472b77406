"""Did every requested part come, and as it was requested? Findings about the brief's list of parts."""

from __future__ import annotations

from collections.abc import Iterator

from deep_tally.check.build import about
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet
from deep_tally.model.findings import Action, Finding
from deep_tally.model.parts import RequestedPart
from deep_tally.model.phrase import Phrase

_CHANNEL_WORDS = {1: "mono", 2: "stereo"}


def missing_in(part: RequestedPart, song: SongSet) -> Phrase | None:
    """What of a requested part did not come; None where all of it did.

    A file whose name says none of the requested forms may be any of them: one such file stands for one form.
    """
    if not part.matches:
        return Phrase("part.name", part=part.requested.part)
    wanted = list(part.requested.variants)
    unsaid = 0
    for path in part.paths:
        name = song.names.get(path)
        said = [v for v in part.requested.variants if name is not None and v in name.variants]
        wanted = [v for v in wanted if v not in said]
        unsaid += not said
    if len(wanted) <= unsaid:
        return None
    return Phrase("part.any" if unsaid else "part.all", part=part.requested.part, forms=tuple(wanted))


def part_missing(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Requested parts without a file, or with only one of the forms that were requested."""
    missing = tuple(words for part in song.parts if (words := missing_in(part, song)) is not None)
    if missing and song.assessed:
        yield about("content.part-missing", Action.ASK, (), missing=missing)


def role(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Mono where the brief expects stereo for that part, or the reverse; the two sides of a pair count as stereo."""
    paired = {path for pair in song.comparison.pairs for path in (pair.left, pair.right)}
    tracks = {t.path: t for t in song.assessed}
    done: set[str] = set()
    for part in song.parts:
        wanted = part.requested.channels
        for path in part.paths:
            track = tracks.get(path)
            if wanted is None or track is None or track.format is None or path in done:
                continue
            channels = 2 if path in paired else track.format.channels
            if channels != wanted and channels in _CHANNEL_WORDS:
                done.add(path)
                yield about(
                    "channels.role",
                    Action.NOTE,
                    track,
                    part=part.requested.part,
                    wanted=_CHANNEL_WORDS[wanted],
                    came=_CHANNEL_WORDS[channels],
                )
