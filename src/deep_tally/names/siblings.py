"""Which files are two sides, or two forms, of one part?"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping

from deep_tally.model.names import ParsedName

_FORMS = frozenset({"dry", "wet", "DI", "amp", "mic", "clean", "reamped"})
"""Forms that come side by side of one and the same take."""


def siblings_of(names: Mapping[str, ParsedName]) -> dict[str, str]:
    """Files that belong together: left and right, dry and wet, DI and amp.

    Returns
    -------
    dict of path to str
        What the tied files share, the same for all of them; files that stand alone are missing.
    """
    groups: defaultdict[str, list[str]] = defaultdict(list)
    for path, name in names.items():
        forms = [v for v in name.variants if v in _FORMS]
        if name.side is None and not forms:
            continue
        rest = [v for v in name.variants if v not in _FORMS]
        words = name.part or name.own_words.casefold()
        groups["/".join((path.rpartition("/")[0], words, name.first("index") or "", " ".join(rest)))].append(path)
    tied: dict[str, str] = {}
    for key, paths in groups.items():
        text = {(names[p].side, tuple(v for v in names[p].variants if v in _FORMS)) for p in paths}
        if len(text) > 1:
            tied |= dict.fromkeys(paths, key)
    return tied
