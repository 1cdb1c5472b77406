"""Decisions that hold for a client for good, by the client's name: one JSON file in the XDG data folder."""

from __future__ import annotations

import json
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path

from platformdirs import user_data_path
from pydantic import TypeAdapter, ValidationError

from deep_tally.model.decisions import Decision
from deep_tally.model.errors import CannotWrite
from deep_tally.model.phrase import Phrase
from deep_tally.work.atomic import write_atomically

_DECISION = TypeAdapter(Decision)


def home() -> Path:
    """Where they are kept."""
    return user_data_path("deep-tally") / "clients.json"


def all_clients() -> Mapping[str, tuple[Decision, ...]]:
    """What was said of each client; values that cannot be used are passed over."""
    try:
        said = json.loads(home().read_text("utf-8"))
    except (OSError, ValueError, RecursionError):
        return {}
    found: dict[str, tuple[Decision, ...]] = {}
    for client, decisions in said.items() if isinstance(said, dict) else ():
        usable = []
        for each in decisions if isinstance(decisions, list) else ():
            with suppress(ValidationError):
                usable.append(_DECISION.validate_python(each))
        if usable:
            found[client] = tuple(usable)
    return found


def decisions_of(client: str) -> tuple[Decision, ...]:
    """What was said of a client for good; a client without a name has none."""
    name = _key(client)
    return next((said for known, said in all_clients().items() if name and _key(known) == name), ())


def keep_of_client(client: str, decisions: tuple[Decision, ...]) -> None:
    """Keep what holds for a client from now on, instead of what held before.

    Raises
    ------
    CannotWrite
        The data folder cannot be written.
    """
    others = {known: said for known, said in all_clients().items() if _key(known) != _key(client)}
    everything = {**others, client.strip(): decisions} if decisions else others
    document = {known: [asdict(d) for d in said] for known, said in everything.items()}
    try:
        home().parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        problem = Phrase("write.no-folder", why=error.strerror)
        raise CannotWrite(str(home().parent), problem, Phrase("do.look-at-folder")) from error
    write_atomically(json.dumps(document, indent=2) + "\n", home())


def _key(client: str) -> str:
    return " ".join(client.split()).casefold()
