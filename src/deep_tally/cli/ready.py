"""`deep-tally ready`: the plan of a ready copy, and the copy itself."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from deep_tally.cli.ends import ASKED, OK, WRONG_USE
from deep_tally.cli.running import checked, say_troubles
from deep_tally.engine.check_run import CheckRun
from deep_tally.engine.ready_run import Finished, Going, ReadyRun, Stopped
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.ready import STEPS, Container, Depth, ReadyChoices, ReadyPlan, StepName
from deep_tally.ready.manifest import to_json
from deep_tally.ready.plan import plan_ready
from deep_tally.ready.target import require_target
from deep_tally.ready.write import SourceChanged
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import count
from deep_tally.reply.ready_folder import hand_overs
from deep_tally.reply.ready_words import conflict_words, copy_words, proof_words, reason_words
from deep_tally.session.brief_library import named_brief
from deep_tally.work.atomic import write_atomically


def steps_said(said: str | None, option: str) -> frozenset[StepName] | None:
    """The steps of a list with commas; None where none was given.

    Raises
    ------
    click.BadParameter
        A word is no step.
    """
    if said is None:
        return None
    words = [word.strip() for word in said.split(",") if word.strip()]
    unknown = [word for word in words if word not in STEPS]
    if unknown or not words:
        raise click.BadParameter(f"say steps with commas between them ({', '.join(STEPS)}).", param_hint=option)
    return frozenset(step for step in STEPS if step in words)


def run_ready(
    *,
    path: Path,
    to: Path,
    write: bool,
    brief: str | None,
    rough_mix: Path | None,
    only: str | None,
    without: str | None,
    container: Container | None,
    depth: Depth | None,
    rate: int | None,
    json_path: str | None,
    fresh: bool,
) -> int:
    """Print the plan, and write it where that is wanted; returns 1 when something is to be solved first.

    Raises
    ------
    DeepTallyError
        Nothing to check, a refused brief, or a folder that cannot be written to.
    """
    taken, left_off = steps_said(only, "--only"), steps_said(without, "--without")
    off = (frozenset(STEPS) - taken if taken is not None else frozenset()) | (left_off or frozenset())
    document = Path(json_path) if json_path not in (None, "-") else None
    with checked(
        (path,),
        named_brief(brief) if brief else None,
        rough_mix=rough_mix,
        fresh=fresh,
        outputs=[to, *([document] if document is not None else [])],
        measures_anew=write,
    ) as run:
        assert run.delivery is not None
        said = run.corrections.ready
        choices = ReadyChoices(
            off=tuple(step for step in STEPS if step in off or (taken is None and step in said.off)),
            off_for=said.off_for,
            submixes=said.submixes,
            container=container or said.container,
            depth=depth or said.depth,
            rate_hz=rate or said.rate_hz,
        )
        plan = plan_ready(run.delivery, run.brief, run.corrections, choices)
        if json_path == "-":
            click.echo(to_json(plan), nl=False)
        else:
            _print(plan)
        if document is not None:
            write_atomically(to_json(plan), document, client=run.client)
        say_troubles(run)
        changed = run.opened.changed if run.opened is not None else ()
        for name in changed:
            click.echo(f"deep-tally: {readable(name)}: it has changed since it was checked; check it again.", err=True)
        for conflict in plan.conflicts:
            click.echo(f"deep-tally: {conflict_words(conflict)}", err=True)
        if plan.conflicts or changed:
            return ASKED
        if not write:
            require_target(to, plan, run.client)
            return OK
        return _write(run, plan, to)


def _print(plan: ReadyPlan) -> None:
    for copy in plan.copies:
        click.echo(readable(copy.name))
        click.echo(f"    {copy_words(copy)}")
    if plan.left_out:
        click.echo(f"\nLeft out: {count(len(plan.left_out), 'file')}")
        for left in plan.left_out:
            click.echo(f"    {readable(left.source.rpartition('/')[2])}: {reason_words(left.reason)}")


def _write(run: CheckRun, plan: ReadyPlan, to: Path) -> int:
    assert run.intake is not None
    assert run.delivery is not None
    is_known = run.opened is not None and bool(run.opened.known.tracks)  # from a saved check, whenever that was
    entries = {entry.path: entry for entry in run.intake.entries}
    sources = {path: entry.source for path, entry in entries.items()}
    with ReadyRun(
        plan,
        to,
        entries=entries,
        delivery=run.delivery,
        contents=run.contents,
        client=run.client,
        brief=run.brief,
        hand_overs=tuple(hand_overs(run.delivery, plan, sources)),
        is_just_measured=not is_known,
    ) as writing:
        for event in writing:
            if isinstance(event, Stopped):
                return _stopped(event.error)
            if isinstance(event, Going) and sys.stderr.isatty():
                share = event.done / event.total if event.total else 0.0
                click.echo(f"\r{event.stage} {share * 100:3.0f} %", nl=False, err=True)
            if isinstance(event, Finished):
                _say_proof(writing, event, to)
    return OK


def _stopped(error: DeepTallyError) -> int:
    click.echo(f"deep-tally: {readable(str(error))}", err=True)
    return ASKED if isinstance(error, SourceChanged) else WRONG_USE


def _say_proof(writing: ReadyRun, finished: Finished, to: Path) -> None:
    if sys.stderr.isatty():
        click.echo("\r", nl=False, err=True)
    error = writing.worst_error_dbfs
    for words in proof_words(copies=len(writing.plan.copies), error_dbfs=error, left=len(finished.left)):
        click.echo(f"deep-tally: {words}", err=True)
    click.echo(f"deep-tally: the ready copy is in {readable(str(to))}.", err=True)
