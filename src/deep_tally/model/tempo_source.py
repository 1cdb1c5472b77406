"""Where a fact about the song was taken from: the words for it, and a short word where there is little room."""

from __future__ import annotations

from deep_tally.model.phrase import Phrase

SET_BY_USER, BRIEF, MIDI = Phrase("source.user"), Phrase("source.brief"), Phrase("source.midi")
METADATA, NOTES, FOLDER = Phrase("source.metadata"), Phrase("source.notes"), Phrase("source.folder")
FILES_NAMES, CLICKS_NAME = Phrase("source.file-names"), Phrase("source.click-name")
CLICK = Phrase("source.click")


def short_words(source: Phrase | None) -> str:
    """A source in one word; nothing where there is none."""
    return Phrase(f"{source.key}.short") if source is not None else ""
