"""`deep-tally check`: measure, judge, print and write."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import click

from deep_tally.check.judge import judge
from deep_tally.cli.ends import ASKED, INCOMPLETE, OK
from deep_tally.compare.job import compare_song
from deep_tally.compare.run import Comparing
from deep_tally.intake.unpacked import sweep, unpack_folder
from deep_tally.intake.walk import take_in
from deep_tally.measure.crew import Crew
from deep_tally.measure.job import measure_entry
from deep_tally.measure.run import Measuring
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.files import Intake
from deep_tally.model.findings import Action, count_findings
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.document import to_json
from deep_tally.reply.incomplete_words import incomplete_words
from deep_tally.reply.letter import write_letter
from deep_tally.reply.numbers import count, megabytes
from deep_tally.reply.save import require_form, save_reply
from deep_tally.reply.words import Speaker
from deep_tally.session.recall import recall_or_compare, recall_or_measure
from deep_tally.session.shelf import named_brief
from deep_tally.session.told import recall_told, vocabulary_at_hand
from deep_tally.whole import require_not_the_clients, sweep_unfinished, write_whole

if TYPE_CHECKING:
    from rich.progress import Progress

_POLL_S = 0.1


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
    with unpack_folder() as unpack_into:
        with _progress(shown) as show:
            intake = take_in(paths, rough_mix=rough_mix, unpack_into=unpack_into, on_step=show.step)
            for output in (json_path if json_path != "-" else None, reply_path):
                if output:  # said before an hour of measuring, not after it
                    require_not_the_clients(Path(output), intake.client, into_delivery=into_delivery)
            tracks, comparing = _measure(intake, show, cached=not no_cache)
        delivery = judge(
            intake,
            tracks,
            asked,
            comparisons=comparing.by_song,
            incomplete=comparing.incomplete,
            told_parts=recall_told(intake.source).parts,
            vocabulary=vocabulary,
        )
    if json_path == "-":
        click.echo(to_json(delivery), nl=False)
    elif json_path:
        write_whole(to_json(delivery), Path(json_path), client=intake.client, into_delivery=into_delivery)
    if reply_path is not None:
        letter = write_letter(delivery, engineer=engineer, client=client)
        save_reply(letter, reply_path, client=intake.client, into_delivery=into_delivery)
    for trouble in intake.troubles:
        click.echo(f"deep-tally: {readable(trouble)}", err=True)
    for incomplete in delivery.incomplete:
        click.echo(f"deep-tally: {readable(incomplete_words(incomplete))}", err=True)
    if not quiet and json_path != "-":
        _print_tally(delivery)
    if delivery.incomplete:
        return INCOMPLETE
    return ASKED if any(f.action is Action.ASK for f in delivery.findings) else OK


def _measure(intake: Intake, show: _Show, *, cached: bool) -> tuple[tuple[Track, ...], Comparing]:
    """Measure all files, then hold those of each song against each other."""
    crew = Crew()
    try:
        measuring = Measuring(intake, crew, job=recall_or_measure if cached else measure_entry)
        while not measuring.is_done:
            show.measured(measuring, measuring.poll(_POLL_S))
        comparing = Comparing(intake, measuring.tracks, crew, job=recall_or_compare if cached else compare_song)
        while not comparing.is_done:
            for report in crew.poll(_POLL_S):
                comparing.take(report)
            show.compared(comparing)
        return measuring.tracks, comparing
    finally:
        crew.close()


class _Show:
    """Shows nothing: what is called at every step of a check that is to be quiet."""

    def step(self, done: int, total: int) -> None:
        """`done` of `total` bytes are unpacked, or `done` files are found."""

    def measured(self, measuring: Measuring, done: list[Track]) -> None:
        """Called after every poll with the tracks that came."""

    def compared(self, comparing: Comparing) -> None:
        """Called after every poll while files are held against each other."""


class _Lines(_Show):
    """A line for every file that is done."""

    def measured(self, measuring: Measuring, done: list[Track]) -> None:
        count_done, total = measuring.counts
        for number, track in enumerate(done, start=count_done - len(done) + 1):
            click.echo(f"{number} of {total}  {readable(track.path)}", err=True)


class _Bar(_Show):
    """A bar on a terminal."""

    def __init__(self, bar: Progress) -> None:
        self._bar = bar
        self._task = bar.add_task("", total=1.0)

    def step(self, done: int, total: int) -> None:
        words = f"unpacking, {megabytes(done, total)}" if total else f"{count(done, 'file')} found"
        self._bar.update(self._task, completed=done / total if total else 0.0, description=words)

    def measured(self, measuring: Measuring, done: list[Track]) -> None:
        count_done, total = measuring.counts
        words = f"{count_done} of {total}  {readable(measuring.at_work or '')}"
        self._bar.update(self._task, completed=measuring.share, description=words)

    def compared(self, comparing: Comparing) -> None:
        self._bar.update(self._task, completed=comparing.share, description="holding the files against each other")


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
    for action in Action:
        found = [f for f in delivery.findings if f.action is action]
        files = counts[action].files
        click.echo(f"{ACTION_WORDS[action]}: {count(len(found), 'finding')} in {count(files, 'file')}")
        for finding in found:
            click.echo(f"  {finding.code:<24} {speaker.summary(finding)}")
