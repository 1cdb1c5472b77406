"""What is said of a saved check whose files are not what they were."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from deep_tally.reply.numbers import count, listed


def saved_words(*, changed: Sequence[str], missing: Sequence[str], files: int) -> Iterator[str]:
    """A sentence each for files that were changed since the check was saved, and for those that are not there."""
    if changed:
        names = listed([_name(path) for path in changed], most=3)
        yield f"Changed since this check was saved: {names}. What is shown is how the files were then."
    if missing:
        if len(missing) == files:
            yield "The files of this check are not where they were, so nothing can be played."
        else:
            names = listed([_name(path) for path in missing], most=3)
            yield f"{count(len(missing), 'file')} of this check cannot be found any more: {names}."


def _name(path: str) -> str:
    return f"“{path.rpartition('/')[2]}”"
