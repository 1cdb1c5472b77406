"""Files as a client knows them: without ending and shared beginning, with the folder where a name repeats."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from itertools import chain

from deep_tally.model.delivery import Delivery
from deep_tally.names.prefix import LEADING, shared_prefix
from deep_tally.names.words import stem_of
from deep_tally.reply.action_words import readable

_WORDS_MOST = 8


def short_names(delivery: Delivery) -> Mapping[str, str]:
    """What each file of a delivery is called in a letter, by its path: every name names one file.

    Names of songs stand before those of their files where there are several.
    """
    named: dict[str, str] = {}
    for song in delivery.sets:
        paths = [t.path for t in song.tracks]
        in_song = _apart(paths)
        several = len(delivery.sets) > 1
        named |= {path: f"{song.name} / {name}" if several else name for path, name in in_song.items()}
    return {path: readable(cut(name)) for path, name in named.items()}


def cut(name: str, most: int = _WORDS_MOST) -> str:
    """A name of at most so many words."""
    words = name.split()
    return name if len(words) <= most else " ".join(words[: most - 1]) + " …"


def _apart(paths: Iterable[str]) -> dict[str, str]:
    """Shortened as far as they stay apart: without prefix, else whole, else with ending, else with their folders."""
    paths = list(paths)
    stems = {path: stem_of(path) for path in paths}
    prefix = shared_prefix(stems.values())
    ways = (
        {path: _without(stem, prefix) for path, stem in stems.items()},
        stems,
        {path: path.rpartition("/")[2] for path in paths},
        {path: " / ".join(path.split("/")[-2:]) for path in paths},
        {path: path for path in paths},
    )
    names: dict[str, str] = {}
    for way in ways:
        left = [path for path in paths if path not in names]
        counts = Counter(name.casefold() for name in chain(names.values(), (way[path] for path in left)))
        names |= {path: way[path] for path in left if counts[way[path].casefold()] == 1}
    return names | {path: path for path in paths if path not in names}


def _without(stem: str, prefix: str) -> str:
    """A name without the beginning it shares with the others; its track number stays."""
    number = LEADING.match(stem)
    head = stem[: number.end()] if number else ""
    rest = stem[len(head) :].lstrip(" _-.)]:") if number else stem
    if not prefix or not rest.casefold().startswith(prefix.casefold()):
        return stem
    own = rest[len(prefix) :].lstrip(" _-.)]:")
    return f"{head.strip()} {own}".strip() if own else stem
