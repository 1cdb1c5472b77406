"""What a client's notes say of single files, or of a place in the song."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Statement:
    """One sentence of a note.

    Attributes
    ----------
    note : str
        Path of the note.
    words : str
        The sentence, as it is written there.
    files : tuple of str
        The files it is about; empty where it is about none that came.
    awaited : tuple of str
        What is still to come, in the client's words ("OH right"); empty where it announces nothing, or all has come.
    sent_again : tuple of str
        Of the files, those that the client will send again.
    answers : frozenset of str
        Codes of findings, or their beginnings ("clipping."), that it already answers for its files; with no files, for
        the set.
    at_s : float or None
        The time in the song it speaks of, in seconds.
    """

    note: str
    words: str
    files: tuple[str, ...] = ()
    awaited: tuple[str, ...] = ()
    sent_again: tuple[str, ...] = ()
    answers: frozenset[str] = frozenset()
    at_s: float | None = None
