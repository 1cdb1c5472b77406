"""`deep-tally check`: measure, assess, print and write."""

from __future__ import annotations

from pathlib import Path

import click

from deep_tally.cli.ends import ASKED, INCOMPLETE, OK
from deep_tally.cli.letters import letter_options
from deep_tally.cli.running import checked, say_troubles
from deep_tally.engine.saving import saved_check_of
from deep_tally.model.delivery import Delivery
from deep_tally.model.findings import Action, count_findings
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.formats.csv import to_csv
from deep_tally.reply.formats.json import to_json
from deep_tally.reply.letter import write_letter
from deep_tally.reply.mix_words import remainder_words, verdict_words
from deep_tally.reply.numbers import count
from deep_tally.reply.save import require_form, save_reply
from deep_tally.reply.wording.speaker import Speaker
from deep_tally.session.brief_library import named_brief
from deep_tally.session.saved_checks import require_saved_check, save_check
from deep_tally.work.atomic import write_atomically


def run_check(
    *,
    paths: tuple[Path, ...],
    brief: str | None,
    rough_mix: Path | None,
    json_path: str | None,
    csv_path: str | None,
    save_path: Path | None,
    reply_path: Path | None,
    engineer: str,
    client: str,
    progress: bool | None,
    no_cache: bool,
    mix_match: bool,
    fresh: bool,
    into_delivery: bool,
    quiet: bool,
) -> int:
    """Do the whole check; returns 1 when there is something to ask the client, 2 when not all could be checked, else 0.

    Raises
    ------
    DeepTallyError
        Nothing to check, a refused brief, or an output that cannot be written.
    """
    if save_path is not None:
        require_saved_check(save_path)
    if reply_path is not None:
        require_form(reply_path)
    written = [Path(p) for p in (json_path, csv_path) if p and p != "-"] + [p for p in (reply_path, save_path) if p]
    with checked(
        paths,
        named_brief(brief) if brief else None,
        rough_mix=rough_mix,
        fresh=fresh,
        outputs=written,
        into_delivery=into_delivery,
        is_cached=not no_cache,
        mix_match=mix_match,
        progress=progress,
        quiet=quiet,
    ) as run:
        delivery = run.delivery
        assert delivery is not None
        for output, made in ((json_path, to_json), (csv_path, to_csv)):
            if output == "-":
                click.echo(made(delivery), nl=False)
            elif output:
                write_atomically(made(delivery), Path(output), client=run.client, into_delivery=into_delivery)
        if reply_path is not None:
            letter = write_letter(delivery, letter_options(run, engineer=engineer, client=client), run.brief)
            save_reply(letter, reply_path, client=run.client, into_delivery=into_delivery)
        if save_path is not None:
            save_check(saved_check_of(run), save_path, client=run.client, into_delivery=into_delivery)
        say_troubles(run)
    if not quiet and "-" not in (json_path, csv_path):
        _print_tally(delivery)
    if delivery.incomplete:
        return INCOMPLETE
    return ASKED if any(f.action is Action.ASK for f in delivery.findings) else OK


def _print_tally(delivery: Delivery) -> None:
    speaker = Speaker(delivery)
    counts = count_findings(delivery.findings)
    for song in delivery.sets:
        if song.mix_match is not None:
            name = f" ({readable(song.name)})" if len(delivery.sets) > 1 else ""
            parts = [verdict_words(song.mix_match), remainder_words(song.mix_match)]
            click.echo(f"Mix match{name}: {'; '.join(filter(None, parts))}")
    for action in Action:
        found = [f for f in delivery.findings if f.action is action]
        files = counts[action].files
        click.echo(f"{ACTION_WORDS[action]}: {count(len(found), 'finding')} in {count(files, 'file')}")
        for finding in found:
            click.echo(f"  {finding.code:<24} {speaker.summary(finding)}")
