"""What the user said of a delivery, in a few words."""

from __future__ import annotations

from deep_tally.model.corrections import Corrections
from deep_tally.model.letter_edits import NO_EDITS
from deep_tally.model.ready import AS_PLANNED
from deep_tally.reply.numbers import count, listed


def correction_words(corrections: Corrections) -> str:
    """What was said: "the roles of 2 files, the rough mix and the tempo"; nothing where nothing was."""
    files = (
        ("role", corrections.roles),
        ("song", corrections.songs),
        ("part", corrections.parts),
        ("place", corrections.places),
        ("name", corrections.names),
    )
    said = [f"the {what if len(of) == 1 else what + 's'} of {count(len(of), 'file')}" for what, of in files if of]
    said += ["the rough mix"] if corrections.rough_mixes else []
    said += ["the tempo"] if corrections.tempos else []
    said += ["how names are made"] if corrections.pattern is not None or corrections.order != "delivered" else []
    said += [count(len(corrections.decisions), "decision")] if corrections.decisions else []
    said += ["the reply"] if corrections.letter != NO_EDITS else []
    said += ["the names in the reply"] if corrections.in_reply else []
    said += ["the ready copy"] if corrections.ready != AS_PLANNED else []
    return listed(said)
