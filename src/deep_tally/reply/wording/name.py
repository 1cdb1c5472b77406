"""Words for the question "name": Does the name say what plays?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.reply.numbers import clock, duration, listed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
    missing,
    partner,
)


def _drift(f: Facts) -> str:
    ms = f.number("ms")
    if math.isinf(ms):
        return ""
    way = "behind" if ms > 0 else "ahead of"
    return f"; over {clock(f.number('over_s'), digits=0)} the click runs {duration(abs(ms))} {way} the song's tempo"


def _characters(f: Facts) -> str:
    bad = f.words("characters")
    return f"it holds {listed(bad)}" if bad else "blanks or dots at its ends, or a reserved word"


def _contradicts(f: Facts) -> str:
    by = f.evidence["by"]
    if by == "sound":
        return f"it names {f.evidence['part']}, but nothing sounds"
    if by == "channels":
        return "it says stereo, but holds one channel" if f.number("channels") == 1 else "it says mono, but holds two"
    return f"its other side, {partner(f)}, differs in length by {duration(f.number('ms'))}"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "name.generic": Wording(
            "The name does not say what plays",
            "The name of {files} does not say what plays",
            lambda f: (
                f"“{f.evidence['word']}” and a number, over {f.number('files'):.0f} files"
                if "word" in f.evidence
                else "only a number or a general word"
            ),
            "Guessing instruments by ear costs time and invites mistakes.",
        ),
        "name.characters": Wording(
            "Characters some systems refuse",
            "The name of {files} cannot be stored on every system",
            _characters,
            "",
            "rename the copy",
        ),
        "name.clash": Wording(
            "Two files share a name",
            "These names are equal on some systems: {files}",
            lambda f: "equal but for case, accents or the track number",
            "",
            "tell them apart in the copies' names",
        ),
        "name.long": Wording(
            "A long name",
            "The name of {files} is long",
            lambda f: f"{f.number('characters_count'):.0f} characters, asked are at most {f.number('most'):.0f}",
            "",
            "shorten the copy's name",
        ),
        "name.copy-mark": Wording(
            "Looks like a second copy",
            "The name marks a second copy: {files}",
            lambda f: (
                f"beside {f.evidence['partner']}" if f.evidence.get("partner") else "the mark a file manager adds"
            ),
            "Only one of them can be the current one.",
            "take the mark out of the copy's name",
        ),
        "name.number-gap": Wording(
            "Track numbers miss some",
            "The track numbers miss some",
            lambda f: f"no file numbered {missing(f)}",
        ),
        "name.number-twice": Wording(
            "One number, two files",
            "Two files carry the same track number: {files}",
            lambda f: f"number {f.number('number'):.0f}",
            "",
            "number the copies anew",
        ),
        "name.pattern": Wording(
            "Named otherwise than the rest",
            "Named otherwise than asked, or than the rest: {files}",
            lambda f: f"the pattern is {f.evidence.get('pattern')}",
            "",
            "name the copy by the pattern",
        ),
        "name.prefix": Wording(
            "The part stands late in the name",
            "The names all begin alike, so that the part stands late: {files}",
            lambda f: f"{f.number('files'):.0f} names begin with “{f.evidence['prefix']}”",
        ),
        "name.contradicts": Wording(
            "The name says something else",
            "The name of {files} says something else than what is in it",
            _contradicts,
        ),
        "name.facts-missing": Wording(
            "Facts about the song are missing",
            "Facts about the song are stated nowhere",
            lambda f: f"missing: {missing(f)}",
            "Tempo and title set up the session, the grid and the effects that follow it.",
        ),
        "name.facts-differ": Wording(
            "Tempo or key is stated differently",
            "Tempo or key is stated differently in different places",
            lambda f: f"{listed(f.words('stated'))}{_drift(f)}",
            "The wrong one puts the grid, and every effect that follows it, beside the music.",
        ),
    }
)
