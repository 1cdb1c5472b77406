"""Which files are like one, so that what is said of it can be said of all of them?"""

from __future__ import annotations

from collections.abc import Sequence

from deep_tally.names.words import words_of
from deep_tally.views.rows import Row


def files_like(row: Row, rows: Sequence[Row]) -> tuple[str, ...]:
    """The paths of a file and all that are like it, in their order.

    Those are files of one role which are likely to be something for the same reason, or lie in the same folder below
    the delivery's own, or whose names have the same words but for numbers.
    """
    return tuple(other.track.path for other in rows if other is row or _is_like(row, other))


def _is_like(one: Row, other: Row) -> bool:
    a, b = one.track, other.track
    if a.role is not b.role or (one.companion is None) != (other.companion is None):
        return False
    if a.basis.is_likely or b.basis.is_likely:
        return a.basis == b.basis
    folder, its = a.path.rpartition("/")[0], b.path.rpartition("/")[0]
    words = words_of(a.stem)
    return (bool(folder) and folder == its) or (bool(words) and words == words_of(b.stem))
