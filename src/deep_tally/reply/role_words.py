"""What a file is for, in words."""

from __future__ import annotations

from deep_tally.model.files import Role
from deep_tally.model.phrase import Phrase


def role_words(role: Role) -> Phrase:
    """A role as a noun: "rough mix", "MIDI file"."""
    return Phrase(f"role.{role.name.lower().replace('_', '-')}")


def role_phrase(role: Role) -> str:
    """A role with its article: "the rough mix", "an effect return", "a trigger"."""
    if role is Role.ROUGH_MIX:
        return f"the {role_words(role)}"
    return f"{'an' if role is Role.EFFECT_RETURN else 'a'} {role_words(role)}"
