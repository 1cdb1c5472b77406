"""What can go wrong, each as one clear sentence: which file, what is wrong, what to do."""

from __future__ import annotations

from deep_tally.model.phrase import Phrase


class DeepTallyError(Exception):
    """Root of all errors a caller can meet. `str()` is a sentence fit for the user.

    Parameters
    ----------
    subject : str
        The file or folder it is about, as the user named it.
    problem : Phrase
        What is wrong, a clause without a full stop.
    remedy : Phrase
        What to do about it, a clause without a full stop.
    """

    def __init__(self, subject: str, problem: Phrase, remedy: Phrase) -> None:
        super().__init__(subject, problem, remedy)
        self.subject = subject
        self.problem = problem
        self.remedy = remedy

    @property
    def sentence(self) -> Phrase:
        """What the user reads."""
        return Phrase("sentence", subject=self.subject, problem=self.problem, remedy=self.remedy)

    def __str__(self) -> str:
        return str(self.sentence)


class NothingToCheck(DeepTallyError):
    """The path is missing, cannot be read, is empty, or holds no audio."""


class LeftOut(DeepTallyError):
    """A file or folder of a delivery that could not be looked into; the rest is taken in."""


class BriefRefused(DeepTallyError):
    """The brief is no JSON, of a newer schema, or has a wrong type or an unknown threshold."""


class UnreadableSound(DeepTallyError):
    """A file that should be audio cannot be opened or decoded."""


class NotCheckedHere(DeepTallyError):
    """This machine kept a file from being checked: a full disk, too little memory, a permission, a killed process.

    Nothing says that the file is at fault, so this is never a request to the client.
    """


class CannotWrite(DeepTallyError):
    """An output cannot be written where it was asked for."""


class InsideDelivery(CannotWrite):
    """An output would lie in a folder that the client sent, which was not asked for."""


class WordRefused(DeepTallyError):
    """A word of the user's own vocabulary stands for another part already, or is none."""


class PatternRefused(DeepTallyError):
    """A pattern for names is empty, not closed, or has a field that is not known."""


class SavedCheckRefused(DeepTallyError):
    """A saved check cannot be read, is damaged or none at all, or was written by a newer version."""
