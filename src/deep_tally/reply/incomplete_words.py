"""What this machine kept from being checked, in words for the engineer; the client never reads them."""

from __future__ import annotations

from deep_tally.model.files import Incomplete
from deep_tally.reply.numbers import count, listed

_NAMED_MOST = 3


def incomplete_words(incomplete: Incomplete) -> str:
    """One sentence: which files, what could not be done, why, what to do."""
    files = incomplete.files
    names = listed([path.rpartition("/")[2] for path in files], most=_NAMED_MOST)
    if incomplete.what == "comparing":
        what = f"{count(len(files), 'file')} could not be compared with each other here ({names})"
    elif incomplete.what == "matching":
        what = f"{names} could not be compared with the other files here"
    elif incomplete.what == "opening":
        what = f"{names} could not be opened here"
    elif len(files) == 1:
        what = f"{files[0]} could not be checked here"
    else:
        what = f"{len(files)} files could not be checked here ({names})"
    return f"{what}: {incomplete.problem}; {incomplete.remedy}."
