"""Which rows of the sheet are shown."""

from __future__ import annotations

from dataclasses import dataclass

from deep_tally.model.findings import Action
from deep_tally.reply.action_words import ACTION_WORDS
from deep_tally.views.rows import Row


@dataclass(frozen=True, slots=True)
class Filter:
    """Which rows to show: with findings of an action, in a column, with words in their name, or these very files.

    `line` is the line of the brief that those files do not meet; without one, they are probably no plain tracks.
    """

    action: Action | None = None
    question: str | None = None
    words: str = ""
    paths: frozenset[str] = frozenset()
    line: str = ""

    def keeps(self, row: Row) -> bool:
        """Whether a row is shown."""
        if any(word not in row.track.path.casefold() for word in self.words.casefold().split()):
            return False
        if self.paths and row.track.path not in self.paths:
            return False
        if self.action is None and self.question is None:
            return True
        return any(
            (self.action is None or f.action is self.action) and (self.question is None or f.question == self.question)
            for f in row.findings
        )

    @property
    def says(self) -> str:
        """What is shown, as the button says it."""
        if self.paths and not self.line:
            return "Only: probably no plain tracks"
        if self.paths:
            return f"Only: not as requested, {self.line.lower()}"
        if self.action is None and self.question is None:
            return "Show everything"
        parts = [ACTION_WORDS[self.action]] if self.action else []
        if self.question:
            parts.append(self.question)
        return f"Only: {', '.join(parts)}"
