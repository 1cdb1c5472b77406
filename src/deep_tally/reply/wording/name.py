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
    return f"; over {clock(f.number('over_s'), digits=0)} the click drifts {duration(abs(ms))} {way} the song's tempo"


def _characters(f: Facts) -> str:
    bad = f.words("characters")
    return f"it contains {listed(bad)}" if bad else "spaces or dots at its ends, or a reserved name"


def _contradicts(f: Facts) -> str:
    by = f.evidence["by"]
    if by == "sound":
        return f"the name says {f.evidence['part']}, but the file is silent"
    if by == "channels":
        return (
            "the name says stereo, but there is only one channel"
            if f.number("channels") == 1
            else "the name says mono, but there are two channels"
        )
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
        "name.no-part": Wording(
            "No known word for what plays",
            "The names of these do not say which instrument plays: {files}",
            lambda f: "no word in the name is a known instrument",
            "Guessing instruments by ear costs time and invites mistakes.",
        ),
        "name.characters": Wording(
            "Characters some systems do not allow",
            "The name of {files} does not work on every system",
            _characters,
            "",
        ),
        "name.clash": Wording(
            "Two files share a name",
            "On some systems these names are the same: {files}",
            lambda f: "the same but for case, accents or the track number",
            "",
        ),
        "name.long": Wording(
            "Long name",
            "The name of {files} is long",
            lambda f: f"{f.number('characters_count'):.0f} characters; at most {f.number('most'):.0f} requested",
            "",
        ),
        "name.copy-mark": Wording(
            "Looks like a second copy",
            "The name says it is a copy: {files}",
            lambda f: (
                f"next to {f.evidence['partner']}"
                if f.evidence.get("partner")
                else "the mark a file manager adds to copies"
            ),
            "Only one of them can be the current one.",
        ),
        "name.number-gap": Wording(
            "Track numbers are missing",
            "Track numbers are missing",
            lambda f: f"no file numbered {missing(f)}",
        ),
        "name.number-twice": Wording(
            "Two files with the same number",
            "Two files have the same track number: {files}",
            lambda f: f"number {f.number('number'):.0f}",
            "",
        ),
        "name.pattern": Wording(
            "Named differently from the rest",
            "Named differently from the pattern or from the rest: {files}",
            lambda f: f"the pattern is {f.evidence.get('pattern')}",
            "",
        ),
        "name.prefix": Wording(
            "The part comes late in the name",
            "The names all begin the same, so the part comes late: {files}",
            lambda f: f"{f.number('files'):.0f} names begin with “{f.evidence['prefix']}”",
        ),
        "name.contradicts": Wording(
            "The name does not match the content",
            "The name of {files} does not match its content",
            _contradicts,
        ),
        "name.facts-missing": Wording(
            "Facts about the song are missing",
            "Facts about the song are missing",
            missing,
            "I need tempo and title to set up the session, the grid and tempo-based effects.",
        ),
        "name.facts-differ": Wording(
            "Conflicting tempo or key",
            "Tempo or key differs from place to place",
            lambda f: f"{listed(f.words('stated'))}{_drift(f)}",
            "With the wrong one, the grid and every tempo-based effect run out of time.",
        ),
    }
)
