"""`deep-tally check`: measure, assess, print and write."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import click

from deep_tally.cli.ends import ASKED, INCOMPLETE, OK
from deep_tally.cli.recalled import say_recalled
from deep_tally.engine.check_run import CheckRun, Event, Listed, Listing, Measured, Preparing, Refused
from deep_tally.intake.unpacked import sweep
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.delivery import Delivery
from deep_tally.model.findings import Action, count_findings
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.awaited import awaited_words
from deep_tally.reply.formats.json import to_json
from deep_tally.reply.incomplete_words import incomplete_words
from deep_tally.reply.letter import write_letter
from deep_tally.reply.mix_words import remainder_words, verdict_words
from deep_tally.reply.numbers import count, megabytes
from deep_tally.reply.role_texts import likely_tracks, likely_words
from deep_tally.reply.save import require_form, save_reply
from deep_tally.reply.wording.speaker import Speaker
from deep_tally.session.brief_library import named_brief
from deep_tally.session.words import vocabulary_at_hand
from deep_tally.work.atomic import require_not_the_clients, sweep_unfinished, write_atomically

if TYPE_CHECKING:
    from rich.progress import Progress


def run_check(
    *,
    paths: tuple[Path, ...],
    brief: str | None,
    rough_mix: Path | None,
    json_path: str | None,
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
    asked = named_brief(brief) if brief else DEFAULT_BRIEF
    vocabulary, refused = vocabulary_at_hand()
    if refused:
        click.echo(f"deep-tally: {refused}", err=True)
    if reply_path is not None:
        require_form(reply_path)
    shown = progress if progress is not None else sys.stderr.isatty() and not quiet
    sweep()
    sweep_unfinished()
    run = CheckRun(paths, asked, vocabulary=vocabulary, rough_mix=rough_mix, is_cached=not no_cache, is_fresh=fresh)
    if not mix_match:
        run.match_job = None
    with run, _progress(shown) as show:
        for event in run:
            if isinstance(event, Refused):
                raise event.error
            if isinstance(event, Listed):
                say_recalled(run.recalled, run.trouble)
                for output in (json_path if json_path != "-" else None, reply_path):
                    if output:  # said before an hour of measuring, not after it
                        require_not_the_clients(Path(output), run.client, into_delivery=into_delivery)
            show.take(event, run)
    delivery, client_files = run.delivery, run.client
    assert delivery is not None
    if json_path == "-":
        click.echo(to_json(delivery), nl=False)
    elif json_path:
        write_atomically(to_json(delivery), Path(json_path), client=client_files, into_delivery=into_delivery)
    if reply_path is not None:
        letter = write_letter(delivery, engineer=engineer, client=client)
        save_reply(letter, reply_path, client=client_files, into_delivery=into_delivery)
    for trouble in delivery.troubles:
        click.echo(f"deep-tally: {readable(trouble)}", err=True)
    for incomplete in delivery.incomplete:
        click.echo(f"deep-tally: {readable(incomplete_words(incomplete))}", err=True)
    for track in likely_tracks(delivery):
        click.echo(f"deep-tally: {likely_words([track])}", err=True)
    if awaited := awaited_words(delivery):
        click.echo(f"deep-tally: {readable(awaited)}", err=True)
    if not quiet and json_path != "-":
        _print_tally(delivery)
    if delivery.incomplete:
        return INCOMPLETE
    return ASKED if any(f.action is Action.ASK for f in delivery.findings) else OK


PREPARING = "preparing for this machine, once"


class _Show:
    """Shows nothing: what is called at every step of a check that is to be quiet."""

    def take(self, event: Event, run: CheckRun) -> None:
        """Show what happened."""


class _Lines(_Show):
    """A line for every file that is done."""

    def take(self, event: Event, run: CheckRun) -> None:
        if isinstance(event, Preparing) and not event.done:
            click.echo(PREPARING, err=True)
        if isinstance(event, Measured) and run.measuring is not None:
            done, total = run.measuring.counts
            click.echo(f"{done} of {total}  {readable(event.track.path)}", err=True)


class _Bar(_Show):
    """A bar on a terminal, and over it what is to be asked of each file as soon as that is known."""

    def __init__(self, bar: Progress) -> None:
        self._bar = bar
        self._task = bar.add_task("looking through the files", total=1.0)

    def take(self, event: Event, run: CheckRun) -> None:
        if isinstance(event, Listing):
            done, total = event.done, event.total
            words = f"unpacking, {megabytes(done, total)}" if total else f"{count(done, 'file')} found"
            self._bar.update(self._task, completed=done / total if total else 0.0, description=words)
        elif isinstance(event, Preparing) and event.total:
            self._bar.update(self._task, completed=event.done / event.total, description=PREPARING)
        elif isinstance(event, Measured) and (found := run.alone(event.track)) is not None:
            for finding in found.findings:
                if finding.action is Action.ASK:
                    self._bar.console.print(
                        f"  {Speaker(found).summary(finding)}", markup=False, highlight=False, soft_wrap=True
                    )
        elif run.stage == "measuring" and run.measuring is not None:
            done, total = run.measuring.counts
            words = f"{done} of {total}  {readable(run.measuring.at_work or '')}"
            self._bar.update(self._task, completed=run.measuring.share, description=words)
        elif run.stage == "matching" and run.matching is not None:
            words = f"looking for {readable(run.matching.at_work)} in the rough mix"
            self._bar.update(self._task, completed=run.matching.share, description=words)
        elif run.comparing is not None:
            words = "comparing the files"
            self._bar.update(self._task, completed=run.comparing.share, description=words)


@contextmanager
def _progress(shown: bool) -> Iterator[_Show]:
    if not shown:
        yield _Show()
    elif not sys.stderr.isatty():
        yield _Lines()
    else:
        from rich.console import Console
        from rich.progress import BarColumn, Progress, TextColumn

        columns = (BarColumn(bar_width=24), TextColumn("{task.description}", markup=False))
        with Progress(*columns, console=Console(file=sys.stderr), transient=True) as bar:
            yield _Bar(bar)


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
