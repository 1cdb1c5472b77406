"""How far a rough mix is the sum of its files, in words for the engineer."""

from __future__ import annotations

from deep_tally.model.mix_match import MixMatch
from deep_tally.reply.numbers import count, decibels


def verdict_words(match: MixMatch) -> str:
    """One sentence without its full stop."""
    inside = sum(f.presence == "in" for f in match.files)
    under = f"to {decibels(-match.null_db)} below it"
    if match.verdict == "complete":
        return f"complete: the files add up to the rough mix, {under}"
    if match.verdict == "accounted":
        return f"{inside} of {count(len(match.files), 'file')} account for the rough mix, {under}"
    if match.verdict == "processed":
        through = "through a filter and a moving gain of its own"
        return f"{inside} of {count(len(match.files), 'file')} account for the rough mix {through}, {under}"
    if match.verdict == "unsure":
        share = (
            f"{inside} of {count(len(match.files), 'file')} are in it, {match.matched_share * 100:.0f} % of it matches"
        )
        return f"cannot judge: the rough mix holds much that no file has: a loud part, effects or rides ({share})"
    return "the rough mix holds none of these files: it is of another song, or of another version"


def remainder_words(match: MixMatch) -> str:
    """What is left of the mix, in a sentence without its full stop; empty where nothing can be said of it."""
    if not match.can_judge:
        return ""
    if not match.spans:
        return "nothing in it is without a file"
    return f"{count(len(match.spans), 'stretch', 'stretches')} of it that no file gives"
