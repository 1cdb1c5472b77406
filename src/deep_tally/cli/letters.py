"""`deep-tally reply`: the letter to the client, in the form that is wanted."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path

import click

from deep_tally.cli.ends import OK
from deep_tally.cli.running import checked, say_troubles
from deep_tally.engine.check_run import CheckRun
from deep_tally.engine.round_sides import rounds_of_run
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import Delivery
from deep_tally.reply.formats.csv import to_csv
from deep_tally.reply.formats.eml import Sender
from deep_tally.reply.formats.json import to_json
from deep_tally.reply.letter import write_letter
from deep_tally.reply.letter_options import Length, LetterOptions, Tone
from deep_tally.reply.save import FORMS
from deep_tally.session.brief_library import named_brief
from deep_tally.session.engineer import engineer_at_hand, language_of
from deep_tally.work.atomic import write_atomically

OTHER_FORMS = ("csv", "json")
ALL_FORMS = (*(ending.removeprefix(".") for ending in FORMS), *OTHER_FORMS)


def letter_options(
    run: CheckRun,
    *,
    engineer: str = "",
    client: str = "",
    length: Length = "full",
    tone: Tone = "friendly",
    language: str | None = None,
) -> LetterOptions:
    """How a letter is to be written: as was set for the delivery in the window, unless the command says otherwise."""
    known, said = engineer_at_hand(), run.corrections.letter
    return LetterOptions(
        length=length,
        tone=tone,
        language=language or language_of(said),
        engineer=engineer or known.name,
        signature="" if engineer else known.signature,
        edits=replace(said, client=client) if client else said,
        rounds=rounds_of_run(run),
    )


def run_reply(
    *,
    path: Path,
    form: str | None,
    length: Length,
    tone: Tone,
    language: str | None,
    brief: str | None,
    rough_mix: Path | None,
    client: str,
    engineer: str,
    output: str,
    fresh: bool,
    into_delivery: bool,
) -> int:
    """Write the letter; returns 0.

    Raises
    ------
    DeepTallyError
        Nothing to check, a refused brief, or an output that cannot be written.
    """
    target = Path(output) if output != "-" else None
    chosen = form or (target.suffix.casefold().removeprefix(".") if target is not None else "txt")
    if chosen not in ALL_FORMS:
        raise click.BadParameter(f"say in which form with --form ({', '.join(ALL_FORMS)}), or end the file's name so.")
    with checked(
        (path,),
        named_brief(brief) if brief else None,
        rough_mix=rough_mix,
        fresh=fresh,
        outputs=[target] if target is not None else [],
        into_delivery=into_delivery,
    ) as run:
        assert run.delivery is not None
        options = letter_options(run, engineer=engineer, client=client, length=length, tone=tone, language=language)
        content = _in_form(chosen, run.delivery, options, run.brief)
        if target is None:
            sys.stdout.buffer.write(content)
        else:
            write_atomically(content, target, client=run.client, into_delivery=into_delivery)
        say_troubles(run)
    return OK


def _in_form(form: str, delivery: Delivery, options: LetterOptions, brief: Brief) -> bytes:
    content: str | bytes
    if form == "csv":
        content = to_csv(delivery)
    elif form == "json":
        content = to_json(delivery)
    else:
        known = engineer_at_hand()
        sender = Sender(name=options.engineer, address=known.address, paper=known.paper_at_hand)
        content = FORMS[f".{form}"](write_letter(delivery, options, brief), sender)
    return content.encode("utf-8", "surrogateescape") if isinstance(content, str) else content
