"""What the user said of a delivery before, stated on standard error by every command that it counts for."""

from __future__ import annotations

import click

from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.reply.action_words import readable
from deep_tally.reply.correction_words import correction_words


def say_recalled(corrections: Corrections, trouble: str) -> None:
    """Say what is in force, and what of it could not be used."""
    if trouble:
        click.echo(f"deep-tally: {readable(trouble)}", err=True)
    if corrections != NO_CORRECTIONS:
        words = correction_words(corrections)
        click.echo(f"deep-tally: your earlier corrections apply: {words} (--fresh ignores them)", err=True)
