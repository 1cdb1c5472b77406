"""The reply to a delivery: a first part a client can act on, and the details behind it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from deep_tally.model.brief import DEFAULT_BRIEF, Brief
from deep_tally.model.delivery import Delivery
from deep_tally.model.language import in_language
from deep_tally.reply.details import details, new_names
from deep_tally.reply.edits import AGAIN, with_edits
from deep_tally.reply.first_part import first_part
from deep_tally.reply.letter_options import LetterOptions
from deep_tally.reply.page import Block, Page
from deep_tally.reply.requests import Request, group_requests

_AS_USUAL = LetterOptions()


def write_letter(delivery: Delivery, options: LetterOptions = _AS_USUAL, brief: Brief = DEFAULT_BRIEF) -> Page:
    """The reply to a delivery.

    Parameters
    ----------
    delivery : Delivery
        Assessed.
    options : LetterOptions
    brief : Brief
        What it was assessed by: new exports are asked for as it says.
    """
    return with_edits(written(delivery, options, brief), options.edits)


def written(delivery: Delivery, options: LetterOptions, brief: Brief) -> Page:
    """The reply without the user's own words: what `edits_between` compares with."""
    with in_language(options.language, is_formal=options.tone == "formal"):
        return Page(tuple(_blocks(delivery, options, brief)), options.language)


def _blocks(delivery: Delivery, options: LetterOptions, brief: Brief) -> Iterator[Block]:
    requests = _asked(delivery, frozenset(options.edits.left_out))
    yield from first_part(delivery, requests, brief, options)
    if options.length == "full":
        yield from details(delivery, requests, brief)
    yield from new_names(options.renamed)


def _asked(delivery: Delivery, left_out: frozenset[str]) -> list[Request]:
    """The requests without those that are left out, and without the files that are not asked for again."""
    files = {key.removeprefix(AGAIN) for key in left_out if key.startswith(AGAIN)}
    asked = []
    for request in group_requests(delivery.findings):
        findings = request.findings
        if files and request.task.place == "again":
            kept = (replace(f, files=tuple(p for p in f.files if p not in files)) for f in findings)
            findings = tuple(k for k, f in zip(kept, findings, strict=True) if k.files or not f.files)
        if request.task.key not in left_out and findings:
            asked.append(Request(request.task, findings))
    return asked
