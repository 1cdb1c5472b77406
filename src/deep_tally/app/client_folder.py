"""Nothing is saved into a client's folder unless the user says so."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QWidget

from deep_tally.app.plain import ask_whether
from deep_tally.model.errors import CannotWrite
from deep_tally.model.files import ClientFiles
from deep_tally.reply.action_words import readable
from deep_tally.whole import is_inside_delivery


def may_save(parent: QWidget, path: Path, client: ClientFiles) -> bool:
    """Whether an output may be saved there: outside the client's folder, or inside when the user agrees.

    Whether it is one of the client's files is refused when it is written.
    """
    try:
        inside = is_inside_delivery(path, client)
    except CannotWrite:
        return True  # what is wrong with the path is said when it is written
    question = (
        f"“{readable(path.name)}” would be saved inside the client's folder. Outside it, the delivery stays as it was"
        " sent."
    )
    return not inside or ask_whether(parent, "Inside the client's folder", question, "Save it there")
