"""All checks in one visible tuple, and how their findings become the tally of a set."""

from __future__ import annotations

import inspect
from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

from deep_tally.check.answered import unasked
from deep_tally.check.mends import with_mends
from deep_tally.check.root_causes import under_root_causes
from deep_tally.check.rules import (
    channels,
    click,
    clipping,
    content,
    depth,
    dropouts,
    exports,
    headroom,
    in_mix,
    leftover,
    length,
    name,
    parts,
    placing,
    rate,
    relations,
    scope,
    start,
)
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet
from deep_tally.model.findings import QUESTIONS, Action, Finding, Kind

Find = Callable[[SongSet, Brief], Iterator[Finding]]


@dataclass(frozen=True, slots=True)
class Check:
    """One finding code and the function that looks for it.

    `alone`: it asks nothing but a file's own measures, so that what it finds is known as soon as the file is measured.
    """

    code: str
    find: Find
    alone: bool = False

    def __post_init__(self) -> None:
        if self.code.partition(".")[0] not in QUESTIONS:
            raise ValueError(f"{self.code!r} answers none of the nine questions")
        if list(inspect.signature(self.find).parameters) != ["song", "brief"]:
            raise TypeError(f"the check of {self.code!r} must take (song, brief)")


CHECKS = (
    Check("start.at-sound", start.at_sound),
    Check("start.set-at-sound", start.set_at_sound),
    Check("start.unplaced", placing.unplaced),
    Check("start.offset", start.offset),
    Check("start.stamp-differs", start.stamp_differs),
    Check("start.stamp-partial", start.stamp_partial),
    Check("start.cut-in", start.cut_in),
    Check("start.codec-delay", start.codec_delay, alone=True),
    Check("start.click-off-bar", click.off_bar),
    Check("length.short", length.short),
    Check("length.ends-differ", length.ends_differ),
    Check("length.tail-room", length.tail_room),
    Check("length.long", length.long),
    Check("length.tail-cut", length.tail_cut),
    Check("length.set-cut", length.set_cut),
    Check("length.not-bars", length.not_bars),
    Check("length.loop-not-bars", length.loop_not_bars),
    Check("length.click-short", click.stops_early),
    Check("length.idle-tail", length.idle_tail),
    Check("length.set-short-of-mix", in_mix.set_short_of_mix),
    Check("length.set-past-mix", in_mix.set_past_mix),
    Check("rate.differs", rate.differs),
    Check("rate.off-brief", rate.off_brief),
    Check("rate.upsampled", rate.upsampled),
    Check("rate.wrong-speed", in_mix.wrong_speed),
    Check("depth.differs", depth.differs),
    Check("depth.low", depth.low),
    Check("depth.off-brief", depth.off_brief, alone=True),
    Check("depth.padded", depth.padded),
    Check("clipping.baked", clipping.baked, alone=True),
    Check("clipping.earlier", clipping.earlier),
    Check("clipping.over", clipping.over, alone=True),
    Check("clipping.between-samples", clipping.between_samples, alone=True),
    Check("headroom.hot", headroom.hot, alone=True),
    Check("headroom.quiet", headroom.quiet, alone=True),
    Check("headroom.normalised", headroom.normalised),
    Check("headroom.same-peak", headroom.same_peak),
    Check("headroom.shared-ceiling", headroom.shared_ceiling),
    Check("headroom.limited", headroom.limited),
    Check("headroom.dc", headroom.dc, alone=True),
    Check("channels.same", channels.same, alone=True),
    Check("channels.panned-mono", channels.panned_mono, alone=True),
    Check("channels.one-side", channels.one_side),
    Check("channels.opposed", channels.opposed, alone=True),
    Check("channels.near-mono", channels.near_mono, alone=True),
    Check("channels.pair-same", channels.pair_same),
    Check("channels.split-pair", channels.split_pair),
    Check("channels.doubles", channels.doubles),
    Check("channels.half-pair", channels.half_pair),
    Check("channels.unrelated", channels.unrelated, alone=True),
    Check("channels.many", channels.many, alone=True),
    Check("channels.to-split", channels.to_split, alone=True),
    Check("channels.role", parts.role),
    Check("channels.all-mono", in_mix.all_mono),
    Check("name.generic", name.generic),
    Check("name.no-part", name.no_part),
    Check("name.characters", name.characters),
    Check("name.clash", name.clash),
    Check("name.long", name.long),
    Check("name.copy-mark", name.copy_mark),
    Check("name.number-gap", name.number_gap),
    Check("name.number-twice", name.number_twice),
    Check("name.pattern", name.pattern),
    Check("name.prefix", name.prefix),
    Check("name.contradicts", name.contradicts),
    Check("name.facts-missing", name.facts_missing),
    Check("name.facts-differ", name.facts_differ),
    Check("content.damaged", content.damaged, alone=True),
    Check("content.unreadable-kind", content.unreadable_kind, alone=True),
    Check("content.empty", content.empty, alone=True),
    Check("content.nonfinite", content.nonfinite, alone=True),
    Check("content.dropout", dropouts.dropout, alone=True),
    Check("content.lossy", content.lossy),
    Check("content.lossy-origin", content.lossy_origin),
    Check("content.container", content.container, alone=True),
    Check("content.twin", relations.twin),
    Check("content.holds-another", relations.holds_another),
    Check("content.sum-of", relations.sum_of),
    Check("content.clips", placing.clips),
    Check("content.part-missing", parts.part_missing),
    Check("content.no-rough-mix", content.no_rough_mix),
    Check("content.companion-missing", content.companion_missing),
    Check("content.scope", scope.scope),
    Check("content.several-mixes", content.several_mixes),
    Check("content.mix-copy", content.mix_copy),
    Check("content.two-exports", exports.two_exports),
    Check("content.leftover", leftover.leftover),
    Check("content.unaccounted", in_mix.unaccounted),
    Check("content.not-in-mix", in_mix.not_in_mix),
    Check("content.level-moved", in_mix.level_moved),
    Check("content.import-tags", content.import_tags, alone=True),
    Check("content.edit-jump", content.edit_jump, alone=True),
    Check("content.hum", content.hum, alone=True),
)
"""Every check, in the order findings are shown."""

_SILENT_UNDER, _NOTE_UNDER = 0.5, 0.8
_SHARED_LEAST = 3

CODES = tuple(check.code for check in CHECKS)
if len(set(CODES)) != len(CODES):
    raise ValueError("two checks claim the same code")


def tally(song: SongSet, brief: Brief) -> tuple[Finding, ...]:
    """All findings of a set: those that another explains under it, and what most files share reported once."""
    return _tally(CHECKS, song, brief)


def tally_alone(song: SongSet, brief: Brief) -> tuple[Finding, ...]:
    """What the files of a set show by themselves."""
    return _tally(_ALONE, song, brief)


_ALONE = tuple(check for check in CHECKS if check.alone)


def _tally(checks: Sequence[Check], song: SongSet, brief: Brief) -> tuple[Finding, ...]:
    found = [
        with_mends(replace(left, song=song.name), song)
        for check in checks
        for finding in check.find(song, brief)
        if (sure := as_sure(finding)) is not None
        for left in unasked(sure, song)
    ]
    return tuple(sorted(_say_once(under_root_causes(found)), key=lambda f: CODES.index(f.code)))


def as_sure(finding: Finding) -> Finding | None:
    """A finding with no more weight than its confidence gives it."""
    if finding.confidence < _SILENT_UNDER:
        return None
    if finding.confidence < _NOTE_UNDER and finding.action is not Action.NOTE:
        return replace(finding, action=Action.NOTE, kind=None)
    return finding


def _say_once(findings: Sequence[Finding]) -> Iterator[Finding]:
    """One cause is one finding: what three files or more share becomes one, which holds each file's figures."""
    alike: defaultdict[tuple[str, Action, Kind | None], list[Finding]] = defaultdict(list)
    for finding in findings:
        if len(finding.files) == 1:
            alike[finding.code, finding.action, finding.kind].append(finding)
        else:
            yield finding
    for group in alike.values():
        if len(group) >= _SHARED_LEAST:
            yield _merge(group)
        else:
            yield from group


def _merge(group: Sequence[Finding]) -> Finding:
    return replace(
        group[0],
        confidence=min(f.confidence for f in group),
        files=tuple(path for f in group for path in f.files),
        evidence={"files": len(group)},
        by_file={f.files[0]: f.evidence for f in group},
        places=tuple(place for f in group for place in f.places),
        places_total=sum(f.places_total for f in group),
        consequences=tuple(a for f in group for a in f.consequences),
        mends={path: mend for f in group for path, mend in f.mends.items()},
    )
