"""What of a delivery was not checked, in words for the window: by this machine's doing, and by what was sent."""

from __future__ import annotations

from deep_tally.model.delivery import Delivery
from deep_tally.model.files import Incomplete, Intake
from deep_tally.reply.action_words import readable
from deep_tally.reply.incomplete_words import incomplete_words


def _incomplete(intake: Intake | None, delivery: Delivery | None) -> tuple[Incomplete, ...]:
    if delivery is not None:
        return delivery.incomplete
    return intake.incomplete if intake is not None else ()


def sentences(intake: Intake | None, delivery: Delivery | None) -> tuple[list[str], list[str]]:
    """(what this machine kept from being checked, what was sent so that it cannot be looked into), a sentence each."""
    troubles = intake.troubles if intake is not None else ()
    return (
        [readable(incomplete_words(i)) for i in _incomplete(intake, delivery)],
        [readable(trouble) for trouble in troubles],
    )


def button_words(intake: Intake | None, delivery: Delivery | None) -> str:
    """ "2 not checked here, 1 left out"; empty where all was checked."""
    incomplete = _incomplete(intake, delivery)
    unchecked = {path for i in incomplete if i.what not in ("comparing", "matching") for path in i.files}
    words = [f"{len(unchecked)} not checked here"] if unchecked else []
    words += ["not compared here"] if any(i.what in ("comparing", "matching") for i in incomplete) else []
    troubles = len(intake.troubles) if intake is not None else 0
    words += [f"{troubles} left out"] if troubles else []
    return ", ".join(words)
