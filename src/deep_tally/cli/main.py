"""The command `deep-tally`: open the window, check a delivery without one, or show the demo."""

from __future__ import annotations

import os
import sys
from io import TextIOWrapper
from pathlib import Path
from typing import Any

import click

from deep_tally import __version__
from deep_tally.cli.ends import OK, end_on_signals, flush, status_of
from deep_tally.model.language import languages
from deep_tally.model.ready import CONTAINERS, DEPTHS
from deep_tally.reply.letter_options import LENGTHS, TONES

_PATH = click.Path(path_type=Path)
_INTO_DELIVERY = click.option(
    "--into-delivery", is_flag=True, help="Allow outputs inside the client's folder; never over a file of theirs."
)


class _OpenByDefault(click.Group):
    """A first word that is no command is a path to open in the window."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        if not args or args[0] not in (*self.commands, "--help", "-h", "--version"):
            args = ["open", *args]
        return super().parse_args(ctx, args)


@click.group(cls=_OpenByDefault, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="Deep Tally")
def command() -> None:
    """Check a delivery of trackouts before the mix begins.

    \b
    deep-tally [PATH]...                 open the window, with that delivery
    deep-tally check PATH... [options]   do the job with no window
    deep-tally reply PATH [options]      the letter to the client
    deep-tally compare FIRST SECOND      what became of the requests of a first round
    deep-tally brief [BRIEF] [options]   the briefs at hand; a brief as a page for the client
    deep-tally names PATH... [options]   what names say, and new names by a pattern
    deep-tally demo [options]            the demo delivery
    deep-tally prepare                   make ready for this machine
    """


@command.command("open", hidden=True)
@click.argument("paths", nargs=-1, type=_PATH)
@click.option("--brief", help="The brief to check against: a file (JSON) or a name.")
@click.option("--rough-mix", type=_PATH, help="The rough mix, if its name does not say so.")
def open_window(paths: tuple[Path, ...], brief: str | None, rough_mix: Path | None) -> int:
    """Open the window."""
    from deep_tally.app.shell.start import run_window

    return run_window(paths, brief=brief, rough_mix=rough_mix)


@command.command()
@click.argument("paths", nargs=-1, required=True, type=_PATH)
@click.option("--brief", help="The brief to check against: a file (JSON) or a name.")
@click.option("--rough-mix", type=_PATH, help="The rough mix, if its name does not say so.")
@click.option("--json", "json_path", type=click.Path(), help="Write the result as JSON; - for standard output.")
@click.option("--csv", "csv_path", help="Write findings and files as CSV; - for standard output.")
@click.option("--save", "save_path", type=_PATH, help="Write the check itself, to be opened again without measuring.")
@click.option(
    "--reply",
    "reply_path",
    type=_PATH,
    help="Write the reply to the client with all details (.txt, .md, .html, .pdf or .eml).",
)
@click.option("--engineer", default="", help="Your name, under the reply.")
@click.option("--client", default="", help="The client's name, for the greeting.")
@click.option("--progress/--no-progress", default=None, help="Show progress; by default only on a terminal.")
@_INTO_DELIVERY
@click.option("--fresh", is_flag=True, help="Ignore the corrections you made to the delivery earlier.")
@click.option("--no-cache", is_flag=True, help="Measure every file again, and keep nothing for next time.")
@click.option(
    "--mix-match/--no-mix-match",
    default=True,
    help="Compare the rough mix with the files, or skip that, which is faster.",
)
@click.option("--quiet", is_flag=True, help="Print nothing but errors.")
def check(**options: Any) -> int:
    """Check a folder, audio files or a saved check, and say what is wrong and who must act.

    Exit status: 0 nothing to ask the client, 1 something to ask, 2 wrong use, nothing to check or not all of it could
    be checked here, 70 an error of the program, 130 cancelled.
    """
    from deep_tally.cli.check import run_check

    return run_check(**options)


@command.command("reply")
@click.argument("path", type=_PATH)
@click.option("--form", help="txt, md, html, pdf, eml, csv or json; by default as the output's name ends, else txt.")
@click.option(
    "--length", type=click.Choice(LENGTHS), default="short", help="The first part alone, or with the details."
)
@click.option("--tone", type=click.Choice(TONES), default="friendly", help="How it greets and ends.")
@click.option(
    "--language", type=click.Choice(languages()), help="Its language; by default as set for the delivery, else yours."
)
@click.option("--brief", help="The brief to check against: a file (JSON) or a name.")
@click.option("--rough-mix", type=_PATH, help="The rough mix, if its name does not say so.")
@click.option("--client", default="", help="The client's name, for the greeting.")
@click.option("--engineer", default="", help="Your name, under the letter.")
@click.option("-o", "--output", default="-", help="Where to; - (the default) is standard output.")
@_INTO_DELIVERY
@click.option("--fresh", is_flag=True, help="Ignore what you set for the delivery earlier.")
def write_reply(**options: Any) -> int:
    """Write the letter to the client: what to send again, what to answer, and the details.

    Exit status: 0 when it is written, 2 otherwise.
    """
    from deep_tally.cli.letters import run_reply

    return run_reply(**options)


@command.command("ready")
@click.argument("path", type=_PATH)
@click.option("--to", metavar="FOLDER", type=_PATH, required=True, help="The folder to write to: a new or empty one.")
@click.option("--write", is_flag=True, help="Write it; without this, the plan is printed and nothing is written.")
@click.option("--brief", help="The brief to check against: a file (JSON) or a name.")
@click.option("--rough-mix", type=_PATH, help="The rough mix, if its name does not say so.")
@click.option("--only", metavar="STEP,...", help="Take these steps and no others.")
@click.option("--without", metavar="STEP,...", help="Take all steps but these.")
@click.option("--container", type=click.Choice(CONTAINERS), help="The type of all copies; by default as set, else wav.")
@click.option("--depth", type=click.Choice(DEPTHS), help="The depth of all copies; by default as far as it is needed.")
@click.option("--rate", metavar="HZ", type=click.IntRange(8000, 384_000), help="Convert all copies to this rate.")
@click.option("--json", "json_path", help="Write the plan as JSON; - for standard output.")
@click.option("--fresh", is_flag=True, help="Ignore what you set for the delivery earlier.")
def write_ready(**options: Any) -> int:
    """Make the ready copy: a second folder in which every file starts and ends together, drop it in and mix.

    Exit status: 0 when it is done, or nothing stands in the way of the plan; 1 something to solve first, nothing is
    written; 2 wrong use, or it cannot be written.
    """
    from deep_tally.cli.ready import run_ready

    return run_ready(**options)


@command.command("compare")
@click.argument("first", type=_PATH)
@click.argument("second", type=_PATH)
@click.option(
    "--partial/--whole",
    default=None,
    help="Keep what was not sent again from the first round, or not; by default where less than half was.",
)
@click.option("--brief", help="The brief to check against: a file (JSON) or a name.")
@click.option("--rough-mix", type=_PATH, help="The rough mix, if its name does not say so.")
@click.option("--json", "json_path", help="Write the result as JSON; - for standard output.")
@_INTO_DELIVERY
@click.option("--fresh", is_flag=True, help="Ignore what you set for the deliveries earlier.")
def compare_rounds(**options: Any) -> int:
    """Say what became of the requests of a first round in a second, file by file, and what newly broke.

    Exit status: 0 when every request is met and nothing new is to be asked, 1 otherwise, 2 wrong use.
    """
    from deep_tally.cli.compare import run_compare

    return run_compare(**options)


@command.command("brief")
@click.argument("said", metavar="[BRIEF]", required=False)
@click.option("--page", metavar="FILE", help="Write it as a page for the client (.txt, .md, .html, .pdf; - prints it).")
@click.option("--json", "json_", is_flag=True, help="Print it as JSON.")
@click.option("--schema", is_flag=True, help="Print the JSON Schema of briefs.")
@click.option("--list", "list_", is_flag=True, help="List the available briefs.")
@click.option("--default", is_flag=True, help="Make it the default for new windows.")
@click.option("--engineer", default="", help="Your name, under the page.")
def show_brief(**options: Any) -> int:
    """Print a brief as the client reads it. BRIEF is a file or a name; without it, your default one."""
    from deep_tally.cli.brief import run_brief

    return run_brief(**options)


@command.command("names")
@click.argument("paths", nargs=-1, required=True, type=_PATH)
@click.option("--pattern", help="For example '{number} {part} {variant}'.")
@click.option("--family-order", is_flag=True, help="In the order of the families: drums first, voices late.")
@click.option("--brief", help="Whose pattern and longest name count: a file or a name.")
@click.option("--csv", "csv_path", help="Write the plan as CSV; - for standard output.")
@_INTO_DELIVERY
@click.option("--fresh", is_flag=True, help="Ignore the corrections you made to the delivery earlier.")
@click.option("--explain", is_flag=True, help="Show what is recognised in each name.")
def show_names(**options: Any) -> int:
    """Print new names for the files of a delivery. Nothing is renamed, no audio is read.

    Exit status: 0 all names can be used, 1 some clash, are empty or too long, 2 wrong use.
    """
    from deep_tally.cli.names import run_names

    return run_names(**options)


@command.command()
def prepare() -> int:
    """Make the machine code for this machine ahead of the first check; it takes half a minute, once."""
    from deep_tally.engine.preparing import is_prepared
    from deep_tally.engine.preparing import prepare as prepare_all

    if not is_prepared():
        prepare_all(lambda done, total: click.echo(f"preparing for this machine, {done} of {total}", err=True))
    return OK


@command.command()
@click.option(
    "--write", "write_to", type=_PATH, metavar="FOLDER", help="Only write the demo delivery and its list of faults."
)
@click.option("--shot", "shot_to", type=_PATH, metavar="FOLDER", help="Write a PNG of each main view and exit.")
@click.option(
    "--round", "number", type=click.IntRange(1, 2), default=1, help="The first sending, or the corrected one."
)
def demo(write_to: Path | None, shot_to: Path | None, number: int) -> int:
    """Open the window on a demo delivery made from code, or write it."""
    if write_to is not None:
        from deep_tally.demo.delivery import write_demo
        from deep_tally.demo.round_two import write_round_two

        click.echo(write_demo(write_to) if number == 1 else write_round_two(write_to))
        return OK
    from deep_tally.app.shell.start import run_demo

    return run_demo(shot_to, number)


def main(arguments: list[str] | None = None) -> None:
    """Run the command and leave with its exit status."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, TextIOWrapper):
            stream.reconfigure(errors="replace")  # a terminal without a letter shows another; the work goes on
    end_on_signals()
    # Threads that add up numbers in each of several processes only get in each other's way.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    try:
        status = command.main(arguments, prog_name="deep-tally", standalone_mode=False) or OK
    except BaseException as error:  # noqa: BLE001 - whatever it was, the status must not mean something else
        status = status_of(error)
    sys.exit(flush() or status)
