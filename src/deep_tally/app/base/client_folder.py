"""Nothing is saved into a client's folder unless the user says so."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QWidget

from deep_tally.app.base.plain import ask_whether
from deep_tally.model.errors import CannotWrite
from deep_tally.model.files import ClientFiles
from deep_tally.reply.action_words import readable
from deep_tally.work.atomic import is_inside_delivery, require_not_the_clients


def may_save(parent: QWidget, path: Path, client: ClientFiles) -> bool:
    """Whether to go on and save an output there: outside the client's folder, or inside when the user agrees.

    What cannot be written at all, as over one of the client's files, is not asked about: writing it says why.
    """
    try:
        require_not_the_clients(path, client, into_delivery=True)
        inside = is_inside_delivery(path, client)
    except CannotWrite:
        return True
    question = (
        f"“{readable(path.name)}” would be saved inside the client's folder.\nOutside it, the delivery stays as it was"
        " sent. Save it inside all the same?"
    )
    return not inside or ask_whether(parent, "Inside the client's folder", question, "Save it there")
