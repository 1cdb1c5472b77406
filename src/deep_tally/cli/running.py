"""A check from the command line, from its paths to its assessment."""

from __future__ import annotations

import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import click

from deep_tally.cli.progress import showing
from deep_tally.cli.recalled import say_recalled
from deep_tally.engine.check_run import CheckRun, Listed, Refused
from deep_tally.engine.opening import Opened
from deep_tally.intake.unpacked import sweep
from deep_tally.model.brief import Brief
from deep_tally.reply.action_words import readable
from deep_tally.reply.awaited import awaited_words
from deep_tally.reply.incomplete_words import incomplete_words
from deep_tally.reply.role_texts import likely_tracks, likely_words
from deep_tally.reply.saved_words import saved_words
from deep_tally.session.words import vocabulary_at_hand
from deep_tally.work.atomic import require_not_the_clients, sweep_unfinished


@contextmanager
def checked(
    paths: Sequence[Path],
    brief: Brief | None,
    *,
    rough_mix: Path | None,
    fresh: bool,
    outputs: Sequence[Path],
    into_delivery: bool = False,
    is_cached: bool = True,
    measures_anew: bool = False,
    mix_match: bool = True,
    progress: bool | None = None,
    quiet: bool = False,
    given: Opened | None = None,
) -> Iterator[CheckRun]:
    """A run that is assessed; what could not be checked or understood is said on standard error.

    Raises
    ------
    DeepTallyError
        Nothing to check, or an output that would be one of the client's files.
    """
    vocabulary, refused = vocabulary_at_hand()
    if refused:
        click.echo(f"deep-tally: {refused}", err=True)
    shown = progress if progress is not None else sys.stderr.isatty() and not quiet
    sweep()
    sweep_unfinished()
    run = CheckRun(
        paths, brief, vocabulary=vocabulary, rough_mix=rough_mix, is_cached=is_cached, is_fresh=fresh, given=given
    )
    if measures_anew:  # size and time alone are no proof that a file is what it was
        run.measure_anew()
    if not mix_match:
        run.match_job = None
    with run:
        with showing(shown) as show:
            for event in run:
                if isinstance(event, Refused):
                    raise event.error
                if isinstance(event, Listed):
                    if given is None:
                        say_recalled(run.recalled, run.trouble)
                        _say_saved(run)
                    for output in outputs:  # said before an hour of measuring, not after it
                        require_not_the_clients(output, run.client, into_delivery=into_delivery)
                show.take(event, run)
        yield run


def _say_saved(run: CheckRun) -> None:
    """Of a saved check: which of its files are others now, or gone."""
    opened = run.opened
    if opened is not None:
        for words in saved_words(changed=opened.changed, missing=opened.missing, files=len(opened.found.entries)):
            click.echo(f"deep-tally: {readable(words)}", err=True)


def say_troubles(run: CheckRun) -> None:
    """What could not be checked, is only likely, or is still to come, on standard error."""
    delivery = run.delivery
    if delivery is None:
        return
    for trouble in delivery.troubles:
        click.echo(f"deep-tally: {readable(trouble)}", err=True)
    for incomplete in delivery.incomplete:
        click.echo(f"deep-tally: {readable(incomplete_words(incomplete))}", err=True)
    for track in likely_tracks(delivery):
        click.echo(f"deep-tally: {likely_words([track])}", err=True)
    if awaited := awaited_words(delivery):
        click.echo(f"deep-tally: {readable(awaited)}", err=True)
