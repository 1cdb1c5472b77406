"""Does a file hold what another one holds? Findings of the question "content" that rest on several files."""

from __future__ import annotations

from collections.abc import Iterator

from deep_tally.check.build import about
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding
from deep_tally.names.words import VARIANT_WORDS, words_of


def twin(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The same sound as another file: exact, scaled, inverted or shifted."""
    tracks = {t.path: t for t in song.assessed}
    pairs = {frozenset((p.left, p.right)) for p in song.comparison.pairs}
    for found in song.comparison.twins:
        if found.kind in ("exact", "scaled") and frozenset((found.path, found.other)) in pairs:
            continue  # the two sides of a mono sound
        if found.path in tracks and found.other in tracks:
            rate = tracks[found.path].format
            yield about(
                "content.twin",
                Action.ASK,
                [tracks[found.other], tracks[found.path]],
                kind="question",
                confidence=0.99,
                partner=found.other,
                twin=found.kind,
                gain_db=found.gain_db,
                offset_frames=found.offset_frames,
                ms=found.offset_frames / rate.rate_hz * 1000 if rate is not None else 0.0,
                db=found.residual_db,
            )


def holds_another(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Another delivered file sits inside this one. Groups hold their parts by their nature, a wet part its dry one."""
    tracks = {t.path: t for t in song.assessed}
    for found in song.comparison.contained:
        outer, inner = tracks.get(found.path), tracks.get(found.inner)
        if outer is None or inner is None or Role.GROUP in (outer.role, inner.role) or is_one_part(outer, inner):
            continue
        if outer.role is Role.EFFECT_RETURN:
            continue
        yield about(
            "content.holds-another",
            Action.ASK,
            outer,
            kind="question",
            confidence=0.85,
            partner=found.inner,
            gain_db=found.gain_db,
        )


def is_one_part(one: Track, other: Track) -> bool:
    """Whether the words of one name, without those for a variant, are all among the other's."""
    words = [set(words_of(t.stem)) - VARIANT_WORDS for t in (one, other)]
    return bool(words[0] and words[1]) and (words[0] <= words[1] or words[1] <= words[0])


def sum_of(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A file that is the sum of others: a group, or the mix, beside its own parts."""
    tracks = {t.path: t for t in song.assessed}
    for found in song.comparison.sums:
        if found.path in tracks:
            yield about(
                "content.sum-of",
                Action.NOTE,
                tracks[found.path],
                parts=tuple(path for path, _ in found.parts),
                exact=int(found.is_exact),
                db=found.residual_db,
                files=len(found.parts),
            )
