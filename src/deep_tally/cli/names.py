"""`deep-tally names`: what names say, and the rename plan. Reads no audio and renames nothing."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import click

from deep_tally.check.assess import facts_of
from deep_tally.cli.ends import INCOMPLETE
from deep_tally.cli.recalled import say_recalled
from deep_tally.intake.corrected import with_corrections
from deep_tally.intake.fingerprint import fingerprints
from deep_tally.intake.unpacked import sweep, unpack_folder
from deep_tally.intake.walk import take_in
from deep_tally.model.brief import DEFAULT_BRIEF, Brief
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.files import Intake
from deep_tally.model.names import ParsedName
from deep_tally.names.pattern import BYTES_MOST
from deep_tally.names.plan import DEFAULT_PATTERN, Renamed, make_plan, to_csv
from deep_tally.names.read import read_names
from deep_tally.reply.action_words import readable
from deep_tally.reply.incomplete_words import incomplete_words
from deep_tally.session.brief_library import named_brief
from deep_tally.session.corrections import recall
from deep_tally.session.words import vocabulary_at_hand
from deep_tally.work.atomic import sweep_unfinished, write_atomically

TROUBLE_WORDS = {
    "clash": "two files would get this name",
    "empty": "no name is left",
    "long": f"too long (over the brief's length, or {BYTES_MOST} bytes)",
}


def run_names(
    *,
    paths: tuple[Path, ...],
    pattern: str | None,
    family_order: bool,
    brief: str | None,
    csv_path: str | None,
    explain: bool,
    fresh: bool,
    into_delivery: bool,
) -> int:
    """Print the plan; returns 2 when not all could be opened here, 1 when a new name clashes, is empty or too long.

    Raises
    ------
    DeepTallyError
        Nothing there, a refused brief or pattern, or an output that cannot be written.
    """
    asked = named_brief(brief) if brief else DEFAULT_BRIEF
    vocabulary, trouble = vocabulary_at_hand()
    if trouble:
        click.echo(f"deep-tally: {trouble}", err=True)
    sweep()
    sweep_unfinished()
    plans: list[Renamed] = []
    parsed: dict[str, ParsedName] = {}
    with unpack_folder() as unpack_into:
        found = take_in(paths, unpack_into=unpack_into)
        said = NO_CORRECTIONS
        if not fresh:
            recalled = recall(found.source, fingerprints(found.sounds))
            said = recalled.corrections
            say_recalled(said, recalled.trouble)
        intake = with_corrections(found, said)
        for song in intake.songs:
            files = [e.path for e in intake.entries if e.song == song and e.role.is_audio]
            facts = facts_of(intake, song, (), asked, user_bpm=said.tempos.get(song))
            names = read_names(files, facts, vocabulary)
            parsed |= names
            plans += make_plan(
                _renamed(intake, song),
                names,
                facts,
                pattern=_pattern(pattern, said, asked),
                order="family" if family_order else said.order,
                own=said.names,
                longest=asked.names.longest,
            )
    if csv_path == "-":
        click.echo(to_csv(plans), nl=False)
    elif csv_path:
        write_atomically(to_csv(plans), Path(csv_path), client=intake.client, into_delivery=into_delivery)
    if csv_path != "-":
        _print(plans, parsed if explain else {})
    for trouble in (*intake.troubles, *map(incomplete_words, intake.incomplete)):
        click.echo(f"deep-tally: {readable(trouble)}", err=True)
    return INCOMPLETE if intake.incomplete else int(any(r.trouble for r in plans))


def _renamed(intake: Intake, song: str) -> list[str]:
    return [e.path for e in intake.entries if e.song == song and e.role.is_assessed]


def _pattern(given: str | None, said: Corrections, brief: Brief) -> str:
    """The pattern: of the command, else what the user said of this delivery, else the brief's."""
    return given if given is not None else said.pattern or brief.names.pattern or DEFAULT_PATTERN


def _print(plans: Sequence[Renamed], parsed: dict[str, ParsedName]) -> None:
    width = max((len(readable(r.path)) for r in plans), default=0)
    for renamed in plans:
        arrow = "=" if renamed.old == renamed.new else ">"
        line = f"{readable(renamed.path):<{width}}  {arrow}  {readable(renamed.new)}"
        click.echo(f"{line}   ! {TROUBLE_WORDS[renamed.trouble]}" if renamed.trouble else line)
        if (name := parsed.get(renamed.path)) is not None:
            lines = [f"{t.kind}: {readable(name.stem[t.start : t.end])} ({t.value})" for t in name.tokens]
            click.echo(f"{'':<{width}}     {'; '.join(lines)}; family: {name.family}")
