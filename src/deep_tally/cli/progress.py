"""How far a check is, on standard error: a bar on a terminal, else a line for every file that is done."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

import click

from deep_tally.engine.check_run import CheckRun, Event, Listing, Measured, Preparing
from deep_tally.model.findings import Action
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import count, megabytes
from deep_tally.reply.wording.speaker import Speaker

if TYPE_CHECKING:
    from rich.progress import Progress

PREPARING = "preparing for this machine, once"


class Show:
    """Shows nothing: what is called at every step of a check that is to be quiet."""

    def take(self, event: Event, run: CheckRun) -> None:
        """Show what happened."""


class _Lines(Show):
    """A line for every file that is done."""

    def take(self, event: Event, run: CheckRun) -> None:
        if isinstance(event, Preparing) and not event.done:
            click.echo(PREPARING, err=True)
        if isinstance(event, Measured) and run.measuring is not None:
            done, total = run.measuring.counts
            click.echo(f"{done} of {total}  {readable(event.track.path)}", err=True)


class _Bar(Show):
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
def showing(shown: bool) -> Iterator[Show]:
    if not shown:
        yield Show()
    elif not sys.stderr.isatty():
        yield _Lines()
    else:
        from rich.console import Console
        from rich.progress import BarColumn, Progress, TextColumn

        columns = (BarColumn(bar_width=24), TextColumn("{task.description}", markup=False))
        with Progress(*columns, console=Console(file=sys.stderr), transient=True) as bar:
            yield _Bar(bar)
