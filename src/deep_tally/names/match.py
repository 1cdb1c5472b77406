"""Which files stand for which requested parts? Many to many, each pair with a confidence."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache

from deep_tally.model.brief import Part
from deep_tally.model.names import ParsedName
from deep_tally.model.parts import Match, RequestedPart
from deep_tally.names.read import parse_part
from deep_tally.names.vocabulary import Vocabulary, shipped

LEAST = 0.5
_SAME, _OF_FAMILY, _GENERAL, _ALSO, _GROUP = 1.0, 0.7, 0.65, 0.85, 0.6
_UNSAID = 0.25
_NEAR_BEST = 0.2
_ALIKE_LEAST = 85.0
# Forms of a part that exclude each other: a file that says one is not the other.
_OPPOSITES = (
    {"inside", "outside", "sub"},
    {"top", "bottom"},
    {"dry", "wet"},
    {"DI", "amp", "mic"},
    {"close", "far", "room", "overhead"},
    {"high", "mid", "low"},
    {"clean", "distorted"},
)


def match_parts(
    requested: Sequence[Part],
    names: Mapping[str, ParsedName],
    *,
    set_by_user: Mapping[str, Sequence[str]] | None = None,
    vocabulary: Vocabulary | None = None,
) -> tuple[RequestedPart, ...]:
    """Match a brief's parts to files.

    Parameters
    ----------
    requested : sequence of Part
    names : mapping of path to ParsedName
    set_by_user : mapping of path to part names
        What the user said: those parts and no others; an empty sequence is "none of them".
    vocabulary : Vocabulary, optional

    Returns
    -------
    tuple of RequestedPart
        In the order requested.
    """
    words = vocabulary or shipped()
    listed = {part.part for part in requested}
    # What the user set for parts of another list says nothing about this one.
    said = {path: parts for path, parts in (set_by_user or {}).items() if not parts or listed & set(parts)}
    wanted = [parse_part(part.part, words) for part in requested]
    scores: list[dict[str, float]] = [{} for _ in requested]
    for path, name in names.items():
        if path in said:
            continue
        of_file = [score(want, name, words) for want in wanted]
        best = max(of_file, default=0.0)
        for found, value in zip(scores, of_file, strict=True):
            if value >= LEAST and value >= best - _NEAR_BEST:
                found[path] = value
    matched = []
    for part, found in zip(requested, scores, strict=True):
        best = max(found.values(), default=0.0)
        matches = [Match(p, round(v, 3)) for p, v in found.items() if v >= best - _NEAR_BEST - 0.1]
        matches += [
            Match(p, 1.0, is_set_by_user=True) for p, parts in said.items() if part.part in parts and p in names
        ]
        matched.append(RequestedPart(part, tuple(sorted(matches, key=lambda m: -m.confidence))))
    return tuple(matched)


@lru_cache(maxsize=20_000)
def score(requested: ParsedName, name: ParsedName, vocabulary: Vocabulary) -> float:
    """How sure a file's name stands for a requested part, 0 to 1."""
    value = _of_part(requested, name, vocabulary) * (name.confidence or 1.0)
    if not value or _contradict(requested, name):
        return 0.0
    if (name.family == "groups") != (requested.family == "groups"):
        value = min(value, _GROUP)
    said = {*name.variants, name.side, name.first("index")}
    unsaid = [v for v in (*requested.variants, requested.side, requested.first("index")) if v and v not in said]
    return max(0.0, value - _UNSAID * len(unsaid))


def _of_part(requested: ParsedName, name: ParsedName, vocabulary: Vocabulary) -> float:
    if requested.part is None or name.part is None:
        return _alike(requested, name)
    if requested.part == name.part:
        return _SAME
    if requested.part in name.parts:
        return _ALSO
    if vocabulary.families.get(requested.part) != vocabulary.families.get(name.part):
        return 0.0
    if requested.part in vocabulary.general:
        return _OF_FAMILY
    return _GENERAL if name.part in vocabulary.general else 0.0


def _alike(requested: ParsedName, name: ParsedName) -> float:
    """Words the vocabulary does not know: how alike they are (share of shared words and letters)."""
    wanted, has = requested.own_words.casefold(), name.own_words.casefold()
    if not wanted or not has:
        return 0.0
    from rapidfuzz import fuzz  # only where words are not known

    ratio = fuzz.token_set_ratio(wanted, has)
    return ratio / 100 * 0.9 if ratio >= _ALIKE_LEAST else 0.0


def _contradict(requested: ParsedName, name: ParsedName) -> bool:
    if requested.side and name.side and requested.side != name.side:
        return True
    wanted, has = requested.first("index"), name.first("index")
    if wanted and has and wanted != has:
        return True
    requested_forms, said = set(requested.variants), set(name.variants)
    return any(requested_forms & group and said & group and not requested_forms & said & group for group in _OPPOSITES)
