"""The brief as one page for the client: what to send, and how to check it before sending."""

from __future__ import annotations

from collections.abc import Iterator

from deep_tally.model.brief import Brief, Part
from deep_tally.model.names import FAMILIES
from deep_tally.names.read import parse_part
from deep_tally.reply.action_words import readable
from deep_tally.reply.brief_words import (
    format_sentences,
    length_sentences,
    level_sentences,
    name_sentences,
    need_sentences,
    part_words,
    preparing_sentences,
    printed_sentences,
    scope_sentence,
)
from deep_tally.reply.page import Block, Page


def write_brief_page(brief: Brief, *, engineer: str = "") -> Page:
    """What to send, in words that fit every program.

    Parameters
    ----------
    brief : Brief
    engineer : str
        The name under the page; may be empty.
    """
    return Page(tuple(_blocks(brief, engineer.strip())))


def _blocks(brief: Brief, engineer: str) -> Iterator[Block]:
    one = brief.scope == "mix"
    yield Block("title", "What to send for mastering" if one else "What to send for the mix")
    yield Block("text", scope_sentence(brief))
    if brief.parts and not one:
        for family, parts in _by_family(brief):
            yield Block("item", readable(f"{family[:1].upper()}{family[1:]}: {', '.join(map(part_words, parts))}."))
    sections = (
        ("Before the export", preparing_sentences(brief)),
        ("How to export it" if one else "How to export them", [*format_sentences(brief), *length_sentences(brief)]),
        ("Levels and effects", [*level_sentences(brief), *printed_sentences(brief.printed)]),
        ("What else to send", need_sentences(brief)),
        ("Names", name_sentences(brief)),
        ("Before you send it", _checks(brief)),
    )
    for heading, items in sections:
        if items:
            yield Block("section", heading)
            for item in items:
                yield Block("item", readable(item))
    yield Block("text", f"Thank you, {engineer}" if engineer else "Thank you.")


def _by_family(brief: Brief) -> list[tuple[str, list[Part]]]:
    families: dict[str, list[Part]] = {}
    for part in brief.parts:
        families.setdefault(parse_part(part.part).family, []).append(part)
    return [(family, families[family]) for family in FAMILIES if family in families]


def _checks(brief: Brief) -> list[str]:
    """How the client sees that all is well, in any program."""
    if brief.scope == "mix":
        return [
            "Listen to the exported file from start to end: nothing is cut off, nothing clicks.",
            "Its meter never reaches full scale.",
        ]
    lines = ["Put all files into a new, empty session, each at its very start, with all faders alike, and press play."]
    if brief.levels == "as-rough-mix":
        lines.append("It sounds like your rough mix. If something is missing or louder, export that again.")
    else:
        lines.append("Everything plays in time and nothing is missing.")
    if brief.length.equal and not brief.length.trimmed_ends:
        lines.append("All files end at the same place.")
    lines.append("No file's meter reaches full scale, and no file is silent by mistake.")
    lines.append("Zip the folder and send that.")
    return lines
