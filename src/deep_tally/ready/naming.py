"""What copies are called, by the rename plan, and which names stand in each other's way."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from deep_tally.model.brief import Brief
from deep_tally.model.corrections import Corrections
from deep_tally.model.delivery import SongSet
from deep_tally.model.names import ParsedName
from deep_tally.model.ready import Conflict, Container, ReadyChoices
from deep_tally.names.pattern import storable
from deep_tally.names.plan import DEFAULT_PATTERN, Renamed, make_plan, with_troubles
from deep_tally.ready.drafts import Draft

_SIDES = {"left": "L", "right": "R"}


def names_of(
    song: SongSet,
    drafts: Sequence[Draft],
    brief: Brief,
    corrections: Corrections,
    choices: ReadyChoices,
    container: Container,
) -> tuple[str, ...]:
    """A name for each copy, ending included.

    Raises
    ------
    PatternRefused
        No names can be made of the user's pattern.
    """
    heads = [draft.sources[0] for draft in drafts]
    parsed = {head: _bare(song.names[head], draft) for head, draft in zip(heads, drafts, strict=True)}
    planned = make_plan(
        list(dict.fromkeys(heads)),
        parsed,
        song.facts,
        pattern=corrections.pattern or brief.names.pattern or DEFAULT_PATTERN,
        order=corrections.order,
        own=corrections.names,
        longest=brief.names.longest,
    )
    stems = {renamed.path: _stem(renamed.new, renamed.path) for renamed in planned}
    named = []
    for draft in drafts:
        head = draft.sources[0]
        stem = stems[head] if choices.takes("name", *draft.sources) else song.by_path[head].stem
        if draft.name:
            stem = storable(draft.name)
        if draft.side:
            stem = f"{stem} {_SIDES[draft.side]}"
        named.append(f"{stem}.{container}" if stem else "")
    return tuple(named)


def _stem(name: str, path: str) -> str:
    """A new name without the ending that the plan keeps of the old one."""
    dot = path.rpartition("/")[2].rpartition(".")
    return name.removesuffix(f".{dot[2].casefold()}") if dot[1] and dot[2] else name


def _bare(name: ParsedName, draft: Draft) -> ParsedName:
    """Without what names one of several that are one copy now."""
    if not draft.is_bare:
        return name
    return replace(name, tokens=tuple(t for t in name.tokens if t.kind not in ("side", "index")))


def conflicts_of(names: Sequence[str], drafts: Sequence[Draft], longest: int) -> Iterator[Conflict]:
    """Names that are the same on some system, are empty, or are too long."""
    keys = [f"{place}" for place in range(len(names))]
    checked = with_troubles([Renamed(key, name) for key, name in zip(keys, names, strict=True)], longest)
    for renamed, draft in zip(checked, drafts, strict=True):
        if renamed.trouble:
            others = tuple(drafts[int(key)].sources[0] for key in renamed.others)
            yield Conflict(trouble=renamed.trouble, name=renamed.new, sources=draft.sources, others=others)
