"""What a file is for, in words."""

from __future__ import annotations

from deep_tally.model.files import Role
from deep_tally.model.phrase import Phrase


def role_words(role: Role) -> Phrase:
    """A role as a noun: "rough mix", "MIDI file"."""
    return Phrase(f"role.{role.name.lower().replace('_', '-')}")
