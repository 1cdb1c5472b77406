"""Words for the question "headroom": Is the level in the requested window?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.language import gettext as _
from deep_tally.model.language import marked, ngettext
from deep_tally.reply.numbers import decibels, level, signed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
)


def _level(f: Facts) -> str:
    """The level that is outside its window, and by how much."""
    value = level(f.number("dbfs"))
    return f"{value} RMS" if f.evidence.get("by") == "rms" else _("peaks at {level}").format(level=value)


def _quiet(f: Facts) -> str:
    text = _("{level}, {by} below the requested window").format(level=_level(f), by=decibels(f.number("db")))
    floor = f.number("floor_dbfs")
    over = f.number("dbfs") - floor
    if math.isinf(floor):
        return text
    noise = _("{level} over its own noise at {floor}").format(level=decibels(over), floor=decibels(floor, "dBFS"))
    return f"{text}; {noise}"


def _dc(f: Facts) -> str:
    share = signed(f.number("share") * 100, digits=2)
    if "share_before" in f.evidence:
        return _("at {time} its DC offset jumps from {before} to {after} % of full scale").format(
            time=f.first_place, before=signed(f.number("share_before") * 100, digits=2), after=share
        )
    return _("its mean value is {share} % of full scale").format(share=share)


def _normalised(f: Facts) -> str:
    by = str(f.finding.evidence.get("by", "peak"))
    what = {"peak": _("peak"), "rms": _("RMS level"), "loudness": _("loudness")}[by]
    same = ngettext(
        "{number} file shares the same {what}, {level}",
        "{number} files share the same {what}, {level}",
        int(f.number("files")),
        what=what,
        level=level(f.number("dbfs"), "LUFS" if by == "loudness" else "dBFS"),
    )
    if not f.finding.mends:
        return same
    shows = _("the rough mix shows how loud each of them was")
    return f"{same}; {shows}"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "headroom.hot": Wording(
            marked("Little headroom"),
            marked("{files} has little headroom"),
            lambda f: _("{level}, {by} above the requested window").format(
                level=_level(f), by=decibels(f.number("db"))
            ),
            "",
        ),
        "headroom.quiet": Wording(
            marked("Very quiet"),
            marked("{files} is very quiet"),
            _quiet,
            marked("With so few bits left, turning it up brings up the noise too."),
        ),
        "headroom.normalised": Wording(
            marked("Every file has the same level"),
            marked("Most files have been brought to the same level: {files}"),
            _normalised,
            marked("The balance between the parts is lost."),
        ),
        "headroom.same-peak": Wording(
            marked("Peaks at exactly the same value"),
            marked("These files peak at exactly the same value: {files}"),
            lambda f: ngettext(
                "{number} file peaks at exactly {level}",
                "{number} files peak at exactly {level}",
                int(f.number("files")),
                level=decibels(f.number("dbfs"), "dBFS"),
            ),
            marked("A limiter or a safety gain may have acted on just these."),
        ),
        "headroom.shared-ceiling": Wording(
            marked("Limited to the same ceiling"),
            marked("These files are limited to the same ceiling: {files}"),
            lambda f: ngettext(
                "{number} file limited to {level}",
                "{number} files limited to {level}",
                int(f.number("files")),
                level=decibels(f.number("dbfs"), "dBFS"),
            ),
            marked(
                "A limiter on the main output is baked into every export, which shifts the balance between the parts."
            ),
        ),
        "headroom.limited": Wording(
            marked("Looks limited"),
            marked("{files} looks limited"),
            lambda f: _(
                "{share} % of its sounding moments peak within {within} of the highest peak,"
                " the loudest with a crest factor of {crest}"
            ).format(share=f"{f.number('share') * 100:.0f}", within=decibels(0.3), crest=decibels(f.number("db"))),
            marked("A limiter does that, and so do some programmed sounds."),
        ),
        "headroom.dc": Wording(
            marked("DC offset"),
            marked("{files} has a DC offset"),
            _dc,
            "",
        ),
    }
)
