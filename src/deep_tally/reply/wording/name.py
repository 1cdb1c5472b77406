"""Words for the question "name": Does the name say what plays?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.language import gettext as _
from deep_tally.model.language import marked, ngettext
from deep_tally.model.phrase import worded
from deep_tally.reply.numbers import clock, duration, listed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
    missing,
    partner,
)

_FACTS: Mapping[str, str] = MappingProxyType(
    {"song": marked("song title"), "tempo": marked("tempo"), "key": marked("key"), "artist": marked("artist")}
)


def _drift(f: Facts) -> str:
    ms = f.number("ms")
    if math.isinf(ms):
        return ""
    behind = _("over {whole} the click drifts {time} behind the song's tempo")
    text = behind if ms > 0 else _("over {whole} the click drifts {time} ahead of the song's tempo")
    return f"; {text.format(whole=clock(f.number('over_s'), digits=0), time=duration(abs(ms)))}"


def _characters(f: Facts) -> str:
    bad = f.words("characters")
    if not bad:
        return _("spaces or dots at its ends, or a reserved name")
    return _("it contains {characters}").format(characters=listed([worded(character) for character in bad]))


def _contradicts(f: Facts) -> str:
    by = f.evidence["by"]
    if by == "sound":
        return _("the name says {part}, but the file is silent").format(part=_(str(f.evidence["part"])))
    if by == "channels":
        return (
            _("the name says stereo, but there is only one channel")
            if f.number("channels") == 1
            else _("the name says mono, but there are two channels")
        )
    return _("its other side, {partner}, differs in length by {time}").format(
        partner=partner(f), time=duration(f.number("ms"))
    )


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "name.generic": Wording(
            marked("The name does not say what plays"),
            marked("The name of {files} does not say what plays"),
            lambda f: (
                ngettext(
                    "“{word}” and a number, over {number} file",
                    "“{word}” and a number, over {number} files",
                    int(f.number("files")),
                    word=f.evidence["word"],
                )
                if "word" in f.evidence
                else _("only a number or a general word")
            ),
            marked("Guessing instruments by ear costs time and invites mistakes."),
        ),
        "name.no-part": Wording(
            marked("No known word for what plays"),
            marked("The names of these do not say which instrument plays: {files}"),
            lambda f: _("no word in the name is a known instrument"),
            marked("Guessing instruments by ear costs time and invites mistakes."),
        ),
        "name.characters": Wording(
            marked("Characters some systems do not allow"),
            marked("The name of {files} does not work on every system"),
            _characters,
            "",
        ),
        "name.clash": Wording(
            marked("Two files share a name"),
            marked("On some systems these names are the same: {files}"),
            lambda f: _("the same but for case, accents or the track number"),
            "",
        ),
        "name.long": Wording(
            marked("Long name"),
            marked("The name of {files} is long"),
            lambda f: _("{characters} characters; at most {most} requested").format(
                characters=int(f.number("characters_count")), most=int(f.number("most"))
            ),
            "",
        ),
        "name.copy-mark": Wording(
            marked("Looks like a second copy"),
            marked("The name says it is a copy: {files}"),
            lambda f: (
                _("next to {partner}").format(partner=f.evidence["partner"])
                if f.evidence.get("partner")
                else _("the mark a file manager adds to copies")
            ),
            marked("Only one of them can be the current one."),
        ),
        "name.number-gap": Wording(
            marked("Track numbers are missing"),
            marked("Track numbers are missing"),
            lambda f: _("no file numbered {numbers}").format(numbers=missing(f)),
        ),
        "name.number-twice": Wording(
            marked("Two files with the same number"),
            marked("Two files have the same track number: {files}"),
            lambda f: _("number {number}").format(number=int(f.number("number"))),
            "",
        ),
        "name.pattern": Wording(
            marked("Named differently from the rest"),
            marked("Named differently from the pattern or from the rest: {files}"),
            lambda f: _("the pattern is {pattern}").format(pattern=f.evidence.get("pattern")),
            "",
        ),
        "name.prefix": Wording(
            marked("The part comes late in the name"),
            marked("The names all begin the same, so the part comes late: {files}"),
            lambda f: ngettext(
                "{number} name begins with “{prefix}”",
                "{number} names begin with “{prefix}”",
                int(f.number("files")),
                prefix=f.evidence["prefix"],
            ),
        ),
        "name.contradicts": Wording(
            marked("The name does not match the content"),
            marked("The name of {files} does not match its content"),
            _contradicts,
        ),
        "name.facts-missing": Wording(
            marked("Facts about the song are missing"),
            marked("Facts about the song are missing"),
            lambda f: listed([_(_FACTS[word]) for word in f.words("missing")]),
            marked("I need tempo and title to set up the session, the grid and tempo-based effects."),
        ),
        "name.facts-differ": Wording(
            marked("Conflicting tempo or key"),
            marked("Tempo or key differs from place to place"),
            lambda f: f"{listed([worded(said) for said in f.words('stated')])}{_drift(f)}",
            marked("With the wrong one, the grid and every tempo-based effect run out of time."),
        ),
    }
)
