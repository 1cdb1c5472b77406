"""`deep-tally brief`: the briefs at hand, and a brief as a page for the client."""

from __future__ import annotations

import json
from pathlib import Path

import click

from deep_tally.model.brief import brief_schema
from deep_tally.reply.brief_page import write_brief_page
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.save import save_reply
from deep_tally.session.brief_library import BriefLibrary, named_brief


def run_brief(
    *, said: str | None, page: str | None, json_: bool, schema: bool, list_: bool, default: bool, engineer: str
) -> int:
    """Print or write what is asked for; always returns 0.

    Raises
    ------
    DeepTallyError
        A refused or unknown brief, or an output that cannot be written.
    """
    library = BriefLibrary()
    if schema:
        click.echo(json.dumps(brief_schema(), indent=2))
        return 0
    if list_:
        chosen = library.default.name
        for name in library.names():
            marks = [w for w, is_so in (("the default", name == chosen), ("your own", library.is_own(name))) if is_so]
            click.echo(f"{name} ({', '.join(marks)})" if marks else name)
        for trouble in library.troubles:
            click.echo(f"deep-tally: {trouble}", err=True)
        return 0
    brief = named_brief(said) if said else library.default
    if default:
        library.pick_default(brief.name)
        click.echo(f"{brief.name} is the default now.")
        return 0
    if json_:
        click.echo(brief.to_json(), nl=False)
        return 0
    made = write_brief_page(brief, engineer=engineer)
    if page is None or page == "-":
        click.echo(to_text(made), nl=False)
    else:
        save_reply(made, Path(page))
    return 0
