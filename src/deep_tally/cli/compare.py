"""`deep-tally compare`: a second round against the first."""

from __future__ import annotations

from contextlib import ExitStack
from pathlib import Path

import click

from deep_tally.cli.ends import ASKED, INCOMPLETE, OK
from deep_tally.cli.running import checked, say_troubles
from deep_tally.engine.round_sides import side_of
from deep_tally.engine.rounds import RoundsOf
from deep_tally.reply.formats.rounds_json import rounds_to_json
from deep_tally.reply.round_words import round_lines
from deep_tally.session.brief_library import named_brief
from deep_tally.work.atomic import write_atomically


def run_compare(
    *,
    first: Path,
    second: Path,
    partial: bool | None,
    brief: str | None,
    rough_mix: Path | None,
    json_path: str | None,
    into_delivery: bool,
    fresh: bool,
) -> int:
    """Compare the rounds; returns 0 when all requests are met and nothing new is to be asked, 2 when not all could be
    checked, else 1.

    Raises
    ------
    DeepTallyError
        Nothing to check, a refused brief, or an output that cannot be written.
    """
    asked = named_brief(brief) if brief else None
    output = Path(json_path) if json_path and json_path != "-" else None
    outputs = [output] if output is not None else []
    with ExitStack() as open_runs:
        one = open_runs.enter_context(
            checked((first,), asked, rough_mix=rough_mix, fresh=fresh, outputs=outputs, into_delivery=into_delivery)
        )
        two = open_runs.enter_context(
            checked(
                (second,), one.brief, rough_mix=rough_mix, fresh=fresh, outputs=outputs, into_delivery=into_delivery
            )
        )
        rounds = RoundsOf(side_of(one), side_of(two), partial=partial)
        judged = two
        if rounds.is_partial:
            judged = open_runs.enter_context(
                checked((second,), one.brief, rough_mix=None, fresh=True, outputs=(), given=rounds.merged())
            )
        assert judged.delivery is not None
        found = rounds.compared(judged.delivery)
        if json_path == "-":
            click.echo(rounds_to_json(found, judged.delivery), nl=False)
        elif output is not None:
            document = rounds_to_json(found, judged.delivery)
            write_atomically(document, output, client=judged.client, into_delivery=into_delivery)
        say_troubles(judged)
        if json_path != "-":
            for line in round_lines(found, judged.delivery):
                click.echo(line)
        if judged.delivery.incomplete:
            return INCOMPLETE
    return OK if found.is_settled else ASKED
